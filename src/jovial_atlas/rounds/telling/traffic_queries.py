"""Of what people searched: for what several pages are shown, and what is clicked seldom for its
place."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import polars as pl

from jovial_atlas.rounds.telling.traffic_seen import Rivals, SeldomClick
from jovial_atlas.trends.curve import LEAST_SHOWN, ClickCurve, click_curve, seldom_clicked

#: Times that a query must be shown in the later weeks to be told of as shared, and the part of it
#: that a second page must have.
_SHARED_LEAST, _SHARED_PART = 40, 0.2
#: So often another page leads where pages take turns.
_TURNS = 2


@dataclass(frozen=True, slots=True)
class SearchedRows:
    """What was searched, shown and clicked: `table` has `q` (the number of the query), `loc`,
    `week`, `clicks`, `impressions` and `places`, the sum of the places of all times shown."""

    queries: pl.Series
    table: pl.DataFrame

    def since(self, week: int) -> SearchedRows:
        """The rows from a week on."""
        return SearchedRows(self.queries, self.table.filter(pl.col("week") >= week))

    def by_page(self) -> pl.DataFrame:
        """The rows of each query and page added up."""
        summed = (
            self.table.lazy()
            .group_by("q", "loc")
            .agg(pl.col("clicks", "impressions").cast(pl.Int64).sum(),
                 pl.col("places").cast(pl.Float64).sum(),
                 placed=pl.col("impressions").filter(pl.col("places").is_not_null()).sum())
        )  # fmt: skip
        return summed.collect()

    def named(self, table: pl.DataFrame) -> pl.DataFrame:
        """A table with its queries and pages as texts."""
        return table.with_columns(
            pl.col("loc").cast(pl.String), query=self.queries.gather(table["q"])
        )


def rivals_of(now: SearchedRows, by_page: pl.DataFrame) -> list[Rivals]:
    """Queries for which several pages of the site are shown."""
    whole = pl.col("impressions").sum().over("q")
    shared = (
        by_page.with_columns(whole=whole)
        .filter(
            (pl.col("whole") >= _SHARED_LEAST)
            & (pl.col("impressions") / pl.col("whole") >= _SHARED_PART)
        )
        .filter(pl.len().over("q") > 1)
    )
    turns = _turns(now.table.join(shared.select("q", "loc"), on=["q", "loc"], how="semi"))
    named = now.named(shared).sort(
        ["whole", "query", "impressions", "loc"], descending=[True, False, True, False]
    )
    found = [
        Rivals(query, [(row[1], int(row[2])) for row in some.iter_rows()], turns.get(number, 0))
        for (query, number), some in named.select("query", "loc", "impressions", "q")
        .partition_by("query", "q", as_dict=True, maintain_order=True)
        .items()
    ]
    # Where pages take turns first; of these and of the others what is shown most.
    return sorted(found, key=lambda one: one.turns < _TURNS)


def _turns(rows: pl.DataFrame) -> Mapping[int, int]:
    """How often the page that is shown most for a query is another one than the week before."""
    first = (
        rows.group_by("q", "week", "loc")
        .agg(pl.col("impressions").cast(pl.Int64).sum())
        .with_columns(pl.col("loc").cast(pl.String))
        .sort(["q", "week", "impressions", "loc"], descending=[False, False, True, False])
        .group_by("q", "week", maintain_order=True)
        .first()
        .with_columns(other=pl.col("loc") != pl.col("loc").shift(1).over("q"))
    )
    counted = first.group_by("q").agg(pl.col("other").sum())
    return {number: int(turns) for number, turns in counted.iter_rows()}


class SeldomClicks(NamedTuple):
    """The site's curve of clicks by place, what is clicked less than that, and all pages and
    queries as points."""

    curve: ClickCurve | None
    seldom: list[SeldomClick]
    points: list[tuple[float, float, int]]


def seldom_of(now: SearchedRows, by_page: pl.DataFrame) -> SeldomClicks:
    """What is clicked how often at its place."""
    table = (
        by_page.filter((pl.col("placed") > 0) & (pl.col("impressions") >= LEAST_SHOWN))
        .with_columns(place=pl.col("places") / pl.col("placed"))
        .filter(pl.col("place") >= 1)
    )
    table = now.named(table).sort("query", "loc")
    place, clicks, shown = (
        table[name].cast(pl.Float64).to_numpy() for name in ("place", "clicks", "impressions")
    )
    curve = click_curve(place, clicks, shown)
    if curve is None:
        return SeldomClicks(None, [], [])
    found = seldom_clicked(curve, place, clicks, shown)
    rows = [
        SeldomClick(
            table["loc"][int(at)], table["query"][int(at)], round(float(place[at]), 1),
            int(shown[at]), int(clicks[at]), round(float(found.share[at]), 4),
            round(float(found.usual[at]), 4),
        )
        for at in np.flatnonzero(found.named)
    ]  # fmt: skip
    seldom = sorted(rows, key=lambda one: (-one.missed, one.loc, one.query))
    points = zip(place.tolist(), found.share.tolist(), shown.astype(int).tolist(), strict=True)
    return SeldomClicks(curve, seldom, list(points))
