"""A table of performance taken into what is kept: read in pieces, each row once."""

from __future__ import annotations

import shutil
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Protocol

import polars as pl

from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.files import make_folder, sweep, temporary_name
from jovial_atlas.pages import snapshot
from jovial_atlas.traffic.keeping import TableKind, Traffic, kind_of
from jovial_atlas.traffic.reading import NotPlainError, TextRows
from jovial_atlas.traffic.values import Days, Unread, typed

#: A table of which a larger part than this cannot be read is another table than was thought.
_MOST_UNREAD = 0.1
#: Rows that are held before they are put into files.
_HELD = 5_000_000
#: Exports end at a round number of rows where they are cut off.
_ROUND = (1_000, 5_000, 10_000, 25_000, 50_000, 100_000, 500_000, 1_000_000)

#: From which day to which a table tells, where its rows have no days.
Period = tuple[date, date]


@dataclass(frozen=True, slots=True)
class HeardPerformance:
    """What came of a table: its kind, from which day to which it tells, rows taken, how many of
    them say what was not known, and how many something else than was known; rows left out, and
    the first value that cannot be read; whether it seems to be cut off."""

    kind: TableKind
    begins: date | None
    ends: date | None
    rows: int
    new: int
    other: int
    elsewhere: int
    unread: int
    first: str
    hidden: int
    is_cut: bool


class PerformanceTable(Protocol):
    """A table of performance, in a file or elsewhere."""

    @property
    def shown(self) -> str:
        """What it is called in messages."""

    @property
    def is_large(self) -> bool:
        """Whether its rows are first read as if they were plain."""

    def pieces(self) -> Iterator[TextRows]:
        """Its rows as texts, some at a time."""

    def plain_pieces(self, kinds: Mapping[str, pl.DataType]) -> Iterator[TextRows]:
        """Its rows, columns of `kinds` read as these, on all cores."""


def hear_performance(
    traffic: Traffic,
    engine: str,
    table: PerformanceTable,
    columns: Mapping[str, str],
    hosts: Sequence[str],
    period: Period | None = None,
    *,
    replace: bool = False,
) -> HeardPerformance:
    """Take a table of performance in. `columns` maps our names to its headings, `hosts` are those
    of the site; `period` is needed where it has no days. Raises AtlasError."""
    kind = kind_of(list(columns))
    if not kind.has_days and period is None:
        raise AtlasError(
            f"{table.shown} has no column of days, so it must be said which days it tells of: "
            "--from 2026-10-01 --to 2026-10-28."
        )
    sweep(traffic.folder)
    beside = temporary_name(traffic.folder)
    make_folder(beside)
    try:
        return _take(traffic, engine, table, columns, hosts, period, beside, replace=replace)
    finally:
        shutil.rmtree(beside, ignore_errors=True)


def _take(
    traffic: Traffic, engine: str, table: PerformanceTable, columns: Mapping[str, str],
    hosts: Sequence[str], period: Period | None, beside: Path, *, replace: bool,
) -> HeardPerformance:  # fmt: skip
    kind = kind_of(list(columns))
    read = _read(table, columns, hosts, beside)
    rows, unread = read.rows, read.unread
    known = read.days.read()
    read.held = [_dated(one, known, unread) for one in read.held]
    for path in read.parts if known else ():
        _keep(_dated(pl.read_parquet(path), known, unread), path)
    if unread.rows and unread.rows > rows * _MOST_UNREAD:
        raise AtlasError(
            f"{table.shown}: {plural(unread.rows, 'row')} of {rows:,} cannot be read "
            f"({unread.first}). See whether --column names its columns rightly."
        )
    parts = [*(pl.scan_parquet(one) for one in read.parts), *(one.lazy() for one in read.held)]
    whole = pl.concat(parts, how="diagonal") if parts else None
    if whole is None:
        return HeardPerformance(kind, None, None, 0, 0, 0, unread.elsewhere, unread.rows,
                                unread.first, unread.hidden, is_cut=False)  # fmt: skip
    if not kind.has_days:
        assert period is not None
        whole = whole.with_columns(begins=pl.lit(period[0]), ends=pl.lit(period[1]))
    whole = _spelled_once(kind, whole)
    when = pl.col("date") if kind.has_days else pl.col("ends")
    first, last = whole.select(low=when.min(), high=when.max()).collect(engine="streaming").row(0)
    merged = traffic.add(engine, kind, whole, replace=replace)
    begins = period[0] if not kind.has_days and period else first
    return HeardPerformance(
        kind, begins, last, merged.rows, merged.new, merged.other, unread.elsewhere, unread.rows,
        unread.first, unread.hidden, is_cut=rows in _ROUND,
    )  # fmt: skip


