"""The source `json`: records of an interface that answers in pages, over HTTP."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qsl, urlencode, urlsplit, urlunsplit

from jovial_atlas import addresses, foreign
from jovial_atlas.errors import ContentError
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sources.records.columns import FieldMap, deliver, split_wrong
from jovial_atlas.sources.records.records import table_of
from jovial_atlas.sources.remote import get
from jovial_atlas.web import Client

_NEXT_LINK = re.compile(r'<([^>]*)>\s*;[^,]*\brel="?next"?', re.I)


@dataclass(frozen=True, slots=True)
class Paging:
    """How records come: under which key (`items`, "" for the whole answer), and how the next page
    is found. `following` is `link` (the Link header, RFC 8288), `counter` (the query parameter
    `counter`, which begins with `first`), or the field with the address of the next page."""

    items: str = ""
    following: str = "link"
    counter: str = "page"
    first: int = 1
    max_pages: int = 10_000


def read_interface(
    client: Client, address: str, how: FieldMap, paging: Paging | None = None, token: str = ""
) -> Iterator[Batch]:
    """All records, a page a batch. Raises ContentError where a page cannot be had or read; pages
    stay on one host."""
    paging = paging or Paging()
    headers = {"Accept": "application/json"}
    if token:
        headers["Authorization"] = f"Bearer {token}"
    counts = paging.following == "counter"
    seen: set[str] = set()
    here: str | None = _counted(address, paging.counter, paging.first) if counts else address
    done = 0
    for number in range(paging.max_pages):
        if here is None or here in seen:
            return
        seen.add(here)
        answer = get(client, here, headers)
        value, records = _records(answer.body, here, paging.items)
        if records:
            table = table_of(records)
            delivered = deliver(table.lazy(), how).collect()
            yield split_wrong(delivered, how, f"{how.source}, record ", done)
        done += len(records)
        if not counts:
            here = _next(here, value, answer.headers, paging.following)
        elif records:
            here = _counted(address, paging.counter, paging.first + number + 1)
        else:
            return


def _records(data: bytes, here: str, items: str) -> tuple[Any, list[dict[str, Any]]]:
    """What an answer holds, and the records in it."""
    try:
        value = foreign.read_json(data)
    except ValueError as error:
        raise ContentError(f"{here} does not answer with JSON: {error}.") from None
    records = _down(value, items) if items else value
    if not isinstance(records, list):
        where = f"under {items!r}" if items else "by itself (set `items`)"
        raise ContentError(f"{here} holds no list of records {where}.")
    return value, [_flat(one) for one in records if isinstance(one, dict)]


def _next(here: str, value: object, headers: Mapping[str, str], following: str) -> str | None:
    """The address of the next page, by the Link header or a field; None where there is none."""
    if following == "link":
        match = _NEXT_LINK.search(headers.get("link", ""))
        target = match[1] if match else None
    else:
        target = _down(value, following)
    if not isinstance(target, str) or not target:
        return None
    resolved = addresses.resolve(here, target)
    if resolved is None or addresses.origin(resolved) != addresses.origin(
        addresses.normalise(here)
    ):
        raise ContentError(f"{here} names its next page on another host: {target}.")
    return resolved


def _counted(address: str, counter: str, number: int) -> str:
    parts = urlsplit(address)
    query = [pair for pair in parse_qsl(parts.query) if pair[0] != counter]
    return urlunsplit(parts._replace(query=urlencode([*query, (counter, str(number))])))


def _down(value: object, path: str) -> object:
    for part in path.split("."):
        value = value.get(part) if isinstance(value, dict) else None
    return value


def _flat(record: dict[str, Any], before: str = "") -> dict[str, Any]:
    """Nested objects as fields with dots, so that `columns` can name them: `title.text`.
    Lists of texts stay lists; other lists become JSON text."""
    flat: dict[str, Any] = {}
    for key, value in record.items():
        name = f"{before}{key}"
        if isinstance(value, dict):
            flat |= _flat(value, f"{name}.")
        elif isinstance(value, list) and not all(isinstance(one, str) for one in value):
            flat[name] = json.dumps(value, ensure_ascii=False)
        else:
            flat[name] = value
    return flat
