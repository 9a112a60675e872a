"""Addresses of Markdown pages as they were published: the template that is behind them."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from urllib.parse import urlsplit

import polars as pl

from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.reading.published import OldSite
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.sitefile import MarkdownSource
from jovial_atlas.sitefile.edit import set_in_list
from jovial_atlas.sources.records.markdown_address import address_values, template_behind
from jovial_atlas.sources.settings import name_of

#: What parts a page's own title from the name of the site.
PARTS_OF_TITLES = re.compile(r"\s+[|\-–—·:»/]+\s+")


def templates_as_published(published: OldSite, survey: LastSurvey) -> Mapping[int, str]:
    """Number of a source of Markdown → the address template by which its pages were published,
    where most of them were not published where the site file has them. Pages are known again by
    their titles."""
    if published.pages is None:
        return {}
    there = set(published.pages["loc"])
    by_title = _by_title(published.pages)
    found = {}
    for number, source in enumerate(survey.site.model.source):
        if not isinstance(source, MarkdownSource):
            continue
        pages = list(pages_of(survey.decided.filter(pl.col("source") == name_of(source))))
        if sum(page.loc in there for page in pages) * 2 >= len(pages):
            continue
        template = template_behind(_known(pages, by_title))
        if template and template != source.url:
            found[number] = template
    return found


def _by_title(pages: pl.DataFrame) -> dict[str, str]:
    """What a page is called → its path; names that several have are left out."""
    found: dict[str, str] = {}
    for page in pages_of(pages):
        title = page.title or ""
        for name in {page.heading or "", title, PARTS_OF_TITLES.split(title)[0]} - {""}:
            found[name] = "" if name in found else urlsplit(page.loc).path
    return found


def _known(pages: list[Page], by_title: Mapping[str, str]) -> Iterator[tuple[str, dict[str, str]]]:
    for page in pages:
        name = page.title or page.heading or ""
        if path := by_title.get(name):
            category = next(iter(page.categories or []), "")
            yield path, address_values(page.path or "", {"title": name}, page.published, category)


def with_templates(text: str, templates: Mapping[int, str]) -> str:
    """The site file with these templates of addresses."""
    for number, template in templates.items():
        text = set_in_list(text, "source", number, "url", template)
    return text

