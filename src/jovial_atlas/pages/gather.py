"""Gathering batches into one page table: in memory while it is small, on disk when it is not.

An address stands once. Where several sources (or rows) deliver it, the first row stays
and later ones fill its gaps, or win where their source says so; what was merged is kept
in the column `merged`, so that nothing is dropped unseen.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import groupby
from pathlib import Path
from types import TracebackType
from typing import Any

import polars as pl

from jovial_atlas.ahead import read_ahead
from jovial_atlas.faults import Fault
from jovial_atlas.files import make_folder, move_into_place, remove, temporary_name
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.pages.merge import Repeats
from jovial_atlas.pages.repeated import MergedPieces, later_rows, merged_alone

#: From this many rows on, or this many bytes, batches wait on disk.
SPILL_ROWS, _SPILL_BYTES = 1_000_000, 256 << 20


@dataclass(slots=True)
class Batch:
    """Some pages of a source, and the faults met on the way.

    `table` holds any columns of `schema`; columns beyond it become fields of `extra`. A
    LazyFrame is written to disk without ever being in memory as a whole; `refuse` then says
    which of its rows cannot be used, by a condition and a way to tell of them, and `constant`
    names columns in which all its rows have one value, with it.
    """

    table: pl.DataFrame | pl.LazyFrame = field(default_factory=schema.empty)
    faults: list[Fault] = field(default_factory=list)
    refuse: tuple[pl.Expr, Callable[[pl.DataFrame], list[Fault]]] | None = None
    constant: Mapping[str, Any] = field(default_factory=dict)


class Gathering:
    """Batches on their way into one page table. Use as a context: leaving removes the parts."""

    def __init__(self, folder: Path, *, spill_rows: int = SPILL_ROWS) -> None:
        self.folder = folder
        self.spill_rows = spill_rows
        self.faults: list[Fault] = []
        #: In the order of the sources: tables in memory, and names of files that hold others.
        self._pieces: list[pl.DataFrame | Path] = []
        #: Hashes of the addresses of pieces that were looked at already.
        self._hashes: dict[Path, pl.Series] = {}
        #: Rows and bytes of this source that wait in memory.
        self._rows, self._bytes = 0, 0
        self._made = 0
        self._begun = (0, 0)
        self._place: Path | None = None

    def __enter__(self) -> Gathering:
        return self

    def __exit__(
        self,
        _kind: type[BaseException] | None,
        _error: BaseException | None,
        _trace: TracebackType | None,
    ) -> None:
        if self._place:
            shutil.rmtree(self._place, ignore_errors=True)

    def begin(self) -> None:
        """A source begins: what it adds from here on can be taken back by `forget`."""
        self._begun = (len(self._pieces), len(self.faults))
        self._rows = self._bytes = 0

    def forget(self) -> None:
        """Take back what was added since `begin`: half of a broken source is worse than none."""
        pieces, faults = self._begun
        del self._pieces[pieces:], self.faults[faults:]

    def add(self, batch: Batch) -> None:
        """Take one batch. Raises ValueError where a column cannot have its type."""
        self.faults += batch.faults
        try:
            if isinstance(batch.table, pl.LazyFrame):
                with snapshot.without_panics():
                    self._spill(schema.conform(batch.table), batch.constant)
                if batch.refuse:
                    self._refuse(*batch.refuse, batch.constant)
                return
            table = schema.conform(batch.table)
        except snapshot.BROKEN as error:
            raise ValueError(snapshot.said_of(error)) from error
        if table.height:
            self._pieces.append(table)
            self._rows += table.height
            # Pages that were read are sorted as long as there are not too many of them.
            if "links" not in table.columns:
                self._bytes += int(table.estimated_size())
        if self._rows > self.spill_rows or self._bytes > _SPILL_BYTES:
            self._spill_waiting()

    def _spill_waiting(self) -> None:
        """Tables of this source that wait in memory go to disk, in their place in the order."""
        start = len(self._pieces)
        while start > self._begun[0] and isinstance(self._pieces[start - 1], pl.DataFrame):
            start -= 1
        waiting = [piece for piece in self._pieces[start:] if isinstance(piece, pl.DataFrame)]
        del self._pieces[start:]
        self._rows = self._bytes = 0
        self._spill(_joined([frame.lazy() for frame in waiting]))

    def _spill(self, table: pl.LazyFrame, constant: Mapping[str, Any] | None = None) -> None:
        part = self._new_part()
        snapshot.sink(table, part, constant)
        self._pieces.append(part)

    def _refuse(
        self,
        wrong: pl.Expr,
        tell: Callable[[pl.DataFrame], list[Fault]],
        constant: Mapping[str, Any],
    ) -> None:
        """Take rows that cannot be used out of the part that was just written. Its addresses are
        read for it, so their hashes are kept."""
        part = self._pieces.pop()
        assert isinstance(part, Path)
        table = _scan(part)
        looked = table.select(h=pl.col("loc").hash(), wrong=wrong).collect(engine="streaming")
        if not looked["wrong"].any():
            self._pieces.append(part)
            self._hashes[part] = looked["h"]
            return
        rows = table.select("loc").with_row_index("_row", offset=1).filter(wrong)
        self.faults += tell(rows.collect(engine="streaming"))
        self._spill(table.filter(~wrong), constant)
        remove(part)

    def _new_part(self) -> Path:
        if self._place is None:
            path = temporary_name(self.folder)
            make_folder(path)
            self._place = path
        self._made += 1
        return self._place / f"{self._made:04}.parquet"

    def _all(self) -> pl.LazyFrame:
        return _joined([_lazy(piece) for piece in self._pieces] or [schema.empty().lazy()])

    def _later_rows(self) -> pl.DataFrame:
        """Which rows have the address of an earlier one, by hashes: eight bytes a page are held for
        it."""
        hashes = [pl.Series("h", dtype=pl.UInt64)]
        for piece in self._pieces:
            known = self._hashes.pop(piece, None) if isinstance(piece, Path) else None
            if known is None:
                hashed = _lazy(piece).select(h=pl.col("loc").hash())
                known = hashed.collect(engine="streaming")["h"]
            hashes.append(known)
        return later_rows(pl.concat(hashes))

    def finish(self, target: Path, winners: Iterable[str] = ()) -> pl.LazyFrame:
        """The page table. `winners` names the sources whose values replace earlier ones; the
        values of all others fill gaps.

        A small one is in memory, sorted by address, and still to be saved. A larger one is in
        the file `target`, and keeps the order of its sources. Columns that no source fills are left
        out.
        """
        large = any(isinstance(piece, Path) for piece in self._pieces)
        later = self._later_rows()
        only = self._pieces[0] if len(self._pieces) == 1 else None
        if isinstance(only, Path) and not later.height:
            move_into_place(only, target)
            return _scan(target)
        told = Repeats()
        joined = self._merged(later, list(winners), told) if later.height else self._all()
        if not large:
            table = _filled(joined.collect()).sort("loc").lazy()
        else:
            snapshot.sink(joined, target)
            table = _scan(target)
        self.faults += told.faults
        return table

    def _merged(self, later: pl.DataFrame, winners: list[str], told: Repeats) -> pl.LazyFrame:
        """All rows, those of one address as one. What is told of that is known when the last one
        was made."""
        if later.height <= _FEW:
            whole = pl.concat(_alike(map(_lazy, self._pieces), _OF_MERGED))
            return merged_alone(whole, later, winners, told)
        pieces = _alike(self._neighbours(), _OF_MERGED)
        rows = MergedPieces(pieces, later, winners, told)
        return snapshot.made_in_pieces(pieces[0].collect_schema(), lambda: read_ahead(iter(rows)))

    def _neighbours(self) -> Iterator[pl.LazyFrame]:
        """All pieces in their order, those in memory beside each other as one."""
        for in_memory, pieces in groupby(self._pieces, lambda one: isinstance(one, pl.DataFrame)):
            frames = [_lazy(piece) for piece in pieces]
            if in_memory:
                yield _joined(frames).collect().lazy()
            else:
                yield from frames


#: So many later rows are merged at once, whatever the rest; and columns that it takes.
_FEW, _OF_MERGED = 150_000, ("path", "merged")


def _scan(part: Path) -> pl.LazyFrame:
    table = snapshot.scan(part)
    assert table is not None
    return table


def _lazy(piece: pl.DataFrame | Path) -> pl.LazyFrame:
    return _scan(piece) if isinstance(piece, Path) else piece.lazy()


def _joined(frames: list[pl.LazyFrame]) -> pl.LazyFrame:
    return pl.concat(_alike(frames))


def _alike(some: Iterable[pl.LazyFrame], also: Collection[str] = ()) -> list[pl.LazyFrame]:
    """Tables with the same columns: those that any of them has, and others."""
    frames = list(some)
    fields = schema.extra_fields(frames)
    given = {*also, *(name for frame in frames for name in frame.collect_schema())}
    names = [name for name in (*schema.SCHEMA, schema.EXTRA) if name in given]
    return [schema.complete(schema.with_extra(frame, fields)).select(names) for frame in frames]


def _filled(table: pl.DataFrame) -> pl.DataFrame:
    """A table without columns in which nothing stands."""
    if not table.height:
        return table
    return table.select(column for column in table if column.null_count() < table.height)
