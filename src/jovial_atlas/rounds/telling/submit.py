"""Announcing what the last build made public."""

from __future__ import annotations

import random
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from contextlib import nullcontext
from datetime import datetime
from itertools import accumulate

from jovial_atlas.engines.announce import announce, settle
from jovial_atlas.engines.channels import UnsentKind, channel_name, kind_of
from jovial_atlas.engines.due import due, single
from jovial_atlas.engines.heard_files import HeardPages
from jovial_atlas.engines.public_pages import Item
from jovial_atlas.engines.published import PAGES, SITEMAPS, Due, Outcome, Published
from jovial_atlas.errors import AtlasError, Loss
from jovial_atlas.findings.entry import Severity
from jovial_atlas.findings.registry import CHECKS
from jovial_atlas.ledger import Ledger
from jovial_atlas.records import Status
from jovial_atlas.rounds.state.hiding import hiding_faults, public_robots
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.rounds.state.loss import counts_as_loss, refuse_announcement
from jovial_atlas.rounds.state.names import INDEX
from jovial_atlas.rounds.state.published import PublishedSite, asked_for
from jovial_atlas.rounds.state.sending import Sending
from jovial_atlas.rounds.state.survey_result import Apart
from jovial_atlas.rounds.telling.built import note_built
from jovial_atlas.sitefile import Engine, SiteFile
from jovial_atlas.values import replace


def refuse_hidden(site: SiteFile, now: datetime) -> None:
    """Raise AtlasError where announcing would be wrong: a draft, a temporary host, or a site that
    hides itself."""
    if site.model.site.stage != "live":
        raise AtlasError(
            'Nothing is announced: the site is a draft. Set stage = "live" in [site], '
            "then survey, build and check."
        )
    survey = last_survey(site, now).of_host(site)
    for fault in hiding_faults(survey, public_robots(site)):
        check = CHECKS[fault.code]
        if check.severity == Severity.BLOCKER:
            raise AtlasError(f"Nothing is announced: {fault.code}: {fault.message} {check.fix}")


def planned(
    site: SiteFile, engines: Sequence[Engine], ledger: Ledger, urls: Sequence[str] = ()
) -> list[Outcome]:
    """What `run_submit` would send, and what it would settle first; nothing is sent or written."""
    public = PublishedSite(site).announced
    locs = asked_for(public, urls)
    broke = [
        Outcome(engine.name, one.channel, one.what, len(one.items), Status.UNKNOWN,
                f"broke off on {one.at[:10]}; settled before anything else is sent")
        for engine in engines
        for one in ledger.unsettled(engine.name)
    ]  # fmt: skip
    return broke + [
        Outcome(
            one.engine.name, channel_name(one.channel), one.what, len(one.items), Status.DUE, ""
        )
        for one in _dues(public, engines, ledger, locs)
    ]


def waiting(
    site: SiteFile, engines: Sequence[Engine], ledger: Ledger, most: int | None = None
) -> list[Item]:
    """What would be sent now, as addresses with their marks (None for what is gone): nothing that
    is to be done by hand. A message that broke off counts, as "" . Of more than `most` items, some
    are given, chosen by lot, the same each time."""
    public = PublishedSite(site).announced
    broke: list[Item] = [("", None) for engine in engines for _ in ledger.unsettled(engine.name)]
    sent = [one.items for one in _dues(public, engines, ledger, ())
            if not isinstance(kind_of(one.channel), UnsentKind)]  # fmt: skip
    count = sum(map(len, sent))
    if most is None or count <= most:
        return broke + [item for items in sent for item in items]
    starts = [0, *accumulate(map(len, sent))]
    for at in sorted(random.Random(count).sample(range(count), min(_SOME, most))):  # noqa: S311
        number = bisect_right(starts, at) - 1
        broke.append(sent[number][at - starts[number]])
    return broke


#: So many of many addresses stand for the others.
_SOME = 100


