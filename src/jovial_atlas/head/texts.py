"""Titles and descriptions: the owner's patterns where there are any, else the page's own.

Patterns are Jinja2 templates in a sandbox. They see `page`, `site` and `section`; a
field that does not exist is an error of the site file, told before anything is written.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from jinja2 import Template, TemplateError, nodes
from jinja2.sandbox import SandboxedEnvironment

from jovial_atlas.pages import schema
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import Section

#: A description is cut at a word so that it has at most this many characters.
DESCRIPTION_LENGTH = 160

_ALIASES = {"summary": "description", "first_sentences": "excerpt"}
PAGE_FIELDS = (*(name for name in schema.SCHEMA if name not in ("links",)), *_ALIASES)
SITE_FIELDS = ("url", "name", "short_name", "language")
SECTION_FIELDS = ("name",)
_KNOWN = {"page": PAGE_FIELDS, "site": SITE_FIELDS, "section": SECTION_FIELDS}
_ENVIRONMENT = SandboxedEnvironment(autoescape=False)


@dataclass(frozen=True, slots=True)
class Text:
    """A text and where it comes from: pattern, page, heading, excerpt, or "" for none."""

    value: str | None
    source: str


def check_patterns(site: SiteFile) -> None:
    """Raise SiteFileError for the first pattern that is no template or names no known field."""
    for number, section in enumerate(site.model.section):
        for key in ("title", "description"):
            pattern = getattr(section, key)
            if pattern and (wrong := _wrong(pattern)):
                raise site.error(
                    ("section", number, key),
                    wrong,
                    f'{key} = "{{{{ page.{key} or page.heading }}}} – {{{{ site.short_name }}}}"',
                )

    attribution = site.model.feed.attribution
    if attribution and (wrong := _wrong(attribution)):
        example = 'attribution = "First published by {{ site.name }}"'
        raise site.error(("feed", "attribution"), wrong, example)


def _wrong(pattern: str) -> str:
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


def title_of(page: Mapping[str, Any], site: SiteFile, section: Section | None) -> Text:
    """The title: the section's pattern, else the page's title, else its heading."""
    return _first(
        ("pattern", pattern_text(section.title if section else "", page, site)),
        ("page", page.get("title")),
        ("heading", page.get("heading")),
    )


def description_of(page: Mapping[str, Any], site: SiteFile, section: Section | None) -> Text:
    """The description: the section's pattern, else the page's, else its first sentences."""
    text = _first(
        ("pattern", pattern_text(section.description if section else "", page, site)),
        ("page", page.get("description")),
        ("excerpt", page.get("excerpt")),
    )
    return Text(cut_at_word(text.value), text.source) if text.source == "excerpt" else text


def _first(*found: tuple[str, str | None]) -> Text:
    given: Iterator[Text] = (Text(value, source) for source, value in found if value)
    return next(given, Text(None, ""))


def pattern_text(pattern: str, page: Mapping[str, Any], site: SiteFile) -> str:
    """A pattern filled in for one page, on one line."""
    if not pattern:
        return ""
    fields = {name: page.get(_ALIASES.get(name, name)) or "" for name in PAGE_FIELDS}
    text = _template(pattern).render(
        page=fields, site=site.model.site, section={"name": page.get("section")}
    )
    return " ".join(text.split())


def cut_at_word(text: str | None, most: int = DESCRIPTION_LENGTH) -> str | None:
    """At most `most` characters, cut at a word with an ellipsis."""
    if not text or len(text) <= most:
        return text
    return text[: most - 1].rsplit(" ", 1)[0].rstrip(" ,;:–—-") + "…"
