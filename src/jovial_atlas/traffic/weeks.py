"""What is kept, week by week, as tests and figures ask for it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
import polars as pl
from numpy.typing import NDArray

from jovial_atlas.traffic.asking import Span, chosen, engines_now, rows_of
from jovial_atlas.traffic.keeping import Traffic

#: Weeks of each side that are compared, at most and at least.
MOST_WEEKS, LEAST_WEEKS = 4, 2
#: A week counts where so many of its days are told of.
_DAYS_OF_WEEK = 4
#: A week is drawn where so many are.
_WHOLE = 6
_WEEK = 7


@dataclass(frozen=True, slots=True)
class ComparedWeeks:
    """The weeks that are compared: up to which day, how many on each side, and the engines that
    tell of all of them, with their last days."""

    ends: date
    weeks: int
    engines: tuple[str, ...]

    @property
    def now(self) -> Span:
        """The later weeks; the last one where there are too few."""
        return Span(self.ends - timedelta(max(self.weeks, 1) * _WEEK - 1), self.ends)

    @property
    def before(self) -> Span:
        """The earlier ones."""
        return self.now.before()

    @property
    def both(self) -> Span:
        """All of them."""
        return Span(self.before.begins, self.ends)


def compared(
    traffic: Traffic, weeks: int = MOST_WEEKS, engines: Sequence[str] = ()
) -> ComparedWeeks | None:
    """Which weeks can be compared: as many as asked for on each side, fewer where engines do not
    tell of so many yet; None where they tell of no day at all. With 0 weeks there are too few."""
    lasts = engines_now(traffic)
    lasts = {one: day for one, day in lasts.items() if not engines or one in engines}
    if not lasts:
        return None
    ends = min(lasts.values())
    told = {one: _whole_weeks(traffic, one, ends, 2 * weeks) for one in lasts}
    most = max(told.values())
    most = most // 2 if most // 2 >= LEAST_WEEKS else 0
    fit = tuple(one for one, number in told.items() if number >= 2 * most)
    return ComparedWeeks(ends, min(weeks, most), fit)


def _whole_weeks(traffic: Traffic, engine: str, ends: date, most: int) -> int:
    """How many weeks up to a day an engine tells of without a gap."""
    span = Span(ends - timedelta(most * _WEEK - 1), ends)
    days = [day for one in chosen(traffic, engine, span) for day in one.days]
    counts = Counter((ends - day).days // _WEEK for day in days)
    return next((week for week in range(most) if counts.get(week, 0) < _DAYS_OF_WEEK), most)


def rows_together(
    traffic: Traffic, engines: Sequence[str], span: Span, needs: Sequence[str]
) -> pl.LazyFrame:
    """What several engines say of each day, as `rows_of`."""
    return pl.concat([rows_of(traffic, one, span, needs) for one in engines])


def weekly(rows: pl.LazyFrame, key: str, span: Span, only: pl.Series | None = None) -> pl.DataFrame:
    """Clicks and impressions of each `key` and `week` of a span, from 0 for the first."""
    if only is not None:
        rows = rows.filter(pl.col(key).is_in(only.implode()))
    week = (pl.col("date") - pl.lit(span.begins)).dt.total_days() // _WEEK
    return (
        rows.group_by(key, week=week.cast(pl.Int32))
        .agg(pl.col("clicks", "impressions").cast(pl.Int64).sum())
        .collect(engine="streaming")
    )


def matrix(
    table: pl.DataFrame, key: str, measure: str, weeks: int
) -> tuple[pl.Series, NDArray[np.float64]]:
    """The keys of a weekly table, and their counts with one column a week."""
    keys = table[key].unique().sort()
    found = np.zeros((len(keys), weeks))
    numbers = keys.to_frame().with_row_index("_at")
    placed = table.join(numbers, on=key, how="inner")
    found[placed["_at"].to_numpy(), placed["week"].to_numpy()] = placed[measure].to_numpy()
    return keys, found


def week_totals(
    traffic: Traffic, engines: Sequence[str], ends: date, most: int = 26
) -> list[tuple[date, int, int]]:
    """The first day, clicks and impressions of each week up to a day, the earliest first; from the
    first week on that is told of whole."""
    span = Span(ends - timedelta(most * _WEEK - 1), ends)
    rows = rows_together(traffic, engines, span, ("loc",))
    week = ((pl.col("date") - pl.lit(span.begins)).dt.total_days() // _WEEK).cast(pl.Int32)
    table = (
        rows.group_by(week.alias("week"))
        .agg(pl.col("clicks", "impressions").cast(pl.Int64).sum(), pl.col("date").n_unique())
        .sort("week")
        .collect(engine="streaming")
    )
    kept: Mapping[int, tuple[int, int]] = {
        week: (clicks, shown)
        for week, clicks, shown, days in table.iter_rows()
        if days >= _WHOLE
    }
    first = min(kept, default=0)
    return [
        (span.begins + timedelta(week * _WEEK), *kept.get(week, (0, 0)))
        for week in range(first, most)
        if kept
    ]
