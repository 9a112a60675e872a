"""Tables of pages for editing in a spreadsheet: CSV, or a workbook with a sheet a section.

Columns: `loc`; `seen`, by which a page that changed meanwhile is told; for each text what is
published now (`title_now`, in a workbook a comment) and, where texts are proposed, the proposal
(`title_proposed`); the columns to fill in, in a workbook with the length of each text beside it
(`title_length`); `accept`; `reason`; `by`. Only the columns to fill in and `accept` are taken.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any, Literal, get_args, get_origin

import msgspec
import polars as pl

from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import is_none
from jovial_atlas.files import write_whole
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.head import Head
from jovial_atlas.head.lengths import DESCRIPTION_LENGTH
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.texts import Text, phrase_of
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.deciding.overrides_table import (
    ACCEPT,
    LENGTH,
    NOW,
    PROPOSED,
    SEEN,
    overrides_file,
    seen,
)
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.cells import as_cell
from jovial_atlas.sitefile.deciding import Decision
from jovial_atlas.sitefile.overrides import (
    NO_PATTERNS,
    OVERRIDE_COLUMNS,
    PAGE_TEXTS,
    Override,
    said_of,
)
from jovial_atlas.sitefile.parts import keys_of
from jovial_atlas.workbooks import (
    MOST_COMMENTS,
    MOST_ROWS,
    BookColumn,
    Sheet,
    write_workbook,
)

Proposals = Callable[[Page], Mapping[str, Text]]
_BESIDE = ("loc", "reason", "by")
_TITLE_NOW = f"title{NOW}"
#: Texts whose length means nothing.
_UNCOUNTED = (*NO_PATTERNS, "share_image")
#: How wide columns of a workbook are, in characters.
_WIDE, _NARROW = 48, 12
#: A letter is about half as wide as it is high.
_LETTER = 0.5


def columns_of(fields: str) -> list[str]:
    """The columns of a table for editing, from their names with commas between. Raises
    AtlasError for one that the overrides file does not have."""
    names = [name.strip() for name in fields.split(",") if name.strip()]
    for name in names:
        if name not in OVERRIDE_COLUMNS:
            raise AtlasError(f"--fields: {is_none(name, 'field', OVERRIDE_COLUMNS)}")
    return names


class _Columns(msgspec.Struct, frozen=True):
    """The columns of a table: those to fill in, those of them that are texts, what else is told of
    pages now, and whether texts are proposed."""

    names: list[str]
    texts: list[str]
    told: list[str]
    proposes: bool

    def header(self) -> list[str]:
        found = ["loc", SEEN, *(f"{name}{NOW}" for name in self.told)]
        for name in self.names:
            found += [f"{name}{NOW}"] if name in self.texts else []
            found += [f"{name}{PROPOSED}"] if name in self.texts and self.proposes else []
            found.append(name)
        return [*found, *([ACCEPT] if self.proposes else []), "reason", "by"]


def write_table(
    pages: pl.DataFrame,
    survey: LastSurvey,
    path: Path,
    fields: Sequence[str],
    proposals: Proposals | None = None,
    beside: Mapping[str, Mapping[str, str]] = MappingProxyType({}),
) -> int:
    """Write a table of these pages for editing, as CSV or as a workbook (.xlsx): what is published
    now, what the overrides file says already, and empty cells for the rest. `beside` has, by
    address, what else is told of pages now, by its name. Gives the number of rows. Raises
    AtlasError."""
    site = survey.site
    overrides_file(site)
    if not pages.height:
        raise AtlasError("No page is chosen, so there is nothing to edit.")
    if path.suffix.lower() not in (".csv", ".xlsx"):
        raise AtlasError(f"{path}: a table for editing is a .csv or an .xlsx file. (An .ods file "
                         "is taken back as well, but not written.)")  # fmt: skip
    used = {name for one in site.overrides.said for name in (*one.sets, *one.texts)}
    # What was asked for comes first, as it was asked for.
    wanted = [*fields, *(name for name in OVERRIDE_COLUMNS if name in used)]
    names = [name for name in dict.fromkeys(wanted) if name not in _BESIDE]
    told = list(dict.fromkeys(name for one in beside.values() for name in one))
    texts = [name for name in names if name in PAGE_TEXTS]
    columns = _Columns(names, texts, told, proposals is not None)
    rows = _rows(pages, survey, columns, proposals, beside)
    if path.suffix.lower() == ".csv":
        _write_csv(path, columns.header(), rows)
    else:
        _write_workbook(path, site, columns, list(zip(pages["section"], rows, strict=True)))
    return pages.height


def _rows(
    pages: pl.DataFrame, survey: LastSurvey, columns: _Columns, proposals: Proposals | None,
    beside: Mapping[str, Mapping[str, str]],
) -> Iterator[dict[str, str]]:  # fmt: skip
    known = {one.loc: one for one in survey.site.overrides}
    for page in pages_of(pages):
        own = known.get(page.loc, Override(page.loc, {}))
        row = {**said_of(own), SEEN: seen(page, own)}
        row |= {f"{name}{NOW}": text for name, text in beside.get(page.loc, {}).items()}
        head = head_data(page, survey.heads, survey.films.get(page.loc, ()), survey.head_context)
        told = ("title", *columns.texts)
        row |= {f"{n}{NOW}": _published(head, page, survey.heads, n) for n in told}
        if proposals:
            given = proposals(page)
            row |= {f"{n}{PROPOSED}": given[n].value or "" for n in columns.texts if n in given}
        yield row


def _write_csv(path: Path, header: Sequence[str], rows: Iterator[dict[str, str]]) -> None:
    stream = io.StringIO()
    writer = csv.DictWriter(stream, header, lineterminator="\r\n")
    writer.writeheader()
    writer.writerows({name: as_cell(row.get(name, "")) for name in header} for row in rows)
    # A mark by which spreadsheets know the encoding.
    write_whole(path, ("\ufeff" + stream.getvalue()).encode())


def _published(head: Head, page: Page, settings: HeadSettings, name: str) -> str:
    if name == "phrase":
        return phrase_of(page, settings)
    if name == "exempt":
        return settings.texts.get(page.loc, {}).get(name, "")
    if name == "share_image":
        return head.picture.loc if head.picture else ""
    return str(getattr(head, name) or "")


def _write_workbook(
    path: Path, site: SiteFile, columns: _Columns, rows: Sequence[tuple[str, dict[str, str]]]
) -> None:
    if len(rows) > MOST_ROWS:
        raise AtlasError(
            f"A workbook holds {MOST_ROWS:,} rows, and {len(rows):,} pages are chosen. Choose "
            "fewer (--section, --match, --where), or write a .csv file."
        )
    # What is published now stands in comments, where there are not too many of them.
    comments = len(rows) * len(columns.texts) <= MOST_COMMENTS
    by_section: dict[str, list[dict[str, str]]] = {}
    for section, row in rows:
        by_section.setdefault(section, []).append(row)
    shown = list(_sheet_columns(site, columns, comments=comments))
    sheets = (
        Sheet(section, shown, some, _comments(some, columns) if comments else {})
        for section, some in by_section.items()
    )
    write_workbook(path, sheets, _about(site, path), "Jovial Atlas")


def _comments(rows: Sequence[dict[str, str]], columns: _Columns) -> dict[tuple[int, str], str]:
    return {
        (number, name): f"Published now:\n{now}"
        for number, row in enumerate(rows)
        for name in columns.texts
        if (now := row.get(f"{name}{NOW}"))
    }


def _sheet_columns(site: SiteFile, columns: _Columns, *, comments: bool) -> Iterator[BookColumn]:
    lengths = site.model.lengths
    limits = {
        "title": (lengths.title_least, round(lengths.title_px / lengths.title_size / _LETTER)),
        "description": (lengths.description_least, DESCRIPTION_LENGTH),
    }
    meanings = keys_of(Decision)
    for heading in columns.header():
        published = heading.endswith(NOW) and heading.removesuffix(NOW) in columns.texts
        if published and (comments or heading == _TITLE_NOW):
            continue
        name = heading.removesuffix(NOW).removesuffix(PROPOSED)
        text = name in columns.texts
        yield BookColumn(
            heading,
            open=heading in (*columns.names, ACCEPT, "reason", "by"),
            hidden=heading == SEEN,
            width=_WIDE if text or heading in ("loc", "reason") else _NARROW,
            choices=("yes",) if heading == ACCEPT else _choices(heading),
            note=meanings[heading].meaning if heading in meanings else "",
        )
        if heading == SEEN:
            # By the title people know which page it is.
            yield BookColumn(_TITLE_NOW, width=_WIDE)
        if heading in columns.texts and heading not in _UNCOUNTED:
            least, most = limits.get(heading, (0, 0))
            yield BookColumn(f"{heading}{LENGTH}", width=8, counts=heading, least=least, most=most,
                              note=_limits_told(least, most))  # fmt: skip


def _limits_told(least: int, most: int) -> str:
    return f"Characters; {least} to about {most} are right." if most else "Characters."


def _choices(name: str) -> tuple[str, ...]:
    """What a field may be, where there are few such words."""
    keys = keys_of(Decision)
    return tuple(_words(keys[name].type)) if name in keys else ()


def _words(kind: Any) -> Iterator[str]:
    if kind is bool:
        yield from ("yes", "no")
    elif get_origin(kind) is Literal:
        yield from map(str, get_args(kind))
    elif any(one in (int, float, str) for one in get_args(kind)):
        return
    else:
        for one in get_args(kind):
            yield from _words(one)


def _about(site: SiteFile, path: Path) -> list[str]:
    return [
        f"Pages of {site.model.site.name or site.model.site.url}, to be filled in.",
        "Fill in the columns with yellow headings; all else is locked. An empty cell decides "
        "nothing: the page stays as it is.",
        "A comment on a cell says what is published now. The number beside a text counts its "
        "characters: red is too long, yellow is short.",
        "Sheets, rows and columns may be sorted, filtered, hidden, and left out.",
        f"When it is done: jovial-atlas pages --take {path.name} (with --dry-run to look first).",
    ]
