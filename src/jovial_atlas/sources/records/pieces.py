"""Pieces of tables on their way: rows with the places that they are told by, those of many small
files put together, since each table that is worked on by itself costs as much as many rows."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Generator, Iterable, Sequence

import msgspec
import polars as pl

from jovial_atlas.faults import Fault

#: So many rows, and octets, are put together at most.
_ROWS, _OCTETS = 50_000, 16 << 20


class Piece(msgspec.Struct):
    """Rows of a file, and the places that they are told by: `before`, and the number of each.
    `begins` says that they are the first ones of that file; what is wrong with others is told."""

    file: str
    table: pl.DataFrame
    before: str
    numbers: Sequence[int]
    faults: list[Fault]
    begins: bool = False


class Together(msgspec.Struct):
    """Rows of one file or of several, with the same columns."""

    pieces: list[Piece]

    @property
    def table(self) -> pl.DataFrame:
        """All rows."""
        tables = [one.table for one in self.pieces]
        return pl.concat(tables) if len(tables) > 1 else tables[0]

    @property
    def files(self) -> pl.Expr | pl.Series:
        """The file of each row."""
        if len(self.pieces) == 1:
            return pl.lit(self.pieces[0].file)
        named = (pl.repeat(one.file, one.table.height, eager=True) for one in self.pieces)
        return pl.concat(named)

    @property
    def places(self) -> Sequence[str]:
        """What each row is told by."""
        return _Places(self.pieces)


class _Places(Sequence[str]):
    def __init__(self, pieces: list[Piece]) -> None:
        self._pieces, self._starts, done = pieces, [], 0
        for one in pieces:
            self._starts.append(done)
            done += one.table.height
        self._len = done

    def __len__(self) -> int:
        return self._len

    def __getitem__(self, row: int) -> str:  # type: ignore[override]
        at = bisect_right(self._starts, row) - 1
        piece = self._pieces[at]
        return f"{piece.before}{piece.numbers[row - self._starts[at]]}"


def together(pieces: Iterable[Piece]) -> Generator[Together | list[Fault]]:
    """Pieces, small ones with those behind them that have the same columns; and what is told of
    each, before it."""
    waiting: list[Piece] = []
    rows = octets = 0
    for one in pieces:
        if one.faults:
            yield one.faults
        if not one.table.height:
            continue
        size = int(one.table.estimated_size())
        fits = rows + one.table.height <= _ROWS and octets + size <= _OCTETS
        if waiting and not (fits and one.table.schema == waiting[0].table.schema):
            yield Together(waiting)
            waiting, rows, octets = [], 0, 0
        waiting.append(one)
        rows, octets = rows + one.table.height, octets + size
    if waiting:
        yield Together(waiting)
