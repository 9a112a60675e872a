"""What a simulated engine does with a sitemap: read it, fetch its pages, judge each.

Its judgements are simple and the same every time, so that a figure can be traced: a page
is indexed when it answers 200, may be fetched and indexed, names itself as canonical,
repeats no page indexed before, and has at least `least_words` words.
"""

from __future__ import annotations

import json
import threading
import time
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from jovial_atlas import addresses, dates
from jovial_atlas.files import write_whole
from jovial_atlas.robots import Matcher, RobotsFile, parse_robots, read_directives
from jovial_atlas.sitemaps.read import SitemapFile, read_sitemap
from jovial_atlas.sources.page import PageFile, Reading, read_page
from jovial_atlas.standin.web import LoopbackWeb, Page

#: A stand-in judges at most this many pages of a sitemap; it is for trying, not for size.
MOST_PAGES = 2_000
_FRESH = 30.0


@dataclass(slots=True)
class Report:
    """What the engine says of one sitemap."""

    loc: str
    state: str = "pending"
    last_read: str | None = None
    found: int | None = None
    indexed: int | None = None
    reasons: dict[str, int] = field(default_factory=dict)
    detail: str = ""


@dataclass(slots=True)
class Memory:
    """All that an engine remembers, by site (scheme and host)."""

    sitemaps: dict[str, dict[str, Report]] = field(default_factory=dict)
    heard: dict[str, str] = field(default_factory=dict)


