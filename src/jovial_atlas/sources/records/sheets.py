"""Rows of a workbook: those of each sheet whose first line has the fields that are asked for."""

from __future__ import annotations

from collections.abc import Generator, Iterator
from itertools import islice
from pathlib import Path

import msgspec
import polars as pl

from jovial_atlas.errors import AtlasError, ContentError
from jovial_atlas.sources.records.numbered import Numbered, header_of
from jovial_atlas.workbooks import read_workbook

#: Rows that are taken together.
_ROWS = 50_000


class TableSheet(msgspec.Struct):
    """A sheet: its name, the names of its columns, and its rows with their numbers; what is `wrong`
    where it is no table."""

    name: str
    header: list[str]
    rows: Generator[Numbered]
    wrong: ContentError | None = None


def sheets_of(path: Path) -> Iterator[TableSheet]:
    """Each sheet that holds anything. What stands in one cell above the names is no row. Raises
    ContentError."""
    try:
        sheets = read_workbook(path)
    except AtlasError as error:
        raise ContentError(str(error)) from None
    for sheet in sheets:
        cells = [sum(map(bool, row)) for row in sheet.rows]
        # A title may stand above the names, in a cell of its own.
        first = next(at for at, count in enumerate(cells) if count >= min(2, max(cells)))
        named, rows = sheet.rows[first], sheet.rows[first + 1 :]
        # Where there is neither a name nor a value, there is no column.
        kept = [at for at, name in enumerate(named) if name.strip() or any(row[at] for row in rows)]
        header, wrong = [named[at] for at in kept], None
        try:
            header = header_of(header, f"{path}, sheet {sheet.name}", first + 1)
        except ContentError as error:
            wrong = error
        yield TableSheet(sheet.name, header, _rows(header, kept, rows, first + 2), wrong)


def _rows(
    header: list[str], kept: list[int], rows: list[list[str]], begun: int
) -> Generator[Numbered]:
    filled = ((number, row) for number, row in enumerate(rows, begun) if any(row))
    while some := list(islice(filled, _ROWS)):
        columns = {
            name: pl.Series([row[at] or None for _, row in some], dtype=pl.String)
            for name, at in zip(header, kept, strict=True)
        }
        yield pl.DataFrame(columns), [number for number, _ in some], []
