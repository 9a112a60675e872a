"""Asking what is kept: which tables say most of which days, and what they add up to."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

import msgspec
import polars as pl

from jovial_atlas.traffic.keeping import TableKind, Traffic

#: The days that figures of pages are of: four whole weeks.
FOUR_WEEKS = 28
#: Tables of an engine that end so many days before those of another are not of the same time.
_LATE = 14
_SUMS = ("clicks", "impressions")


class Span(msgspec.Struct, frozen=True):
    """Days from the first to the last."""

    begins: date
    ends: date

    @property
    def days(self) -> int:
        """How many they are."""
        return (self.ends - self.begins).days + 1

    def before(self) -> Span:
        """As many days before them."""
        return Span(self.begins - timedelta(self.days), self.begins - timedelta(1))


def span_to(ends: date, days: int = FOUR_WEEKS) -> Span:
    """So many days up to one."""
    return Span(ends - timedelta(days - 1), ends)


class Chosen(msgspec.Struct, frozen=True):
    """The days of one kind of table that are counted."""

    kind: TableKind
    days: tuple[date, ...]


def last_day(traffic: Traffic, engine: str, *, needs: Sequence[str] = ("loc",)) -> date | None:
    """The last day that tables of an engine tell of, with these columns; None where none does."""
    days = [
        day
        for kind in traffic.kinds(engine)
        if kind.has_days and set(needs) <= set(kind.parts)
        if (day := traffic.last_day(engine, kind))
    ]
    return max(days, default=None)


def chosen(
    traffic: Traffic, engine: str, span: Span, needs: Sequence[str] = ("loc",)
) -> list[Chosen]:
    """Which kind of table is asked for which days, so that each day counts once: that which tells
    fewest things apart says most, since engines leave rare ones out; what people searched is left
    out most."""
    kinds = [one for one in traffic.kinds(engine) if one.has_days and set(needs) <= set(one.parts)]
    kinds.sort(key=lambda one: ("query" in one.parts, len(one.parts)))
    told: set[date] = set()
    found = []
    for kind in kinds:
        fresh = tuple(sorted(traffic.days(engine, kind, span.begins, span.ends) - told))
        if fresh:
            found.append(Chosen(kind, fresh))
            told.update(fresh)
        if len(told) == span.days:
            break
    return found


def rows_of(
    traffic: Traffic, engine: str, span: Span, needs: Sequence[str] = ("loc",)
) -> pl.LazyFrame:
    """What an engine says of each day (`date`), by the columns that are needed: `clicks`,
    `impressions`, and `places`, the sum of the places of all times shown (null where they are not
    known). Rows of one day may be several."""
    schema = {"date": pl.Date, **dict.fromkeys(needs, pl.String), "clicks": pl.UInt32,
              "impressions": pl.UInt32, "places": pl.Float64}  # fmt: skip
    found = []
    for one in chosen(traffic, engine, span, needs):
        by_page = tuple(needs) == ("loc",)
        rows = traffic.scan(engine, one.kind, one.days[0], one.days[-1], by_page=by_page)
        if len(one.days) < (one.days[-1] - one.days[0]).days + 1:
            rows = rows.filter(pl.col("date").is_in(one.days))
        places = pl.col("position").cast(pl.Float64) * pl.col("impressions")
        found.append(rows.select("date", *needs, *_SUMS, places=places))
    return pl.concat(found) if found else pl.LazyFrame(schema=schema)


def engines_now(traffic: Traffic, needs: Sequence[str] = ("loc",)) -> dict[str, date]:
    """Engine → the last day that its tables tell of, for those whose tables are of about the same
    time as the newest."""
    lasts = {one: day for one in traffic.engines() if (day := last_day(traffic, one, needs=needs))}
    newest = max(lasts.values(), default=None)
    return {
        engine: day
        for engine, day in lasts.items()
        if newest is not None and (newest - day).days <= _LATE
    }


def by_page(traffic: Traffic, days: int = FOUR_WEEKS) -> tuple[pl.DataFrame, dict[str, Span]]:
    """Clicks, impressions and mean position of each page (`loc`) in the last days that each engine
    tells of, added up over engines; and of which days that is. An engine without tables by day
    tells by its newest table of a longer time, brought to as many days."""
    found: list[pl.LazyFrame] = []
    spans: dict[str, Span] = {}
    for engine in traffic.engines():
        day = last_day(traffic, engine)
        if day is None:
            if (told := _of_period(traffic, engine, days)) is not None:
                rows, spans[engine] = told
                found.append(rows)
            continue
        spans[engine] = span_to(day, days)
        found.append(rows_of(traffic, engine, spans[engine]).drop("date"))
    newest = max((one.ends for one in spans.values()), default=None)
    kept = [
        rows.select("loc", pl.col(*_SUMS).cast(pl.Float64), "places")
        for rows, span in zip(found, spans.values(), strict=True)
        if newest is not None and (newest - span.ends).days <= 2 * days
    ]  # fmt: skip
    if not kept:
        return _empty(), {}
    known = pl.col("impressions").filter(pl.col("places").is_not_null())
    table = (
        pl.concat(kept)
        .group_by("loc")
        .agg(pl.col("clicks").sum().round().cast(pl.Int64),
             pl.col("impressions").sum().round().cast(pl.Int64),
             position=pl.when(known.sum() > 0).then(pl.col("places").sum() / known.sum()))
        .sort("loc")
        .collect(engine="streaming")
    )  # fmt: skip
    return table.with_columns(pl.col("position").round(2)), spans


def _empty() -> pl.DataFrame:
    return pl.DataFrame(schema={"loc": pl.String, "clicks": pl.Int64, "impressions": pl.Int64,
                                "position": pl.Float64})  # fmt: skip


def _of_period(traffic: Traffic, engine: str, days: int) -> tuple[pl.LazyFrame, Span] | None:
    """What the newest table of a time says of each page, brought to so many days; of several that
    end then the longest time, of several kinds that which tells fewest things apart."""
    kinds = [one for one in traffic.kinds(engine) if not one.has_days and "loc" in one.parts]
    lasts = [(day, kind) for kind in kinds if (day := traffic.last_day(engine, kind))]
    if not lasts:
        return None
    newest = max(day for day, _ in lasts)
    kind = min((kind for day, kind in lasts if day == newest),
               key=lambda one: ("query" in one.parts, len(one.parts)))  # fmt: skip
    rows = traffic.scan(engine, kind, newest, newest)
    begins = rows.select(pl.col("begins").min()).collect().item()
    span = Span(begins, newest)
    part = min(1.0, days / span.days)
    shown = pl.col("impressions") * part
    return (
        rows.filter(pl.col("begins") == begins).select(
            "loc", clicks=pl.col("clicks") * part, impressions=shown,
            places=pl.col("position").cast(pl.Float64) * shown,
        ),
        span,
    )  # fmt: skip
