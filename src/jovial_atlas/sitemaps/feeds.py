"""Writing feeds of the newest pages: RSS 2.0 and Atom 1.0 (RFC 4287), which engines take as
companions of the full sitemaps. Pure values to bytes; dates are in the product's form.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import UTC, datetime
from email.utils import format_datetime
from typing import Any

import msgspec
from lxml import etree

from jovial_atlas.signs import GENERATOR

_ATOM = "http://www.w3.org/2005/Atom"
_CONTENT = "http://purl.org/rss/1.0/modules/content/"
_DEFAULT: Any = {None: _ATOM}
_FORBIDDEN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff\ud800-\udfff]")


class FeedChannel(msgspec.Struct, frozen=True):
    """The feed as a whole: `home` is the site's address, `own` that of the feed, `hubs` pass its
    changes on (WebSub)."""

    title: str
    home: str
    own: str
    description: str
    language: str
    hubs: tuple[str, ...] = ()


class FeedItem(msgspec.Struct, frozen=True):
    """One page. `published` and `updated` are dates of the product's form; `summary` is plain
    text, `content` HTML; empty ones are left out."""

    loc: str
    title: str
    updated: str
    published: str | None = None
    author: str | None = None
    summary: str = ""
    content: str = ""


def _moment(text: str) -> datetime:
    read = datetime.fromisoformat(text)
    return read if read.tzinfo else read.replace(tzinfo=UTC)


def _add(parent: etree._Element, name: str, text: str | None, **attributes: str) -> etree._Element:
    element = etree.SubElement(parent, name, attributes)
    element.text = _FORBIDDEN.sub("", text) if text else None
    return element


def rss(channel: FeedChannel, items: Sequence[FeedItem]) -> bytes:
    """RSS 2.0, with full texts in `content:encoded`. Items are written in the order given."""
    spaces = {"atom": _ATOM}
    if any(item.content for item in items):
        spaces["content"] = _CONTENT
    root = etree.Element("rss", {"version": "2.0"}, nsmap=spaces)
    inner = etree.SubElement(root, "channel")
    _add(inner, "title", channel.title)
    _add(inner, "link", channel.home)
    _add(inner, "description", channel.description)
    _add(inner, "language", channel.language)
    _add(inner, "generator", GENERATOR)
    if items:
        newest = max(item.updated for item in items)
        _add(inner, "lastBuildDate", format_datetime(_moment(newest)))
    _add(inner, f"{{{_ATOM}}}link", None, href=channel.own, rel="self", type="application/rss+xml")
    for hub in channel.hubs:
        _add(inner, f"{{{_ATOM}}}link", None, href=hub, rel="hub")
    for item in items:
        one = etree.SubElement(inner, "item")
        _add(one, "title", item.title)
        _add(one, "link", item.loc)
        _add(one, "guid", item.loc, isPermaLink="true")
        _add(one, "pubDate", format_datetime(_moment(item.published or item.updated)))
        if item.summary:
            _add(one, "description", item.summary)
        if item.content:
            _add(one, f"{{{_CONTENT}}}encoded", item.content)
    return _bytes(root)


def atom(channel: FeedChannel, items: Sequence[FeedItem]) -> bytes:
    """Atom 1.0. Items are written in the order given."""
    root = etree.Element(f"{{{_ATOM}}}feed", nsmap=_DEFAULT)
    root.set("{http://www.w3.org/XML/1998/namespace}lang", channel.language)

    def add(parent: etree._Element, name: str, text: str | None, **attributes: str) -> None:
        _add(parent, f"{{{_ATOM}}}{name}", text, **attributes)

    add(root, "title", channel.title)
    add(root, "subtitle", channel.description)
    add(root, "id", channel.home)
    add(root, "generator", GENERATOR)
    add(root, "updated", _atom_date(max((item.updated for item in items), default="1970-01-01")))
    add(root, "link", None, href=channel.home, rel="alternate")
    add(root, "link", None, href=channel.own, rel="self")
    for hub in channel.hubs:
        add(root, "link", None, href=hub, rel="hub")
    for item in items:
        entry = etree.SubElement(root, f"{{{_ATOM}}}entry")
        add(entry, "title", item.title)
        add(entry, "id", item.loc)
        add(entry, "link", None, href=item.loc, rel="alternate")
        add(entry, "updated", _atom_date(item.updated))
        if item.published:
            add(entry, "published", _atom_date(item.published))
        author = etree.SubElement(entry, f"{{{_ATOM}}}author")
        add(author, "name", item.author or channel.title)
        if item.summary:
            add(entry, "summary", item.summary)
        if item.content:
            add(entry, "content", item.content, type="html")
    return _bytes(root)


def _atom_date(text: str) -> str:
    return _moment(text).astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def _bytes(root: etree._Element) -> bytes:
    etree.indent(root, " ")
    data: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8")
    return data + b"\n"
