"""The source `feed`: items of RSS 2.0, Atom or JSON Feed, from a file or an address.

Full-content elements give words, excerpt, links and pictures, as a page's own text does.
An item that a mapped `kind` calls an attachment is kept apart from its parent.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from html import escape
from time import struct_time
from typing import Any

import feedparser

from jovial_atlas import addresses, dates, foreign
from jovial_atlas.errors import ContentError
from jovial_atlas.media.fields import of_fields
from jovial_atlas.pages import schema
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sources.records.columns import FieldMap, deliver, split_wrong
from jovial_atlas.sources.records.records import table_of


def read_feed(data: bytes, how: FieldMap) -> Iterator[Batch]:
    """The items as one batch, the HTML of those that carry it in `PAGE_HTML`. Raises ContentError
    where the bytes are no feed."""
    beginning = data.lstrip()[:1]
    items = list(_json_feed(data, how)) if beginning == b"{" else list(_xml_feed(data, how))
    rows = [
        {key: value for key, value in item.items() if value not in (None, "", [])} for item in items
    ]
    if not rows:
        yield Batch()
        return
    nested = {"images": schema.SCHEMA["images"], "videos": schema.SCHEMA["videos"]}
    given = {name: kind for name, kind in nested.items() if any(name in row for row in rows)}
    table = table_of(rows, given)
    beside = table.select(*given) if given else None
    delivered = deliver(table.drop(list(given)).lazy(), how).collect()
    if beside is not None:
        delivered = delivered.with_columns(beside)
    yield split_wrong(delivered, how, f"{how.source}, item ")


def _xml_feed(data: bytes, how: FieldMap) -> Iterator[dict[str, Any]]:
    parsed = feedparser.parse(data, sanitize_html=False, resolve_relative_uris=False)
    if not parsed.version and not parsed.entries:
        reason = (str(parsed.get("bozo_exception", "")).splitlines() or ["not readable"])[0]
        raise ContentError(f"{how.source} is no RSS, Atom or JSON feed ({reason}).")
    for entry in parsed.entries:
        content = "".join(part.get("value", "") for part in entry.get("content", []))
        summary = entry.get("summary", "")
        item: dict[str, Any] = {
            "loc": entry.get("link") or entry.get("id"),
            "title": entry.get("title"),
            "description": _text(summary) if summary != content else None,
            "author": entry.get("author"),
            "published": _moment(entry.get("published_parsed")),
            "lastmod": _moment(_given(entry, "updated_parsed") or entry.get("published_parsed")),
            "language": entry.get("content", [{}])[0].get("language") if content else None,
            "tags": [tag.get("term") for tag in entry.get("tags", []) if tag.get("term")],
            "images": [
                {"loc": one["href"], "alt": None}
                for one in entry.get("enclosures", [])
                if str(one.get("type", "")).startswith("image/") and one.get("href")
            ],
            "content": content or summary,
        }
        if films := list(_films(entry, how)):
            item["videos"] = films
        for theirs in how.columns.values():
            item.setdefault(theirs, _anywhere(entry, theirs))
        yield item


def _films(entry: Any, how: FieldMap) -> Iterator[dict[str, Any]]:
    """Videos that an item carries: Media RSS (media:content, media:player) and enclosures."""
    still = next((one.get("url") for one in entry.get("media_thumbnail", [])), None)
    player = entry.get("media_player", {}).get("url")
    fields = {"title": entry.get("media_title"), "thumbnail": still, "player": player}
    seen = set()
    for one in [*entry.get("media_content", []), *entry.get("enclosures", [])]:
        address = one.get("url") or one.get("href")
        film = one.get("medium") == "video" or str(one.get("type", "")).startswith("video/")
        if film and address and address not in seen:
            seen.add(address)
            size = {name: one.get(name) for name in ("width", "height", "duration")}
            given = {
                key: value for key, value in {**fields, **size, "src": address}.items() if value
            }
            films = of_fields(given, lambda said: addresses.resolve(f"{how.site}/", said),
                              how.services)  # fmt: skip
            yield from ({**video, "found": "feed"} for video in films)
    if player and not seen:
        given = {key: value for key, value in fields.items() if value}
        films = of_fields(given, lambda said: addresses.resolve(f"{how.site}/", said), how.services)
        yield from ({**video, "found": "feed"} for video in films)


def _given(entry: Any, name: str) -> Any:
    """A field that the item itself has; the library's own fallbacks are not asked."""
    return entry[name] if name in entry.keys() else None  # noqa: SIM118


def _anywhere(entry: Any, name: str) -> str | None:
    """A field by its name, with or without the prefix of its namespace."""
    for key in (name, *(key for key in entry if key.endswith(f"_{name}"))):
        value = entry.get(key)
        if isinstance(value, (str, int, float)):
            return str(value)
    return None


def _text(html: str) -> str | None:
    from selectolax.lexbor import LexborHTMLParser

    body = LexborHTMLParser(html).body
    return " ".join(body.text(separator=" ").split()) or None if body else None


def _moment(parsed: struct_time | None) -> str | None:
    if parsed is None:
        return None
    try:
        return dates.write(datetime(*parsed[:6], tzinfo=UTC))
    except ValueError:
        return None


def _json_feed(data: bytes, how: FieldMap) -> Iterator[dict[str, Any]]:
    """JSON Feed 1.1: https://www.jsonfeed.org/version/1.1/"""
    try:
        feed = foreign.read_json(data)
        items = feed["items"]
        if "jsonfeed.org" not in str(feed.get("version", "")) or not isinstance(items, list):
            raise ValueError("it does not say version and items")
    except (ValueError, KeyError, TypeError) as error:
        raise ContentError(f"{how.source} is no JSON Feed: {error}.") from None
    for item in items:
        if not isinstance(item, dict):
            continue
        authors = item.get("authors") or [item.get("author") or {}]
        named = {key: value for key, value in item.items() if isinstance(value, (str, int, float))}
        yield {
            **{key: value for key, value in named.items() if key in how.columns.values()},
            "loc": item.get("url") or item.get("id"),
            "title": item.get("title"),
            "description": item.get("summary"),
            "author": authors[0].get("name") if isinstance(authors[0], dict) else None,
            "published": item.get("date_published"),
            "lastmod": item.get("date_modified") or item.get("date_published"),
            "language": item.get("language"),
            "tags": item.get("tags"),
            "images": [{"loc": item["image"], "alt": None}] if item.get("image") else [],
            "content": item.get("content_html") or escape(item.get("content_text") or ""),
        }