def run_submit(
    site: SiteFile,
    engines: Sequence[Engine],
    ledger: Ledger,
    sending: Sending,
    urls: Sequence[str] = (),
    *,
    done: bool = False,
    accept: bool = False,
    apart: Apart = nullcontext,
) -> Iterator[Outcome]:
    """Settle what broke off, then send what is due, or with `urls` these alone (addresses of pages
    and sitemaps, or paths from '/' on, changed or not), and yield each outcome.

    Engines are told `apart` from the files of the site; the ledger is had alone, so that two at a
    time never announce the same. After an engine fails once, the rest of that channel's messages
    is not sent in this run. What is to be done by hand is said, or with `done` recorded. Raises
    AtlasError for an address that is not public, and where no channel takes any; and LossError,
    unless told to `accept` it, where much of what an engine knows would be announced as gone.
    """
    public = PublishedSite(site).announced
    locs = asked_for(public, urls)
    if not (locs or accept):
        refuse_losses(site, public, engines, ledger)
    with apart(), ledger.alone("submit", wait=site.model.ledger.wait):
        note_built(public, ledger)
        down: set[tuple[str, str]] = set()
        for engine in engines:
            asking = sending.asking(engine, site)
            for broken in ledger.unsettled(engine.name):
                outcome = settle(broken, public, ledger, asking)
                if outcome.status == Status.UNKNOWN:
                    down.add((engine.name, broken.channel))
                yield outcome
        dues = _dues(public, engines, ledger, locs)
        if locs and not dues:
            raise AtlasError(
                "No engine chosen takes these addresses: for pages a channel indexnow or "
                "index-page is needed, for sitemaps one named submit-sitemap."
            )
        for one in dues:
            key = (one.engine.name, channel_name(one.channel))
            outcome = _sent(one, public, ledger, sending, down, done=done)
            if outcome.status in (Status.FAILED, Status.UNKNOWN):
                down.add(key)
            yield outcome
        for engine in engines:
            # What is compared now is remembered, so that nobody else has to wait for it.
            if any(channel_name(channel) == PAGES for channel in engine.channels):
                _ = HeardPages(engine.name, public.pages, ledger, public.site_url).known


def refuse_losses(
    site: SiteFile, public: Published, engines: Sequence[Engine], ledger: Ledger
) -> None:
    """Raise LossError where engines would be told that much of what they know is gone: addresses
    that they were told one by one, or what the sitemaps held that they were told of."""
    losses: list[Loss] = []
    examples: set[str] = set()
    index = f"{public.site_url}/{INDEX}"
    now = sum(urls for loc, (_, urls) in public.sitemaps.items() if loc != index)
    for engine in engines:
        # What is known of another host went with a move of the domain.
        unheard = HeardPages(engine.name, public.pages, ledger, public.site_url).unheard
        gone = [loc for loc in unheard.gone if public.owns(loc)]
        told = ledger.heard(engine.name, SITEMAPS)
        held = sum(o.urls or 0 for loc, o in told.items() if loc != index and public.owns(loc))
        for had, lost in ((unheard.known, len(gone)), (held, max(0, held - now))):
            if counts_as_loss(site.model.loss, "engine", had, lost):
                losses.append(Loss("engine", engine.name, had, lost))
                examples.update(gone)
                break
    refuse_announcement(losses, sorted(examples))


def _sent(
    due: Due,
    public: Published,
    ledger: Ledger,
    sending: Sending,
    down: set[tuple[str, str]],
    *,
    done: bool,
) -> Outcome:
    """What came of one message, which is not sent where there is a reason not to."""
    key = (due.engine.name, channel_name(due.channel))
    if key in down:
        why = "not sent: this channel failed just before"
        return Outcome(*key, due.what, len(due.items), Status.DUE, why)
    if not due.items:
        return Outcome(*key, due.what, 0, Status.DUE, "the day's quota is used up")
    due, kind = replace(due, items=list(due.items)), kind_of(due.channel)
    if isinstance(kind, UnsentKind):
        return kind.outcome(due, due.channel, public, ledger, done=done)
    variable = kind.token_env(due.channel)
    token = sending.environment.get(variable, "") if variable else ""
    if variable and not token:
        why = f"not sent: the environment variable {variable} holds no token"
        return Outcome(*key, due.what, len(due.items), Status.FAILED, why)
    return announce(due, public, ledger, sending.client, token, sending.pause)


def _dues(
    public: Published, engines: Sequence[Engine], ledger: Ledger, locs: Sequence[str]
) -> list[Due]:
    if locs:
        return [one for engine in engines for one in single(engine, public, ledger, locs)]
    return [one for engine in engines for one in due(engine, public, ledger)]
