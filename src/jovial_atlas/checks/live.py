"""Asking a server for the addresses that sitemaps list: does it serve what they promise.

Several at once, at a bounded rate, and never another host than the site's. Each answer goes
into a journal at once, so that an interrupted run can be taken up again.
"""

from __future__ import annotations

import json
import math
import random
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path

import msgspec

from jovial_atlas import addresses, dates
from jovial_atlas.errors import NetworkError
from jovial_atlas.faults import Fault
from jovial_atlas.files import add_line, write_whole
from jovial_atlas.pages.row import PageRow
from jovial_atlas.robots.directives import read_header
from jovial_atlas.robots.words import may_index
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page
from jovial_atlas.web import Answer, Client, Request, send

#: Of a page this many bytes are read: its head stands well before.
_PAGE_BYTES = 2_000_000
_PICTURE_BYTES = 1_000
#: Answers older than this are asked for again by a run that takes up another.
_FRESH = timedelta(hours=24)

LiveResult = list[tuple[str, str]]


class LiveAsking(msgspec.Struct, frozen=True):
    """How a server is asked: `origin` is asked, `public` is the origin by which the site is
    known; at most `per_second` requests, `at_once` of them at the same time."""

    client: Client
    origin: str
    public: str
    per_second: float = 20.0
    at_once: int = 8
    #: Crawlers of the site's engines, whose own headers are looked at too.
    crawlers: tuple[str, ...] = ()


class ListedAddress(msgspec.Struct, frozen=True):
    """An address to ask for: a page, a picture that some page shows, or a page that engines
    must not index (`hidden`)."""

    loc: str
    picture: bool = False
    hidden: bool = False


class Estimate(msgspec.Struct, frozen=True):
    """What a look at some or all addresses says of all of them: how many were asked and how
    many of those have a fault, with the 95 % interval of that share (Wilson's)."""

    asked: int
    of: int
    faulty: int
    low: float
    high: float


@dataclass(slots=True)
class Journal:
    """Answers of a server as they come, one JSON line each. `place` None keeps nothing."""

    place: Path | None
    server: str = ""
    known: dict[str, LiveResult] = field(default_factory=dict)

    def take_up(self, now: datetime) -> None:
        """Read the answers of a run before, as far as they are fresh."""
        if self.place is None or not self.place.exists():
            return
        since = dates.write(now - _FRESH)
        for line in self.place.read_text("utf-8", "replace").splitlines():
            try:
                one = json.loads(line)
                if one["at"] >= since and one["server"] == self.server:
                    self.known[one["loc"]] = [(code, said) for code, said in one["faults"]]
            except (ValueError, KeyError, TypeError):
                continue  # a line that was cut off

    def begin(self) -> None:
        """Start anew: forget what is there."""
        if self.place is not None:
            write_whole(self.place, b"")

    def add(self, loc: str, result: LiveResult, at: str) -> None:
        """Keep one answer."""
        if self.place is not None:
            line = {"loc": loc, "at": at, "server": self.server, "faults": result}
            add_line(self.place, json.dumps(line))


def sampled(listed: Sequence[ListedAddress], size: int | None, seed: str) -> list[ListedAddress]:
    """All addresses, or a random sample of them, the same for the same seed."""
    if size is None or size >= len(listed):
        return list(listed)
    return random.Random(seed).sample(list(listed), size)  # noqa: S311 - no secret


def estimate(asked: int, of: int, faulty: int) -> Estimate:
    """The share of addresses with a fault, from a sample: Wilson's interval, 95 %, narrowed for
    a sample that is a good part of the whole."""
    if not asked or asked >= of:
        share = faulty / asked if asked else 0.0
        return Estimate(asked, of, faulty, share, share)
    z = 1.96 * math.sqrt((of - asked) / max(of - 1, 1))
    share = faulty / asked
    middle = (share + z * z / (2 * asked)) / (1 + z * z / asked)
    half = z / (1 + z * z / asked) * math.sqrt(share * (1 - share) / asked + (z / (2 * asked)) ** 2)
    return Estimate(asked, of, faulty, max(0.0, middle - half), min(1.0, middle + half))


def check_live(
    listed: Iterable[ListedAddress],
    how: LiveAsking,
    now: datetime,
    journal: Journal,
    progress: Callable[[int, int], None] | None = None,
) -> Iterator[tuple[ListedAddress, LiveResult]]:
    """Ask for each address, all of them of the one site, and yield it with its faults as
    (code, message)."""
    todo = list(listed)
    pace = _Pace(how.per_second)
    done = 0
    fresh = []
    for one in todo:
        if one.loc in journal.known:
            done += 1
            yield one, journal.known[one.loc]
        else:
            fresh.append(one)
    at = dates.write(now)
    for one, result in _asked(fresh, how, pace, now):
        done += 1
        journal.add(one.loc, result, at)
        if progress:
            progress(done, len(todo))
        yield one, result


