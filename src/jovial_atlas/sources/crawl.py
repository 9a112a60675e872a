"""The source `site`: a live site over HTTP, politely and within limits.

robots.txt is obeyed; only the one host is asked, never faster than allowed. What was
fetched is noted at once, so that a crawl that was cut off goes on where it stopped; what
was fetched in an earlier survey is asked for with its validators (RFC 9110 §13).
"""

from __future__ import annotations

import json
import time
from collections import deque
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec
import polars as pl
import xxhash

from jovial_atlas import addresses, dates
from jovial_atlas.errors import ContentError, NetworkError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.files import add_line, move_into_place
from jovial_atlas.foreign import in_utf8
from jovial_atlas.pages import schema
from jovial_atlas.pages.gather import Batch
from jovial_atlas.pages.row import CrawlerWordsRow, PageRow
from jovial_atlas.robots import Matcher, read_directives
from jovial_atlas.robots.directives import read_header
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page
from jovial_atlas.sources.kept_dates import KeptDates
from jovial_atlas.sources.remote import robots_at
from jovial_atlas.sources.workers.html_folder import Progress
from jovial_atlas.web import Answer, Client, Request, send

#: Is given the digest and the octets of a page.
PageLook = Callable[[str, bytes], None]

_HTML = ("text/html", "application/xhtml+xml")
#: Types of what pages are made of, or give to be taken home: no page, and no document either.
_NO_PAGES = (
    "image/", "video/", "audio/", "font/", "text/css", "text/javascript", "text/calendar",
    "application/javascript", "application/json", "application/ld+json", "application/wasm",
    "application/octet-stream", "application/zip", "application/gzip", "application/x-",
    "application/java-archive", "application/vnd.android.package-archive", "application/font",
    "application/manifest+json",
)  # fmt: skip
_ROWS = 200
_NO_START = "Check that the server runs, `start` and `via` in the [[source]]."


class Limits(msgspec.Struct, frozen=True):
    """How far and how fast a crawl goes."""

    pages: int = 10_000
    depth: int = 30
    bytes: int = 5_000_000
    per_second: float = 5.0


class Crawl(msgspec.Struct, frozen=True):
    """What is crawled: the site's public origin, where it is served now, paths to begin from,
    the crawler's product token, and the file in which progress is noted."""

    site: str
    served: str
    start: tuple[str, ...]
    crawler: str
    notes: Path
    limits: Limits = msgspec.field(default_factory=Limits)
    #: What rows depend on beside the answers: notes of another reading are read anew.
    key: str = ""
    #: One spelling for addresses that are one page; endless calendars hide behind others.
    identify: Callable[[str], str] = str


@dataclass(slots=True)
class _Notes:
    """One JSON line a page: validators, and its row of the page table."""

    place: Path
    before: dict[str, dict[str, Any]] = field(init=False)
    partial: dict[str, dict[str, Any]] = field(init=False)

    @property
    def _partial_place(self) -> Path:
        return self.place.with_suffix(".partial")

    def __post_init__(self) -> None:
        self.before = _lines(self.place)
        self.partial = _lines(self._partial_place)

    def add(self, loc: str, note: dict[str, Any]) -> None:
        add_line(self._partial_place, json.dumps({"loc": loc, **note}))

    def finish(self) -> None:
        if self._partial_place.exists():
            move_into_place(self._partial_place, self.place)


def _lines(path: Path) -> dict[str, dict[str, Any]]:
    """Notes by address; a line that was cut off is passed over."""
    records: dict[str, dict[str, Any]] = {}
    try:
        for line in path.read_text("utf-8").splitlines():
            try:
                note = json.loads(line)
                records[note["loc"]] = note
            except (ValueError, KeyError, TypeError):
                continue
    except OSError:
        pass
    return records