@dataclass(slots=True)
class _Read:
    """What was read: in which files it lies and, of the last rows, what is held; how many rows it
    was, days, and what was left out."""

    parts: list[Path] = field(default_factory=list)
    held: list[pl.DataFrame] = field(default_factory=list)
    rows: int = 0
    days: Days = field(default_factory=Days)
    unread: Unread = field(default_factory=Unread)


#: How columns of most tables are written.
_KINDS = {"date": pl.Date(), "clicks": pl.UInt32(), "impressions": pl.UInt32(),
          "position": pl.Float64()}  # fmt: skip


def _read(
    table: PerformanceTable, columns: Mapping[str, str], hosts: Sequence[str], beside: Path
) -> _Read:
    """Read a table: a large one first as most are written, then as texts, at last row by row."""
    kinds = {theirs: _KINDS[ours] for ours, theirs in columns.items() if ours in _KINDS}
    for some in (kinds, {}) if table.is_large else ():
        with suppress(NotPlainError):
            return _read_pieces(table.plain_pieces(some), columns, hosts, beside)
    return _read_pieces(table.pieces(), columns, hosts, beside)


def _read_pieces(
    pieces: Iterator[TextRows], columns: Mapping[str, str], hosts: Sequence[str], beside: Path
) -> _Read:
    read = _Read()
    for piece in pieces:
        read.rows += piece.table.height
        some = typed(piece, columns, hosts, read.days, read.unread)
        if some.height:
            read.held.append(some)
        if sum(one.height for one in read.held) > _HELD:
            for one in read.held:
                read.parts.append(beside / f"{len(read.parts):05d}.parquet")
                _keep(one, read.parts[-1])
            read.held.clear()
    return read


def _keep(part: pl.DataFrame, path: Path) -> None:
    snapshot.sink(part.lazy(), path, compression="uncompressed", statistics=True)


def _dated(part: pl.DataFrame, known: Mapping[str, date | None], unread: Unread) -> pl.DataFrame:
    """A part with its days; what has none is left out, and noted."""
    if "written" not in part.columns:
        return part
    day = part["written"].replace_strict(known, default=None, return_dtype=pl.Date)
    if missing := day.null_count():
        if not unread.first:
            unread.first = f"{part['written'].filter(day.is_null())[0]!r} is no day"
        unread.rows += missing
    return part.drop("written").with_columns(date=day).drop_nulls("date").sort("date")


def _spelled_once(kind: TableKind, rows: pl.LazyFrame) -> pl.LazyFrame:
    """Rows in which each address has one spelling: what a table says of several spellings of one
    is added up; what it says twice of the same spelling counts once."""
    have = rows.collect_schema().names()
    if "raw" not in have:
        return rows
    spelled = rows.select(pl.col("raw").is_not_null().any()).collect(engine="streaming").item()
    if not spelled:
        return rows.drop("raw")
    measures = [one for one in ("clicks", "impressions") if one in have]
    largest = [pl.col(one).max() for one in measures]
    summed = [pl.col(one).sum() for one in measures]
    if "position" in have:
        shown = pl.col("impressions") if "impressions" in have else pl.lit(1, pl.UInt32)
        # As where tables contradict each other: the place of the row that is shown most.
        largest.append(pl.col("position").filter(shown == shown.max()).max())
        weight = pl.max_horizontal(shown, pl.lit(1, pl.UInt32)).cast(pl.Float64)
        there = pl.col("position").is_not_null()
        place = (pl.col("position") * weight).sum() / weight.filter(there).sum()
        summed.append(pl.when(there.any()).then(place).cast(pl.Float32).alias("position"))
    once = rows.group_by([*kind.keys, "raw"]).agg(largest)
    return once.group_by(kind.keys).agg(summed)
