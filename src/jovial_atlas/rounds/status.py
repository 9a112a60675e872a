"""What each engine knows of the site: asked, heard, seen in logs; and what to do next."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import httpx

from jovial_atlas import dates
from jovial_atlas.engines.announce import (
    Published,
    ask_reports,
    channel_name,
    due,
    reading_channel,
)
from jovial_atlas.errors import NetworkError
from jovial_atlas.faults import plural
from jovial_atlas.ledger import Ledger, PageReport, SitemapReport
from jovial_atlas.rounds.build import INDEX, ROBOTS
from jovial_atlas.rounds.submit import published
from jovial_atlas.sitefile import Engine, SiteFile

#: After so many days without being read, a sitemap is told as silent.
_SILENT_DAYS = 7


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
    said = ledger.reasons(engine.name)
    pages_said = ledger.pages(engine.name)
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
    now = dates.moment(ledger.now())
    host = site.model.site.url.partition("://")[2]
    record = engine.ownership.dns
    steps = [
        *([f"Ownership: a TXT record on {host} that says {record!r}."] if record else []),
        *_next_steps(engine, public, ledger, states, trouble),
        *_silences(engine, states, now),
        *_by_logs(engine, site, public, ledger),
        *_left_out(engine, said, pages_said),
    ]
    return EngineState(engine.name, states, pages, steps, trouble)


def _silences(engine: Engine, states: Sequence[SitemapState], now: datetime) -> Iterator[str]:
    """Sitemaps that were announced and not read since."""
    old = dates.write(now - timedelta(days=_SILENT_DAYS))
    never = [s for s in states if s.announced_at and not s.last_read and s.announced_at < old]
    if never and reading_channel(engine.channels) is not None:
        names = ", ".join(s.loc.rpartition("/")[2] for s in never[:3])
        yield (
            f"{plural(len(never), 'sitemap')} announced more than {_SILENT_DAYS} days ago and "
            f"never read ({names}): see with `jovial-atlas check --live` whether they can be."
        )
    stale = [
        s for s in states
        if s.announced_at and s.last_read and s.last_read[:19] < s.announced_at[:19] < old
    ]  # fmt: skip
    if stale:
        names = ", ".join(s.loc.rpartition("/")[2] for s in stale[:3])
        yield f"{plural(len(stale), 'sitemap')} last read before the last change ({names})."


def _by_logs(engine: Engine, site: SiteFile, public: Published, ledger: Ledger) -> Iterator[str]:
    """What the crawlers of an engine did not do, by the logs that were read."""
    visits = ledger.visits(engine.name)
    if not visits:
        return
    robots = max((v.at for v in visits if v.loc.endswith("/robots.txt")), default="")
    place = site.output / ROBOTS
    if robots and place.is_file():
        written = dates.write(datetime.fromtimestamp(place.stat().st_mtime, UTC))
        if robots < written:
            before = f"its crawlers last read it on {robots[:10]}"
            yield f"robots.txt changed on {written[:10]}; {before}."
    seen = {visit.loc for visit in visits}
    never = sum(loc not in seen for loc in public.pages)
    if never:
        yield (
            f"{plural(never, 'listed page')} of {len(public.pages):,} never asked for, by the logs "
            "read so far; `jovial-atlas logs --never` names them."
        )
    broken = [visit.loc for visit in visits if visit.status >= 400]
    if broken:
        yield (
            f"{plural(len(broken), 'address', 'addresses')} answered its crawlers with an error: "
            f"{', '.join(broken[:3])}."
        )


def _left_out(
    engine: Engine, reasons: Mapping[str, int], pages: Mapping[str, PageReport]
) -> Iterator[str]:
    """Why pages are not indexed, as the engine exported it."""
    for reason, count in list(reasons.items())[:3]:
        if count:
            yield f"{engine.name} leaves out {plural(count, 'page')}: {reason}."
    out = [one for one in pages.values() if one.indexed is False]
    if out:
        shown = ", ".join(f"{one.loc} ({one.reason or 'no reason given'})" for one in out[:3])
        more = f" and {len(out) - 3:,} more" if len(out) > 3 else ""
        yield f"{plural(len(out), 'address', 'addresses')} not indexed: {shown}{more}."


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
        if parts:
            yield f"{' and '.join(parts)} still to announce: run `jovial-atlas submit`."
        if later := sum(one.later for one in waiting):
            yield f"{plural(later, 'address', 'addresses')} wait for another day's quota."
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
