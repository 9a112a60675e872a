"""In which file each listed page stands, and the rows of the files that are to be written.

The whole site is held as a few numbers an address; the addresses themselves are read when
a file is written, and only for the files that are.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise
from typing import Protocol, TypeVar

import msgspec
import polars as pl

from jovial_atlas.pages.keys import key_of, keys_of
from jovial_atlas.rounds.publishing.build.kinds import BY_CLICKS, VIDEO, Kind
from jovial_atlas.rounds.publishing.build.listing import (
    FROM_VERSIONS,
    HINTS,
    VERSIONS,
    ListedPages,
    Listing,
    said_in_files,
)
from jovial_atlas.rounds.publishing.build.versions import Versions
from jovial_atlas.rounds.publishing.build.video_digests import video_digests
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.traffic import page_figures
from jovial_atlas.sitemaps import plan

#: Rows of the page table that are read at once.
_WINDOW = 2 * 128 * 1024


PlacedT = TypeVar("PlacedT", bound="PlacedFiles")


class ShiftedError(Exception):
    """More than a few files are due after all, or addresses stand in others: everything must be
    decided anew."""


class DueRows(msgspec.Struct, frozen=True):
    """The rows of files that are to be written, in order, so many as are read at once; how many
    each file (kind and number) has; and all of them, where they are at hand."""

    windows: Iterable[pl.DataFrame]
    counts: dict[tuple[int, int], int]
    whole: pl.DataFrame | None = None


class PlacedFiles(Protocol):
    """In which file each listed page stands."""

    @property
    def videos(self) -> pl.DataFrame:
        """Pages with videos, with `kind` and `number`."""

    def files(self) -> pl.DataFrame:
        """One row a file: `kind, number, urls, digest`."""

    def due(self, wanted: pl.DataFrame) -> DueRows:
        """The rows of wanted files (`kind, number`)."""

    def moved(self: PlacedT, kind: int, number: int, locs: pl.Series) -> PlacedT:
        """The same with these addresses of a kind in another file."""


class Placed(msgspec.Struct, frozen=True):
    """Listed pages with the number of the file that each stands in; the runs of each; whether
    all are where they were before."""

    rows: pl.DataFrame
    videos: pl.DataFrame
    runs: tuple[pl.DataFrame, pl.DataFrame]
    same: tuple[bool, bool]

    def files(self) -> pl.DataFrame:
        """As `PlacedFiles.files`."""
        tables = zip((self.rows, self.videos), self.runs, strict=True)
        return pl.concat([_summed(*one) for one in tables]).sort("kind", "number")

    def due(self, wanted: pl.DataFrame) -> DueRows:
        """As `PlacedFiles.due`."""
        rows, counts = chosen(self.rows, self.runs[0], wanted)
        return DueRows(page_windows(rows), counts, rows)

    def block_sums(self, rows: int) -> pl.DataFrame:
        """`BLOCK_SUMS`, where a block has so many rows."""
        return block_sums(self.rows.iter_slices(_SUMMED), rows)

    def moved(self, kind: int, number: int, locs: pl.Series) -> Placed:
        """As `PlacedFiles.moved`."""
        there = (pl.col("kind") == kind) & pl.col("key").is_in(keys_of(locs).implode())
        put = pl.when(there).then(pl.lit(number, pl.UInt32)).otherwise(pl.col("number"))
        tables = (self.rows.with_columns(number=put), self.videos.with_columns(number=put))
        runs = (plan.runs_of(tables[0]), plan.runs_of(tables[1]))
        return Placed(*tables, runs, (False, False))


def _summed(placed: pl.DataFrame, runs: pl.DataFrame) -> pl.DataFrame:
    """Count and sum of the digests of each file, by way of the runs of rows in it."""
    return sums_in(placed, runs).group_by("kind", "number").agg(pl.col("urls", "digest").sum())


#: A row for each file in each block of the page table: its rows there, and the sum of their
#: digests.
BLOCK_SUMS = {"block": pl.UInt32, "kind": pl.UInt32, "number": pl.UInt32, "urls": pl.UInt32,
              "digest": pl.UInt64}  # fmt: skip
#: Rows that are summed together.
_SUMMED = 4_000_000


def block_sums(windows: Iterable[pl.DataFrame], rows: int) -> pl.DataFrame:
    """`BLOCK_SUMS` of placed rows, which come some at a time; a block has so many rows."""
    by = (pl.col("row") // rows).alias("block"), "kind", "number"
    found = [pl.DataFrame(schema=BLOCK_SUMS)]
    for some in windows:
        sums = some.group_by(*by, maintain_order=True).agg(pl.len().alias("urls"),
                                                           pl.col("digest").sum())  # fmt: skip
        found.append(sums.select(pl.col(name).cast(kind) for name, kind in BLOCK_SUMS.items()))
    whole = pl.concat(found).group_by("block", "kind", "number", maintain_order=True)
    return whole.agg(pl.col("urls", "digest").sum())


def sums_in(placed: pl.DataFrame, runs: pl.DataFrame) -> pl.DataFrame:
    """Count and sum of the digests of each run of rows in one file, as `kind, number, urls,
    digest`."""
    cuts = runs["len"].cast(pl.UInt32).cum_sum()
    sums = placed["digest"].cum_sum().gather(cuts - 1)
    return placed.select("kind", "number")[cuts - 1].select(
        "kind",
        "number",
        (cuts - cuts.shift(1, fill_value=0)).alias("urls"),
        (sums - sums.shift(1, fill_value=0)).alias("digest"),
    )


def place_listing(
    listing: Listing, before: dict[str, pl.DataFrame], kinds: Sequence[Kind]
) -> Placed:
    """Give each listed page its file. `before` has the tables of `plan.PLACED` of the last
    build, under `pages` and `videos`."""
    most = {number: kind.most for number, kind in enumerate(kinds)}
    video = next(number for number, kind in enumerate(kinds) if kind.name == VIDEO)
    pages = plan.place(listing.rows, before["pages"], most)
    shown = listing.videos.with_columns(
        key_of(pl.col("loc")).alias("key"),
        kind=pl.lit(video, pl.UInt32),
        digest=video_digests(listing.videos),
    )
    videos = plan.place(shown, before["videos"], most)
    return Placed(
        listing.rows.with_columns(number=pages.numbers),
        shown.with_columns(number=videos.numbers),
        (pages.runs, videos.runs),
        (pages.same, videos.same),
    )


def tables_of(
    survey: LastSurvey,
    placed: PlacedFiles,
    listing: ListedPages,
    wanted: pl.DataFrame,
    kinds: Sequence[Kind],
) -> Iterator[tuple[int, int, pl.DataFrame]]:
    """(kind, number, rows as the writer takes them and `mark`) of the files in `wanted`, each as
    soon as all its rows are read."""
    due = placed.due(wanted)
    clicks = _clicks(survey, kinds)
    waiting: dict[tuple[int, int], list[pl.DataFrame]] = {}
    have: dict[tuple[int, int], int] = {}
    for table, some in _texts_of(survey, listing, due):
        for at, part in _by_file(table, some):
            waiting.setdefault(at, []).append(part)
            have[at] = have.get(at, 0) + part.height
            if have[at] == due.counts[at]:
                whole = pl.concat(waiting.pop(at), rechunk=True)
                yield *at, _shaped(whole, kinds[at[0]], listing.versions, clicks)
    shown = placed.videos.join(wanted, on=["kind", "number"], how="semi", maintain_order="left")
    for place, part in shown.partition_by("kind", "number", as_dict=True).items():
        kind = kinds[int(place[0])]
        rows = part.select("loc", "lastmod", "videos")
        yield int(place[0]), int(place[1]), _ordered(rows, kind, clicks)


def _texts_of(
    survey: LastSurvey, listing: ListedPages, due: DueRows
) -> Iterator[tuple[pl.DataFrame, pl.DataFrame]]:
    """What files say of wanted rows, as the writer takes it and `mark`, with these rows: so many
    as are read at once."""
    texts, whole = listing.texts, due.whole
    if texts is not None and whole is not None and texts.height == whole.height:
        yield texts.hstack(whole.select(_hints_in(whole))), whole
        return
    columns = said_in_files(survey)
    for some in due.windows:
        start, end = some["row"][0], some["row"][-1] + 1
        pages = survey.pages.slice(start, end - start)
        dated = survey.decide(pages) if survey.decides_dates else pages
        table = dated.select(columns).collect()
        if table.height != some.height:
            table = table.select(pl.all().gather(some["row"] - start))
        yield table.hstack(some.select(_hints_in(some))), some


def _hints_in(rows: pl.DataFrame) -> list[str]:
    return [name for name in (*HINTS, VERSIONS) if name in rows.columns]


def chosen(
    rows: pl.DataFrame, runs: pl.DataFrame, wanted: pl.DataFrame
) -> tuple[pl.DataFrame, dict[tuple[int, int], int]]:
    """As `PlacedFiles.due`, of rows with their runs. Nothing is copied where all are wanted, and
    little where few are."""
    asked = wanted.select("kind", "number").unique()
    due = runs.with_columns(start=pl.col("len").cum_sum() - pl.col("len")).join(
        asked, on=["kind", "number"], how="semi", maintain_order="left"
    )
    summed = due.group_by("kind", "number").agg(pl.col("len").sum())
    counts = {(kind, number): count for kind, number, count in summed.iter_rows()}
    if sum(counts.values()) == rows.height:
        return rows, counts
    if due.height > _MANY_RUNS:  # pages of the sections stand between each other
        return rows.join(asked, on=["kind", "number"], how="semi", maintain_order="left"), counts
    pieces = [rows.slice(*run) for run in due.select("start", "len").iter_rows()]
    return pl.concat([rows.clear(), *pieces], rechunk=True), counts


#: From so many runs of rows on, rows are chosen one by one.
_MANY_RUNS = 1_000


def _by_file(
    table: pl.DataFrame, chosen: pl.DataFrame
) -> Iterator[tuple[tuple[int, int], pl.DataFrame]]:
    """The rows of each file. Where they stand together, as they mostly do, none is moved."""
    places = plan.runs_of(chosen)
    if places.height == places.select("kind", "number").n_unique():
        start = 0
        for length, kind, number in places.select("len", "kind", "number").iter_rows():
            yield (kind, number), table.slice(start, length)
            start += length
        return
    whole = table.hstack(chosen.select("kind", "number"))
    for place, part in whole.partition_by("kind", "number", as_dict=True).items():
        yield (int(place[0]), int(place[1])), part.drop("kind", "number")


def page_windows(due: pl.DataFrame) -> Iterator[pl.DataFrame]:
    """Wanted rows, so many of the page table at a time as are read at once."""
    if not due.height:
        return
    begins = range(0, due["row"][-1] + 1, _WINDOW)
    places = due["row"].search_sorted(pl.Series(begins, dtype=pl.UInt32)).to_list()
    for begin, end in pairwise([*places, due.height]):
        if begin < end:
            yield due.slice(begin, end - begin)


def _clicks(survey: LastSurvey, kinds: Sequence[Kind]) -> pl.DataFrame | None:
    """How often pages are clicked, where any kind is ordered by that."""
    if not any(kind.order.startswith(BY_CLICKS) for kind in kinds):
        return None
    figures = page_figures(survey.site)
    return None if figures is None else figures.select("loc", "clicks", "visits")


def _shaped(
    table: pl.DataFrame, kind: Kind, versions: Versions, clicks: pl.DataFrame | None
) -> pl.DataFrame:
    if not kind.pictures and "images" in table.columns:
        table = table.drop("images")
    if VERSIONS in table.columns:
        lists = versions.lists.gather(table[VERSIONS]).alias(FROM_VERSIONS)
        table = table.drop(VERSIONS).with_columns([lists] if kind.alternates else [])
    return _ordered(table, kind, clicks)


def _ordered(table: pl.DataFrame, kind: Kind, clicks: pl.DataFrame | None) -> pl.DataFrame:
    if kind.order.startswith(BY_CLICKS):
        if clicks is None:
            return table
        known = table.join(clicks, on="loc", how="left", maintain_order="left")
        by = known.select(pl.coalesce("clicks", "visits", 0).alias("_clicks"), "loc")
        order = by.with_row_index("_at").sort(["_clicks", "loc"], descending=[True, False])["_at"]
        return table[order]
    if kind.order == "newest":
        return table.sort(["lastmod", "loc"], descending=[True, False], nulls_last=True)
    if kind.order == "address" and not table["loc"].is_sorted():
        return table.sort("loc")
    return table
