"""Titles and descriptions: the owner's patterns where there are any, else the page's own.

Patterns are Jinja2 templates in a sandbox. They see `page`, `site` and `section`; a
field that does not exist is an error of the site file, told before anything is written.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from html import unescape
from typing import Any

from jinja2 import Template, TemplateError, nodes
from jinja2.sandbox import SandboxedEnvironment

from jovial_atlas import dates
from jovial_atlas.errors import Problem, SiteFileError
from jovial_atlas.pages import schema
from jovial_atlas.rules.policies import kind_teller
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import TEXTS, Section

#: A description is cut at a word so that it has at most this many characters.
DESCRIPTION_LENGTH = 160

_ALIASES = {"summary": "description", "first_sentences": "excerpt"}
PAGE_FIELDS = (*(n for n in schema.SCHEMA if n != "links"), schema.EXTRA, "section", *_ALIASES)
SITE_FIELDS = ("url", "name", "short_name", "language")
SECTION_FIELDS = ("name",)
_KNOWN = {"page": PAGE_FIELDS, "site": SITE_FIELDS, "section": SECTION_FIELDS}
_ENVIRONMENT = SandboxedEnvironment(
    autoescape=False, finalize=lambda value: "" if value is None else value
)
_SENTENCE = re.compile(r"(.+?[.!?…])(?:\s|$)", re.S)
_PAGED = re.compile(r"/page[/-](\d+)(?:/|\.html?)?$|[?&]paged?=(\d+)")
_TAGS = re.compile(r"<[^>]*>")


def _cut(text: object, most: int = 160) -> str:
    """At most so many characters, cut at a word."""
    return cut_at_word(str(text or ""), most) or ""


def _day(text: object, form: str = "%d %B %Y") -> str:
    """A date of the page table in another form, as `strftime` has it."""
    said = str(text or "")
    return dates.moment(said).strftime(form).lstrip("0") if said else ""


def _first_sentence(text: object) -> str:
    """The first sentence of a text."""
    found = _SENTENCE.match(str(text or "").strip())
    return found[1] if found else str(text or "")


def _plain(text: object) -> str:
    """A text without HTML tags, its character references read."""
    return " ".join(unescape(_TAGS.sub(" ", str(text or ""))).split())


#: Filters of patterns, beside those of Jinja2.
FILTERS = {"cut": _cut, "day": _day, "first_sentence": _first_sentence, "plain": _plain}
_ENVIRONMENT.filters.update(FILTERS)
# Patterns are texts: what the environment offers programs besides would be copied for each page.
_ENVIRONMENT.globals.clear()


@dataclass(frozen=True, slots=True)
class Text:
    """A text and where it comes from: pattern, page, heading, excerpt, or "" for none."""

    value: str | None
    source: str


def check_patterns(site: SiteFile) -> None:
    """Raise SiteFileError for the first pattern that is no template or names no known field."""
    given: list[tuple[tuple[str | int, ...], str, str]] = [
        (("head", key), key, getattr(site.model.head, key)) for key in TEXTS
    ]
    for table in ("titles", "descriptions"):
        kinds = getattr(site.model.head, table)
        given += [(("head", table, kind), table[:-1], said) for kind, said in kinds.items()]
    for number, section in enumerate(site.model.section):
        given += [(("section", number, key), key, getattr(section, key)) for key in TEXTS]
    for path, key, pattern in given:
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


def wrong_pattern(pattern: str) -> str:
    """What is wrong with a pattern, as a sentence; empty where nothing is."""
    try:
        tree = _ENVIRONMENT.parse(pattern)
        _ENVIRONMENT.from_string(pattern)
    except TemplateError as error:
        return f"the pattern {pattern!r} cannot be read: {error}."
    for field in tree.find_all(nodes.Getattr):
        owner = field.node.name if isinstance(field.node, nodes.Name) else ""
        if owner in _KNOWN and field.attr not in _KNOWN[owner]:
            from rapidfuzz import process

            best = process.extractOne(field.attr, _KNOWN[owner], score_cutoff=60)
            meant = f" Did you mean {owner}.{best[0]}?" if best else ""
            return f"the pattern names {owner}.{field.attr}, which does not exist.{meant}"
    unknown = {name.name for name in tree.find_all(nodes.Name)} - _KNOWN.keys()
    if unknown:
        return f"the pattern names {sorted(unknown)[0]!r}; it may name page, site and section."
    return ""


@lru_cache(maxsize=256)
def _template(pattern: str) -> Template:
    return _ENVIRONMENT.from_string(pattern)


def text_of(name: str, page: Mapping[str, Any], site: SiteFile, section: Section | None) -> Text:
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
    name: str, page: Mapping[str, Any], site: SiteFile, section: Section | None
) -> Iterator[tuple[str, str]]:
    head = site.model.head
    if site.texts:
        yield "overrides file", site.texts.get(page["loc"], {}).get(name, "")
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


def title_of(page: Mapping[str, Any], site: SiteFile, section: Section | None) -> Text:
    """The title: by pattern, else the page's title, else its heading, else what pages of its kind
    are called. Later pages of a listing say their number."""
    found = text_of("title", page, site, section)
    if not found.value:
        found = _first(("page", page.get("title")), ("heading", page.get("heading")))
    if not found.value and (usual := _USUAL.get(_kind(page, site))):
        found = Text(pattern_text(usual, page, site), "kind of page")
    number = _PAGED.search(page["loc"])
    if number and found.value and found.source != "overrides file":
        said = number[1] or number[2]
        if not re.search(rf"\b{said}\b", found.value):
            return Text(f"{found.value} ({said})", found.source)
    return found


def description_of(page: Mapping[str, Any], site: SiteFile, section: Section | None) -> Text:
    """The description: by pattern, else the page's, else its first sentences."""
    found = text_of("description", page, site, section)
    if not found.value:
        found = _first(("page", page.get("description")), ("excerpt", page.get("excerpt")))
    return Text(cut_at_word(found.value), found.source) if found.source == "excerpt" else found


