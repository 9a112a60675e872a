"""A simulated engine: it takes what is announced, and does what engines do, by stated rules and
with stated delays. It really reads robots.txt, sitemaps and pages, on loopback only.

What is to be done has a time each (read a sitemap, fetch a page, index it), and is done in the
order of these times, whether they come by themselves or the clock is put forward.
"""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

from selectolax.lexbor import LexborHTMLParser

from jovial_atlas import addresses, dates
from jovial_atlas.robots import RobotsFile
from jovial_atlas.sitemaps.read import FileKind, SitemapFile, read_sitemap
from jovial_atlas.standin.clock import Clock
from jovial_atlas.standin.judging import allowed, judge, robots_of
from jovial_atlas.standin.memory import (
    WAITING_CRAWL,
    WAITING_INDEX,
    KnownSitemap,
    PageMemory,
    SiteMemory,
    load,
    page_report,
    save,
    sitemap_report,
)
from jovial_atlas.standin.scenario import Scenario
from jovial_atlas.standin.web import LoopbackWeb

#: A stand-in looks at no more pages of a site; it is for trying, not for size.
MOST_PAGES = 2_000
_ROBOTS_HOURS = 24.0
_LOOK = 0.5
#: When something is due, when that was done last, and what it is.
_Event = tuple[str, str, Callable[[], None]]


