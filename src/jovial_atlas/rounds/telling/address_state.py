"""What is known of single addresses: announced, visited, indexed or not and why, by each engine."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from jovial_atlas.engines.published import PAGES
from jovial_atlas.errors import AtlasError, NetworkError
from jovial_atlas.faults import is_none
from jovial_atlas.ledger import Ledger, PageReport
from jovial_atlas.rounds.state.published import PublishedSite, asked_for
from jovial_atlas.rounds.state.sending import Sending
from jovial_atlas.sitefile import Engine, SiteFile


@dataclass(frozen=True, slots=True)
class KnownPage:
    """One address at one engine. `indexed` is None where the engine did not say; `visited_at` is by
    the logs that were read, `last_crawl` by the engine's word, which is of `said_at`."""

    engine: str
    loc: str
    section: str
    announced_at: str | None
    visited_at: str | None
    visit_status: int | None
    indexed: bool | None
    reason: str
    last_crawl: str | None
    canonical: str
    said_at: str


#: So many addresses are looked up one by one.
_FEW = 5_000
#: What can be asked for → which addresses these are.
WHICH: Mapping[str, Callable[[KnownPage], bool]] = {
    "all": lambda one: bool(one.loc),
    "indexed": lambda one: one.indexed is True,
    "left-out": lambda one: one.indexed is False,
    "unknown": lambda one: one.indexed is None,
    "unannounced": lambda one: one.announced_at is None,
    "unvisited": lambda one: one.visited_at is None and one.last_crawl is None,
}


def known_pages(
    site: SiteFile,
    engines: Sequence[Engine],
    ledger: Ledger,
    which: str = "all",
    section: str = "",
) -> list[KnownPage]:
    """Public addresses of which `which` is true, engine by engine, in the order of their sections.

    Raises AtlasError for a section that has no pages in the build.
    """
    of_page = PublishedSite(site).sections
    if section and section not in of_page.values():
        raise AtlasError(is_none(section, "section", sorted(set(of_page.values()))))
    locs = [loc for loc, of in of_page.items() if not section or of == section]
    wanted = WHICH[which]
    found = [one for engine in engines for one in pages_known_to(engine, ledger, locs, of_page)]
    return [one for one in found if wanted(one)]


def asked_pages(
    site: SiteFile,
    engines: Sequence[Engine],
    ledger: Ledger,
    sending: Sending | None,
    urls: Sequence[str],
) -> tuple[list[KnownPage], list[str]]:
    """What is known of these addresses (or paths from '/' on), each engine asked about each where
    it has a channel named read-page; and what went wrong in asking. Raises AtlasError."""
    public = PublishedSite(site)
    locs = asked_for(public.announced, urls, pages_only=True)
    troubles = []
    for engine in engines:
        asking = sending.asking(engine, site) if sending else None
        reports: list[PageReport] = []
        try:
            reports = [one for loc in locs if asking and (one := asking.page(loc))]
        except NetworkError as error:
            troubles.append(str(error))
        ledger.note_pages(engine.name, reports)
    of_page = public.sections_of(locs)
    known = [one for engine in engines for one in pages_known_to(engine, ledger, locs, of_page)]
    return known, troubles


def pages_known_to(
    engine: Engine, ledger: Ledger, locs: Sequence[str], of_page: Mapping[str, str]
) -> list[KnownPage]:
    """What an engine knows of each of these addresses; `of_page` has their sections."""
    heard = (
        ledger.heard_of(engine.name, PAGES, locs)
        if len(locs) < _FEW
        else ledger.heard(engine.name, PAGES)
    )
    reports = ledger.pages(engine.name)
    visits = {one.loc: one for one in ledger.visits(engine.name)}
    pages = []
    for loc in locs:
        announced, visit, word = heard.get(loc), visits.get(loc), reports.get(loc)
        pages.append(
            KnownPage(
                engine.name,
                loc,
                of_page.get(loc, ""),
                announced.at if announced else None,
                visit.last if visit else None,
                visit.status if visit else None,
                word.indexed if word else None,
                word.reason if word else "",
                word.last_crawl if word else None,
                word.canonical if word else "",
                word.asked_at if word else "",
            )
        )
    return pages
