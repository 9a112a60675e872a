"""Copies of the pages that a crawl fetched, packed, by the digests of their bytes: a review looks
at pages when nobody asks the server any more."""

from __future__ import annotations

import zlib
from collections.abc import Collection
from contextlib import suppress
from pathlib import Path

from jovial_atlas.errors import OutputError
from jovial_atlas.files import write_whole
from jovial_atlas.rounds.state.names import CRAWLED_COPIES
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.html_page.fulltext import PACKED


def copy_of(site: SiteFile, digest: str) -> Path:
    """Where the copy of a page lies, or would."""
    return site.shared_state / CRAWLED_COPIES / digest[:2] / f"{digest}{PACKED}"


def keep_copy(site: SiteFile, digest: str, data: bytes) -> None:
    """Keep what was fetched. A disk that is full costs the copy, not the crawl."""
    path = copy_of(site, digest)
    if not path.exists():
        with suppress(OutputError):
            write_whole(path, zlib.compress(data))


def forget_copies(site: SiteFile, wanted: Collection[str]) -> None:
    """Keep only the copies of pages with these digests."""
    for path in (site.shared_state / CRAWLED_COPIES).glob(f"*/*{PACKED}"):
        if path.stem not in wanted:
            path.unlink(missing_ok=True)
