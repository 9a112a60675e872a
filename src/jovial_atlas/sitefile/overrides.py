"""The overrides file: what single pages are decided to be, one row a page, as CSV.

Columns: `loc` (an address, or a path of the site), any field of a rule's `set`, `reason`, and
`by`, who says so. An empty cell says nothing. A spreadsheet can edit it.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, overload

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
    Tables,
    checked_columns,
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


class OverrideRows(Sequence[Override]):
    """The rows of an overrides file, in their order. There may be very many, most of which say what
    others do, so that they are kept by columns, and one is made where it is asked for."""

    __slots__ = ("_lines", "_of", "locs", "said")

    def __init__(
        self,
        locs: Sequence[str] = (),
        lines: Sequence[int] = (),
        of: Sequence[int] = (),
        said: Sequence[Override] = (),
    ) -> None:
        #: The address of each row.
        self.locs = locs
        #: What rows say, each once, without an address and a line.
        self.said = said
        self._lines, self._of = lines, of

    def __len__(self) -> int:
        return len(self.locs)

    def __iter__(self) -> Iterator[Override]:
        for loc, line, number in zip(self.locs, self._lines, self._of, strict=True):
            yield _placed(self.said[number], loc, line)

    @overload
    def __getitem__(self, at: int) -> Override: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[Override]: ...
    def __getitem__(self, at: int | slice) -> Override | Sequence[Override]:
        """A row, or some."""
        if isinstance(at, slice):
            return [self[number] for number in range(len(self))[at]]
        return _placed(self.said[self._of[at]], self.locs[at], self._lines[at])

    def __eq__(self, other: object) -> bool:
        return isinstance(other, OverrideRows) and list(self) == list(other)

    __hash__ = None  # type: ignore[assignment]

    def first_line(self, number: int) -> int:
        """The line of the first row that says what stands at a place in `said`."""
        return self._lines[self._of.index(number)]

    def with_texts(self) -> Iterator[Override]:
        """The rows that say something of texts."""
        if any(one.texts for one in self.said):
            yield from (one for one in self if one.texts)

    def alike(self) -> dict[tuple[str, Any, str, str], list[str]]:
        """Field, value, reason and who says so → the addresses of which rows say that."""
        of: list[list[str]] = [[] for _ in self.said]
        for loc, number in zip(self.locs, self._of, strict=True):
            of[number].append(loc)
        found: dict[tuple[str, Any, str, str], list[str]] = {}
        for one, locs in zip(self.said, of, strict=True):
            for name, value in one.sets.items():
                found.setdefault((name, value, one.reason, one.by), []).extend(locs)
        return found

    def told(self) -> bytes:
        """All that is said, in a form that is the same where it is."""
        return msgspec.json.encode([self.locs, self._of, self.said])


def _placed(said: Override, loc: str, line: int) -> Override:
    return Override(loc, said.sets, said.reason, said.by, said.texts, line)


def read_overrides(path: Path, model: SiteModel, tables: Tables = table_text) -> OverrideRows:
    """The rows of an overrides file; none where there is no such file yet. Raises SiteFileError
    with every problem found."""
    return parse_overrides(tables(path), path, model)


def parse_overrides(text: str, path: Path, model: SiteModel) -> OverrideRows:
    """The rows in the text of an overrides file. Raises SiteFileError."""
    problems: list[Problem] = []
    lines, cells = checked_columns(text, path, OVERRIDE_COLUMNS) or _columns(text, path, problems)
    rows = _rows(lines, cells, model, problems)
    if problems:
        raise SiteFileError(str(path), sorted(problems, key=lambda one: one.line or 0))
    return rows


def _columns(
    text: str, path: Path, problems: list[Problem]
) -> tuple[Sequence[int], dict[str, Sequence[str]]]:
    """The rows of a table by columns, and what is wrong with others."""
    found = checked_rows(text, path, OVERRIDE_COLUMNS)
    _, names, _ = next(found)
    lines, rows = [], []
    for line, cells, wrong in found:
        if wrong:
            problems.append(wrong)
        else:
            lines.append(line)
            rows.append(cells)
    columns = zip(*rows, strict=True) if rows else ((),) * len(names)
    return lines, dict(zip(names, columns, strict=True))


def _rows(
    lines: Sequence[int], cells: dict[str, Sequence[str]], model: SiteModel, problems: list[Problem]
) -> OverrideRows:
    """The rows that say something. Each costs little: most say what others do."""
    given = cells.pop("loc", ())
    beside = list(zip(*cells.values(), strict=True)) if cells else [()] * len(lines)
    said: list[Override] = []
    places: dict[tuple[str, ...], int] = {}
    wrong: dict[tuple[str, ...], Problem] = {}
    distinct = dict.fromkeys(beside)
    for one in distinct:
        made = _said(tuple(cells), one)
        if isinstance(made, Problem):
            wrong[one] = made
        elif made.sets or made.texts:
            places[one] = len(said)
            said.append(made)
    if len(places) == len(distinct) and addresses.all_normal(given):
        return OverrideRows(given, lines, [*map(places.__getitem__, beside)], said)
    kept: list[tuple[str, int, int]] = []
    for written, line, one in zip(given, lines, beside, strict=True):
        loc = _address_in(written, model)
        if loc is None:
            if written or any(one):
                problems.append(_no_address(written, line))
        elif one in wrong:
            problems.append(wrong[one]._replace(line=line))
        elif one in places:
            kept.append((loc, line, places[one]))
    locs, at, of = zip(*kept, strict=True) if kept else ((), (), ())
    return OverrideRows(locs, at, of, said)


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
        return _no_address(given, line)
    return said._replace(line=line) if isinstance(said, Problem) else _placed(said, loc, line)


def _no_address(given: str, line: int) -> Problem:
    return Problem(line, "loc", f"{from_cell(given.strip())!r} is no address", "/privacy/")


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
