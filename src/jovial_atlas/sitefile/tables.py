"""Tables beside the site file, as CSV: reading their text and their rows, with every problem."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Collection, Iterator, Sequence
from pathlib import Path
from typing import TypeVar

import msgspec

from jovial_atlas import delimited
from jovial_atlas.errors import AtlasError, Problem, SiteFileError
from jovial_atlas.faults import plural
from jovial_atlas.workbooks import ENDINGS, SheetRead, read_workbook

RowT = TypeVar("RowT")
#: Gives the text of a table, "" where there is none: as `table_text`, or one that may come.
Tables = Callable[[Path], str]
#: The line on which a row ends, its cells, and what is wrong with it in place of them.
TableRow = tuple[int, list[str], Problem | None]


def table_text(path: Path) -> str:
    """The text of a table, "" where there is no such file yet. Raises SiteFileError."""
    try:
        return delimited.decoded(path.read_bytes())[0]
    except FileNotFoundError:
        return ""
    except OSError as error:
        problem = Problem(None, "", f"It cannot be read: {error}.")
        raise SiteFileError(str(path), [problem]) from None


def text_of(data: bytes) -> str:
    """The text of a table, whatever its encoding."""
    return delimited.decoded(data)[0]


def given_text(path: Path) -> str:
    """The text of a table that somebody gives. Raises AtlasError where there is none."""
    try:
        return delimited.decoded(path.read_bytes())[0]
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror or error}).") from error


class GivenTables(msgspec.Struct, frozen=True):
    """The tables of a file that somebody gives: the name of each sheet ("" where the file is one
    table) with its text, and how they were read, in words."""

    tables: list[tuple[str, str]]
    told: str


def given_tables(path: Path, key: str = "loc", language: str = "") -> GivenTables:
    """The tables of a file: delimited text, or the sheets of a workbook that have the column `key`.
    Text that is no Unicode is read by the Windows code page of the language (BCP 47). Raises
    AtlasError where there is none."""
    if path.suffix.lower() in ENDINGS:
        found = [(one.name, text) for one in read_workbook(path) if (text := _as_text(one, key))]
        if not found:
            raise AtlasError(f"{path}: no sheet has a column {key} in its first rows.")
        return GivenTables(found, f"a workbook, {plural(len(found), 'sheet')}")
    try:
        data = path.read_bytes()
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror or error}).") from error
    text, encoding = delimited.decoded(data, language)
    parted = _CALLED[delimited.separator_of(text[:_BEGINNING])]
    return GivenTables([("", text)], f"cells parted by {parted}, {encoding}")


#: What stands between cells, in words; how much of a text is looked at for it; rows of a sheet in
#: which headings may stand.
_CALLED = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
_BEGINNING, _HEADING_ROWS = 8192, 10


def _as_text(sheet: SheetRead, key: str) -> str:
    """A sheet as delimited text with a line for each row, "" where it has no such column."""
    rows = sheet.rows
    start = next((n for n, row in enumerate(rows[:_HEADING_ROWS]) if key in map(_bare, row)), None)
    if start is None:
        return ""
    used = [n for n, heading in enumerate(rows[start]) if heading.strip()]
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    for number, row in enumerate(rows):
        cells = [row[n] if n < len(row) else "" for n in used]
        writer.writerow(cells if number >= start and any(cells) else [])
    return stream.getvalue()


def _bare(cell: str) -> str:
    return cell.strip()


def header_of(text: str) -> list[str]:
    """The names in the first line of a table."""
    _, cells, _ = next(delimited.rows(text), (1, [], ""))
    return [name.strip() for name in cells]


def table_rows(
    text: str,
    path: Path,
    columns: Collection[str],
    read: Callable[[dict[str, str], int], RowT | Problem],
) -> list[RowT]:
    """The rows of a table, each made by `read` from its cells and line. The column `loc` must be
    there, and none but `columns`. Raises SiteFileError with every problem found."""
    found, problems = rows_and_problems(text, path, columns, read)
    if problems:
        raise SiteFileError(str(path), problems)
    return found


def rows_and_problems(
    text: str,
    path: Path,
    columns: Collection[str],
    read: Callable[[dict[str, str], int], RowT | Problem],
    *,
    key: str = "loc",
) -> tuple[list[RowT], list[Problem]]:
    """As `table_rows`, with the rows that are wrong told beside those that are right; the column
    that must be there is `key`. Raises SiteFileError where the columns are wrong."""
    lines = checked_rows(text, path, columns, key=key)
    _, names, _ = next(lines)
    rows: list[RowT] = []
    problems: list[Problem] = []
    for line, cells, wrong in lines:
        made = wrong or read(dict(zip(names, cells, strict=True)), line)
        if isinstance(made, Problem):
            problems.append(made)
        else:
            rows.append(made)
    return rows, problems


def checked_rows(
    text: str, path: Path, columns: Collection[str], *, key: str = "loc"
) -> Iterator[TableRow]:
    """The rows of a table, first that of its names, each with as many cells as there are names;
    rows without any cell are left out. Raises SiteFileError where the columns are wrong."""
    if not text:
        yield 1, [], None
        return
    lines = delimited.rows(text)
    _, first, wrong = next(lines, (1, [], ""))
    if wrong:
        raise SiteFileError(str(path), [Problem(1, "", f"cannot be read ({wrong}).")])
    names = [name.strip() for name in first]
    if problems := list(_wrong_columns(names, columns, key)):
        raise SiteFileError(str(path), problems)
    yield 1, names, None
    width = len(names)
    for line, cells, wrong in lines:
        if wrong:
            yield line, [], Problem(line, "", f"the row cannot be read ({wrong})")
            continue
        if not any(cells):
            continue
        if len(cells) == width:
            yield line, cells, None
            continue
        if len(cells) > width and not any(cells[width:]):
            # Spreadsheets fill all rows up to the widest of the sheet.
            yield line, cells[:width], None
            continue
        message = "the row has another number of cells than the first line"
        yield line, [], Problem(line, "", message)


def checked_columns(
    text: str, path: Path, columns: Collection[str], *, key: str = "loc"
) -> tuple[Sequence[int], dict[str, Sequence[str]]] | None:
    """The rows of a table by columns, where none is empty or has another number of cells than the
    first: the line of each, and the cells by name. None where that is not so, and `checked_rows`
    knows more. Raises SiteFileError where the columns are wrong."""
    found = delimited.columns_of_lines(text)
    if not found:
        return None
    names = [one[0].strip() for one in found]
    if problems := list(_wrong_columns(names, columns, key)):
        raise SiteFileError(str(path), problems)
    cells = {name: one[1:] for name, one in zip(names, found, strict=True)}
    return range(2, len(found[0]) + 1), cells


def _wrong_columns(names: list[str], columns: Collection[str], key: str) -> Iterator[Problem]:
    """What is wrong with the first line of a table."""
    for name in names:
        if name not in columns:
            yield Problem(1, name, "is no column of this table", f"one of {', '.join(columns)}")
    for name in sorted({name for name in names if names.count(name) > 1} & set(columns)):
        yield Problem(1, name, "stands in the first line more than once")
    if key not in names:
        what = "page" if key == "loc" else "address"
        yield Problem(1, key, f"is missing: it says which {what} a row is about")
