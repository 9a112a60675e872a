"""Writing a workbook to be filled in: what must stay is locked, texts are counted as they are
typed, choices are offered as lists."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from jovial_atlas.files import write_whole

if TYPE_CHECKING:
    from xlsxwriter import Workbook
    from xlsxwriter.worksheet import Worksheet

#: Rows of a sheet, the first one with headings not counted (ECMA-376 allows 1,048,576 in all).
MOST_ROWS = 1_048_575
#: Comments of a workbook: more make it slow to open.
MOST_COMMENTS = 20_000
#: Signs that the name of a sheet cannot have, and its longest length.
_NOT_IN_NAMES = re.compile(r"[\[\]:*?/\\]")
_LONGEST_NAME = 31


class BookColumn(msgspec.Struct, frozen=True):
    """A column: its heading; whether it is `open` to be filled in; whether it is hidden; how wide,
    in characters; the choices that are offered; and for a column that counts, the heading of the
    one that it counts the characters of, with the least and the most that are right (0: any)."""

    heading: str
    open: bool = False
    hidden: bool = False
    width: int = 12
    choices: tuple[str, ...] = ()
    counts: str = ""
    least: int = 0
    most: int = 0
    note: str = ""


class Sheet(msgspec.Struct, frozen=True):
    """A sheet: its name, its columns, its rows (cells by heading), and comments on cells (row from
    0, heading → text)."""

    name: str
    columns: Sequence[BookColumn]
    rows: Sequence[dict[str, str]]
    comments: dict[tuple[int, str], str] = msgspec.field(default_factory=dict)


def write_workbook(path: Path, sheets: Iterable[Sheet], about: Sequence[str], author: str) -> None:
    """Write a workbook with these sheets, and a last one that says what to do with it. Raises
    OutputError."""
    from xlsxwriter import Workbook

    stream = io.BytesIO()
    book = Workbook(stream, {"in_memory": True, "strings_to_urls": False,
                             "strings_to_formulas": False})  # fmt: skip
    book.set_properties({"author": author})
    formats = _formats(book)
    taken: set[str] = set()
    for sheet in sheets:
        _write_sheet(book.add_worksheet(sheet_name(sheet.name, taken)), sheet, formats)
    told = book.add_worksheet(sheet_name("About this table", taken))
    told.set_column(0, 0, 100, formats["text"])
    for number, line in enumerate(about):
        told.write_string(number, 0, line, formats["text"])
    told.protect()
    book.close()
    write_whole(path, stream.getvalue())


def sheet_name(name: str, taken: set[str]) -> str:
    """A name that a sheet may have, that no other one has; it is noted as taken."""
    base = _NOT_IN_NAMES.sub("-", name).strip("'")[:_LONGEST_NAME] or "pages"
    found, number = base, 1
    while found.lower() in taken:
        number += 1
        end = f" {number}"
        found = base[: _LONGEST_NAME - len(end)] + end
    taken.add(found.lower())
    return found


def _formats(book: Workbook) -> dict[str, Any]:
    top = {"valign": "top", "text_wrap": True}
    return {
        "head": book.add_format({"bold": True, "bottom": 1, "bg_color": "#E8EDF2", **top}),
        "head_open": book.add_format({"bold": True, "bottom": 1, "bg_color": "#FFF3C4", **top}),
        "locked": book.add_format({"font_color": "#555555", **top}),
        "open": book.add_format({"locked": False, "num_format": "@", **top}),
        "count": book.add_format({"font_color": "#555555", "valign": "top"}),
        "text": book.add_format(top),
        "long": book.add_format({"bg_color": "#F6C6BD", "bold": True}),
        "short": book.add_format({"bg_color": "#FBE7A8"}),
    }


def _write_sheet(sheet: Worksheet, told: Sheet, formats: dict[str, Any]) -> None:
    headings = [one.heading for one in told.columns]
    last = max(1, len(told.rows))
    sheet.freeze_panes(1, 1)
    for number, column in enumerate(told.columns):
        style = formats["open" if column.open else "count" if column.counts else "locked"]
        sheet.set_column(number, number, column.width, style, {"hidden": column.hidden})
        sheet.write_string(0, number, column.heading,
                           formats["head_open" if column.open else "head"])  # fmt: skip
        if column.note:
            sheet.write_comment(0, number, column.note)
        if column.counts:
            _count(sheet, told, number, headings.index(column.counts), formats)
            continue
        for row, cells in enumerate(told.rows, start=1):
            text = cells.get(column.heading, "")
            if text or column.open:
                write = sheet.write_string if text else sheet.write_blank
                write(row, number, text, style)
        if column.choices:
            sheet.data_validation(1, number, last, number, {
                "validate": "list", "source": list(column.choices),
                "error_title": column.heading,
                "error_message": f"One of: {', '.join(column.choices)}; or nothing.",
            })  # fmt: skip
    for (row, heading), text in told.comments.items():
        sheet.write_comment(row + 1, headings.index(heading), text, {"x_scale": 2, "y_scale": 1.2})
    if told.rows:
        sheet.autofilter(0, 0, last, len(headings) - 1)
    sheet.protect("", {"format_columns": True, "format_rows": True, "autofilter": True,
                       "sort": True})  # fmt: skip


def _count(
    sheet: Worksheet, told: Sheet, number: int, counted: int, formats: dict[str, Any]
) -> None:
    """A column that counts the characters of another one as they are typed, and is coloured where
    they are too many or too few; so is the text itself."""
    from xlsxwriter.utility import xl_col_to_name

    column, letter = told.columns[number], xl_col_to_name(counted)
    for row, cells in enumerate(told.rows, start=1):
        length = len(cells.get(column.counts, ""))
        formula = f'=IF({letter}{row + 1}="","",LEN({letter}{row + 1}))'
        sheet.write_formula(row, number, formula, formats["count"], length or "")
    last = max(1, len(told.rows))
    counts = f"LEN(${letter}2)"
    for place in (number, counted):
        if column.most:
            sheet.conditional_format(1, place, last, place, {
                "type": "formula", "criteria": f"={counts}>{column.most}",
                "format": formats["long"],
            })  # fmt: skip
        if column.least:
            sheet.conditional_format(1, place, last, place, {
                "type": "formula", "criteria": f"=AND({counts}>0,{counts}<{column.least})",
                "format": formats["short"],
            })  # fmt: skip
