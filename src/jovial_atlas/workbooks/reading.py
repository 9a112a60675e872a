"""Reading a workbook: each sheet as rows of texts, as its cells show them."""

from __future__ import annotations

import io
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from jovial_atlas.errors import AtlasError

if TYPE_CHECKING:
    from python_calamine import CalamineWorkbook

#: Endings of files that are workbooks.
ENDINGS = (".xlsx", ".xlsm", ".xlsb", ".xls", ".ods")


class SheetRead(msgspec.Struct, frozen=True):
    """A sheet: its name, and its rows from the first on, each with as many cells as the widest."""

    name: str
    rows: list[list[str]]


def read_workbook(path: Path) -> list[SheetRead]:
    """The sheets of a workbook, in their order, empty ones left out. Raises AtlasError where it is
    none, or cannot be read."""
    from python_calamine import CalamineError, CalamineWorkbook

    try:
        data = path.read_bytes()
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror or error}).") from error
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        sheets = [
            SheetRead(name, [[_text(cell) for cell in row] for row in _rows(book, name)])
            for name in book.sheet_names
        ]
    except (CalamineError, OSError, ValueError) as error:
        raise AtlasError(
            f"{path} is no workbook that can be read ({error}). Save it as .xlsx, .ods or .csv."
        ) from None
    return [one for one in sheets if any(any(row) for row in one.rows)]


def _rows(book: CalamineWorkbook, name: str) -> list[list[Any]]:
    """The rows as the spreadsheet counts them, empty ones at the beginning too."""
    return book.get_sheet_by_name(name).to_python(skip_empty_area=False)


def _text(cell: object) -> str:
    """A cell as it is written in a table of texts: whole numbers without a point, yes and no."""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    if isinstance(cell, datetime):
        midnight = cell.time() == time()
        return cell.date().isoformat() if midnight else cell.isoformat(sep="T")
    if isinstance(cell, date | time):
        return cell.isoformat()
    if isinstance(cell, timedelta):
        return str(cell)
    # A line end in a cell is a blank to us: no text of a page has one.
    return " ".join(str(cell).split()) if isinstance(cell, str) else str(cell)
