"""Announcing what the last build made public."""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

import httpx
from rapidfuzz import process

from jovial_atlas import addresses, patterns
from jovial_atlas.engines.announce import DUE, Outcome, announce, by_hand, settle
from jovial_atlas.engines.asking import Asking
from jovial_atlas.engines.due import Due, Published, channel_name, due, single
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import digest
from jovial_atlas.ledger import Built, Ledger
from jovial_atlas.ledger.values import FAILED, UNKNOWN
from jovial_atlas.rounds.build.beside import site_key
from jovial_atlas.rounds.build.public import load_record, marks
from jovial_atlas.rounds.check import blockers
from jovial_atlas.rounds.last import last_survey
from jovial_atlas.sitefile import CallChannel, Engine, HandChannel, IndexNowChannel, SiteFile


def published(site: SiteFile) -> Published:
    """What the last build made public. Raises AtlasError where there was none."""
    pages = marks(site)
    record = load_record(site)
    url = site.model.site.url
    sections = {f"{url}/{one.path}": name.rpartition("/")[0] for name, one in record.files.items()}
    return Published(
        url,
        site_key(site),
        pages,
        record.sitemaps,
        _feeds(site),
        _weights(site, pages),
        {loc: sections.get(loc, "") for loc in record.sitemaps},
    )


def note_built(public: Published, ledger: Ledger) -> None:
    """Let the ledger know what stands in the sitemaps now; the index is not counted."""
    ledger.note_built(
        [
            Built(loc, public.sections[loc], urls)
            for loc, (_, urls) in public.sitemaps.items()
            if public.sections.get(loc)
        ]
    )


def _feeds(site: SiteFile) -> dict[str, str]:
    """The feeds as they stand in the output folder, with their marks."""
    feed, found = site.model.feed, {}
    for name in (feed.rss, feed.atom):
        place = site.output / name
        if name and place.is_file():
            found[f"{site.model.site.url}/{name}"] = digest(place.read_bytes())
    return found


def _weights(site: SiteFile, pages: Mapping[str, str]) -> dict[str, float]:
    """The weight of each page's section, where sections have any and a quota makes it matter."""
    limited = any(
        isinstance(one, IndexNowChannel) and one.per_day
        for engine in site.model.engine
        for one in engine.channels
    )
    weights = {s.name: s.priority for s in site.model.section if s.priority is not None}
    if not limited or not weights:
        return {}
    found: dict[str, float] = {}
    for section in site.model.section:
        expression = re.compile(patterns.any_of(list(section.patterns)))
        for loc in pages:
            if loc not in found and expression.search(addresses.path_and_query(loc)):
                found[loc] = weights.get(section.name, 0.5)
    return found


def engines_named(site: SiteFile, names: Sequence[str]) -> list[Engine]:
    """The engines asked for, or all of them. Raises AtlasError for a name that is none."""
    known = {engine.name.lower(): engine for engine in site.model.engine}
    if not known:
        raise AtlasError(
            "The site file names no engine. Add an [[engine]] with its channels; "
            "`jovial-atlas demo` shows one at work."
        )
    chosen = []
    for name in names:
        if name.lower() not in known:
            best = process.extractOne(name.lower(), list(known), score_cutoff=50)
            meant = f" Did you mean {known[best[0]].name}?" if best else ""
            listed = ", ".join(engine.name for engine in known.values())
            raise AtlasError(f"{name!r} is no engine of the site file ({listed}).{meant}")
        chosen.append(known[name.lower()])
    return chosen or list(known.values())


def refuse_hidden(site: SiteFile, now: datetime) -> None:
    """Raise AtlasError where announcing would be wrong: a draft, a temporary host, or a site that
    hides itself."""
    about = site.model.site
    if about.stage != "live":
        raise AtlasError(
            'Nothing is announced: the site is a draft. Set stage = "live" in [site], '
            "then survey, build and check."
        )
    if about.url in about.other_hosts or addresses.is_local(about.url):
        raise AtlasError(
            f"Nothing is announced: {about.url} is a temporary host, and engines would keep it "
            "beside the real one. Set url in [site] to the public address, then survey and build."
        )
    found = blockers(site, last_survey(site, now).of_host(site).decided)
    if found:
        one = found[0]
        raise AtlasError(f"Nothing is announced: {one.code}: {one.message} {one.fix}")


