"""The overrides file: what single pages are decided to be, one row a page, as CSV.

Columns: `loc` (an address, or a path of the site), any field of a rule's `set`, `reason`, and
`by`, who says so. An empty cell says nothing. A spreadsheet can edit it.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

from jovial_atlas import addresses
from jovial_atlas.errors import Problem
from jovial_atlas.faults import nearest
from jovial_atlas.findings.marks import MARKS
from jovial_atlas.sitefile.cells import as_cell, from_cell
from jovial_atlas.sitefile.deciding import TEXTS, Decision
from jovial_atlas.sitefile.model import SiteModel
from jovial_atlas.sitefile.parts import names_of, read_part
from jovial_atlas.sitefile.tables import Tables, rows_and_problems, table_rows, table_text

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


@dataclass(frozen=True, slots=True)
class Override:
    """What is decided for one page: by address, with its line in the file."""

    loc: str
    sets: dict[str, Any]
    reason: str = ""
    by: str = ""
    #: Texts of the page, by the names of `PAGE_TEXTS`.
    texts: dict[str, str] = field(default_factory=dict)
    line: int = field(default=0, compare=False)


def read_overrides(
    path: Path, model: SiteModel, tables: Tables = table_text
) -> tuple[Override, ...]:
    """The rows of an overrides file; none where there is no such file yet. Raises SiteFileError
    with every problem found."""
    return parse_overrides(tables(path), path, model)


def parse_overrides(text: str, path: Path, model: SiteModel) -> tuple[Override, ...]:
    """The rows in the text of an overrides file. Raises SiteFileError."""
    rows = table_rows(text, path, OVERRIDE_COLUMNS, lambda row, line: _row(row, line, model))
    return tuple(one for one in rows if one.sets or one.texts)


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
    loc = address_in(row, model)
    if loc is None:
        given = from_cell((row.get("loc") or "").strip())
        return Problem(line, "loc", f"{given!r} is no address", "/privacy/")
    said = _said(tuple(row), tuple([row[name] for name in row if name != "loc"]))
    if isinstance(said, Problem):
        return said._replace(line=line)
    return Override(loc, dict(said.sets), said.reason, said.by, dict(said.texts), line)


@lru_cache(maxsize=1_000)
def _said(names: tuple[str, ...], values: tuple[str, ...]) -> Override | Problem:
    """What a row says in its cells beside `loc`: of many rows, most say what others do."""
    beside = (name for name in names if name != "loc")
    cells = {
        name: cell
        for name, value in zip(beside, values, strict=True)
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


def address_in(row: Mapping[str, str], model: SiteModel) -> str | None:
    """The normalised address that a row is about; None where it names none."""
    given = (row.get("loc") or "").strip()
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
