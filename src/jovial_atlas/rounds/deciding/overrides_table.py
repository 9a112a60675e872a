"""Edited tables of pages taken back into the overrides file; `edit_table` writes them."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import msgspec
import polars as pl
import xxhash

from jovial_atlas.errors import AtlasError, Problem
from jovial_atlas.faults import nearest
from jovial_atlas.files import write_whole
from jovial_atlas.head.texts import wrong_pattern
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rules import FIELDS
from jovial_atlas.rules.own import guards
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.cells import from_cell
from jovial_atlas.sitefile.overrides import (
    NO_PATTERNS,
    OVERRIDE_COLUMNS,
    PAGE_TEXTS,
    Override,
    overrides_text,
    parse_rows,
    read_overrides,
    said_of,
)
from jovial_atlas.sitefile.tables import GivenTables, given_tables, header_of
from jovial_atlas.values import replace

#: Endings of columns that only tell.
NOW, PROPOSED, LENGTH = "_now", "_proposed", "_length"
SEEN, ACCEPT = "seen", "accept"
_YES = frozenset({"yes", "y", "true", "1", "x"})


class Change(msgspec.Struct, frozen=True):
    """What taking a table changes: one field of one page; None where nothing was or is said."""

    loc: str
    field: str
    before: str | None
    after: str | None

    @property
    def hides(self) -> bool:
        """Whether it takes the page out of sitemaps, or of the index."""
        return self.field in ("listed", "index") and self.after in ("no", "false")


class Taken(msgspec.Struct, frozen=True):
    """What came of a table: changes, rows of pages that changed since it was written, rows that
    were refused, and how many pages have overrides set or taken out."""

    changes: list[Change]
    conflicts: list[Problem]
    refused: list[Problem]
    pages: int
    #: How the table was read: what parts its cells, and its encoding; or how many sheets.
    told: str = ""

    @property
    def turned(self) -> int:
        """Of how many pages it changes what is decided, not texts alone."""
        return len({one.loc for one in self.changes if one.field in FIELDS})


def seen(page: Page, own: Override) -> str:
    """By what a table knows whether a page, or what is said of it, changed since it was written."""
    words = [page.fingerprint, page.title, page.heading, page.description,
             *sorted(said_of(own).items())]  # fmt: skip
    return xxhash.xxh3_64_hexdigest(repr(words).encode())[:12]


def take_table(
    survey: LastSurvey, path: Path, *, dry_run: bool = False, anyway: bool = False
) -> Taken:
    """Take an edited table or workbook into the overrides file: its rows replace those of the same
    pages, a row without fields takes a page out, cells of columns that the table does not have
    stay. Rows that are wrong, and with `anyway` not those of pages that changed meanwhile, are left
    out and told. Raises SiteFileError where it is no such table, and AtlasError."""
    site = survey.site
    target = overrides_file(site)
    given = given_tables(path, language=site.model.site.language)
    rows, refused = _rows(given, path, site)
    pages = survey.decided.filter(pl.col("loc").is_in([one.row.loc for one in rows]))
    known = {one.loc: one for one in site.overrides}
    there = {page.loc: page for page in pages_of(pages)}
    result, changes, conflicts, touched = dict(known), [], [], 0
    for one in rows:
        had = known.get(one.row.loc, Override(one.row.loc, {}))
        new = _accepted(_kept(one.row, had, one.columns), one.cells)
        differences = list(_differences(had, new))
        if not differences:
            continue
        page = there.get(new.loc)
        if wrong := _wrong(new, survey, page, {change.field for change in differences}):
            refused.append(wrong._replace(sheet=one.sheet))
            continue
        if clash := _clash(new, one.cells, page, had):
            conflicts.append(clash._replace(sheet=one.sheet))
            if not anyway:
                continue
        touched += 1
        changes += differences
        if new.sets or new.texts:
            result[new.loc] = new
        else:
            result.pop(new.loc, None)
    if changes and not dry_run:
        if read_overrides(target, site.model) != site.overrides:
            raise AtlasError(
                f"{target} was changed by another program since it was read, so nothing was "
                "written. Run the command again."
            )
        write_whole(target, overrides_text(result.values()).encode(), durable=True)
    refused.sort(key=lambda one: (one.sheet, one.line or 0))
    return Taken(changes, conflicts, refused, touched, given.told)


class _GivenRow(msgspec.Struct, frozen=True):
    """A row of an edited table: what it decides, its cells, the columns of its table, its sheet."""

    row: Override
    cells: dict[str, str]
    columns: set[str]
    sheet: str


def _rows(given: GivenTables, path: Path, site: SiteFile) -> tuple[list[_GivenRow], list[Problem]]:
    """All rows that can be read and stand alone for their page, and what is wrong with others.
    Raises SiteFileError where the columns of a table are wrong."""
    found: list[_GivenRow] = []
    refused: list[Problem] = []
    for sheet, text in given.tables:
        header = header_of(text)
        beside = [name for name in header if name.endswith((NOW, PROPOSED, LENGTH))]
        shown = path.with_name(f"{path.name} ({sheet})") if sheet else path
        rows, wrong = parse_rows(text, shown, site.model, (SEEN, ACCEPT, *beside))
        refused += [one._replace(sheet=sheet) for one in wrong]
        found += [_GivenRow(row, cells, set(header), sheet) for row, cells in rows]
    places: dict[str, list[_GivenRow]] = {}
    for one in found:
        places.setdefault(one.row.loc, []).append(one)
    alone: list[_GivenRow] = []
    for loc, some in places.items():
        if len({repr((one.row.sets, one.row.texts)) for one in some}) == 1:
            alone.append(some[0])
            continue
        lines = ", ".join(f"{o.sheet} {o.row.line}".strip() for o in some)
        message = f"{loc} stands in several rows ({lines}) that say different things"
        refused += [Problem(o.row.line, "loc", message, sheet=o.sheet) for o in some]
    return alone, refused


def _kept(edited: Override, had: Override, columns: set[str]) -> Override:
    """The row with what is said already in columns that its table does not have."""
    sets = {name: value for name, value in had.sets.items() if name not in columns}
    texts = {name: value for name, value in had.texts.items() if name not in columns}
    return replace(edited, sets={**sets, **edited.sets}, texts={**texts, **edited.texts})


def _accepted(row: Override, cells: Mapping[str, str]) -> Override:
    """The row with the proposals it accepts: all, or those of the fields it names, where the
    owner wrote nothing else."""
    said = cells.get(ACCEPT, "").strip().lower()
    if not said:
        return row
    fields = PAGE_TEXTS if said in _YES else [one.strip() for one in said.split(",")]
    given = {name: from_cell(cells.get(f"{name}{PROPOSED}", "").strip()) for name in fields}
    # A proposal is a text, not a pattern.
    plain = {name: text.replace("{", "{{ '{' }}") for name, text in given.items() if text}
    return replace(row, texts={**plain, **row.texts})


def _differences(had: Override, new: Override) -> list[Change]:
    before, after = said_of(had), said_of(new)
    names = [name for name in OVERRIDE_COLUMNS if name != "loc"]
    return [
        Change(new.loc, name, before.get(name) or None, after.get(name) or None)
        for name in names
        if (before.get(name) or "") != (after.get(name) or "")
    ]


def _wrong(
    row: Override, survey: LastSurvey, page: Page | None, changed: set[str]
) -> Problem | None:
    """Why a row cannot be taken, beyond what its cells say by themselves."""
    site = survey.site
    if page is None:
        meant = _nearest_page(row.loc, survey)
        hint = f"; did you mean {meant}?" if meant else ""
        return Problem(row.line, "loc", f"{row.loc} is no page of the last survey{hint}")
    for name, pattern in row.texts.items():
        if name not in NO_PATTERNS and (wrong := wrong_pattern(pattern)):
            return Problem(row.line, name, wrong)
    for name in row.sets:
        if name in changed and guards(site, name, page.section, row.by):
            message = f"a guard of the site file does not let {row.by or 'everybody'} decide it"
            return Problem(row.line, name, message)
    return None


#: Pages among which the one that was meant is looked for.
_MOST_LOOKED_AT = 100_000


def _nearest_page(loc: str, survey: LastSurvey) -> str | None:
    if survey.count > _MOST_LOOKED_AT:
        return None
    locs = survey.pages.select("loc").collect(engine="streaming").get_column("loc")
    return nearest(loc, locs.to_list(), 85)


def _clash(
    row: Override, cells: Mapping[str, str], page: Page | None, had: Override
) -> Problem | None:
    written = cells.get(SEEN, "").strip()
    if not written or page is None or written == seen(page, had):
        return None
    message = f"{row.loc}, or what is decided for it, changed since the table was written"
    return Problem(row.line, "seen", message)


def overrides_file(site: SiteFile) -> Path:
    """Where overrides are kept. Raises AtlasError where the site file does not say."""
    if not site.model.overrides.file:
        raise AtlasError(
            'The site file names no overrides file. Add [overrides] with file = "overrides.csv".'
        )
    return site.folder / site.model.overrides.file
