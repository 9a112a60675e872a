"""Lengths of the titles and descriptions that are published: habits of display, so advice."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

from jovial_atlas.faults import Fault
from jovial_atlas.head.lengths import shown, width
from jovial_atlas.head.texts import description_of, title_of
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
        title = title_of(page, site, section).value
        text = description_of(page, site, section)
        if title:
            yield from _length("title", page["loc"], title, limits.title_px, limits.title_size,
                               limits.title_least)  # fmt: skip
            home = page["loc"] == f"{site.model.site.url}/"
            if title.casefold() in names and not home:
                yield Fault("title-site-name", page["loc"], f"Its title is only {title!r}.")
        if text.value and text.source != "excerpt":
            yield from _length("description", page["loc"], text.value, limits.description_px,
                               limits.description_size, limits.description_least)  # fmt: skip


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
