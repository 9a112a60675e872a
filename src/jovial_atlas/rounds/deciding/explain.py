"""One page explained: its verdict, the layers behind it, and all that is published for it."""

from __future__ import annotations

from typing import Any

import msgspec
import polars as pl
from rapidfuzz import fuzz, process

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.context import HeadContext
from jovial_atlas.head.head import Head
from jovial_atlas.head.lengths import width
from jovial_atlas.head.settings import head_settings
from jovial_atlas.head.videos import Film
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.pages.page import Page, page_of
from jovial_atlas.robots import Matcher
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.published import PublishedSite
from jovial_atlas.rounds.state.survey_record import read_survey_record
from jovial_atlas.rules import LayerSays, deciding_crawlers, explain_layers, robots_of
from jovial_atlas.sitefile import HtmlSource, SiteFile
from jovial_atlas.sources.html_page.page import PageFile, read_files
from jovial_atlas.sources.settings import name_of, reading_of


class Explained(msgspec.Struct, frozen=True):
    """All that is known and decided about one page; `sitemap` is where the files list it now."""

    page: Page
    layers: list[LayerSays]
    sitemap: list[str]
    robots: dict[str, Any]
    head: Head
    films: list[Film]
    #: Value → from which place of the page it was taken.
    read_from: dict[str, str]
    #: What stands in the page and was passed over as layout, by what it is.
    layout: dict[str, list[str]]
    #: Title and description: characters, pixels, and the pixels that a result has; empty for none.
    lengths: dict[str, dict[str, int]]


def explain(address: str, survey: LastSurvey, site: SiteFile) -> Explained:
    """Explain a page by its address, or by its path on the site.

    Raises AtlasError where it is not of this site, or not in the last survey; then the
    nearest address is named.
    """
    row, names = _page_and_names(_loc(address, survey.site), survey)
    page = page_of(survey.decide(row).to_dicts()[0])
    loc = page.loc
    site = next(host for host in site.hosts if addresses.origin(loc) == host.model.site.url)
    robots = robots_of(site.model)
    agents = deciding_crawlers(robots, sorted(site.crawlers))
    answers = [Matcher(robots, agent).ask(addresses.path_and_query(loc)) for agent in agents]
    answer = next((one for one in answers if one.allowed), answers[0])
    films = survey.films.get(loc, [])
    context = HeadContext(survey.pictures.look, names.get)
    head = head_data(page, head_settings(site), films, context)
    return Explained(
        page=page,
        layers=explain_layers(row, site, survey.now),
        sitemap=_listed_in(loc, site),
        robots={
            "allowed": answer.allowed,
            "rule": str(answer.rule) if answer.rule else None,
            "directives": head.directives,
        },
        head=head,
        films=films,
        read_from=_places(page),
        layout=_passed_over(page, survey),
        lengths=_lengths(head, site),
    )


def _places(page: Page) -> dict[str, str]:
    """From where the values of a page come, as far as that is known."""
    said = (page.read_from or "").split()
    places = dict(one.split("=", 1) for one in said)
    dated = {"published": page.published_from, "lastmod": page.lastmod_from}
    return places | {name: place for name, place in dated.items() if place}


def _passed_over(page: Page, survey: LastSurvey) -> dict[str, list[str]]:
    """What the file of a page holds that counts as layout of the site: the file is read again, as
    surveys read it. Nothing where its source is no folder of HTML, or nothing of it is layout."""
    layout = read_survey_record(survey.site.shared_state).layout
    source = next(
        (one for one in survey.site.model.source
         if isinstance(one, HtmlSource) and name_of(one) == page.source), None,
    )  # fmt: skip
    if not layout or source is None or not page.path:
        return {}
    place = survey.site.folder / source.path / page.path
    reading = reading_of(source, survey.site, survey.now)
    rows, _ = read_files([PageFile(str(place), page.path, page.loc)], reading)
    if not rows:
        return {}
    row = rows[0]
    said = {
        "pictures": [one["loc"] for one in row["images"] if one["loc"] in layout.images],
        "heading": [one for one in (row.get("heading"),) if one and one in layout.headings],
        "first sentences": [one for one in (row.get("excerpt"),) if one and one in layout.excerpts],
        "tags": [one for one in ("|".join(row.get("tags") or ()),) if one and one in layout.tags],
    }
    return {name: values for name, values in said.items() if values}


