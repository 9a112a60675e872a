"""Tables of performance as they are kept: Parquet files by month, one folder an engine and kind of
table, open to any tool.

Tables that tell rows apart by different columns are kept apart: what a table by page and query adds
up to is less than what one by page says, since engines hide what few people searched. Whatever was
heard in whatever order, one truth is kept: of two figures for the same row the larger one counts
(engines add to days that they are not done with), so that what is heard twice counts once.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date
from pathlib import Path
from urllib.parse import quote, unquote

import msgspec
import polars as pl

from jovial_atlas.files import cannot_write, sweep, temporary_name
from jovial_atlas.pages import snapshot
from jovial_atlas.traffic.columns import TABLE_PARTS

#: Names of folders: what each part of a kind of table is called there.
_NAMES = {"date": "day", "loc": "page"}
_PERIOD = "period"
#: The columns, with their types.
TYPES: Mapping[str, pl.DataType] = {
    "date": pl.Date(), "begins": pl.Date(), "ends": pl.Date(), "loc": pl.String(),
    "query": pl.String(), "country": pl.String(), "device": pl.String(), "results": pl.String(),
    "clicks": pl.UInt32(), "impressions": pl.UInt32(), "position": pl.Float32(),
}  # fmt: skip
#: Columns of rows by day and page.
_BY_PAGE = ("date", "loc", "clicks", "impressions", "position")
#: Rows of some days that are put together at a time.
_AT_ONCE = 5_000_000
#: A mean place and the times shown that it is of, in one number: the larger one counts.
_PLACES, _BITS = 1_000, 1 << 32


class TableKind(msgspec.Struct, frozen=True):
    """A kind of table: the columns of `TABLE_PARTS` that tell its rows apart; one without
    days is about the time from `begins` to `ends`."""

    parts: tuple[str, ...]

    @property
    def folder(self) -> str:
        """The name of its folder."""
        names = [_NAMES.get(one, one) for one in self.parts]
        return "-".join(names if "date" in self.parts else [_PERIOD, *names])

    @property
    def keys(self) -> list[str]:
        """The columns that tell rows apart, as they are kept."""
        when = ["date"] if "date" in self.parts else ["begins", "ends"]
        return [*when, *(one for one in self.parts if one != "date")]

    @property
    def adds_up(self) -> bool:
        """Whether it tells more apart than days and pages."""
        return {"date", "loc"} < set(self.parts)

    @property
    def has_days(self) -> bool:
        """Whether it tells of single days."""
        return "date" in self.parts


def kind_of(columns: Sequence[str]) -> TableKind:
    """The kind of a table with these columns."""
    return TableKind(tuple(one for one in TABLE_PARTS if one in columns))


class KeptRows(msgspec.Struct, frozen=True):
    """What became of rows: how many are new, how many say something else than was known."""

    rows: int
    new: int
    other: int


def _sum_of(some: Iterable[KeptRows]) -> KeptRows:
    whole = [(one.rows, one.new, one.other) for one in some]
    return KeptRows(*map(sum, zip(*whole, strict=True))) if whole else KeptRows(0, 0, 0)


class Traffic:
    """What is kept of all engines in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        #: File of a month → the days that it tells of.
        self._days: dict[Path, frozenset[date]] = {}

    def engines(self) -> list[str]:
        """Engines of which anything is kept."""
        if not self.folder.is_dir():
            return []
        return sorted(unquote(one.name) for one in self.folder.iterdir() if self._kinds(one))

    def kinds(self, engine: str) -> list[TableKind]:
        """The kinds of table that are kept of an engine, those that tell fewer things apart
        first."""
        return sorted(self._kinds(self._of(engine)), key=lambda one: (len(one.parts), one.parts))

    def scan(
        self, engine: str, kind: TableKind, begins: date | None = None, ends: date | None = None,
        *, by_page: bool = False,
    ) -> pl.LazyFrame:  # fmt: skip
        """The rows of one kind, of the days from `begins` to `ends`; of a table without days, of
        times that end then. With `by_page` they may be added up by day and page. Raises
        OutputError."""
        when = pl.col("date" if kind.has_days else "ends")
        found = []
        columns = [one for one in self._schema(kind) if not by_page or one in _BY_PAGE]
        for month, path in self._months(engine, kind):
            if (begins and month < _month(begins)) or (ends and month > _month(ends)):
                continue
            if by_page and kind.adds_up and _is_newer(_summed(path), path):
                path = _summed(path)
            if (table := snapshot.scan(path)) is not None:
                found.append(table.select(columns) if by_page else table)
        whole = pl.concat(found) if found else pl.LazyFrame(schema=self._schema(kind))
        if begins:
            whole = whole.filter(when >= begins)
        return whole.filter(when <= ends) if ends else whole

    def days(self, engine: str, kind: TableKind, begins: date, ends: date) -> set[date]:
        """The days from one to another that a kind of table tells of. Raises OutputError."""
        found: set[date] = set()
        for month, path in self._months(engine, kind):
            if not _month(begins) <= month <= _month(ends):
                continue
            if path not in self._days:
                table = snapshot.scan(path)
                assert table is not None
                days = table.select(pl.col("date").unique()).collect(engine="streaming")["date"]
                self._days[path] = frozenset(days.to_list())
            found |= self._days[path]
        return {day for day in found if begins <= day <= ends}

    def last_day(self, engine: str, kind: TableKind) -> date | None:
        """The last day that is told of, or the end of the last time; None where there is none."""
        months = list(self._months(engine, kind))
        if not months:
            return None
        table = snapshot.scan(months[-1][1])
        assert table is not None
        found = table.select(pl.col("date" if kind.has_days else "ends").max()).collect().item()
        return found if isinstance(found, date) else None

    def add(
        self, engine: str, kind: TableKind, rows: pl.LazyFrame, *, replace: bool = False
    ) -> KeptRows:
        """Put rows with the columns of the kind and those of `ROW_MEASURES` to what is kept; with
        `replace` their days are as they say, whatever was known. Raises OutputError."""
        when = "date" if kind.has_days else "ends"
        counts = rows.group_by(when).len().sort(when).collect(engine="streaming").rows()
        months: dict[str, list[tuple[date, int]]] = {}
        for day, number in counts:
            months.setdefault(_month(day), []).append((day, number))
        return _sum_of(
            self._add_month(engine, kind, rows, month, days, replace=replace)
            for month, days in months.items()
        )

    def _add_month(
        self, engine: str, kind: TableKind, rows: pl.LazyFrame, month: str,
        days: Sequence[tuple[date, int]], *, replace: bool,
    ) -> KeptRows:  # fmt: skip
        path = self._of(engine) / kind.folder / f"{month}.parquet"
        self._days.pop(path, None)
        when = pl.col("date" if kind.has_days else "ends")
        before = snapshot.scan(path)
        parts: list[pl.LazyFrame] = []
        merged: list[KeptRows] = []
        told = [day for day, _ in days]
        sweep(path.parent)
        beside = temporary_name(path.parent)
        try:
            if before is not None:
                parts.append(before.filter(~when.is_in(told)))
            for number, some in enumerate(_slices(days)):
                fresh = rows.filter(when.is_in(some))
                known = None
                if before is not None and not replace:
                    known = before.filter(when.is_in(some))
                table, counted = _put_together(kind, fresh, known)
                merged.append(counted)
                if len(told) == len(some):
                    parts.append(table.lazy())
                else:
                    part = beside / f"{number:04d}.parquet"
                    snapshot.sink(table.lazy(), part, compression="uncompressed")
                    parts.append(pl.scan_parquet(part))
            whole = pl.concat([one.select(*self._schema(kind)) for one in parts])
            snapshot.sink(whole, path, statistics=True)
            self._add_up(kind, path)
        except OSError as error:
            raise cannot_write(path, error) from error
        finally:
            shutil.rmtree(beside, ignore_errors=True)
        return _sum_of(merged)

    def _add_up(self, kind: TableKind, path: Path) -> None:
        """Keep what a month comes to by day and page as well, where it tells more apart: most that
        is asked is about pages, which are far fewer rows."""
        if not kind.adds_up:
            return
        shown = pl.col("impressions").cast(pl.Float64)
        there = pl.col("position").is_not_null()
        place = (pl.col("position") * shown).sum() / shown.filter(there).sum()
        table = snapshot.scan(path)
        assert table is not None
        summed = table.group_by("date", "loc").agg(
            pl.col("clicks", "impressions").sum(),
            position=pl.when(shown.filter(there).sum() > 0).then(place).cast(pl.Float32),
        )
        snapshot.sink(summed.sort("date"), _summed(path), statistics=True)

    def _of(self, engine: str) -> Path:
        # A dot alone, or two, would be another folder.
        return self.folder / quote(engine, safe=" ").replace(".", "%2E")

    def _kinds(self, folder: Path) -> Iterator[TableKind]:
        by_name = {_NAMES.get(one, one): one for one in TABLE_PARTS}
        for one in folder.iterdir() if folder.is_dir() else ():
            names = [name for name in one.name.split("-") if name != _PERIOD]
            if (
                one.is_dir()
                and all(name in by_name for name in names)
                and any(one.glob("*.parquet"))
            ):
                yield TableKind(tuple(by_name[name] for name in names))

    def _months(self, engine: str, kind: TableKind) -> Iterator[tuple[str, Path]]:
        for path in sorted((self._of(engine) / kind.folder).glob("????-??.parquet")):
            yield path.stem, path

    def _schema(self, kind: TableKind) -> dict[str, pl.DataType]:
        names = [*kind.keys, "clicks", "impressions", "position"]
        return {name: TYPES[name] for name in names}