class SimulatedEngine:
    """One simulated engine. What is due is done in the background."""

    def __init__(
        self,
        name: str,
        crawler: str,
        web: LoopbackWeb,
        scenario: Scenario | None = None,
        *,
        memory: Path | None = None,
        clock: Clock | None = None,
    ) -> None:
        self.name = name
        self.crawler = crawler
        self.web = web
        self.scenario = scenario or Scenario()
        self.clock = clock or Clock()
        self.began = self.clock.now()
        self._place = memory
        self._memory = load(memory)
        self._robots: dict[str, tuple[str, RobotsFile | None]] = {}
        self._lock = threading.RLock()
        self._playing = threading.Lock()
        self._news = threading.Event()
        self._busy = False
        threading.Thread(target=self._run, name=name, daemon=True).start()

    # What it is told

    def take_sitemap(self, site: str, loc: str) -> None:
        """Note a submitted sitemap; it is read when its time comes."""
        now = self._present()
        with self._lock:
            known = self._memory.site(site).sitemaps
            due = _later(now, self.scenario.read_after)
            if loc in known:
                known[loc].submitted, known[loc].due, known[loc].state = now, due, "pending"
            else:
                known[loc] = KnownSitemap(loc, now, due)
            self._noted("sitemap", loc, 1)

    def drop_sitemap(self, site: str, loc: str) -> bool:
        """Forget a sitemap; False where it is not known."""
        with self._lock:
            known = self._memory.site(site).sitemaps.pop(loc, None)
            self._noted("removal", loc, 1)
        return known is not None

    def take_addresses(self, locs: list[str]) -> bool:
        """Note announced addresses; False where the day's quota has no room for them."""
        now, most = self._present(), self.scenario.announced_per_day
        with self._lock:
            told = self._memory.site(addresses.origin(locs[0])).told
            if most and told.get(now[:10], 0) + len(locs) > most:
                return False
            told[now[:10]] = told.get(now[:10], 0) + len(locs)
            for loc in locs:
                page = self._page(addresses.origin(loc), loc, now)
                if page:
                    page.announced = now
                    page.due = min(page.due, _later(now, self.scenario.crawl_announced_after))
            self._noted("addresses", locs[0], len(locs))
        return True

    def ask_page(self, site: str, loc: str) -> bool:
        """Fetch a page now and index it at once if it may be; False where the day's quota is used
        up."""
        now = self._present()
        with self._lock:
            asked = self._memory.site(site).asked
            if asked.get(now[:10], 0) >= self.scenario.asked_per_day:
                return False
            asked[now[:10]] = asked.get(now[:10], 0) + 1
            page = self._page(site, loc, now)
            if page:
                page.announced, page.due, page.index_due = now, now, now
            self._noted("page", loc, 1)
        return True

    # What it says

    def reports(self, site: str) -> list[dict[str, Any]]:
        """What is known of a site's sitemaps, by address."""
        with self._lock:
            known = self._memory.site(site)
            found = [sitemap_report(known, known.sitemaps[loc]) for loc in sorted(known.sitemaps)]
            if self._busy:  # figures of a pass that is half done would say what never was
                found = [{**one, "state": "pending"} for one in found]
            return found

    def pages(self, site: str) -> list[dict[str, Any]]:
        """What is known of a site's pages, by address."""
        with self._lock:
            known = self._memory.site(site).pages
            return [page_report(known[loc]) for loc in sorted(known)]

    def heard(self) -> dict[str, str]:
        """Addresses that were announced, and when."""
        with self._lock:
            return {
                page.loc: page.announced
                for site in self._memory.sites.values()
                for page in site.pages.values()
                if page.announced
            }

    def messages(self) -> list[dict[str, Any]]:
        """Every message that was taken, in the order of time."""
        with self._lock:
            return list(self._memory.messages)

    def sites(self) -> list[str]:
        """The sites that are known here."""
        with self._lock:
            return sorted(self._memory.sites)

    # Whose site it is

    def token(self, site: str) -> str:
        """What the owner of a site is to show."""
        return hashlib.blake2b(f"{self.name} {site}".encode(), digest_size=8).hexdigest()

    def proofs(self, site: str) -> dict[str, str]:
        """The ways to show it: name of a meta tag on the home page, and of a file at the root."""
        name = self.name.lower()
        return {"meta": f"{name}-site", "file": f"{name}-{self.token(site)}.txt"}

    def verify(self, site: str) -> bool:
        """Look whether the site shows the token, in either way."""
        token, proofs = self.token(site), self.proofs(site)
        file = self.web.get(f"{site}/{proofs['file']}")
        shown = file.status == 200 and file.body.decode("utf-8", "replace").strip() == token
        if not shown:
            home = self.web.get(f"{site}/")
            tags = LexborHTMLParser(home.body).css(f'meta[name="{proofs["meta"]}"]')
            shown = any(tag.attributes.get("content") == token for tag in tags)
        with self._lock:
            self._memory.site(site).verified = self._now() if shown else None
            self._save()
        return shown

    def is_verified(self, site: str) -> bool:
        """Whether calls about a site are answered."""
        with self._lock:
            return not self.scenario.ownership or bool(self._memory.site(site).verified)

    # What it does

    def forward(self, hours: float) -> datetime:
        """Put the clock forward, and do all that is due until then."""
        now = self.clock.forward(hours)
        self.play()
        return now

    def play(self) -> None:
        """Do what is due by now, each thing as if at its own time."""
        with self._playing:
            until = self._present()
            while (one := self._next(until)) is not None:
                self._busy = True
                at, _, act = one
                with self.clock.playing(dates.moment(at)):
                    act()
            if self._busy:
                self._busy = False
                with self._lock:
                    self._save()

    def _run(self) -> None:
        while True:
            self._news.wait(_LOOK)
            self._news.clear()
            self.play()

    def _next(self, until: str) -> _Event | None:
        """The earliest thing that is due; of several at a time those to what was never seen."""
        with self._lock:
            return min(self._due(until), key=lambda one: one[:2], default=None)

    def _due(self, until: str) -> Iterator[_Event]:
        for origin, site in self._memory.sites.items():
            for sitemap in site.sitemaps.values():
                if sitemap.due <= until:
                    yield sitemap.due, "", partial(self._read, origin, sitemap)
            for page in site.pages.values():
                if page.due <= until:
                    yield page.due, page.last_crawl or "", partial(self._crawl, origin, page)
                if page.index_due and page.index_due <= until and page.due > page.index_due:
                    yield page.index_due, "", partial(self._index, site, page)

    def _read(self, origin: str, sitemap: KnownSitemap) -> None:
        """Read a sitemap and, where it is an index, what it lists; note the pages in them."""
        now = self._now()
        robots = self._robots_at(origin, fresh=True)
        files, detail = self._files(sitemap.loc, robots)
        with self._lock:
            sitemap.last_read, sitemap.detail = now, detail
            sitemap.due = _later(now, self.scenario.read_again)
            if not files:
                sitemap.state = "could not fetch"
                return
            sitemap.state = "has errors" if any(file.faults for file in files) else "success"
            entries = {e.loc: e for f in files for e in f.entries if f.kind != FileKind.INDEX}
            sitemap.videos = sum(entry.count("videos") for entry in entries.values())
            sitemap.locs = list(entries)
            for loc, entry in entries.items():
                page = self._page(origin, loc, now)
                lastmod = str(entry.lastmod or "")
                if page and page.lastmod and lastmod > page.lastmod:
                    page.due = min(page.due, _later(now, self.scenario.crawl_after))
                if page:
                    page.lastmod = lastmod

    def _files(self, loc: str, robots: RobotsFile | None) -> tuple[list[SitemapFile], str]:
        """The sitemap and, for an index, what it lists; and what was wrong."""
        if robots is None:
            return [], "robots.txt cannot be fetched"
        files: list[SitemapFile] = []
        detail, waiting = "", [loc]
        while waiting:
            address = waiting.pop(0)
            if not allowed(robots, self.crawler, address):
                detail = f"robots.txt bars {address}"
                continue
            page = self.web.get(address)
            if page.status != 200:
                detail = f"{address} answers with status {page.status}"
                continue
            file = read_sitemap(page.body, address)
            files.append(file)
            if file.kind == FileKind.INDEX and len(files) == 1:
                waiting += [entry.loc for entry in file.entries]
        return ([] if detail and len(files) < 2 and not _has_pages(files) else files), detail

    def _crawl(self, origin: str, page: PageMemory) -> None:
        """Fetch a page and judge it."""
        now, rules = self._now(), self.scenario
        with self._lock:
            fetched = self._memory.site(origin).fetched
            if rules.pages_per_day and fetched.get(now[:10], 0) >= rules.pages_per_day:
                page.due = _later(now[:10], 24)
                return
            page.due = _later(now, rules.crawl_again)
        robots = self._robots_at(origin)
        if robots is None or not allowed(robots, self.crawler, page.loc):
            page.reason = "blocked by robots.txt" if robots else "robots.txt cannot be fetched"
            page.indexed_at = page.index_due = None
            return
        answer = self.web.get(page.loc)
        verdict = judge(answer, page.loc, self.clock.now(), rules.least_words)
        with self._lock:
            fetched[now[:10]] = fetched.get(now[:10], 0) + 1
            page.last_crawl, page.canonical = now, verdict.canonical
            page.fingerprint = verdict.fingerprint
            onward = verdict.onward
            if onward and addresses.origin(onward) == origin:
                self._page(origin, onward, now)
            if verdict.reason:
                page.reason, page.indexed_at, page.index_due = verdict.reason, None, None
            elif page.indexed_at is None:
                page.reason = WAITING_INDEX
                page.index_due = page.index_due or _later(now, rules.index_after)

    def _index(self, site: SiteMemory, page: PageMemory) -> None:
        """Take a page into the index, unless another says the same."""
        with self._lock:
            page.index_due = None
            twin = any(
                other.indexed_at and other.fingerprint == page.fingerprint and other is not page
                for other in site.pages.values()
            )
            if twin:
                page.reason = "duplicate of another page"
            else:
                page.reason, page.indexed_at = "", self._now()

    def _robots_at(self, origin: str, *, fresh: bool = False) -> RobotsFile | None:
        now = self._now()
        known = self._robots.get(origin)
        if known and not fresh and _later(known[0], _ROBOTS_HOURS) > now:
            return known[1]
        self._robots[origin] = (now, robots_of(self.web, origin))
        return self._robots[origin][1]

    def _page(self, origin: str, loc: str, now: str) -> PageMemory | None:
        """What is known of a page, which is found if it was not; None where it is no address, or
        where there are too many."""
        pages = self._memory.site(origin).pages
        try:
            loc = addresses.normalise(loc)
        except ValueError:
            return None
        if loc not in pages and len(pages) < MOST_PAGES:
            due = _later(now, self.scenario.crawl_after)
            pages[loc] = PageMemory(loc, now, due, reason=WAITING_CRAWL)
        return pages.get(loc)

    def _noted(self, what: str, loc: str, count: int) -> None:
        self._memory.messages.append(
            {"at": self._present(), "what": what, "loc": loc, "count": count}
        )
        self._save()
        self._news.set()

    def _now(self) -> str:
        return dates.write(self.clock.now())

    def _present(self) -> str:
        return dates.write(self.clock.present())

    def _save(self) -> None:
        save(self._memory, self._place)


def _later(at: str, hours: float) -> str:
    return dates.write(dates.moment(at) + timedelta(hours=hours))


def _has_pages(files: list[SitemapFile]) -> bool:
    return any(file.kind != FileKind.INDEX for file in files)