@dataclass(frozen=True, slots=True)
class Sending:
    """How engines are reached: the client, and the environment that holds their tokens."""

    client: httpx.Client
    environment: Mapping[str, str]
    pause: Callable[[float], None] = time.sleep

    def asking(self, engine: Engine, site: SiteFile) -> Asking:
        """How one engine is asked about a site."""
        url = site.model.site.url
        return Asking(engine, url, self.client, lambda name: self.environment.get(name, ""))


def planned(
    site: SiteFile, engines: Sequence[Engine], ledger: Ledger, urls: Sequence[str] = ()
) -> list[Outcome]:
    """What `run_submit` would send, and what it would settle first; nothing is sent or written."""
    public = published(site)
    locs = asked_for(public, urls)
    broke = [
        Outcome(engine.name, one.channel, one.what, len(one.items), UNKNOWN,
                f"broke off on {one.at[:10]}; settled before anything else is sent")
        for engine in engines
        for one in ledger.unsettled(engine.name)
    ]  # fmt: skip
    return broke + [
        Outcome(one.engine.name, channel_name(one.channel), one.what, len(one.items), DUE, "")
        for one in _dues(public, engines, ledger, locs)
    ]


def run_submit(
    site: SiteFile,
    engines: Sequence[Engine],
    ledger: Ledger,
    sending: Sending,
    urls: Sequence[str] = (),
    *,
    done: bool = False,
) -> Iterator[Outcome]:
    """Settle what broke off, then send what is due, or with `urls` these alone (addresses of pages
    and sitemaps, or paths from '/' on, changed or not), and yield each outcome.

    The ledger is had alone meanwhile, so that two at a time never announce the same. After an
    engine fails once, the rest of that channel's messages is not sent in this run. What is to be
    done by hand is said, or with `done` recorded. Raises AtlasError for an address that is not
    public, and where no channel takes any.
    """
    public = published(site)
    locs = asked_for(public, urls)
    with ledger.alone("submit", wait=site.model.ledger.wait):
        note_built(public, ledger)
        down: set[tuple[str, str]] = set()
        for engine in engines:
            asking = sending.asking(engine, site)
            for broken in ledger.unsettled(engine.name):
                outcome = settle(broken, public, ledger, asking)
                if outcome.status == UNKNOWN:
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
            if outcome.status in (FAILED, UNKNOWN):
                down.add(key)
            yield outcome


def _sent(
    one: Due,
    public: Published,
    ledger: Ledger,
    sending: Sending,
    down: set[tuple[str, str]],
    *,
    done: bool,
) -> Outcome:
    """What came of one message, which is not sent where there is a reason not to."""
    key = (one.engine.name, channel_name(one.channel))
    if key in down:
        why = "not sent: this channel failed just before"
        return Outcome(*key, one.what, len(one.items), DUE, why)
    if not one.items:
        return Outcome(*key, one.what, 0, DUE, "the day's quota is used up")
    if isinstance(one.channel, HandChannel):
        return by_hand(one, public, ledger, done=done)
    token = ""
    if isinstance(one.channel, CallChannel) and one.channel.token_env:
        token = sending.environment.get(one.channel.token_env, "")
        if not token:
            return Outcome(*key, one.what, len(one.items), FAILED, _no_token(one.channel))
    return announce(one, public, ledger, sending.client, token, sending.pause)


def _dues(
    public: Published, engines: Sequence[Engine], ledger: Ledger, locs: Sequence[str]
) -> list[Due]:
    if locs:
        return [one for engine in engines for one in single(engine, public, ledger, locs)]
    return [one for engine in engines for one in due(engine, public, ledger)]


def asked_for(public: Published, urls: Sequence[str], *, pages_only: bool = False) -> list[str]:
    """Addresses of pages, and of sitemaps unless `pages_only`, as the build knows them. Raises
    AtlasError for one that is not public."""
    found = []
    for url in urls:
        given = public.site_url + url if url.startswith("/") else url
        try:
            loc = addresses.normalise(given)
        except ValueError as error:
            raise AtlasError(f"{error}. Give the whole address, or its path from '/' on.") from None
        if loc not in public.pages and (pages_only or loc not in public.sitemaps):
            raise AtlasError(
                f"{loc} is not listed, so no engine is told of it; "
                f"see `jovial-atlas explain {url}`."
            )
        found.append(loc)
    return found


def _no_token(channel: CallChannel) -> str:
    return f"not sent: the environment variable {channel.token_env} holds no token"
