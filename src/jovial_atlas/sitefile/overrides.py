"""The overrides file: what single pages are decided to be, one row a page, as CSV.

Columns: `loc` (an address, or a path of the site), any field of a rule's `set`, `reason`, and
`by`, who says so. An empty cell says nothing. A spreadsheet can edit it.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from jovial_atlas import addresses
from jovial_atlas.errors import Problem, SiteFileError
from jovial_atlas.faults import nearest
from jovial_atlas.findings.marks import MARKS
from jovial_atlas.sitefile.cells import as_cell, from_cell
from jovial_atlas.sitefile.deciding import TEXTS, Decision
from jovial_atlas.sitefile.model import SiteModel
from jovial_atlas.sitefile.parts import names_of, read_part
from jovial_atlas.sitefile.tables import (
    TableRow,
    Tables,
    checked_rows,
    rows_and_problems,
    table_text,
)

#: Columns that are no fields.
_BESIDE = ("loc", "reason", "by")
#: Texts that are no patterns: the phrases that a page wants to be found for, and the marks of a
#: review that do not count for it.
NO_PATTERNS = ("phrase", "exempt")
#: What is said of a page beside what is decided: patterns of its texts, and those.
PAGE_TEXTS = (*TEXTS, *NO_PATTERNS)
OVERRIDE_COLUMNS = ("loc", *names_of(Decision), *PAGE_TEXTS, "reason", "by")
_TRUTH = {"true": True, "yes": True, "1": True, "false": False, "no": False, "0": False}
_NUMBERS = {"priority": float, "max_snippet": int, "max_video_preview": int}


class Override(msgspec.Struct, frozen=True):
    """What is decided for one page: by address, with its line in the file. Rows that say the same
    share `sets` and `texts`, which nobody changes."""

    loc: str
    sets: Mapping[str, Any]
    reason: str = ""
    by: str = ""
    #: Texts of the page, by the names of `PAGE_TEXTS`.
    texts: Mapping[str, str] = {}
    line: int = 0


def read_overrides(
    path: Path, model: SiteModel, tables: Tables = table_text
) -> tuple[Override, ...]:
    """The rows of an overrides file; none where there is no such file yet. Raises SiteFileError
    with every problem found."""
    return parse_overrides(tables(path), path, model)


def parse_overrides(text: str, path: Path, model: SiteModel) -> tuple[Override, ...]:
    """The rows in the text of an overrides file. Raises SiteFileError."""
    rows, problems = _rows(checked_rows(text, path, OVERRIDE_COLUMNS), model)
    if problems:
        raise SiteFileError(str(path), problems)
    return tuple(rows)


def _rows(lines: Iterator[TableRow], model: SiteModel) -> tuple[list[Override], list[Problem]]:
    """The rows that say something. There may be very many, so that each costs little: most say what
    others do."""
    _, names, _ = next(lines)
    at = names.index("loc") if names else 0
    known: dict[tuple[str, ...], Override | Problem] = {}
    rows: list[Override] = []
    problems: list[Problem] = []
    for line, cells, wrong in lines:
        if wrong:
            problems.append(wrong)
            continue
        given = cells.pop(at)
        said = known.get(beside := tuple(cells))
        if said is None:
            said = known[beside] = _said((*names[:at], *names[at + 1 :]), beside)
        made = _made(given, line, said, model)
        if isinstance(made, Problem):
            problems.append(made)
        elif made.sets or made.texts:
            rows.append(made)
    return rows, problems


def parse_rows(
    text: str, path: Path, model: SiteModel, beside: Sequence[str]
) -> tuple[list[tuple[Override, dict[str, str]]], list[Problem]]:
    """As `parse_overrides` for an edited table that may also have the columns `beside`: each row
    with its cells, rows without fields too, and the problems of rows that are wrong. Raises
    SiteFileError where the columns are."""

    def read(row: dict[str, str], line: int) -> tuple[Override, dict[str, str]] | Problem:
        one = _row({n: v for n, v in row.items() if n not in beside}, line, model)
        return one if isinstance(one, Problem) else (one, row)

    return rows_and_problems(text, path, (*OVERRIDE_COLUMNS, *beside), read)


def _row(row: dict[str, str], line: int, model: SiteModel) -> Override | Problem:
    beside = {name: cell for name, cell in row.items() if name != "loc"}
    said = _said(tuple(beside), tuple(beside.values()))
    return _made(row.get("loc") or "", line, said, model)


def _made(given: str, line: int, said: Override | Problem, model: SiteModel) -> Override | Problem:
    loc = _address_in(given, model)
    if loc is None:
        what = f"{from_cell(given.strip())!r} is no address"
        return Problem(line, "loc", what, "/privacy/")
    if isinstance(said, Problem):
        return said._replace(line=line)
    return Override(loc, said.sets, said.reason, said.by, said.texts, line)


def _said(names: Sequence[str], values: Sequence[str]) -> Override | Problem:
    """What a row says in its cells beside `loc`."""
    cells = {
        name: cell
        for name, value in zip(names, values, strict=True)
        if value and (cell := from_cell(value.strip()))
    }
    reason, by = cells.pop("reason", ""), cells.pop("by", "")
    sets = {name: _value(name, text) for name, text in cells.items() if name not in PAGE_TEXTS}
    texts = {name: cells[name] for name in PAGE_TEXTS if name in cells}
    if unknown := [one for one in names_in(texts.get("exempt", "")) if one not in MARKS]:
        meant = nearest(unknown[0], MARKS, 50)
        hint = f"; did you mean {meant!r}?" if meant else ""
        return Problem(0, "exempt", f"there is no mark {unknown[0]!r}{hint}", "reading-ease")
    _, mistakes = read_part(Decision, sets) if sets else (None, [])
    if mistakes:
        key = str(mistakes[0].path[0]) if mistakes[0].path else ""
        return Problem(0, key, mistakes[0].message.removesuffix("."))
    return Override("", sets, reason, by, texts)


def names_in(cell: str) -> list[str]:
    """The names in a cell, parted by commas or semicolons."""
    return [one.strip() for one in cell.replace(";", ",").split(",") if one.strip()]


def _address_in(cell: str, model: SiteModel) -> str | None:
    """The normalised address that a cell names; None where it names none."""
    given = cell.strip()
    try:
        return addresses.normalise(model.site.url + given if given.startswith("/") else given)
    except ValueError:
        return None


def _value(name: str, text: str) -> Any:
    if name in _NUMBERS:
        try:
            return _NUMBERS[name](text)
        except ValueError:
            return text
    return _TRUTH.get(text.lower(), text)


def overrides_text(overrides: Iterable[Override]) -> str:
    """An overrides file with these rows, sorted by address."""
    rows = sorted(overrides, key=lambda one: one.loc)
    used = {name for one in rows for name in (*one.sets, *one.texts)}
    names = [n for n in OVERRIDE_COLUMNS if n in _BESIDE or n in used]
    stream = io.StringIO()
    writer = csv.DictWriter(stream, names, lineterminator="\n")
    writer.writeheader()
    for one in rows:
        writer.writerow({name: as_cell(text) for name, text in said_of(one).items()})
    return stream.getvalue()


def said_of(one: Override) -> dict[str, str]:
    """A row as its cells."""
    sets = {name: _text(value) for name, value in one.sets.items()}
    return {"loc": one.loc, **sets, **one.texts, "reason": one.reason, "by": one.by}


def _text(value: object) -> str:
    return {True: "yes", False: "no"}[value] if isinstance(value, bool) else str(value)