def _summed(path: Path) -> Path:
    """Where what a month comes to by day and page lies."""
    return path.with_name(f"{path.stem}.pages.parquet")


def _is_newer(path: Path, other: Path) -> bool:
    try:
        return path.stat().st_mtime_ns >= other.stat().st_mtime_ns
    except OSError:
        return False


def _month(day: date) -> str:
    return f"{day:%Y-%m}"


def _slices(days: Sequence[tuple[date, int]]) -> Iterator[list[date]]:
    """Days that are put together at a time."""
    some: list[date] = []
    rows = 0
    for day, number in days:
        if some and rows + number > _AT_ONCE:
            yield some
            some, rows = [], 0
        some.append(day)
        rows += number
    if some:
        yield some


def _put_together(
    kind: TableKind, fresh: pl.LazyFrame, known: pl.LazyFrame | None
) -> tuple[pl.DataFrame, KeptRows]:
    """Rows of both, each once, and what became of the new ones."""
    seen, clicks, source = pl.col("seen"), pl.col("clicks"), pl.col("known")
    both = [_packed(kind, fresh).with_columns(known=pl.lit(False))]
    largest = [seen.max(), clicks.max()]
    counted = [source.max(), source.min().alias("only")]
    if known is not None:
        both.append(_packed(kind, known).with_columns(known=pl.lit(True)))
    rows = pl.concat(both)
    differs = (seen.min() != seen.max()) | (clicks.min() != clicks.max())
    if known is None:
        whole = rows.group_by(kind.keys).agg(*largest, other=differs)
        table = whole.collect(engine="streaming")
        merged = KeptRows(table.height, table.height, int(table["other"].sum()))
    else:
        whole = rows.group_by(kind.keys).agg(*largest, *counted, other=differs)
        table = whole.collect(engine="streaming")
        told = table.filter(~pl.col("only"))
        merged = KeptRows(told.height, int((~told["known"]).sum()), int(told["other"].sum()))
    place = (seen % _BITS).cast(pl.Float64) / _PLACES
    when = [one for one in ("date", "begins", "ends") if one in kind.keys]
    return (
        table.select(
            *kind.keys, "clicks",
            impressions=(seen // _BITS).cast(pl.UInt32),
            position=pl.when(place > 0).then(place).cast(pl.Float32),
        )
        .sort(when)
    ), merged  # fmt: skip


def _packed(kind: TableKind, rows: pl.LazyFrame) -> pl.LazyFrame:
    have = rows.collect_schema()
    clicks = pl.col("clicks") if "clicks" in have else pl.lit(0, pl.UInt32)
    shown = pl.col("impressions") if "impressions" in have else pl.lit(0, pl.UInt32)
    place = pl.col("position") if "position" in have else pl.lit(None, pl.Float32)
    thousandths = (place.fill_null(0).cast(pl.Float64) * _PLACES).round().cast(pl.UInt64)
    return rows.select(
        *(pl.col(one).cast(TYPES[one]) for one in kind.keys),
        clicks.cast(pl.UInt32).alias("clicks"),
        seen=shown.cast(pl.UInt64) * _BITS + thousandths,
    )