def _asked(
    todo: Sequence[ListedAddress], how: LiveAsking, pace: _Pace, now: datetime
) -> Iterator[tuple[ListedAddress, LiveResult]]:
    waiting: dict[Future[LiveResult], ListedAddress] = {}
    upcoming = iter(todo)
    with ThreadPoolExecutor(how.at_once) as pool:
        try:
            while True:
                for one in upcoming:
                    waiting[pool.submit(_ask, one, how, pace, now)] = one
                    if len(waiting) >= 2 * how.at_once:
                        break
                if not waiting:
                    return
                ready, _ = wait(waiting, return_when=FIRST_COMPLETED)
                for future in ready:
                    yield waiting.pop(future), future.result()
        finally:
            for future in waiting:
                future.cancel()


class _Pace:
    """Lets no more than so many requests a second begin."""

    def __init__(self, per_second: float) -> None:
        self._step = 1 / per_second
        self._next = 0.0
        self._lock = threading.Lock()

    def wait(self) -> None:
        with self._lock:
            now = time.monotonic()
            self._next = max(self._next, now) + self._step
            pause = self._next - self._step - now
        if pause > 0:
            time.sleep(pause)


def _ask(listed: ListedAddress, how: LiveAsking, pace: _Pace, now: datetime) -> LiveResult:
    asked = how.origin + addresses.path_and_query(listed.loc)
    method = "HEAD" if listed.picture else "GET"
    pace.wait()
    try:
        answer = _sent(how, method, asked, listed)
        if listed.picture and answer.status in (405, 501):
            pace.wait()
            answer = _sent(how, "GET", asked, listed)
    except NetworkError as error:
        return [("live-failed", str(error))]
    if listed.picture:
        return list(_picture(answer))
    return list((_open if listed.hidden else _page)(listed.loc, answer, how, now))


def _sent(how: LiveAsking, method: str, asked: str, listed: ListedAddress) -> Answer:
    largest = _PICTURE_BYTES if listed.picture else _PAGE_BYTES
    return send(how.client, Request(method, asked, {}), tries=2, largest=largest, cut=True)


def _picture(answer: Answer) -> Iterator[tuple[str, str]]:
    kind = answer.headers.get("content-type", "").partition(";")[0].strip()
    if answer.status != 200:
        yield "live-picture", f"It answers with status {answer.status}."
    elif not kind.startswith("image/"):
        kind = kind or "nothing in particular"
        yield "live-picture", f"It is served as {kind}, not as a picture."


def _page(loc: str, answer: Answer, how: LiveAsking, now: datetime) -> Iterator[tuple[str, str]]:
    if 300 <= answer.status < 400:
        target = answer.headers.get("location", "nowhere")
        yield "live-redirect", f"It answers with status {answer.status} and sends on to {target}."
        return
    if answer.status != 200:
        yield "live-status", f"It answers with status {answer.status}."
        return
    header = answer.headers.get("x-robots-tag", "")
    said = read_header(header)
    if not all(said[name].index for name in ("", *how.crawlers) if name in said):
        yield "live-noindex", f"Its header X-Robots-Tag says {header!r}."
    row = _row(loc, answer, how, now)
    if row is None:
        return
    if not may_index(row["directives"]):
        yield "live-noindex", f"Its meta tag says {row['directives']!r}."
    canonical = row["canonical"]
    if canonical and canonical != loc:
        yield "live-canonical", f"It names {canonical} as its canonical."
    if row["redirect"]:
        yield "live-redirect", f"It sends visitors on to {row['redirect']} at once."


def _row(loc: str, answer: Answer, how: LiveAsking, now: datetime) -> PageRow | None:
    """The page that was served, as a row of the page table; None where it is no HTML."""
    if "html" not in answer.headers.get("content-type", "html"):
        return None
    reading = Reading("live", now, True, (how.origin, how.public), as_served=True)
    return read_page(answer.body, PageFile(Path(), loc, loc), reading)[0]


def _open(loc: str, answer: Answer, how: LiveAsking, now: datetime) -> Iterator[tuple[str, str]]:
    """Whether a page that must not be indexed is open to it: it answers, and neither its header
    nor its tag says so."""
    if answer.status != 200 or not read_header(answer.headers.get("x-robots-tag", ""))[""].index:
        return
    row = _row(loc, answer, how, now)
    if row is None or may_index(row["directives"]):
        where = "header X-Robots-Tag" if row is None else "robots tag"
        yield "live-open", f"The site file says noindex; no {where} of the page does."


def faults_of(listed: ListedAddress, result: LiveResult) -> Iterator[Fault]:
    """What was found at one address, as faults."""
    for code, message in result:
        yield Fault(code, listed.loc, message)
