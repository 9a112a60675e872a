"""Titles and descriptions: the owner's patterns where there are any, else the page's own.

A pattern that is wrong is an error of the site file, told before anything is written.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from jovial_atlas.errors import Problem, SiteFileError
from jovial_atlas.faults import Fault
from jovial_atlas.pages.page import Page
from jovial_atlas.rules.policies import kind_teller
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import TEXTS, Section
from jovial_atlas.sitefile.lines import line_of

#: A description is cut at a word so that it has at most this many characters.
DESCRIPTION_LENGTH = 160

_PAGED = re.compile(r"/page[/-](\d+)(?:/|\.html?)?$|[?&]paged?=(\d+)")


@dataclass(frozen=True, slots=True)
class Text:
    """A text and where it comes from: pattern, page, heading, excerpt, or "" for none."""

    value: str | None
    source: str


def check_patterns(site: SiteFile) -> None:
    """Raise SiteFileError for the first pattern that is no template or names no known field."""
    for path, key, pattern in given_patterns(site):
        if pattern and (wrong := wrong_pattern(pattern)):
            name = key.removeprefix("share_")
            example = f'{key} = "{{{{ page.{name} or page.heading }}}} – {{{{ site.short_name }}}}"'
            raise site.error(path, wrong, example)
    for one in site.overrides:
        for key, pattern in one.texts.items():
            if key != "phrase" and (wrong := wrong_pattern(pattern)):
                place = str(site.folder / site.model.overrides.file)
                raise SiteFileError(place, [Problem(one.line, key, wrong)])

    attribution = site.model.feed.attribution
    if attribution and (wrong := wrong_pattern(attribution)):
        example = 'attribution = "First published by {{ site.name }}"'
        raise site.error(("feed", "attribution"), wrong, example)


def given_patterns(site: SiteFile) -> Iterator[tuple[tuple[str | int, ...], str, str]]:
    """The patterns of the site file, empty ones too: path of the key, what it is for, pattern."""
    for key in TEXTS:
        yield ("head", key), key, getattr(site.model.head, key)
    for table in ("titles", "descriptions"):
        for kind, said in getattr(site.model.head, table).items():
            yield ("head", table, kind), table[:-1], said
    for number, section in enumerate(site.model.section):
        for key in TEXTS:
            yield ("section", number, key), key, getattr(section, key)


def wrong_pattern(pattern: str) -> str:
    """What is wrong with a pattern, as a sentence; empty where nothing is."""
    from jovial_atlas.head.patterns import wrong

    return wrong(pattern)


def text_of(name: str, page: Page, site: SiteFile, section: Section | None) -> Text:
    """A text of a page's head by the strongest pattern that gives any: the page's own in the
    overrides file, its section's, that of its kind, the site's. Empty where none does."""
    head = site.model.head
    own = getattr(section, name) if section else ""
    if not (own or site.texts or head.titles or head.descriptions or getattr(head, name)):
        return _NOTHING
    for source, pattern in _patterns(name, page, site, section):
        if pattern and (text := pattern_text(pattern, page, site)):
            return Text(text, source)
    return _NOTHING


def _patterns(
    name: str, page: Page, site: SiteFile, section: Section | None
) -> Iterator[tuple[str, str]]:
    head = site.model.head
    if site.texts:
        yield "overrides file", site.texts.get(page.loc, {}).get(name, "")
    if section:
        yield "pattern", getattr(section, name)
    if kinds := head.titles if name == "title" else head.descriptions if name == _SAID else None:
        named = _kind(page, site)
        yield (
            "pattern of its kind",
            next((said for kind, said in kinds.items() if kind == named), ""),
        )
    yield "site pattern", getattr(head, name)


_SAID = "description"


def title_of(page: Page, site: SiteFile, section: Section | None) -> Text:
    """The title: by pattern, else the page's title, else its heading, else what pages of its kind
    are called. Later pages of a listing say their number."""
    found = text_of("title", page, site, section)
    if not found.value:
        found = _first(("page", page.title), ("heading", page.heading))
    if not found.value and (usual := _USUAL.get(_kind(page, site))):
        found = Text(pattern_text(usual, page, site), "kind of page")
    number = _PAGED.search(page.loc)
    if number and found.value and found.source != "overrides file":
        said = number[1] or number[2]
        if not re.search(rf"\b{said}\b", found.value):
            return Text(f"{found.value} ({said})", found.source)
    return found


def description_of(page: Page, site: SiteFile, section: Section | None) -> Text:
    """The description: by pattern, else the page's, else its first sentences."""
    found = text_of("description", page, site, section)
    if not found.value:
        found = _first(("page", page.description), ("excerpt", page.excerpt))
    return Text(cut_at_word(found.value), found.source) if found.source == "excerpt" else found


#: Titles of kinds of page that have none at all.
_USUAL = {
    "home": "{{ site.name }}",
    "search": "Search – {{ site.short_name }}",
    "error": "Page not found – {{ site.short_name }}",
}


def _kind(page: Page, site: SiteFile) -> str:
    return kind_teller(site.model.site.url, site.model.kinds)(page)


#: No text, from nowhere.
_NOTHING = Text(None, "")


def _first(*found: tuple[str, str | None]) -> Text:
    given: Iterator[Text] = (Text(value, source) for source, value in found if value)
    return next(given, _NOTHING)


def phrase_of(page: Page, site: SiteFile) -> str:
    """What a page wants to be found for, by the overrides file or its source."""
    return site.texts.get(page.loc, {}).get("phrase") or page.phrase or ""


def pattern_text(pattern: str, page: Page, site: SiteFile) -> str:
    """A pattern filled in for one page, on one line; "" where that page does not have what it asks
    for, so that what stands behind it is used (`failing_patterns` tells)."""
    if not pattern:
        return ""
    # The template engine is loaded only for a site that has patterns.
    from jovial_atlas.head.patterns import PatternError, filled_in

    try:
        return filled_in(pattern, page, site.model.site)
    except PatternError:
        return ""


def failing_patterns(pages: Iterable[Page], site: SiteFile) -> Iterator[Fault]:
    """Patterns that cannot be filled in for a page, with the line on which each stands."""
    from jovial_atlas.head.patterns import PatternError, filled_in

    sections = {section.name: section for section in site.model.section}
    lines = _lines_of_patterns(site)
    for page in pages:
        section = sections.get(page.section)
        for name in TEXTS:
            for _, pattern in _patterns(name, page, site, section):
                if not pattern:
                    continue
                try:
                    filled_in(pattern, page, site.model.site)
                except PatternError as error:
                    at = lines.get(pattern, "the overrides file")
                    message = f"{at}: the pattern {pattern!r} cannot be filled in here: {error}."
                    yield Fault("pattern-failed", page.loc, message)


def _lines_of_patterns(site: SiteFile) -> dict[str, str]:
    """Pattern → where it stands in the site file."""
    found = {}
    for path, _, pattern in given_patterns(site):
        if pattern:
            line = line_of(site.lines, path)
            found[pattern] = f"{site.path.name}, line {line}" if line else site.path.name
    return found


def has_patterns(site: SiteFile) -> bool:
    """Whether the site file, or the overrides file, has any pattern."""
    return bool(site.texts) or any(pattern for _, _, pattern in given_patterns(site))


def cut_at_word(text: str | None, most: int = DESCRIPTION_LENGTH) -> str | None:
    """At most `most` characters, cut at a word with an ellipsis."""
    if not text or len(text) <= most:
        return text
    return text[: most - 1].rsplit(" ", 1)[0].rstrip(" ,;:–—-") + "…"
