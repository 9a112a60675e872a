"""What people searched and clicked, of the whole site: how it goes, what rose and fell by more than
chance, and where something could be done."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta
from typing import Any

import numpy as np
import polars as pl
from numpy.typing import NDArray

from jovial_atlas.errors import AtlasError
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.traffic import leading_on, traffic_of, traffic_spans
from jovial_atlas.rounds.telling.traffic_queries import SearchedRows, rivals_of, seldom_of
from jovial_atlas.rounds.telling.traffic_seen import PageChange, SectionTraffic, SiteTraffic
from jovial_atlas.traffic.asking import Span
from jovial_atlas.traffic.keeping import Traffic
from jovial_atlas.traffic.weeks import (
    MOST_WEEKS,
    ComparedWeeks,
    compared,
    matrix,
    rows_together,
    week_totals,
    weekly,
)
from jovial_atlas.trends.changes import changes

#: Queries that are looked at, those that are shown most.
_QUERIES = 5_000
#: A page that was never shown is told of when it is there for so many days.
_MONTHS = 56
#: The section, and the reason, of what is not in the page table.
_UNKNOWN = ""


def site_traffic(
    survey: LastSurvey, weeks: int = MOST_WEEKS, engines: Sequence[str] = ()
) -> SiteTraffic:
    """What is known of what people searched and clicked. Raises AtlasError where nothing is."""
    traffic = traffic_of(survey.site)
    which = compared(traffic, weeks, engines)
    if which is None:
        raise AtlasError(
            "Nothing is known of what people clicked. Export what an engine shows by page and day, "
            "and run `jovial-atlas hear --engine NAME FILE`."
        )
    return _Looking(survey, traffic, which).told()


class _Looking:
    """What is asked of the tables, each once."""

    def __init__(self, survey: LastSurvey, traffic: Traffic, which: ComparedWeeks) -> None:
        self.survey, self.traffic, self.which = survey, traffic, which
        self.weeks = max(which.weeks, 1)
        self.span = which.both
        rows = rows_together(traffic, which.engines, self.span, ("loc",))
        self.by_page = weekly(rows, "loc", self.span)
        self.known = self._known(self.by_page["loc"].unique())
        self.by_page = self._led_on(self.by_page)

    def _known(self, locs: pl.Series) -> pl.DataFrame:
        """The pages with traffic that the page table knows: `loc, section, listed, reason`."""
        wanted = self.survey.decided_where(pl.col("loc").is_in(locs.implode()))
        found = wanted.select("loc", "section", "listed", "reason")
        return found.collect(engine="streaming")

    def _led_on(self, table: pl.DataFrame) -> pl.DataFrame:
        """What old addresses had counts for where they lead now."""
        locs = table["loc"].unique().sort()
        gone = locs.filter(~locs.is_in(self.known["loc"].implode()))
        onward = leading_on(self.survey.site, gone.to_list())
        if not onward:
            return table
        fresh = pl.Series(sorted(set(onward.values()) - set(self.known["loc"])), dtype=pl.String)
        self.known = pl.concat([self.known, self._known(fresh)]).unique("loc", maintain_order=True)
        moved = table.with_columns(pl.col("loc").replace(onward))
        return moved.group_by("loc", "week").agg(pl.col("clicks", "impressions").sum())

    def told(self) -> SiteTraffic:
        """All of it."""
        now, before = self._halves(self.by_page)
        whole = [
            int(part[name].sum()) for part in (now, before) for name in ("clicks", "impressions")
        ]
        rows = self._queries()
        return SiteTraffic(
            self.which, whole[0], whole[1], whole[2], whole[3],
            week_totals(self.traffic, self.which.engines, self.which.ends),
            **self._pages(), **self._of_queries(rows),
            never_shown=self._never_shown(), unlisted=self._unlisted(now),
            by_query=self._told_by_query(rows, whole[0]),
            is_cut=traffic_spans(self.survey.site).is_cut,
        )  # fmt: skip

    def _halves(self, table: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
        late = pl.col("week") >= self.weeks
        return table.filter(late), table.filter(~late)

    def _pages(self) -> dict[str, Any]:
        """Pages and sections that rose and fell."""
        locs, counts = matrix(self.by_page, "loc", "clicks", 2 * self.weeks)
        found = changes(counts[:, : self.weeks], counts[:, self.weeks :])
        able = self.which.weeks > 0
        named = found.named & able
        rows = [
            PageChange(locs[int(at)], int(found.before[at]), int(found.now[at]), float(found.p[at]))
            for at in np.flatnonzero(named)
        ]
        fell = [one for one, at in zip(rows, np.flatnonzero(named), strict=True)
                if found.change[at] < 0]  # fmt: skip
        rose = [one for one in rows if one not in fell]
        return {
            "fell": sorted(fell, key=lambda one: (one.now - one.before, one.loc)),
            "rose": sorted(rose, key=lambda one: (one.before - one.now, one.loc)),
            "tested": int((~np.isnan(found.p)).sum()) if able else 0,
            "sections": self._sections(locs, counts, able=able),
        }

    def _sections(
        self, locs: pl.Series, counts: NDArray[np.float64], *, able: bool
    ) -> list[SectionTraffic]:
        names = dict(self.known.select("loc", "section").iter_rows())
        of = pl.Series([names.get(loc, _UNKNOWN) for loc in locs])
        sections = of.unique().sort()
        table = np.zeros((len(sections), counts.shape[1]))
        at = {name: number for number, name in enumerate(sections)}
        np.add.at(table, [at[name] for name in of], counts)
        found = changes(table[:, : self.weeks], table[:, self.weeks :])
        # One section alone is the site.
        able = able and len(sections) > 1
        rows = [
            SectionTraffic(
                name, int(found.now[number]), int(found.before[number]),
                round(float(found.change[number]), 4),
                float(found.p[number]) if able and not np.isnan(found.p[number]) else None,
                bool(found.named[number]) and able,
            )
            for number, name in enumerate(sections)
        ]  # fmt: skip
        return sorted(rows, key=lambda one: (one.name == _UNKNOWN, -one.clicks, one.name))

    def _queries(self) -> SearchedRows | None:
        """The queries that are shown most, day by day and page by page; None where no table tells
        of them."""
        told = [engine for engine in self.which.engines if self._tells_queries(engine)]
        if not told:
            return None
        rows = rows_together(self.traffic, told, self.span, ("loc", "query"))
        rows = rows.filter(pl.col("query").is_not_null() & (pl.col("query") != ""))
        most = (
            rows.group_by("query")
            .agg(pl.col("impressions").cast(pl.Int64).sum())
            .top_k(_QUERIES, by="impressions")
            .sort("query")
            .collect(engine="streaming")
        )
        week = (pl.col("date") - pl.lit(self.span.begins)).dt.total_days() // 7
        # Texts would be most of it: what is held are numbers.
        numbered = most.lazy().select("query").with_row_index("q")
        return SearchedRows(
            most["query"],
            rows.join(numbered, on="query", how="inner")
            .select("q", pl.col("loc").cast(pl.Categorical), "clicks", "impressions",
                    pl.col("places").cast(pl.Float32), week=week.cast(pl.Int32))
            .collect(engine="streaming"),
        )  # fmt: skip

    def _of_queries(self, rows: SearchedRows | None) -> dict[str, Any]:
        if rows is None or not rows.table.height:
            return {}
        found = self._come_and_gone(rows)
        now = rows.since(self.weeks)
        pages = now.by_page()
        found["rivals"] = rivals_of(now, pages)
        found["curve"], found["seldom_clicked"], found["points"] = seldom_of(now, pages)
        return found

    def _come_and_gone(self, rows: SearchedRows) -> dict[str, Any]:
        """Queries that are new, and those that are lost."""
        if not self.which.weeks:
            return {}
        summed = rows.table.group_by("q", "week").agg(pl.col("impressions").cast(pl.Int64).sum())
        numbers, counts = matrix(summed, "q", "impressions", 2 * self.weeks)
        queries = rows.queries.gather(numbers)
        seen = changes(counts[:, : self.weeks], counts[:, self.weeks :])

        def some(where: NDArray[np.bool_]) -> list[PageChange]:
            changed = [
                PageChange(queries[int(at)], int(seen.before[at]), int(seen.now[at]),
                           float(seen.p[at]))
                for at in np.flatnonzero(where & seen.named)
            ]  # fmt: skip
            return sorted(changed, key=lambda one: (-max(one.before, one.now), one.loc))

        return {"new_queries": some(seen.before == 0), "lost_queries": some(seen.now == 0)}

    def _told_by_query(self, rows: SearchedRows | None, clicks: int) -> float | None:
        if rows is None or not clicks:
            return None
        engines = [one for one in self.which.engines if self._tells_queries(one)]
        told = rows_together(self.traffic, engines, self.which.now, ("loc", "query")).select(
            pl.col("clicks").cast(pl.Int64).sum()
        )
        return min(1.0, int(told.collect(engine="streaming").item()) / clicks)

    def _tells_queries(self, engine: str) -> bool:
        return any(
            {"loc", "query"} <= set(kind.parts) and kind.has_days
            for kind in self.traffic.kinds(engine)
        )

    def _never_shown(self) -> list[str]:
        """Listed pages that are there for months and were never shown in all that is kept."""
        if traffic_spans(self.survey.site).is_cut:
            return []
        since = (self.which.ends - timedelta(_MONTHS)).isoformat()
        locs = self._shown_for_months()
        if locs is None:
            return []
        there = pl.coalesce("published", "lastmod").str.slice(0, 10) <= since
        listed = self.survey.table.filter(pl.col("listed") & there).select("loc")
        never = listed.join(locs.lazy(), on="loc", how="anti").sort("loc")
        return never.collect(engine="streaming")["loc"].to_list()

    def _shown_for_months(self) -> pl.DataFrame | None:
        """The pages that were shown in so many days (`loc`); None where less is told of."""
        if self.span.days >= _MONTHS:
            return self.by_page.filter(pl.col("impressions") > 0).select("loc").unique()
        span = Span(self.which.ends - timedelta(_MONTHS - 1), self.which.ends)
        rows = rows_together(self.traffic, self.which.engines, span, ("loc",))
        shown = rows.filter(pl.col("impressions") > 0).select("loc", "date")
        first = shown.select(pl.col("date").min()).collect(engine="streaming").item()
        if first is None or (self.which.ends - first).days < _MONTHS - 7:
            return None
        return shown.select("loc").unique().collect(engine="streaming")

    def _unlisted(self, now: pl.DataFrame) -> list[tuple[str, int, str]]:
        shown = (
            now.group_by("loc").agg(pl.col("impressions").sum()).filter(pl.col("impressions") > 0)
        )
        found = shown.join(self.known, on="loc", how="left").filter(
            ~pl.col("listed").fill_null(False)
        )
        found = found.sort(["impressions", "loc"], descending=[True, False])
        return [
            (loc, int(times), reason or _UNKNOWN)
            for loc, times, reason in found.select("loc", "impressions", "reason").iter_rows()
        ]


