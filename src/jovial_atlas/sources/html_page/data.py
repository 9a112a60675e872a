"""What a page says as data: structured data in any syntax, fields by CSS selector, and the
questions, steps and items of its main content. Read before the page is taken apart."""

from __future__ import annotations

import json
from collections.abc import Iterator

from selectolax.lexbor import LexborNode, SelectolaxError

from jovial_atlas import addresses
from jovial_atlas.pages import EXTRA
from jovial_atlas.sources.html_page.context import OpenPage
from jovial_atlas.sources.html_page.outline import text
from jovial_atlas.structured.read import read_page

#: Lists that are looked at.
_LISTS = 100
_HEADINGS = ("h2", "h3", "h4")


#: What every page names that is marked up with the vocabulary, in attributes: its home, or the
#: prefix that stands for it; also as `Schema.org`. Looked for in no other way, since few pages are.
_NAMED = b"chema"


def _is_marked_up(data: bytes) -> bool:
    at = data.find(_NAMED)
    while at >= 0:
        at += len(_NAMED)
        if data[at : at + 1] in (b".", b":"):
            return True
        at = data.find(_NAMED, at)
    return False


def read_nodes(page: OpenPage) -> None:
    """Find the structured data of the page, and tell what of it cannot be read."""
    if not (b"ld+json" in page.octets or _is_marked_up(page.octets)):
        return
    nodes, faults = read_page(page.outline.tree, lambda one: addresses.whole(_base(page), one))
    for fault in faults:
        if fault.code == "data-context":
            page.fault(fault.code, fault.message)
        elif fault.is_no_json:
            page.fault("json-ld-broken", fault.message)
    page.nodes = nodes


def read_data(page: OpenPage) -> None:
    """Fill the row's `data`, and `extra` with the fields that the source names."""
    values: dict[str, object] = {}
    if page.nodes:
        values["nodes"] = [[one.syntax, one.node] for one in page.nodes]
    if page.reading.outline:
        values |= _outline(page)
    values = {name: value for name, value in values.items() if value}
    page.row["data"] = json.dumps(values, ensure_ascii=False) if values else None
    if page.reading.fields:
        page.row[EXTRA] = dict(_fields(page))


def _base(page: OpenPage) -> str:
    """The address that references of the page start from."""
    return page.references.base


def _fields(page: OpenPage) -> Iterator[tuple[str, str]]:
    for name, selector in page.reading.fields:
        css, _, attribute = selector.partition("@")
        try:
            nodes = page.outline.tree.css(css.strip())
        except (SelectolaxError, ValueError):
            continue
        values = [
            (node.attributes.get(attribute) or "").strip() if attribute else text(node) or ""
            for node in nodes
        ]
        if given := [one for one in values if one]:
            yield name, "\n".join(given)


def _outline(page: OpenPage) -> dict[str, object]:
    tree = page.outline.tree
    marked = [*page.outline.all("main"), *page.outline.all("article")]
    main = marked[0] if marked else tree.body
    if main is None:
        return {}
    return {
        "questions": list(_questions(main)),
        "steps": _items(main, "ol"),
        "items": _items(main, "ul"),
    }


def _items(main: LexborNode, name: str) -> list[str]:
    """The items of the first list of a kind that holds texts, and not links alone."""
    for one in main.css(name)[:_LISTS]:
        items = [said for node in one.css("li") if (said := text(node))]
        links = sum(node.css_first("a") is not None for node in one.css("li"))
        if items and links < len(items):
            return items
    return []


def _questions(main: LexborNode) -> Iterator[list[str]]:
    """Questions with their answers: terms and their descriptions, headings that ask, details."""
    for node in main.css("dt, summary, h2, h3, h4"):
        question = text(node)
        if not question or (node.tag in _HEADINGS and not question.endswith(("?", "？"))):
            continue
        answer: list[str] = []
        following = node.next
        while following is not None and following.tag not in ("dt", *_HEADINGS):
            if following.tag != "-comment" and (said := text(following)):
                answer.append(said)
            following = following.next
        if answer:
            yield [question, " ".join(answer)]
