"""Tables as spreadsheet workbooks: written as Office Open XML (ECMA-376), read as that or as
OpenDocument (ISO/IEC 26300)."""

from jovial_atlas.workbooks.reading import ENDINGS, SheetRead, read_workbook
from jovial_atlas.workbooks.writing import (
    MOST_COMMENTS,
    MOST_ROWS,
    BookColumn,
    Sheet,
    write_workbook,
)

__all__ = [
    "ENDINGS",
    "MOST_COMMENTS",
    "MOST_ROWS",
    "BookColumn",
    "Sheet",
    "SheetRead",
    "read_workbook",
    "write_workbook",
]
