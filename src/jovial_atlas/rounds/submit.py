"""Announcing what the last build made public, and asking what came of it."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

import httpx
from rapidfuzz import process

from jovial_atlas import dates
from jovial_atlas.engines.announce import (
    Due,
    Outcome,
    Published,
    announce,
    ask_reports,
    channel_name,
    due,
    reading_channel,
)
from jovial_atlas.errors import AtlasError, NetworkError
from jovial_atlas.faults import plural
from jovial_atlas.ledger import Ledger, SitemapReport
from jovial_atlas.rounds.build import INDEX
from jovial_atlas.rounds.build.beside import site_key
from jovial_atlas.rounds.build.places import LEDGER
from jovial_atlas.rounds.build.public import load_record, marks
from jovial_atlas.rounds.check import blockers
from jovial_atlas.rounds.last import last_survey
from jovial_atlas.sitefile import CallChannel, Engine, SiteFile


def open_ledger(site: SiteFile, now: Callable[[], datetime] = lambda: datetime.now(UTC)) -> Ledger:
    """The ledger of a site. Raises LedgerError."""
    return Ledger(site.state / LEDGER, lambda: dates.write(now()))


def published(site: SiteFile) -> Published:
    """What the last build made public. Raises AtlasError where there was none."""
    pages = marks(site)
    record = load_record(site)
    return Published(site.model.site.url, site_key(site), pages, record.sitemaps)


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
    """Raise AtlasError where announcing would be wrong: a draft, or a site that hides itself."""
    if site.model.site.stage != "live":
        raise AtlasError(
            'Nothing is announced: the site is a draft. Set stage = "live" in [site], '
            "then survey, build and check."
        )
    found = blockers(site, last_survey(site, now).of_host(site).decided)
    if found:
        raise AtlasError(f"Nothing is announced: {found[0].message} {found[0].fix}")


def all_due(site: SiteFile, engines: Sequence[Engine], ledger: Ledger) -> list[Due]:
    """What each engine has yet to hear."""
    public = published(site)
    return [one for engine in engines for one in due(engine, public, ledger)]


def run_submit(
    site: SiteFile,
    dues: Sequence[Due],
    ledger: Ledger,
    client: httpx.Client,
    environment: Mapping[str, str],
    pause: Callable[[float], None] = time.sleep,
) -> Iterator[Outcome]:
    """Send each message and yield its outcome. After an engine fails once, the rest of that
    channel's messages are not sent in this run."""
    public = published(site)
    down: set[tuple[str, str]] = set()
    for one in dues:
        key = (one.engine.name, channel_name(one.channel))
        if key in down:
            yield Outcome(
                *key, one.what, len(one.items), "due", "not sent: this channel failed just before"
            )
            continue
        token = ""
        if isinstance(one.channel, CallChannel) and one.channel.token_env:
            token = environment.get(one.channel.token_env, "")
            if not token:
                down.add(key)
                yield Outcome(*key, one.what, len(one.items), "failed", _no_token(one.channel))
                continue
        outcome = announce(one, public, ledger, client, token, pause)
        if outcome.status == "failed":
            down.add(key)
        yield outcome


def _no_token(channel: CallChannel) -> str:
    return f"not sent: the environment variable {channel.token_env} holds no token"


@dataclass(frozen=True, slots=True)
class SitemapState:
    """One sitemap at one engine: what was announced, and what the engine says."""

    loc: str
    submitted_urls: int | None
    announced_at: str | None
    last_read: str | None
    state: str
    found: int | None
    indexed: int | None
    reasons: dict[str, int]

    @property
    def coverage(self) -> float | None:
        """Indexed against submitted, from 0 to 1; None where either is not known."""
        if self.indexed is None or not self.submitted_urls:
            return None
        return round(self.indexed / self.submitted_urls, 4)


@dataclass(frozen=True, slots=True)
class EngineState:
    """One engine: its sitemaps, what to do next, and why it could not be asked, if so."""

    name: str
    sitemaps: list[SitemapState]
    pages_heard: int | None
    next: list[str] = field(default_factory=list)
    trouble: str = ""


def run_status(
    site: SiteFile,
    engines: Sequence[Engine],
    ledger: Ledger,
    client: httpx.Client | None,
    environment: Mapping[str, str],
) -> list[EngineState]:
    """The state of each engine. With a client the engines are asked and their answers kept;
    without one, what they said last is shown."""
    return [_engine_state(site, engine, ledger, client, environment) for engine in engines]


