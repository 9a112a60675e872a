"""Described HTTP calls, without any sending: filling templates, reading answers."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any
from urllib.parse import quote

from jovial_atlas import foreign
from jovial_atlas.engines.exports import YES
from jovial_atlas.errors import NetworkError
from jovial_atlas.records import PageReport, SitemapReport
from jovial_atlas.web import Request

#: Our fields of what is said of a sitemap, and of a page; an engine may call them otherwise.
REPORT_FIELDS = (
    "loc", "submitted", "last_read", "state", "found", "videos", "indexed", "reasons"
)  # fmt: skip
#: Addresses longer than this are none that a sitemap could list.
_LONGEST_LOC = 4_096
PAGE_ANSWER = ("loc", "indexed", "reason", "last_crawl", "canonical", "announced")


def fill(
    method: str, url: str, headers: Mapping[str, str], body: str, *,
    values: Mapping[str, str], token: str = "",
) -> Request:  # fmt: skip
    """A described call with its values put in ({site}, {sitemap}, {page} and others by name):
    percent-encoded in the URL, as they are in the body; a token becomes an Authorization header
    (RFC 6750)."""
    text = body
    for name, value in values.items():
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
                loc=foreign.text(values["loc"], _LONGEST_LOC),
                last_read=foreign.moment(values["last_read"]),
                state=foreign.text(values["state"], 60) or "unknown",
                found=foreign.whole(values["found"]),
                indexed=foreign.whole(values["indexed"]),
                reasons=dict(_reasons(reasons)),
                videos=foreign.whole(values["videos"]),
                submitted=foreign.moment(values["submitted"]),
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
    names = {ours: fields.get(ours, ours) for ours in PAGE_ANSWER}
    pages = []
    for item in found:
        values = {ours: _down(item, theirs) for ours, theirs in names.items()}
        if isinstance(values["loc"], str):
            pages.append(
                PageReport(
                    foreign.text(values["loc"], _LONGEST_LOC),
                    _yes(values["indexed"]),
                    foreign.text(values["reason"], 300),
                    foreign.moment(values["last_crawl"]),
                    foreign.text(values["canonical"], _LONGEST_LOC),
                    announced=foreign.moment(values["announced"]),
                )
            )
    onward = _down(read, next_) if next_ else None
    return pages, foreign.text(onward, _LONGEST_LOC)


def read_rows(
    answer: bytes, items: str, next_: str, engine: str
) -> tuple[list[dict[str, Any]], str]:
    """The rows of a table that an interface gives, as they are, and where it goes on ("" for
    nowhere). As `read_report`."""
    read = _read(answer, engine)
    rows = [one for one in _list(read, items, engine) if isinstance(one, dict)]
    onward = _down(read, next_) if next_ else None
    return rows, foreign.text(onward, _LONGEST_LOC)


def _read(answer: bytes, engine: str) -> Any:
    try:
        return foreign.read_json(answer)
    except ValueError:
        raise NetworkError(
            f"{engine} answered the report with something that is not JSON."
        ) from None


def _list(read: Any, items: str, engine: str) -> list[Any]:
    values = _down(read, items) if items else read
    if not isinstance(values, list):
        raise NetworkError(
            f"{engine} answered the report without a list under {items!r}. "
            "Check `items` of the channel."
        )
    return values


def _down(value: object, path: str) -> object:
    for part in path.split("."):
        value = value.get(part) if isinstance(value, dict) else None
    return value


def _reasons(given: Mapping[str, Any]) -> Iterator[tuple[str, int]]:
    """Reasons with the number of pages that each is about; a few at most."""
    for reason, pages in list(given.items())[:100]:
        count = foreign.whole(pages)
        if count is not None:
            yield foreign.text(reason, 300), count


def _yes(value: object) -> bool | None:
    """Whether it is indexed: as a truth value, or in a word."""
    if value is None or isinstance(value, bool):
        return value
    return foreign.text(value, 60).casefold() in YES
