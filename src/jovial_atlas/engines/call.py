"""Described HTTP calls, without any sending: filling templates, reading answers."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

from jovial_atlas import dates
from jovial_atlas.engines.exports import YES
from jovial_atlas.errors import NetworkError
from jovial_atlas.ledger import PageReport, SitemapReport
from jovial_atlas.web import Request

#: Our fields of what is said of a sitemap, and of a page; an engine may call them otherwise.
REPORT_FIELDS = (
    "loc", "submitted", "last_read", "state", "found", "videos", "indexed", "reasons"
)  # fmt: skip
PAGE_FIELDS = ("loc", "indexed", "reason", "last_crawl", "canonical", "announced")


def fill(
    method: str,
    url: str,
    headers: Mapping[str, str],
    body: str,
    *,
    site: str,
    sitemap: str = "",
    page: str = "",
    token: str = "",
) -> Request:
    """A described call with its values put in: percent-encoded in the URL, as they are in the
    body; a token becomes an Authorization header (RFC 6750)."""
    text = body
    for name, value in (("site", site), ("sitemap", sitemap), ("page", page)):
        url = url.replace(f"{{{name}}}", quote(value, safe=""))
        text = text.replace(f"{{{name}}}", value)
    fields = dict(headers)
    if token:
        fields["Authorization"] = f"Bearer {token}"
    return Request(method, url, fields, text.encode())


def read_report(
    answer: bytes, items: str, fields: Mapping[str, str], engine: str
) -> list[SitemapReport]:
    """What an engine's answer says of each sitemap. Raises NetworkError where it cannot be read.

    `items` is the key under which the list stands ("" for a bare list), `fields` maps our
    names to theirs; a dot goes one level down.
    """
    names = {ours: fields.get(ours, ours) for ours in REPORT_FIELDS}
    reports = []
    for item in _list(_read(answer, engine), items, engine):
        values = {ours: _down(item, theirs) for ours, theirs in names.items()}
        if not isinstance(values["loc"], str):
            continue
        reasons = values["reasons"] if isinstance(values["reasons"], dict) else {}
        reports.append(
            SitemapReport(
                loc=values["loc"],
                last_read=_time(values["last_read"]),
                state=str(values["state"] or "unknown"),
                found=_count(values["found"]),
                indexed=_count(values["indexed"]),
                reasons={str(k): int(n) for k, n in reasons.items() if _count(n) is not None},
                videos=_count(values["videos"]),
                submitted=_time(values["submitted"]),
            )
        )
    return reports


def read_pages(
    answer: bytes, items: str, next_: str, fields: Mapping[str, str], engine: str
) -> tuple[list[PageReport], str]:
    """What an engine's answer says of single addresses, and where it goes on ("" for nowhere).

    As `read_report`; an answer that is an object where no list is named is about one address.
    """
    read = _read(answer, engine)
    found = [read] if not items and isinstance(read, dict) else _list(read, items, engine)
    names = {ours: fields.get(ours, ours) for ours in PAGE_FIELDS}
    pages = []
    for item in found:
        values = {ours: _down(item, theirs) for ours, theirs in names.items()}
        if isinstance(values["loc"], str):
            pages.append(
                PageReport(
                    values["loc"],
                    _yes(values["indexed"]),
                    str(values["reason"] or ""),
                    _time(values["last_crawl"]),
                    str(values["canonical"] or ""),
                    announced=_time(values["announced"]),
                )
            )
    onward = _down(read, next_) if next_ else None
    return pages, str(onward or "")


def _read(answer: bytes, engine: str) -> Any:
    try:
        return json.loads(answer)
    except ValueError:
        raise NetworkError(
            f"{engine} answered the report with something that is not JSON."
        ) from None


def _list(read: Any, items: str, engine: str) -> list[Any]:
    found = _down(read, items) if items else read
    if not isinstance(found, list):
        raise NetworkError(
            f"{engine} answered the report without a list under {items!r}. "
            "Check `items` of the channel."
        )
    return found


def _down(value: Any, path: str) -> Any:
    for part in path.split("."):
        value = value.get(part) if isinstance(value, dict) else None
    return value


def _count(value: Any) -> int | None:
    """Engines give counts as numbers or as digits in text."""
    if isinstance(value, bool) or value is None:
        return None
    if isinstance(value, int):
        return value
    return int(value) if isinstance(value, str) and value.isdigit() else None


def _time(value: Any) -> str | None:
    """A time in the product's form where it is one, else as it was written."""
    return (dates.read(str(value)) or str(value)) if value else None


def _yes(value: Any) -> bool | None:
    """Whether it is indexed: as a truth value, or in a word."""
    if value is None or isinstance(value, bool):
        return value
    return str(value).strip().casefold() in YES
