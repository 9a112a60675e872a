"""The sheets of pages: what a report knows of each, packed as data that the page itself unpacks.

A layer is one JSON object whose lists have an entry a page, deflated (RFC 1950) and written in
Base64. What matters most comes first: layers are added as long as they fit.
"""

from __future__ import annotations

import base64
import zlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import orjson


@dataclass(frozen=True, slots=True)
class SheetMark:
    """A mark of a page: its place among the marks of the report, its state (good, better, short,
    exempt), what was measured, and what is thought right."""

    mark: int
    state: str
    measured: str
    wanted: str


@dataclass(frozen=True, slots=True)
class SheetLook:
    """How a page is met: its title and description as they are written, the parts that results show
    on wide and narrow screens, their widths in pixels, where they come from, and what a card says;
    `picture` is the address of what is shared."""

    title: str = ""
    title_shown: str = ""
    title_px: int = 0
    title_from: str = ""
    description: str = ""
    wide_shown: str = ""
    narrow_shown: str = ""
    description_px: int = 0
    description_from: str = ""
    card_title: str = ""
    card_text: str = ""
    picture: str = ""


@dataclass(frozen=True, slots=True)
class SheetWord:
    """What one engine knows of a page: when it was announced, visited, with which answer, whether
    it is indexed (None where nobody said), why not, and when that was said. "" is never."""

    announced: str = ""
    visited: str = ""
    status: int | None = None
    indexed: bool | None = None
    reason: str = ""
    said: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class PageSheet:
    """All that a report says of a page. `path` is its address from the root of the site on, or
    whole where another host serves it; `links` are the numbers of the pages that it links to;
    `published` are names and values of what is written about it."""

    path: str
    called: str
    section: str
    listed: bool
    reason: str
    modified: str = ""
    important: bool = False
    phrases: str = ""
    score: int | None = None
    raising: Sequence[int] = ()
    marks: Sequence[SheetMark] = ()
    look: SheetLook | None = None
    links: Sequence[int] = ()
    published: Sequence[tuple[str, str]] = ()
    #: One for each engine of the report.
    words: Sequence[SheetWord | None] = ()


@dataclass(frozen=True, slots=True)
class SheetSet:
    """The sheets of a site: its address, the marks as (name, group, why, what to do), the engines,
    the pixels that results give titles and descriptions, and pictures as data addresses by their
    own address."""

    site: str
    sheets: Sequence[PageSheet]
    marks: Sequence[tuple[str, str, str, str]] = ()
    engines: Sequence[str] = ()
    room: tuple[int, int] = (0, 0)
    pictures: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class DataLayer:
    """One layer: its name, what it is in words, and its data as text."""

    name: str
    what: str
    text: str


#: States of marks as they are written.
_STATES = {"good": 0, "better": 1, "short": 2, "exempt": 3}


def packed_layers(sheets: SheetSet, room: int) -> tuple[list[DataLayer], list[str]]:
    """The layers that fit into so many bytes, the first always, and what the others are."""
    layers: list[DataLayer] = []
    left_out: list[str] = []
    for name, what, data in _layers(sheets):
        text = base64.b64encode(zlib.compress(orjson.dumps(data), 9)).decode()
        if layers and len(text) > room:
            left_out.append(what)
            continue
        layers.append(DataLayer(name, what, text))
        room -= len(text)
    return layers, left_out


def _layers(sheets: SheetSet) -> Iterator[tuple[str, str, dict[str, Any]]]:
    """What there is to pack, what matters most first."""
    pages = sheets.sheets
    yield "pages", "the pages", _base(sheets)
    wanted = _Numbers()
    lacking = [[mark for mark in page.marks if mark.state != "good"] for page in pages]
    yield "marks", "what their marks lack", {
        "which": [[4 * mark.mark + _STATES[mark.state] for mark in some] for some in lacking],
        "measured": [[mark.measured for mark in some] for some in lacking],
        "wanted": [[wanted[mark.wanted] for mark in some] for some in lacking],
        "said": list(wanted),
        "good": [[mark.mark for mark in page.marks if mark.state == "good"] for page in pages],
    }  # fmt: skip
    if sheets.engines:
        yield "words", "what engines said of them", {
            "words": [[_word(page.words[number]) for page in pages]
                      for number in range(len(sheets.engines))]
        }  # fmt: skip
    yield "links", "the links between them", {"to": [_steps(page.links) for page in pages]}
    yield "published", "what is published of them", {
        "published": [[list(pair) for pair in page.published] for page in pages]
    }
    yield "looks", "their previews", _looks([page.look for page in pages])
    if sheets.pictures:
        yield "pictures", "pictures of their cards", dict(sheets.pictures)
    yield "measured", "what was measured where all is well", {
        "good": [[mark.measured for mark in page.marks if mark.state == "good"] for page in pages]
    }


def _base(sheets: SheetSet) -> dict[str, Any]:
    pages, sections, reasons = sheets.sheets, _Numbers(), _Numbers()
    return {
        "site": sheets.site,
        "marks": [list(one) for one in sheets.marks],
        "engines": list(sheets.engines),
        "room": list(sheets.room),
        "path": [page.path for page in pages],
        "called": [page.called for page in pages],
        "section": [sections[page.section] for page in pages],
        "sections": list(sections),
        "listed": [int(page.listed) for page in pages],
        "reason": [reasons[page.reason] for page in pages],
        "reasons": list(reasons),
        "modified": [page.modified for page in pages],
        "important": [int(page.important) for page in pages],
        "phrases": [page.phrases for page in pages],
        "score": [page.score for page in pages],
        "raising": [list(page.raising) for page in pages],
    }


class _Numbers(dict[str, int]):
    """Texts in the order in which they are met, each with its number."""

    def __missing__(self, text: str) -> int:
        self[text] = number = len(self)
        return number


def _word(word: SheetWord | None) -> list[Any] | int:
    if word is None:
        return 0
    return [word.announced, word.visited, word.status, word.indexed, word.reason, word.said]


def _steps(numbers: Sequence[int]) -> list[int]:
    """Numbers as steps from each to the next, which pack better."""
    inorder = sorted(set(numbers))
    return [one - before for before, one in zip([0, *inorder], inorder, strict=False)]


def _looks(looks: Sequence[SheetLook | None]) -> dict[str, Any]:
    """The texts; what is shown of each as its length, or -1 for all of it."""
    some = [one or SheetLook() for one in looks]
    return {
        "title": [one.title for one in some],
        "titleShown": [_length(one.title, one.title_shown) for one in some],
        "titlePx": [one.title_px for one in some],
        "titleFrom": [one.title_from for one in some],
        "description": [one.description for one in some],
        "wide": [_length(one.description, one.wide_shown) for one in some],
        "narrow": [_length(one.description, one.narrow_shown) for one in some],
        "descriptionPx": [one.description_px for one in some],
        "descriptionFrom": [one.description_from for one in some],
        "cardTitle": [0 if one.card_title == one.title else one.card_title for one in some],
        "cardText": [0 if one.card_text == one.description else one.card_text for one in some],
        "picture": [one.picture for one in some],
    }


def _length(text: str, shown: str) -> int:
    """How much of a text is shown, in the units that JavaScript counts; -1 for all of it."""
    if shown == text:
        return -1
    return len(shown.rstrip("…").encode("utf-16-le")) // 2
