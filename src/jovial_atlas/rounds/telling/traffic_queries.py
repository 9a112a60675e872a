"""Of what people searched: for what several pages are shown, and what is clicked seldom for its
place."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import polars as pl

from jovial_atlas.rounds.telling.traffic_seen import Rivals, SeldomClick
from jovial_atlas.trends.curve import LEAST_SHOWN, ClickCurve, click_curve, seldom_clicked

#: Times that a query must be shown in the later weeks to be told of as shared, and the part of it
#: that a second page must have.
_SHARED_LEAST, _SHARED_PART = 40, 0.2


def rivals_of(now: pl.DataFrame) -> list[Rivals]:
    """Queries for which several pages of the site are shown."""
    by_page = now.group_by("query", "loc").agg(pl.col("impressions").sum())
    whole = by_page.group_by("query").agg(whole=pl.col("impressions").sum())
    part = pl.col("impressions") / pl.col("whole")
    shared = (
        by_page.join(whole, on="query")
        .filter((pl.col("whole") >= _SHARED_LEAST) & (part >= _SHARED_PART))
        .filter(pl.len().over("query") > 1)
        .sort(["whole", "query", "impressions", "loc"], descending=[True, False, True, False])
    )
    turns = _turns(now.join(shared.select("query", "loc"), on=["query", "loc"], how="semi"))
    found = [
        Rivals(query, [(row[1], int(row[2])) for row in some.iter_rows()], turns.get(query, 0))
        for (query,), some in shared.select("query", "loc", "impressions")
        .partition_by("query", as_dict=True, maintain_order=True)
        .items()
    ]
    return sorted(found, key=lambda one: -one.turns)


def _turns(rows: pl.DataFrame) -> Mapping[str, int]:
    """How often the page that is shown most for a query is another one than the week before."""
    first = (
        rows.sort(["query", "week", "impressions", "loc"], descending=[False, False, True, False])
        .group_by("query", "week", maintain_order=True)
        .first()
        .with_columns(other=pl.col("loc") != pl.col("loc").shift(1).over("query"))
    )
    counted = first.group_by("query").agg(pl.col("other").sum())
    return {query: int(turns) for query, turns in counted.iter_rows()}


class SeldomClicks(NamedTuple):
    """The site's curve of clicks by place, what is clicked less than that, and all pages and
    queries as points."""

    curve: ClickCurve | None
    seldom: list[SeldomClick]
    points: list[tuple[float, float, int]]


def seldom_of(now: pl.DataFrame) -> SeldomClicks:
    """What is clicked how often at its place."""
    known = pl.col("impressions").filter(pl.col("places").is_not_null())
    table = (
        now.group_by("query", "loc")
        .agg(pl.col("clicks", "impressions").sum(), place=pl.col("places").sum() / known.sum())
        .filter(pl.col("place").is_not_nan() & (pl.col("place") >= 1))
        .sort("query", "loc")
    )
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
    often = shown >= LEAST_SHOWN
    points = zip(place[often].tolist(), found.share[often].tolist(),
                 shown[often].astype(int).tolist(), strict=True)  # fmt: skip
    return SeldomClicks(curve, seldom, list(points))
