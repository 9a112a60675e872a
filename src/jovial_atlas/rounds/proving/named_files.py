"""Files of Markdown that name each other: generators make links between pages of that."""

from __future__ import annotations

from collections.abc import Callable
from urllib.parse import quote

import polars as pl
from msgspec.structs import replace

from jovial_atlas.pages.page import Page
from jovial_atlas.review.measures import PageMeasures
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.sitefile import MarkdownSource, SiteFile
from jovial_atlas.sources.settings import name_of


def markdown_sources(site: SiteFile) -> list[str]:
    """The names of the sources that are folders of Markdown."""
    return [name_of(one) for one in site.model.source if isinstance(one, MarkdownSource)]


def filed_as(site: SiteFile) -> Callable[[Page], str]:
    """Gives the address that the file of a page would have if it were served as it lies; "" where
    it is no Markdown."""
    sources, url = frozenset(markdown_sources(site)), site.model.site.url
    return lambda page: _address(url, page.path) if page.source in sources and page.path else ""


def _address(url: str, path: str) -> str:
    return f"{url}/{quote(path)}"


def links_by_files(survey: LastSurvey) -> Callable[[str, PageMeasures], PageMeasures]:
    """Gives the measures of a page with its links to files of Markdown as links to the pages that
    these are."""
    sources = markdown_sources(survey.site)
    if not sources:
        return lambda _loc, measures: measures
    places = survey.pages.filter(pl.col("source").is_in(sources)).select("loc", "source", "path")
    files = places.collect(engine="streaming").drop_nulls("path")
    url = survey.site.model.site.url
    locs = {(source, _address(url, path)): loc for loc, source, path in files.iter_rows()}
    source_of = {loc: source for loc, source, _ in files.iter_rows()}

    def led(loc: str, measures: PageMeasures) -> PageMeasures:
        source = source_of.get(loc)
        if source is None:
            return measures
        within = sorted({locs.get((source, one), one) for one in measures.within} - {loc})
        return replace(measures, within=within)

    return led