def joined_states(
    states: Sequence[EngineState], others: Sequence[EngineState]
) -> list[EngineState]:
    """What engines know of two hosts of a site, engine by engine."""
    return [
        EngineState(
            one.name,
            [*one.sitemaps, *other.sitemaps],
            None if one.pages_heard is None else one.pages_heard + (other.pages_heard or 0),
            list(dict.fromkeys([*one.next, *other.next])),
            one.trouble or other.trouble,
        )
        for one, other in zip(states, others, strict=True)
    ]


def _engine_state(
    site: SiteFile,
    engine: Engine,
    ledger: Ledger,
    client: httpx.Client | None,
    environment: Mapping[str, str],
) -> EngineState:
    trouble = ""
    if client is not None:
        try:
            reports = ask_reports(
                engine, site.model.site.url, client, lambda name: environment.get(name, "")
            )
            if reports:
                ledger.note_reports(engine.name, reports)
        except NetworkError as error:
            trouble = str(error)
    public = published(site)
    reported = ledger.reports(engine.name)
    heard = ledger.heard(engine.name, "submit-sitemap")
    states = []
    for loc in [*public.sitemaps, *sorted(set(reported) - set(public.sitemaps))]:
        report = reported.get(loc)
        known = heard.get(loc)
        states.append(
            SitemapState(
                loc,
                known.urls if known else None,
                known.at if known else None,
                report.last_read if report else None,
                _state(loc, known is not None, report, public),
                report.found if report else None,
                report.indexed if report else None,
                report.reasons if report else {},
            )
        )
    told = {channel_name(channel) for channel in engine.channels}
    pages = len(ledger.heard(engine.name, "indexnow")) if "indexnow" in told else None
    steps = list(_next_steps(engine, public, ledger, states, trouble))
    return EngineState(engine.name, states, pages, steps, trouble)


def _state(loc: str, announced: bool, report: SitemapReport | None, public: Published) -> str:
    if loc not in public.sitemaps:
        return "not in the build"
    if report is None:
        return "announced" if announced else "not announced"
    return report.state


def _next_steps(
    engine: Engine,
    public: Published,
    ledger: Ledger,
    states: Sequence[SitemapState],
    trouble: str,
) -> Iterator[str]:
    """What the owner should do about this engine, most pressing first."""
    if trouble:
        yield f"{trouble} The figures shown are the last known ones."
    if cut := ledger.cut_off(engine.name):
        yield (
            f"{plural(cut, 'announcement')} broke off with no known outcome; "
            "`jovial-atlas submit` sends what is still due."
        )
    waiting = list(due(engine, public, ledger))
    if waiting:
        pages = sum(len(one.items) for one in waiting if channel_name(one.channel) == "indexnow")
        files = sum(channel_name(one.channel) != "indexnow" for one in waiting)
        parts = [plural(pages, "address", "addresses")] if pages else []
        parts += [plural(files, "sitemap")] if files else []
        yield f"{' and '.join(parts)} still to announce: run `jovial-atlas submit`."
    for state in states:
        name = state.loc.rpartition("/")[2]
        if state.state == "not in the build":
            yield f"{name} is known to {engine.name} but no longer written; withdraw it there."
        elif state.state not in ("success", "pending", "announced", "not announced"):
            yield f"{name} was read with the result {state.state!r}; run `jovial-atlas check`."
    yield from _not_indexed(states)
    if reading_channel(engine.channels) is None:
        yield (
            f"{engine.name} has no channel named read-sitemaps, so what it read and indexed "
            "is not known here."
        )


def _not_indexed(states: Sequence[SitemapState], most: int = 3) -> Iterator[str]:
    """The sitemaps of which the smallest share is indexed, with the engine's reasons. The index
    is left out, since its pages are those of the others."""
    short = [
        state
        for state in states
        if state.found
        and state.indexed is not None
        and state.indexed < state.found
        and (len(states) == 1 or not state.loc.endswith(f"/{INDEX}"))
    ]
    short.sort(key=lambda state: ((state.indexed or 0) / (state.found or 1), -(state.found or 0)))
    for state in short[:most]:
        reasons = ", ".join(f"{reason}: {count:,}" for reason, count in state.reasons.items())
        yield (
            f"{state.loc.rpartition('/')[2]}: {state.indexed:,} of {state.found:,} indexed "
            f"({reasons or 'no reason given'})."
        )
    if len(short) > most:
        yield f"{plural(len(short) - most, 'more sitemap')} with pages that are not indexed."
