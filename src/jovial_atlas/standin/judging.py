"""How a simulated engine judges a page: by simple rules that are the same every time, so that each
figure can be traced.

A page is indexed when it answers 200, may be fetched and indexed, names itself as canonical,
repeats no page indexed before, and has at least so many words.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.robots import Matcher, RobotsFile, parse_robots, read_directives
from jovial_atlas.robots.words import may_index
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page
from jovial_atlas.standin.web import LoopbackWeb, ServedPage


@dataclass(frozen=True, slots=True)
class Verdict:
    """Why a page is not indexed ("" where nothing speaks against it), the canonical that it names,
    where it leads on, and the fingerprint of its content."""

    reason: str
    canonical: str = ""
    onward: str = ""
    fingerprint: str = ""


def robots_of(web: LoopbackWeb, origin: str) -> RobotsFile | None:
    """RFC 9309 §2.3.1: 4xx bars nothing, 5xx and silence bar everything (None)."""
    page = web.get(f"{origin}/robots.txt")
    if page.status == 200:
        return parse_robots(page.body)
    return RobotsFile() if 400 <= page.status < 500 else None


def judge(page: ServedPage, loc: str, now: datetime, least_words: int) -> Verdict:
    """What comes of a page that was fetched."""
    if page.status in (404, 410):
        return Verdict("not found")
    if 300 <= page.status < 400:
        onward = addresses.resolve(loc, page.headers.get("Location", "")) or ""
        return Verdict("redirect", onward=onward)
    if page.status != 200:
        return Verdict("server error")
    if not read_directives([page.headers.get("X-Robots-Tag", "")]).index:
        return Verdict("noindex")
    row, _ = read_page(page.body, PageFile(Path(), loc, loc), Reading("standin", now))
    if row is None:
        return Verdict("crawled, not indexed: empty")
    if not may_index(row["directives"]):
        return Verdict("noindex")
    canonical = str(row["canonical"] or "")
    if canonical and canonical != loc:
        return Verdict("duplicate with another canonical", canonical, canonical)
    if (row["words"] or 0) < least_words:
        return Verdict("crawled, not indexed: too little text", canonical)
    return Verdict("", canonical, "", str(row["fingerprint"]))


def allowed(robots: RobotsFile, crawler: str, loc: str) -> bool:
    """Whether robots.txt lets this crawler fetch an address."""
    return Matcher(robots, crawler).ask(addresses.path_and_query(loc)).allowed
