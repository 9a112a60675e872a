"""Titles and descriptions: the owner's patterns where there are any, else the page's own.

A pattern that is wrong is an error of the site file, told before anything is written.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

import msgspec

from jovial_atlas.head.lengths import cut_at_word
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.pages.page import Page
from jovial_atlas.sitefile import Site
from jovial_atlas.sitefile.deciding import Section

#: The number of a later page of a listing, in its address.
_LAST_NUMBER = re.compile(r"(\d+)\D*$")


class Text(msgspec.Struct, frozen=True):
    """A text and where it comes from: pattern, page, heading, excerpt, or "" for none."""

    value: str | None
    source: str


def wrong_pattern(pattern: str) -> str:
    """What is wrong with a pattern, as a sentence; empty where nothing is."""
    from jovial_atlas.head.patterns import wrong

    return wrong(pattern)


def text_of(name: str, page: Page, settings: HeadSettings, section: Section | None) -> Text:
    """A text of a page's head by the strongest pattern that gives any: the page's own in the
    overrides file, its section's, that of its kind, the site's. Empty where none does."""
    head = settings.head
    own = getattr(section, name) if section else ""
    if not (own or settings.texts or head.titles or head.descriptions or getattr(head, name)):
        return _NOTHING
    for source, pattern in patterns_of(name, page, settings, section):
        if pattern and (text := pattern_text(pattern, page, settings.site)):
            return Text(text, source)
    return _NOTHING


def patterns_of(
    name: str, page: Page, settings: HeadSettings, section: Section | None
) -> Iterator[tuple[str, str]]:
    head = settings.head
    if settings.texts:
        yield "overrides file", settings.texts.get(page.loc, {}).get(name, "")
    if section:
        yield "pattern", getattr(section, name)
    if kinds := head.titles if name == "title" else head.descriptions if name == _SAID else None:
        said = {str(kind): text for kind, text in kinds.items()}
        # A page about an author lists what he wrote.
        other = said.get("listing", "") if page.role == "author" else ""
        yield "pattern of its kind", said.get(page.role, other)
    yield "site pattern", getattr(head, name)


_SAID = "description"


def title_of(page: Page, settings: HeadSettings, section: Section | None) -> Text:
    """The title: by pattern, else the page's title, else its heading, else what pages of its kind
    are called. Later pages of a listing say their number."""
    title = text_of("title", page, settings, section)
    if not title.value:
        title = _first(("page", page.title), ("heading", page.heading))
    if not title.value and (usual := _USUAL.get(page.role)):
        title = Text(pattern_text(usual, page, settings.site), "kind of page")
    if not title.value or title.source == "overrides file" or page.role != "paged":
        return title
    number = _LAST_NUMBER.search(page.loc)
    if number and not re.search(rf"\b{number[1]}\b", title.value):
        return Text(f"{title.value} ({number[1]})", title.source)
    return title


def description_of(page: Page, settings: HeadSettings, section: Section | None) -> Text:
    """The description: by pattern, else the page's, else its first sentences."""
    found = text_of("description", page, settings, section)
    if not found.value:
        found = _first(("page", page.description), ("excerpt", page.excerpt))
    return Text(cut_at_word(found.value), found.source) if found.source == "excerpt" else found


#: Titles of kinds of page that have none at all.
_USUAL = {
    "home": "{{ site.name }}",
    "search": "Search – {{ site.short_name }}",
    "error": "Page not found – {{ site.short_name }}",
}


#: No text, from nowhere.
_NOTHING = Text(None, "")


def _first(*found: tuple[str, str | None]) -> Text:
    given: Iterator[Text] = (Text(value, source) for source, value in found if value)
    return next(given, _NOTHING)


def phrase_of(page: Page, settings: HeadSettings) -> str:
    """What a page wants to be found for, by the overrides file or its source."""
    return settings.texts.get(page.loc, {}).get("phrase") or page.phrase or ""


def phrases_in(said: str | None) -> list[str]:
    """Phrases as owners write several into one field: with semicolons between them."""
    return list(dict.fromkeys(one.strip() for one in (said or "").split(";") if one.strip()))


def pattern_text(pattern: str, page: Page, site: Site) -> str:
    """A pattern filled in for one page, on one line; "" where that page does not have what it asks
    for, so that what stands behind it is used (`failing_patterns` tells)."""
    if not pattern:
        return ""
    # The template engine is loaded only for a site that has patterns.
    from jovial_atlas.head.patterns import PatternError, filled_in

    try:
        return filled_in(pattern, page, site)
    except PatternError:
        return ""