class SimulatedEngine:
    """One simulated engine. Reading happens in the background, in the order asked for."""

    def __init__(
        self,
        name: str,
        crawler: str,
        web: LoopbackWeb,
        *,
        least_words: int = 0,
        memory: Path | None = None,
        now: Callable[[], datetime] = lambda: datetime.now(UTC),
    ) -> None:
        self.name = name
        self.crawler = crawler
        self.web = web
        self.least_words = least_words
        self.now = now
        self._place = memory
        self._memory = _load(memory)
        self._lock = threading.Lock()
        self._worker = ThreadPoolExecutor(1, thread_name_prefix=name)
        self._pages: dict[str, tuple[float, Page]] = {}

    def take_sitemap(self, site: str, loc: str) -> None:
        """Note a submitted sitemap and read it soon."""
        with self._lock:
            reports = self._memory.sitemaps.setdefault(site, {})
            reports.setdefault(loc, Report(loc)).state = "pending"
        self._worker.submit(self._read_and_note, site, loc)

    def take_addresses(self, locs: list[str]) -> None:
        """Note announced addresses; each is fetched anew when it is next met."""
        at = dates.write(self.now())
        with self._lock:
            for loc in locs:
                self._memory.heard[loc] = at
                self._pages.pop(loc, None)
            self._save()

    def reports(self, site: str) -> list[dict[str, Any]]:
        """What is known of a site's sitemaps, by address."""
        with self._lock:
            found = self._memory.sitemaps.get(site, {})
            return [asdict(found[loc]) for loc in sorted(found)]

    def heard(self) -> dict[str, str]:
        """Addresses that were announced, and when."""
        with self._lock:
            return dict(self._memory.heard)

    def _read_and_note(self, site: str, loc: str) -> None:
        report = Report(loc, state="could not fetch", detail="reading broke off")
        try:
            report = self._judge_sitemap(site, loc)
        finally:
            with self._lock:
                self._memory.sitemaps[site][loc] = report
                self._save()

    def _save(self) -> None:
        if self._place:
            text = json.dumps(asdict(self._memory), indent=1, sort_keys=True)
            write_whole(self._place, f"{text}\n".encode())

    def _judge_sitemap(self, site: str, loc: str) -> Report:
        report = Report(loc, last_read=dates.write(self.now()))
        robots = self._robots(site)
        if robots is None:
            report.state, report.detail = "could not fetch", "robots.txt cannot be fetched"
            return report
        self._pages = {
            loc: kept for loc, kept in self._pages.items() if time.monotonic() - kept[0] < _FRESH
        }
        matcher = Matcher(robots, self.crawler)
        files = self._files(loc, matcher, report)
        if not files:
            return report
        locs = list(
            dict.fromkeys(e.loc for f in files for e in f.entries if f.kind != "sitemapindex")
        )
        report.found = len(locs)
        reasons: Counter[str] = Counter()
        seen: set[str] = set()
        for page in locs[:MOST_PAGES]:
            reasons[self._judge_page(page, matcher, seen)] += 1
        if len(locs) > MOST_PAGES:
            reasons["not visited: too many for a stand-in"] += len(locs) - MOST_PAGES
        report.indexed = reasons.pop("", 0)
        report.reasons = dict(sorted(reasons.items(), key=lambda item: (-item[1], item[0])))
        report.state = "has errors" if any(file.faults for file in files) else "success"
        return report

    def _robots(self, site: str) -> RobotsFile | None:
        """RFC 9309 §2.3.1: 4xx bars nothing, 5xx and silence bar everything."""
        page = self._fetch(f"{site}/robots.txt")
        if page.status == 200:
            return parse_robots(page.body)
        return RobotsFile() if 400 <= page.status < 500 else None

    def _files(self, loc: str, matcher: Matcher, report: Report) -> list[SitemapFile]:
        """The sitemap and, for an index, what it lists."""
        files: list[SitemapFile] = []
        waiting = [loc]
        while waiting:
            address = waiting.pop(0)
            if not matcher.ask(addresses.path_and_query(address)).allowed:
                report.state, report.detail = "could not fetch", f"robots.txt bars {address}"
                continue
            page = self._fetch(address, fresh=True)
            if page.status != 200:
                report.state = "could not fetch"
                report.detail = f"{address} answers with status {page.status}"
                continue
            file = read_sitemap(page.body, address)
            files.append(file)
            if file.kind == "sitemapindex" and len(files) == 1:
                waiting += [entry.loc for entry in file.entries]
        return files

    def _judge_page(self, loc: str, matcher: Matcher, seen: set[str]) -> str:
        """ "" for a page that is indexed, else the reason why it is not."""
        try:
            loc = addresses.normalise(loc)
        except ValueError:
            return "not an address"
        if not matcher.ask(addresses.path_and_query(loc)).allowed:
            return "blocked by robots.txt"
        page = self._fetch(loc)
        if page.status in (404, 410):
            return "not found"
        if 300 <= page.status < 400:
            return "redirect"
        if page.status != 200:
            return "server error"
        if not read_directives([page.headers.get("X-Robots-Tag", "")]).index:
            return "noindex"
        reading = Reading(self.name, self.now())
        row, _ = read_page(page.body, PageFile(Path(), loc, loc), reading)
        if row is None:
            return "crawled, not indexed: empty"
        if not read_directives([row["directives"] or ""]).index:
            return "noindex"
        if row["canonical"] and row["canonical"] != loc:
            return "duplicate with another canonical"
        if row["words"] < self.least_words:
            return "crawled, not indexed: too little text"
        if row["fingerprint"] in seen:
            return "duplicate of another page"
        seen.add(row["fingerprint"])
        return ""

    def _fetch(self, address: str, *, fresh: bool = False) -> Page:
        known = self._pages.get(address)
        if known and not fresh and time.monotonic() - known[0] < _FRESH:
            return known[1]
        page = self.web.get(address)
        self._pages[address] = (time.monotonic(), page)
        return page


def _load(place: Path | None) -> Memory:
    """What was remembered; a memory that cannot be read is begun anew."""
    try:
        record = json.loads(place.read_bytes()) if place else {}
        sitemaps = {
            site: {loc: Report(**report) for loc, report in reports.items()}
            for site, reports in record.get("sitemaps", {}).items()
        }
        return Memory(sitemaps, dict(record.get("heard", {})))
    except (OSError, ValueError, TypeError, AttributeError):
        return Memory()
