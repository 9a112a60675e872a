"""Patterns of texts: Jinja2 templates in a sandbox.

They see `page`, `site` and `section`; a field that does not exist is an error.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache
from html import unescape
from typing import Any

from jinja2 import Template, TemplateError, nodes
from jinja2.sandbox import SandboxedEnvironment

from jovial_atlas import dates
from jovial_atlas.faults import nearest
from jovial_atlas.head.texts import cut_at_word
from jovial_atlas.pages import schema

#: Names of patterns for columns of the page table.
_ALIASES = {"summary": "description", "first_sentences": "excerpt"}
PAGE_FIELDS = (*(n for n in schema.SCHEMA if n != "links"), schema.EXTRA, "section", *_ALIASES)
SITE_FIELDS = ("url", "name", "short_name", "language")
SECTION_FIELDS = ("name",)
_KNOWN = {"page": PAGE_FIELDS, "site": SITE_FIELDS, "section": SECTION_FIELDS}
_ENVIRONMENT = SandboxedEnvironment(
    autoescape=False, finalize=lambda value: "" if value is None else value
)
_SENTENCE = re.compile(r"(.+?[.!?…])(?:\s|$)", re.S)
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


def wrong(pattern: str) -> str:
    """What is wrong with a pattern, as a sentence; empty where nothing is."""
    try:
        tree = _ENVIRONMENT.parse(pattern)
        _ENVIRONMENT.from_string(pattern)
    except TemplateError as error:
        return f"the pattern {pattern!r} cannot be read: {error}."
    for field in tree.find_all(nodes.Getattr):
        owner = field.node.name if isinstance(field.node, nodes.Name) else ""
        if owner in _KNOWN and field.attr not in _KNOWN[owner]:
            best = nearest(field.attr, _KNOWN[owner])
            meant = f" Did you mean {owner}.{best}?" if best else ""
            return f"the pattern names {owner}.{field.attr}, which does not exist.{meant}"
    unknown = {name.name for name in tree.find_all(nodes.Name)} - _KNOWN.keys()
    if unknown:
        return f"the pattern names {sorted(unknown)[0]!r}; it may name page, site and section."
    return ""


class _View:
    """A page as patterns see it: its columns as attributes, "" where there is nothing."""

    __slots__ = ("_page",)

    def __init__(self, page: Mapping[str, Any]) -> None:
        self._page = page

    def __getattr__(self, name: str) -> Any:
        return self._page.get(_ALIASES.get(name, name)) or ""


@lru_cache(maxsize=256)
def _template(pattern: str) -> Template:
    return _ENVIRONMENT.from_string(pattern)


def filled_in(pattern: str, page: Mapping[str, Any], site: object) -> str:
    """A pattern that is known to be right filled in for one page, on one line."""
    text = _template(pattern).render(
        page=_View(page), site=site, section={"name": page.get("section")}
    )
    return " ".join(text.split())
