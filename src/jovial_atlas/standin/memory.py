"""What a simulated engine remembers, and what it says of it. Times are texts in the product's
form."""

from __future__ import annotations

import json
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jovial_atlas.files import write_whole
from jovial_atlas.values import asdict

#: Reasons of pages that are still on their way.
WAITING_CRAWL, WAITING_INDEX = "discovered, not crawled yet", "crawled, not indexed yet"


@dataclass(slots=True)
class KnownSitemap:
    """One sitemap: when it was submitted and read, when it will be read next, and what it held."""

    loc: str
    submitted: str
    due: str
    state: str = "pending"
    last_read: str | None = None
    locs: list[str] = field(default_factory=list)
    videos: int = 0
    detail: str = ""


@dataclass(slots=True)
class PageMemory:
    """One page: how it was found, when it is fetched and indexed next, and what came of it."""

    loc: str
    discovered: str
    due: str
    announced: str | None = None
    last_crawl: str | None = None
    lastmod: str = ""
    #: Empty where nothing speaks against it.
    reason: str = WAITING_CRAWL
    canonical: str = ""
    fingerprint: str = ""
    index_due: str | None = None
    indexed_at: str | None = None


@dataclass(slots=True)
class SiteMemory:
    """One site (scheme and host)."""

    verified: str | None = None
    sitemaps: dict[str, KnownSitemap] = field(default_factory=dict)
    pages: dict[str, PageMemory] = field(default_factory=dict)
    #: Days on which pages were asked for, announced and fetched → how many.
    asked: dict[str, int] = field(default_factory=dict)
    told: dict[str, int] = field(default_factory=dict)
    fetched: dict[str, int] = field(default_factory=dict)


@dataclass(slots=True)
class EngineMemory:
    """All that an engine remembers, and every message that it took."""

    sites: dict[str, SiteMemory] = field(default_factory=dict)
    messages: list[dict[str, Any]] = field(default_factory=list)

    def site(self, origin: str) -> SiteMemory:
        """What is remembered of a site."""
        return self.sites.setdefault(origin, SiteMemory())


def sitemap_report(site: SiteMemory, sitemap: KnownSitemap) -> dict[str, Any]:
    """What the engine says of a sitemap."""
    read = sitemap.last_read is not None and sitemap.state in ("success", "has errors")
    pages = [site.pages[loc] for loc in sitemap.locs if loc in site.pages]
    indexed = sum(page.indexed_at is not None for page in pages)
    reasons = Counter(page.reason for page in pages if page.indexed_at is None)
    return {
        "loc": sitemap.loc,
        "submitted": sitemap.submitted,
        "last_read": sitemap.last_read,
        "state": sitemap.state,
        "found": len(sitemap.locs) if read else None,
        "videos": sitemap.videos if read else None,
        "indexed": indexed if read else None,
        "reasons": dict(sorted(reasons.items(), key=lambda item: (-item[1], item[0]))),
        "detail": sitemap.detail,
    }


def page_report(page: PageMemory) -> dict[str, Any]:
    """What the engine says of a page."""
    return {
        "loc": page.loc,
        "indexed": page.indexed_at is not None,
        "reason": "" if page.indexed_at else page.reason,
        "last_crawl": page.last_crawl,
        "canonical": page.canonical,
        "announced": page.announced,
        "indexed_at": page.indexed_at,
    }


def load(path: Path | None) -> EngineMemory:
    """What was remembered; a memory that cannot be read is begun anew."""
    try:
        record = json.loads(path.read_bytes()) if path else {}
        return EngineMemory(
            {
                origin: SiteMemory(
                    site["verified"],
                    {loc: KnownSitemap(**one) for loc, one in site["sitemaps"].items()},
                    {loc: PageMemory(**one) for loc, one in site["pages"].items()},
                    site["asked"],
                    site["told"],
                    site["fetched"],
                )
                for origin, site in record.get("sites", {}).items()
            },
            list(record.get("messages", [])),
        )
    except (OSError, ValueError, TypeError, KeyError, AttributeError):
        return EngineMemory()


def save(memory: EngineMemory, path: Path | None) -> None:
    """Keep it, if there is a place for it."""
    if path:
        text = json.dumps(asdict(memory), indent=1, sort_keys=True)
        write_whole(path, f"{text}\n".encode())
