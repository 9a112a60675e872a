"""What is told of what people searched and clicked on a site."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date

from jovial_atlas.traffic.weeks import ComparedWeeks
from jovial_atlas.trends.curve import ClickCurve


@dataclass(frozen=True, slots=True)
class SectionTraffic:
    """Clicks of a section now and before, its change beyond that of the site, and the p-value."""

    name: str
    clicks: int
    before: int
    change: float
    p: float | None
    changed: bool


@dataclass(frozen=True, slots=True)
class PageChange:
    """A page (or query) with its clicks (or times shown) before and now, and the p-value."""

    loc: str
    before: int
    now: int
    p: float


@dataclass(frozen=True, slots=True)
class SeldomClick:
    """A page that is clicked less for a query than is usual at its place."""

    loc: str
    query: str
    position: float
    shown: int
    clicks: int
    share: float
    usual: float

    @property
    def missed(self) -> float:
        """Clicks that there would be at the usual share."""
        return max(0.0, self.shown * self.usual - self.clicks)


@dataclass(frozen=True, slots=True)
class Rivals:
    """A query for which several pages of the site are shown, with the times that each is; `turns`
    is how often the one that is shown most changed from week to week."""

    query: str
    pages: list[tuple[str, int]]
    turns: int


@dataclass(frozen=True, slots=True)
class SiteTraffic:
    """What is known of what people searched and clicked, of the whole site."""

    compared: ComparedWeeks
    clicks: int
    impressions: int
    clicks_before: int
    impressions_before: int
    #: First day, clicks and impressions of each week.
    weeks: list[tuple[date, int, int]]
    sections: list[SectionTraffic] = field(default_factory=list)
    fell: list[PageChange] = field(default_factory=list)
    rose: list[PageChange] = field(default_factory=list)
    tested: int = 0
    new_queries: list[PageChange] = field(default_factory=list)
    lost_queries: list[PageChange] = field(default_factory=list)
    rivals: list[Rivals] = field(default_factory=list)
    seldom_clicked: list[SeldomClick] = field(default_factory=list)
    curve: ClickCurve | None = None
    #: Mean place, share of clicks and times shown of each page and query.
    points: list[tuple[float, float, int]] = field(default_factory=list)
    never_shown: list[str] = field(default_factory=list)
    #: Pages that are shown though they are not listed: address, times shown, and why it is not;
    #: "" where the page table does not know it.
    unlisted: list[tuple[str, int, str]] = field(default_factory=list)
    #: The part of all clicks that tables by query tell of; None where there are none.
    by_query: float | None = None
    is_cut: bool = False
