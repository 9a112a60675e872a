"""Tables beside the site file, as CSV: reading their text and their rows, with every problem."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Collection
from pathlib import Path
from typing import Any, TypeVar

from jovial_atlas.errors import Problem, SiteFileError

Row = TypeVar("Row")


def table_text(place: Path) -> str:
    """The text of a table, "" where there is no such file yet. Raises SiteFileError."""
    try:
        return place.read_bytes().decode("utf-8-sig")
    except FileNotFoundError:
        return ""
    except (OSError, UnicodeDecodeError) as error:
        problem = Problem(None, "", f"It cannot be read: {error}.")
        raise SiteFileError(str(place), [problem]) from None


def table_rows(
    text: str,
    place: Path,
    columns: Collection[str],
    read: Callable[[dict[Any, Any], int], Row | Problem],
) -> list[Row]:
    """The rows of a table, each made by `read` from its cells and line. The column `loc` must be
    there, and none but `columns`. Raises SiteFileError with every problem found."""
    found, problems = rows_and_problems(text, place, columns, read)
    if problems:
        raise SiteFileError(str(place), problems)
    return found


def rows_and_problems(
    text: str,
    place: Path,
    columns: Collection[str],
    read: Callable[[dict[Any, Any], int], Row | Problem],
) -> tuple[list[Row], list[Problem]]:
    """As `table_rows`, with the rows that are wrong told beside those that are right. Raises
    SiteFileError where the columns are wrong."""
    if not text:
        return [], []
    # All kinds of line ends end a line, those of old Macs too.
    lines = csv.DictReader(io.StringIO(text, newline=""))
    try:
        lines.fieldnames = [name.strip() for name in lines.fieldnames or ()]
    except csv.Error as error:
        raise SiteFileError(str(place), [Problem(1, "", f"cannot be read ({error}).")]) from None
    problems = [
        Problem(1, name, "is no column of this table", f"one of {', '.join(columns)}")
        for name in lines.fieldnames
        if name not in columns
    ]
    if "loc" not in lines.fieldnames:
        problems.append(Problem(1, "loc", "is missing: it says which page a row is about"))
    if problems:
        raise SiteFileError(str(place), problems)
    found: list[Row] = []
    while True:
        try:
            row = next(lines)
        except StopIteration:
            break
        except csv.Error as error:
            problems.append(Problem(lines.line_num, "", f"the row cannot be read ({error})"))
            continue
        line = lines.line_num
        if None in row or None in row.values():
            message = "the row has another number of cells than the first line"
            problems.append(Problem(line, "", message))
            continue
        one = read(row, line)
        if isinstance(one, Problem):
            problems.append(one)
        else:
            found.append(one)
    return found, problems
