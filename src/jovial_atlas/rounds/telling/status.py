"""What each engine knows of the site: asked, heard, seen in logs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import nullcontext

from jovial_atlas.engines.channels import channel_name, sitemap_channels
from jovial_atlas.engines.heard_files import HeardPages
from jovial_atlas.engines.published import PAGES, Published, channel_for
from jovial_atlas.errors import NetworkError
from jovial_atlas.ledger import Heard, Ledger, PageReport, SitemapReport
from jovial_atlas.rounds.state.names import INDEX
from jovial_atlas.rounds.state.published import PublishedSite
from jovial_atlas.rounds.state.sending import Sending
from jovial_atlas.rounds.state.survey_result import Apart
from jovial_atlas.rounds.telling.advice import next_steps
from jovial_atlas.rounds.telling.built import note_built
from jovial_atlas.rounds.telling.coverage import pasts, section_states
from jovial_atlas.rounds.telling.engine_state import EngineState, SitemapState, Standing
from jovial_atlas.sitefile import Engine, SiteFile


def run_status(
    site: SiteFile,
    engines: Sequence[Engine],
    ledger: Ledger,
    sending: Sending | None,
    apart: Apart = nullcontext,
) -> list[EngineState]:
    """The state of each engine. With `sending` the engines are asked, `apart` from the files of
    the site, and their answers kept; without it, what they said last is shown."""
    public = PublishedSite(site)
    if sending:
        note_built(public.announced, ledger)
    with apart() if sending else nullcontext():
        troubles = {one.name: hear_engine(site, one, ledger, sending) for one in engines}
    return [
        _engine_state(site, engine, ledger, public, troubles[engine.name]) for engine in engines
    ]


def hear_engine(site: SiteFile, engine: Engine, ledger: Ledger, sending: Sending | None) -> str:
    """Ask an engine what it knows and keep it; gives back why that failed, if it did."""
    if sending is None:
        return ""
    asking, pages, trouble = sending.asking(engine, site), list[PageReport](), ""
    try:
        ledger.note_reports(engine.name, asking.sitemaps() or ())
        for part in asking.pages():
            pages += part
    except NetworkError as error:
        trouble = str(error)
    if pages:
        ledger.note_pages(engine.name, pages)
    return trouble


def joined_states(
    states: Sequence[EngineState], others: Sequence[EngineState]
) -> list[EngineState]:
    """What engines know of two hosts of a site, engine by engine."""
    return [
        EngineState(
            one.name,
            [*one.sitemaps, *other.sitemaps],
            [*one.sections, *other.sections],
            None if one.pages_heard is None else one.pages_heard + (other.pages_heard or 0),
            one.since or other.since,
            list(dict.fromkeys([*one.next, *other.next])),
            one.trouble or other.trouble,
        )
        for one, other in zip(states, others, strict=True)
    ]


def _engine_state(
    site: SiteFile,
    engine: Engine,
    ledger: Ledger,
    published: PublishedSite,
    trouble: str,
) -> EngineState:
    public, reported = published.announced, ledger.reports(engine.name)
    past = pasts(engine.name, ledger, reported)
    pages = ledger.pages(engine.name)
    # The section of a page is only needed where an engine tells of single pages.
    of_page = published.sections_of(pages) if pages else {}
    states = _sitemap_states(engine, ledger, public, reported, past[0].reports if past else {})
    submitted = {one.loc: one.submitted_urls or 0 for one in states}
    standing = Standing(
        states,
        section_states(public.sections, submitted, reported, past, pages, of_page),
        pages,
        _elsewhere(site, engine, ledger),
        past[0].since if past else "",
        trouble,
    )
    channel_names = {channel_name(channel) for channel in engine.channels}
    return EngineState(
        engine.name,
        states,
        list(standing.sections),
        HeardPages(engine.name, public.pages, ledger, public.site_url).known
        if PAGES in channel_names
        else None,
        standing.since,
        next_steps(site, engine, public, ledger, standing),
        trouble,
    )


def _sitemap_states(
    engine: Engine,
    ledger: Ledger,
    public: Published,
    reported: Mapping[str, SitemapReport],
    before: Mapping[str, SitemapReport],
) -> list[SitemapState]:
    """The index first, then those that miss most pages."""
    heard: dict[str, Heard] = {}
    for channel in sitemap_channels(engine):
        heard |= ledger.heard(engine.name, channel)
    # An interface lists all that it knows at once: what is not in the latest list is not known
    # there. A table that was exported may be of some sitemaps only, and says nothing of others.
    whole = channel_for(engine, "read-sitemaps") is not None
    latest = max((one.asked_at for one in reported.values()), default="") if whole else ""
    states = []
    others = sorted(loc for loc in set(reported) - set(public.sitemaps) if public.owns(loc))
    for loc in [*public.sitemaps, *others]:
        report, known, had = reported.get(loc), heard.get(loc), before.get(loc)
        lost = bool(latest) and (report is None or report.asked_at < latest)
        if lost and loc not in public.sitemaps:
            continue
        lost = lost and known is not None and known.at < latest
        states.append(
            SitemapState(
                loc,
                public.sections.get(loc, ""),
                known.urls if known else None,
                known.at if known else None,
                report.last_read if report else None,
                "lost" if lost else _state(loc, known is not None, report, public),
                report.found if report else None,
                report.indexed if report else None,
                report.reasons if report else {},
                had.found if had else None,
                had.indexed if had else None,
            )
        )
    return sorted(states, key=_worst_first)


def _worst_first(one: SitemapState) -> tuple[bool, int]:
    missing = 0 if one.indexed is None else (one.found or 0) - one.indexed
    return not one.loc.endswith(f"/{INDEX}"), -missing


def _elsewhere(site: SiteFile, engine: Engine, ledger: Ledger) -> dict[str, list[str]]:
    """Sitemap → the other engines that list it."""
    engines_by_loc: dict[str, list[str]] = {}
    for other in site.model.engine:
        if other.name != engine.name:
            for loc in ledger.reports(other.name):
                engines_by_loc.setdefault(loc, []).append(other.name)
    return engines_by_loc


def _state(loc: str, announced: bool, report: SitemapReport | None, public: Published) -> str:
    if loc not in public.sitemaps:
        return "not in the build"
    if report is None:
        return "announced" if announced else "not announced"
    return report.state