def read_site(
    client: Client,
    crawl: Crawl,
    reading: Reading,
    *,
    pause: Callable[[float], None] = time.sleep,
    clock: Callable[[], float] = time.monotonic,
    progress: Progress | None = None,
    dated: pl.LazyFrame | None = None,
    look: PageLook | None = None,
) -> Iterator[Batch]:
    """Pages of a live site, in the order found. `dated` has the dates of the survey before, as
    `KeptDates` takes them; `look` is given each page that is fetched. Raises ContentError where
    robots.txt, or every start, cannot be fetched."""
    before = KeptDates(dated, by_content="fingerprint" in reading.trust)
    matcher = Matcher(robots_at(client, crawl.served), crawl.crawler)
    notes = _Notes(crawl.notes)
    frontier = _Frontier(crawl)
    barred, done, reached = 0, 0, False
    waited = _Pace(1 / crawl.limits.per_second, pause, clock)
    rows: list[PageRow] = []
    faults: list[Fault] = []
    while frontier.waiting and done < crawl.limits.pages:
        loc, depth = frontier.waiting.popleft()
        if not matcher.ask(addresses.path_and_query(loc)).allowed:
            barred += 1
            continue
        done += 1
        note = notes.partial.get(loc)
        if note is None:
            waited.for_next()
            note = _visit(client, crawl, reading, loc, notes.before.get(loc), look)
            notes.add(loc, note)
        faults += (Fault(*told) for told in note.get("told", ()))
        if (row := note["row"]) is not None:
            reached = True
            if not note.get("apart"):
                rows.append(row)
            frontier.extend(row, depth)
        if progress:
            progress(done, min(done + len(frontier.waiting), crawl.limits.pages))
        if len(rows) >= _ROWS:
            yield Batch(before.kept(schema.table(rows)), faults)
            rows, faults = [], []
    if not reached:
        starts = ", ".join(crawl.start)
        raise ContentError(f"{crawl.served} gave no page to begin from ({starts}). {_NO_START}")
    faults += _limits_told(crawl, len(frontier.waiting), frontier.too_deep, barred)
    yield Batch(before.kept(schema.table(rows)), faults)
    notes.finish()


@dataclass(slots=True)
class _Pace:
    """Keeps requests so many seconds apart."""

    seconds: float
    pause: Callable[[float], None]
    clock: Callable[[], float]
    _last: float = -1e9

    def for_next(self) -> None:
        wait = self._last + self.seconds - self.clock()
        if wait > 0:
            self.pause(wait)
        self._last = self.clock()


class _Frontier:
    """Addresses that were found and wait to be visited, with their depth; and how many were too
    deep."""

    def __init__(self, crawl: Crawl) -> None:
        self._crawl = crawl
        self._seen: set[str] = set()
        self.waiting: deque[tuple[str, int]] = deque()
        self.too_deep = 0
        for path in crawl.start:
            start = addresses.resolve(f"{crawl.site}/", path) or crawl.site
            self._add(crawl.identify(addresses.normalise(start)), 0)

    def extend(self, row: PageRow, depth: int) -> None:
        """Take the addresses to which a page at this depth leads."""
        onward = row.get("redirect")
        targets = [onward] if onward else row.get("links") or []
        for target in map(self._crawl.identify, targets):
            if target in self._seen or addresses.origin(target) != self._crawl.site:
                continue
            if depth >= self._crawl.limits.depth:
                self.too_deep += 1
            else:
                self._add(target, depth + 1)

    def _add(self, loc: str, depth: int) -> None:
        if loc not in self._seen:
            self._seen.add(loc)
            self.waiting.append((loc, depth))


def _limits_told(crawl: Crawl, waiting: int, too_deep: int, barred: int) -> Iterator[Fault]:
    where = crawl.served
    if waiting:
        yield Fault(
            "crawl-limit",
            where,
            f"max_pages = {crawl.limits.pages:,} was reached; "
            f"{plural(waiting, 'address', 'addresses')} found were not visited.",
        )
    if too_deep:
        yield Fault(
            "crawl-limit",
            where,
            f"max_depth = {crawl.limits.depth} was reached; "
            f"{plural(too_deep, 'link')} led further and were not followed.",
        )
    if barred:
        said = plural(barred, "address was", "addresses were")
        yield Fault("crawl-barred", where, f"{said} found and not visited: robots.txt bars them.")


