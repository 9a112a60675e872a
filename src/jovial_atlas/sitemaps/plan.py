"""Which file of its kind each address stands in, so that files stay as they are.

An address keeps its file from one build to the next. A new one goes into the last file of
its kind while that has room, else into a new one; a removed one leaves a gap. So a change
of the site rewrites the files it is in, and no others.

Addresses are compared by 64-bit keys: ten million of them are 80 MB.
"""

from __future__ import annotations

import msgspec
import polars as pl

#: Keys that are matched against each other at once; more are matched in shares.
_AT_ONCE = 2_000_000
#: So many runs of rows are handled one by one.
_FEW_RUNS = 1_000

#: One row an address: its key, the number of its kind, the number of its file from 1 on.
PLACED = {"key": pl.UInt64, "kind": pl.UInt32, "number": pl.UInt32}


class Placement(msgspec.Struct, frozen=True):
    """Where addresses stand: the `number` of each one's file within its kind; the `runs` of
    them, as `runs_of` gives them; and whether all is as it was before."""

    numbers: pl.Series
    runs: pl.DataFrame
    same: bool


def place(pages: pl.DataFrame, before: pl.DataFrame, most: dict[int, int]) -> Placement:
    """The file of each address, in the order of `pages`.

    `pages` has the columns `key` and `kind`; `before` those of `PLACED`, as they were placed
    last; `most` tells how many addresses a file of each kind may hold.
    """
    same = pages.height == before.height and _same(pages, before)
    numbers = before["number"] if same else _remembered(pages, before)
    placed = pages.select("kind").with_columns(number=numbers)
    limits = pl.DataFrame(
        {"kind": list(most), "most": list(most.values())},
        schema={"kind": pl.UInt32, "most": pl.UInt32},
    )
    runs = runs_of(placed) if before.height else None
    if runs is not None and _is_over(runs, limits):
        same, placed, runs = False, _without_excess(placed, limits), None
    if placed["number"].null_count():
        placed, runs = _with_new(placed, limits), None
    if runs is None:
        runs = runs_of(placed)
    return Placement(placed["number"], runs, same)


def missing(before: pl.DataFrame, pages: pl.DataFrame) -> pl.DataFrame:
    """The rows of `before` whose addresses are none of `pages`, by their keys."""
    if not before.height or (before.height == pages.height and _same(pages, before)):
        return before.clear()
    shares = max(pages.height, before.height) // _AT_ONCE + 1
    pieces = []
    for share in range(shares):
        mine = pl.col("key") % shares == share
        there = pages.select("key").filter(mine)
        pieces.append(before.filter(mine).join(there, on="key", how="anti", maintain_order="left"))
    return pl.concat(pieces)


def _same(pages: pl.DataFrame, before: pl.DataFrame) -> bool:
    return all((pages[name] == before[name]).all() for name in ("key", "kind"))


def _remembered(pages: pl.DataFrame, before: pl.DataFrame) -> pl.Series:
    if not before.height:
        return pl.Series("number", [None], pl.UInt32).new_from_index(0, pages.height)
    shares = max(pages.height, before.height) // _AT_ONCE + 1
    rows = pages.select("key", "kind").with_row_index("row")
    pieces = []
    for share in range(shares):
        mine = pl.col("key") % shares == share
        pieces.append(
            rows.filter(mine)
            .join(before.filter(mine), on=["key", "kind"], how="left")
            .select("row", "number")
        )
    return pl.concat(pieces).sort("row").get_column("number")


def _is_over(runs: pl.DataFrame, limits: pl.DataFrame) -> bool:
    counts = (
        runs.filter(pl.col("number").is_not_null())
        .group_by("kind", "number")
        .agg(pl.col("len").sum())
    )
    return counts.join(limits, on="kind").filter(pl.col("len") > pl.col("most")).height > 0


def _without_excess(placed: pl.DataFrame, limits: pl.DataFrame) -> pl.DataFrame:
    """Where a file is over its limit, which was higher before, its last rows are placed anew."""
    rank = pl.int_range(pl.len()).over("kind", "number")
    return placed.join(limits, on="kind", how="left", maintain_order="left").select(
        "kind", number=pl.when(rank < pl.col("most")).then(pl.col("number"))
    )


def runs_of(placed: pl.DataFrame) -> pl.DataFrame:
    """Rows that follow each other in one file as one row, `len, kind, number`: the addresses of
    a file mostly stand together, so these are few."""
    whole = pl.col("kind").cast(pl.UInt64) * 2**32 + pl.col("number")
    runs = placed.select(run=whole.rle()).unnest("run")
    return runs.select(
        pl.col("len").cast(pl.UInt32),
        kind=(pl.col("value") // 2**32).cast(pl.UInt32),
        number=(pl.col("value") % 2**32).cast(pl.UInt32),
    )


def place_new(kinds: pl.Series, most: dict[int, int], used: dict[int, int]) -> pl.Series:
    """The numbers of rows of these kinds, where none was placed before but so many of each kind
    (`used`, which is brought up to date)."""
    runs = kinds.to_frame("run").select(pl.col("run").rle()).unnest("run")
    if runs.height <= _FEW_RUNS:
        return _all_new(runs, most, used)
    limit, begun = (pl.col("kind").replace_strict(one, default=0, return_dtype=pl.UInt32)
                    for one in (most, {kind: used.get(kind, 0) for kind in most}))  # fmt: skip
    rank = pl.int_range(pl.len(), dtype=pl.UInt32).over("kind")
    table = kinds.to_frame("kind")
    numbers = table.select(number=((begun + rank) // limit + 1).cast(pl.UInt32))["number"]
    for kind, count in table.group_by("kind").len().iter_rows():
        used[kind] = used.get(kind, 0) + count
    return numbers


def _all_new(runs: pl.DataFrame, most: dict[int, int], used: dict[int, int]) -> pl.Series:
    """As `place_new`, by runs of rows of one kind (`len, value`): few, since pages of a kind mostly
    stand together."""
    pieces = [pl.Series([], dtype=pl.UInt32)]
    for length, kind in runs.iter_rows():
        begun = used.get(kind, 0)
        used[kind] = begun + length
        rank = pl.int_range(begun, begun + length, dtype=pl.UInt32, eager=True)
        pieces.append((rank // most[kind] + 1).cast(pl.UInt32))
    return pl.concat(pieces, rechunk=True)


def _with_new(placed: pl.DataFrame, limits: pl.DataFrame) -> pl.DataFrame:
    """New rows fill the last file of their kind, then further ones, in their order."""
    if placed["number"].null_count() == placed.height:
        return placed.with_columns(number=place_new(placed["kind"], dict(limits.iter_rows()), {}))
    last = (
        placed.filter(pl.col("number").is_not_null())
        .group_by("kind", "number")
        .agg(used=pl.len())
        .sort("number")
        .group_by("kind")
        .last()
        .rename({"number": "last"})
    )
    new = (
        placed.with_row_index("row")
        .filter(pl.col("number").is_null())
        .join(limits, on="kind", how="left", maintain_order="left")
        .join(last, on="kind", how="left", maintain_order="left")
        .with_columns(pl.col("last").fill_null(1), pl.col("used").fill_null(0))
    )
    rank = pl.int_range(pl.len(), dtype=pl.UInt32).over("kind")
    numbers = new.select("row", fresh=pl.col("last") + (pl.col("used") + rank) // pl.col("most"))
    return (
        placed.with_row_index("row")
        .join(numbers, on="row", how="left", maintain_order="left")
        .select("kind", number=pl.coalesce("number", pl.col("fresh").cast(pl.UInt32)))
    )
