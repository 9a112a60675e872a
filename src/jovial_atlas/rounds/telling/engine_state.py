"""How a site stands with one engine: the values that `status` puts together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from jovial_atlas.ledger import PageReport
from jovial_atlas.rounds.telling.coverage import SectionState


class SitemapState(msgspec.Struct, frozen=True):
    """One sitemap at one engine: what was announced, what the engine says, and what it said the
    last time on another day (None where it said nothing)."""

    loc: str
    section: str
    submitted_urls: int | None
    announced_at: str | None
    last_read: str | None
    state: str
    found: int | None
    indexed: int | None
    reasons: dict[str, int]
    found_before: int | None = None
    indexed_before: int | None = None

    @property
    def coverage(self) -> float | None:
        """Indexed against submitted, from 0 to 1; None where either is not known, or where more
        are indexed than there are."""
        if self.indexed is None or not self.submitted_urls or self.is_impossible:
            return None
        return round(self.indexed / self.submitted_urls, 4)

    @property
    def is_impossible(self) -> bool:
        """Whether the engine says that more is indexed than was submitted."""
        return bool(self.submitted_urls) and (self.indexed or 0) > (self.submitted_urls or 0)

    @property
    def change(self) -> int | None:
        """How many more are indexed than the last time on another day."""
        if self.indexed is None or self.indexed_before is None:
            return None
        return self.indexed - self.indexed_before


class Standing(msgspec.Struct, frozen=True):
    """One engine: its sitemaps and sections, what it said of pages, which other engines know which
    sitemap, since when changes count, and why it could not be asked, if so."""

    sitemaps: Sequence[SitemapState]
    sections: Sequence[SectionState]
    pages: Mapping[str, PageReport]
    elsewhere: Mapping[str, Sequence[str]]
    since: str = ""
    trouble: str = ""


class EngineState(msgspec.Struct, frozen=True):
    """What is shown of one engine, with what to do next."""

    name: str
    sitemaps: list[SitemapState]
    sections: list[SectionState]
    pages_heard: int | None
    since: str = ""
    next: list[str] = msgspec.field(default_factory=list)
    trouble: str = ""