def page_at(address: str, survey: LastSurvey) -> pl.DataFrame:
    """The row of a page with its verdict, by its address or its path on the site. Raises AtlasError
    as `explain`."""
    return survey.decide(_page_and_names(_loc(address, survey.site), survey)[0])


def _page_and_names(loc: str, survey: LastSurvey) -> tuple[pl.DataFrame, dict[str, str]]:
    """The row of a page as the survey has it, and what the pages in the folders above it are
    called: all that is asked of other pages to explain one. A large table is read once for it."""
    path = addresses.path_and_query(loc)
    steps = [path[:end] for end, letter in enumerate(path) if letter == "/"]
    origin = addresses.origin(loc)
    wanted = {loc, *(origin + step for step in steps), *(f"{origin}{step}/" for step in steps)}
    rows = survey.pages.filter(pl.col("loc").is_in(sorted(wanted))).collect(engine="streaming")
    row = rows.filter(pl.col("loc") == loc)
    if not row.height:
        if (end := MoveMap(survey.site.moves).end(loc)) and not end.loops:
            leads = f"it moved to {end.to}" if end.to else "it is gone on purpose"
            raise AtlasError(
                f"{loc} is no page of the last survey: {leads}. See `jovial-atlas moves follow`."
            )
        nearest = _nearest(loc, survey)
        meant = f" The nearest is {nearest}." if nearest else ""
        raise AtlasError(f"{loc} is no page of the last survey.{meant}")
    said = rows.select("loc", pl.coalesce("heading", "title"), "kind")
    return row, {at: name for at, name, kind in said.iter_rows() if name and kind == "page"}


def _lengths(head: Head, site: SiteFile) -> dict[str, dict[str, int]]:
    limits = site.model.lengths
    texts = (
        ("title", head.title, limits.title_size, limits.title_px),
        ("description", head.description, limits.description_size, limits.description_px),
    )
    return {
        name: {"characters": len(text), "px": width(text, size), "of": most} if text else {}
        for name, text, size, most in texts
    }


def _loc(address: str, site: SiteFile) -> str:
    url = site.model.site.url
    try:
        loc = addresses.normalise(url + address if address.startswith("/") else address)
    except ValueError as error:
        raise AtlasError(f"{error}. Give the whole address, or its path from '/' on.") from None
    if addresses.origin(loc) not in [host.model.site.url for host in site.hosts]:
        raise AtlasError(f"{loc} is not of this site, which is {url}.")
    return loc


#: Addresses that are compared with one that is not there, letter by letter.
_COMPARED = 200_000


def _nearest(loc: str, survey: LastSurvey) -> str | None:
    """The page whose address begins like `loc`, else the one most like it: of a large site, among
    those that begin as it does for as long as any does."""
    locs = survey.pages.select("loc")
    begun = locs.filter(pl.col("loc").str.starts_with(loc)).collect(engine="streaming")
    if begun.height:
        return str(min(begun["loc"].to_list(), key=len))
    begins = [loc[:end] for end, letter in enumerate(loc) if letter == "/" and end > _SCHEME]
    for beginning in reversed(begins):
        like = locs.filter(pl.col("loc").str.starts_with(f"{beginning}/")).head(_COMPARED)
        known = like.collect(engine="streaming")["loc"].to_list()
        best = process.extractOne(loc, known, scorer=fuzz.ratio, score_cutoff=70)
        if best:
            return str(best[0])
    return None


#: The slashes of a scheme end here.
_SCHEME = len("https://")


def _listed_in(loc: str, site: SiteFile) -> list[str]:
    """Names of the sitemap files that list the page, none where nothing was built."""
    try:
        return PublishedSite(site).files_of(loc)
    except AtlasError:
        return []
