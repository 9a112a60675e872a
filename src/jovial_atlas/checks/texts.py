"""Lengths of the titles and descriptions that are published: habits of display, so advice."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import polars as pl

from jovial_atlas.faults import Fault
from jovial_atlas.head.lengths import shown, width
from jovial_atlas.head.texts import Text, description_of, title_of
from jovial_atlas.sitefile import SiteFile


def check_lengths(decided: pl.DataFrame, site: SiteFile) -> Iterator[Fault]:
    """Titles and descriptions of listed pages that are cut in results, or say little, and titles
    that only name the site. Sites with more pages than head data is written for are passed over.
    """
    if decided.height > site.model.output.head_pages:
        return
    limits = site.model.lengths
    sections = {section.name: section for section in site.model.section}
    names = {site.model.site.name.casefold(), site.model.site.short_name.casefold()}
    for page in decided.filter("listed").drop("links").iter_rows(named=True):
        section = sections.get(page["section"])
        titled, text = title_of(page, site, section), description_of(page, site, section)
        title = titled.value
        for name, found in (("title", titled), ("description", text)):
            said = [getattr(one, name) for one in (section, site.model.head) if one]
            yield from _empty(name, found, page, said)
        if title:
            yield from _length("title", page["loc"], title, limits.title_px, limits.title_size,
                               limits.title_least)  # fmt: skip
            home = page["loc"] == f"{site.model.site.url}/"
            if title.casefold() in names and not home:
                yield Fault("title-site-name", page["loc"], f"Its title is only {title!r}.")
        if text.value and text.source != "excerpt":
            yield from _length("description", page["loc"], text.value, limits.description_px,
                               limits.description_size, limits.description_least)  # fmt: skip


def _empty(
    name: str, found: Text, page: dict[str, Any], patterns: Sequence[str]
) -> Iterator[Fault]:
    """A pattern that gives nothing for a page, which then falls back to its own text."""
    if any(patterns) and found.source not in ("overrides file", "pattern", "site pattern"):
        message = f"The pattern of its {name} gives nothing; the page's own {name} is used."
        yield Fault("pattern-empty", page["loc"], message)


def _length(name: str, loc: str, text: str, most: int, size: int, least: int) -> Iterator[Fault]:
    wide = width(text, size)
    if wide > most:
        message = (
            f"The {name} is {len(text):,} characters or {wide:,} px; results show about "
            f"{most:,} px, as far as {shown(text, size, most)[-40:]!r}."
        )
        yield Fault(f"{name}-long", loc, message)
    elif len(text) < least:
        yield Fault(f"{name}-short", loc, f"The {name} is {len(text)} characters: {text!r}.")
