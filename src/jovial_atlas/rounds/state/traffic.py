"""What people clicked and visited, beside each page: columns that are looked up as the page table
is read, so that they are those of the tables that were heard last."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from datetime import date
from functools import cached_property, partial
from typing import Any

import msgspec
import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.files import write_whole
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.pages.keys import key_of, keys_of, places_in
from jovial_atlas.rounds.state.names import TRAFFIC, TRAFFIC_PAGES, TRAFFIC_SPANS
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.traffic.asking import Span, by_page, engines_now, rows_of, span_to
from jovial_atlas.traffic.keeping import Traffic
from jovial_atlas.traffic.visits import visits_by_page

_COLUMNS = schema.TRAFFIC_COLUMNS
_RANK = "clicks_rank"
#: Columns of which no row means none, where the tables are whole.
_COUNTED = ("clicks", "impressions", _RANK)
#: Times that a search must have shown a page to tell what it is searched for.
_OFTEN = 20
_NAMED = re.compile(rf"\b(?:{'|'.join(_COLUMNS)})\b", re.I)


class TrafficSpans(msgspec.Struct, frozen=True):
    """Of which days the figures of pages are: by engine, and of visits; and whether tables were cut
    off, so that a page that they do not name may have been clicked all the same."""

    engines: dict[str, Span] = msgspec.field(default_factory=dict)
    visits: Span | None = None
    is_cut: bool = False

    @property
    def filled(self) -> frozenset[str]:
        """The columns that hold anything."""
        found = ("clicks", "impressions", "position", _RANK) if self.engines else ()
        return frozenset([*found, *(("visits",) if self.visits else ())])


def traffic_of(site: SiteFile) -> Traffic:
    """What is kept of what people searched and clicked on a site."""
    return Traffic(site.traffic_folder / TRAFFIC / "engines")


def keep_figures(site: SiteFile, *, is_cut: bool | None = None) -> TrafficSpans:
    """Work out the figures of pages anew, after something was heard; `is_cut` tells that a table
    was cut off, None that nothing new is known of that. Raises OutputError."""
    traffic = traffic_of(site)
    pages, engines = by_page(traffic)
    visits, visited = visits_by_page(site.traffic_folder / TRAFFIC)
    table = pages.join(visits, on="loc", how="full", coalesce=True).sort("loc")
    known = traffic_spans(site)
    spans = TrafficSpans(engines, visited, known.is_cut if is_cut is None else is_cut)
    snapshot.save(_ranked(table).select("loc", *_COLUMNS), site.traffic_folder / TRAFFIC_PAGES)
    said = {
        "engines": {name: _written(one) for name, one in engines.items()},
        "visits": _written(visited) if visited else None,
        "is_cut": spans.is_cut,
    }
    write_whole(site.traffic_folder / TRAFFIC_SPANS, (json.dumps(said, indent=1) + "\n").encode())
    return spans


def _ranked(figures: pl.DataFrame) -> pl.DataFrame:
    """Figures of pages with the part of all others that is clicked less."""
    others = max(figures.height - figures["clicks"].null_count() - 1, 1)
    rank = (pl.col("clicks").rank("min") - 1) / others
    return figures.with_columns(rank.cast(pl.Float64).round(4).alias(_RANK))


def traffic_spans(site: SiteFile) -> TrafficSpans:
    """Of which days the figures of pages are. Raises OutputError."""
    path = site.traffic_folder / TRAFFIC_SPANS
    try:
        said: dict[str, Any] = json.loads(path.read_text("utf-8"))
        return TrafficSpans(
            {name: _read(one) for name, one in said["engines"].items()},
            _read(said["visits"]) if said["visits"] else None,
            bool(said["is_cut"]),
        )
    except FileNotFoundError:
        return TrafficSpans()
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise OutputError(
            f"{path} cannot be read ({error}). Delete it and run `jovial-atlas hear` again."
        ) from None


def page_figures(site: SiteFile) -> pl.DataFrame | None:
    """The figures of pages: `loc` and the columns of `TRAFFIC_COLUMNS`; None where nothing was
    heard. Raises OutputError."""
    figures = snapshot.load(site.traffic_folder / TRAFFIC_PAGES)
    if figures is not None and _RANK not in figures.columns:  # kept by an earlier version
        return _ranked(figures)
    return figures


def figures_mark(site: SiteFile) -> str:
    """What tells whether the figures of pages are others than before; "" where there are none.
    Raises OutputError."""
    figures = page_figures(site)
    return "" if figures is None else f"{figures.hash_rows(28).sum():016x}"


def with_traffic(
    pages: pl.LazyFrame, site: SiteFile, filled: frozenset[str]
) -> tuple[pl.LazyFrame, frozenset[str]]:
    """A page table with all columns of the schema, with its figures, and the columns that hold
    anything. They are only looked up where they are asked for. Raises OutputError."""
    spans = traffic_spans(site)
    there = spans.filled
    if not there:
        return pages, filled
    figures = _Figures(site, spans.is_cut)
    looked_up = [
        pl.col("loc")
        .map_batches(partial(figures.of, name), schema.SCHEMA[name], is_elementwise=True)
        .alias(name)
        for name in _COLUMNS
        if name in there
    ]
    return pages.with_columns(looked_up), filled | there


def leading_on(site: SiteFile, locs: Iterable[str]) -> dict[str, str]:
    """Old address → where it leads now, for those of some addresses that moved. Raises
    SiteFileError where the table of moves cannot be read."""
    if not site.model.moves.file:
        return {}
    by = MoveMap(site.moves)
    ends = ((loc, by.end(loc)) for loc in locs)
    return {loc: leads.to for loc, leads in ends if leads is not None and leads.to}


def most_searched(site: SiteFile) -> dict[str, str]:
    """Page → what people searched that clicked on it, or were shown it, most in 28 days; without
    pages that were shown seldom. Raises OutputError."""
    traffic = traffic_of(site)
    found = []
    for engine, day in engines_now(traffic, ("loc", "query")).items():
        found.append(rows_of(traffic, engine, span_to(day), ("loc", "query")))
    if not found:
        return {}
    table = (
        pl.concat(found)
        .filter(pl.col("query").is_not_null() & (pl.col("query") != ""))
        .group_by("loc", "query")
        .agg(pl.col("clicks", "impressions").cast(pl.Int64).sum())
        .filter(pl.col("impressions") >= _OFTEN)
        .sort(["clicks", "impressions", "query"], descending=[True, True, False])
        .group_by("loc", maintain_order=True)
        .first()
        .collect(engine="streaming")
    )
    return dict(table.select("loc", "query").iter_rows())


def rests_on_traffic(site: SiteFile) -> bool:
    """Whether a verdict may be another one when other figures are heard."""
    model = site.model
    deciding = (model.defaults, *model.section, *(rule.set for rule in model.rule))
    return any(one.priority == "clicks" for one in deciding) or any(
        _NAMED.search(rule.when) for rule in model.rule
    )


class _Figures:
    """The figures of pages, loaded when they are first asked for."""

    def __init__(self, site: SiteFile, is_cut: bool) -> None:
        self._site = site
        self._is_cut = is_cut

    @cached_property
    def _table(self) -> pl.DataFrame:
        """In the order of their keys."""
        found = page_figures(self._site)
        empty = pl.DataFrame(schema={"loc": pl.String, **{n: schema.SCHEMA[n] for n in _COLUMNS}})
        table = empty if found is None else found
        return table.with_columns(_key=key_of(pl.col("loc"))).sort("_key")

    def of(self, name: str, locs: pl.Series) -> pl.Series:
        """The values of one column for some pages. Where tables are whole, pages that they do not
        name were not clicked, shown or visited."""
        numbers = places_in(self._table["_key"], keys_of(locs))
        values = self._table[name]
        if not values.len():
            found = pl.Series(name, [None], schema.SCHEMA[name]).new_from_index(0, locs.len())
        else:
            found = values.gather(numbers)
        none = name == "visits" or (name in _COUNTED and not self._is_cut)
        return (found.fill_null(0) if none else found).cast(schema.SCHEMA[name])


def _written(span: Span) -> list[str]:
    return [span.begins.isoformat(), span.ends.isoformat()]


def _read(said: list[str]) -> Span:
    return Span(date.fromisoformat(said[0]), date.fromisoformat(said[1]))