#: Titles of kinds of page that have none at all.
_USUAL = {
    "home": "{{ site.name }}",
    "search": "Search – {{ site.short_name }}",
    "error": "Page not found – {{ site.short_name }}",
}


def _kind(page: Mapping[str, Any], site: SiteFile) -> str:
    return kind_teller(site.model.site.url, site.model.kinds)(page)


#: No text, from nowhere.
_NOTHING = Text(None, "")


def _first(*found: tuple[str, str | None]) -> Text:
    given: Iterator[Text] = (Text(value, source) for source, value in found if value)
    return next(given, _NOTHING)


def phrase_of(page: Mapping[str, Any], site: SiteFile) -> str:
    """What a page wants to be found for, by the overrides file or its source."""
    return site.texts.get(page["loc"], {}).get("phrase") or page.get("phrase") or ""


class _View:
    """A page as patterns see it: its columns as attributes, "" where there is nothing."""

    __slots__ = ("_page",)

    def __init__(self, page: Mapping[str, Any]) -> None:
        self._page = page

    def __getattr__(self, name: str) -> Any:
        return self._page.get(_ALIASES.get(name, name)) or ""


def pattern_text(pattern: str, page: Mapping[str, Any], site: SiteFile) -> str:
    """A pattern filled in for one page, on one line."""
    if not pattern:
        return ""
    text = _template(pattern).render(
        page=_View(page), site=site.model.site, section={"name": page.get("section")}
    )
    return " ".join(text.split())


def cut_at_word(text: str | None, most: int = DESCRIPTION_LENGTH) -> str | None:
    """At most `most` characters, cut at a word with an ellipsis."""
    if not text or len(text) <= most:
        return text
    return text[: most - 1].rsplit(" ", 1)[0].rstrip(" ,;:–—-") + "…"