def _visit(
    client: Client,
    crawl: Crawl,
    reading: Reading,
    loc: str,
    before: dict[str, Any] | None,
    look: PageLook | None,
) -> dict[str, Any]:
    """Fetch one page: its note, whose row is None where nothing could be had, with faults under
    `told`."""
    headers = {}
    if before and before.get("row") and before.get("key") == crawl.key:
        if before.get("etag"):
            headers["If-None-Match"] = before["etag"]
        if before.get("modified"):
            headers["If-Modified-Since"] = before["modified"]
    address = crawl.served + addresses.path_and_query(loc)
    try:
        answer = send(
            client, Request("GET", address, headers), tries=2, largest=crawl.limits.bytes, cut=True
        )
    except NetworkError as error:
        return {"row": None, "told": [("fetch-failed", loc, str(error))]}
    if answer.status == 304 and before:
        return {key: value for key, value in before.items() if key != "loc"}
    page = in_utf8(answer.body, answer.headers.get("content-type", ""))
    row, faults = _row(answer, page, crawl, reading, loc)
    if look and row is not None and row["kind"] == "page" and answer.status == 200:
        look(xxhash.xxh3_128_hexdigest(answer.body), page)
    return {
        "etag": answer.headers.get("etag"),
        "modified": answer.headers.get("last-modified"),
        "key": crawl.key,
        "row": row,
        "apart": answer.status == 200 and _type_of(answer).startswith(_NO_PAGES),
        "told": [(fault.code, fault.where, fault.message) for fault in faults],
    }


def _row(
    answer: Answer, page: bytes, crawl: Crawl, reading: Reading, loc: str
) -> tuple[PageRow | None, list[Fault]]:
    """The row of an answer, whose body in UTF-8 is `page`, and what is wrong with it."""
    path = addresses.path_and_query(loc)
    row: PageRow = {
        "loc": loc, "source": reading.source, "path": path,
        "status": answer.status, "kind": "page", "bytes": len(answer.body),
        "images": [], "videos": [], "links": [], "outside_links": 0,
        "digest": xxhash.xxh3_128_hexdigest(answer.body),
    }  # fmt: skip
    if 300 <= answer.status < 400:
        target = addresses.resolve(loc, answer.headers.get("location", ""))
        row["redirect"] = _public(target, crawl) if target else None
        return row, []
    if answer.status != 200:
        return row, []
    headers = read_header(answer.headers.get("x-robots-tag", ""))
    header = headers.pop("")
    single = {token: headers[token].words for token in reading.crawlers if token in headers}
    changed = dates.read(answer.headers.get("last-modified", "") or "-")
    if _type_of(answer) not in _HTML:
        row |= {"kind": "document", "directives": header.words or None,
                "crawler_directives": _joined(None, single),
                "lastmod": changed, "lastmod_from": "file" if changed else None}  # fmt: skip
        return row, []
    faults = []
    if answer.cut and len(answer.body) < crawl.limits.bytes:
        message = f"The answer broke off after {len(answer.body):,} bytes; only these were read."
        faults = [Fault("fetch-broken-off", loc, message)]
    elif answer.cut:
        message = f"The page has more than {crawl.limits.bytes:,} bytes; only so many were read."
        faults = [Fault("page-too-large", loc, message)]
    modified = dates.moment(changed).timestamp() if changed else None
    read, page_faults = read_page(page, PageFile(Path(), path, loc), reading, modified)
    if read is None:
        return None, [*faults, *page_faults]
    row |= read
    row["path"] = path
    if header.words:
        both = [one for one in (row.get("directives"), header.words) if one]
        row["directives"] = read_directives(both).words
    row["crawler_directives"] = _joined(row.get("crawler_directives"), single)
    return row, [*faults, *page_faults]


def _type_of(answer: Answer) -> str:
    """The media type of an answer, without its parameters."""
    return answer.headers.get("content-type", "text/html").partition(";")[0].strip().lower()


def _joined(
    tags: list[CrawlerWordsRow] | None, headers: Mapping[str, str]
) -> list[CrawlerWordsRow] | None:
    """What tags and headers say to single crawlers, added up."""
    by_crawler = {one["crawler"]: [one["words"]] for one in tags or ()}
    for token, words in headers.items():
        by_crawler.setdefault(token, []).append(words)
    found: list[CrawlerWordsRow] = [
        {"crawler": token, "words": read_directives(words).words}
        for token, words in by_crawler.items()
    ]
    return found or None


def _public(address: str, crawl: Crawl) -> str:
    """An address under which the site is served now, as its public one."""
    served = f"{crawl.served}/"
    return f"{crawl.site}/{address[len(served) :]}" if address.startswith(served) else address
