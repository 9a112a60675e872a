"""Tables of pages for editing in a spreadsheet, and taking them back into the overrides file.

Columns: `loc`; `seen`, by which a page that changed meanwhile is told; for each text what is
published now (`title_now`) and, where texts are proposed, the proposal (`title_proposed`); the
columns to fill in; `accept`; `reason`; `by`. Only the columns to fill in and `accept` are taken.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from types import MappingProxyType

import polars as pl
import xxhash

from jovial_atlas.errors import AtlasError, Problem
from jovial_atlas.files import write_whole
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.head import Head
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.texts import Text, phrase_of, wrong_pattern
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rules import FIELDS
from jovial_atlas.rules.own import guards
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.cells import as_cell, from_cell
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
from jovial_atlas.sitefile.tables import given_text, header_of

#: Endings of columns that only tell.
NOW, PROPOSED = "_now", "_proposed"
_SEEN, _ACCEPT = "seen", "accept"
_YES = frozenset({"yes", "y", "true", "1", "x"})

Proposals = Callable[[Page], Mapping[str, Text]]


@dataclass(frozen=True, slots=True)
class Change:
    """What taking a table changes: one field of one page; None where nothing was or is said."""

    loc: str
    field: str
    before: str | None
    after: str | None


@dataclass(frozen=True, slots=True)
class Taken:
    """What came of a table: changes, rows of pages that changed since it was written, rows that
    were refused, and how many pages have overrides set or taken out."""

    changes: list[Change]
    conflicts: list[Problem]
    refused: list[Problem]
    pages: int

    @property
    def turned(self) -> int:
        """Of how many pages it changes what is decided, not texts alone."""
        return len({one.loc for one in self.changes if one.field in FIELDS})


def columns_of(fields: str) -> list[str]:
    """The columns of a table for editing, from their names with commas between. Raises
    AtlasError for one that the overrides file does not have."""
    names = [name.strip() for name in fields.split(",") if name.strip()]
    for name in names:
        if name not in OVERRIDE_COLUMNS:
            raise AtlasError(
                f"--fields: {name!r} is no field; there are {', '.join(OVERRIDE_COLUMNS)}."
            )
    return names


def write_table(
    pages: pl.DataFrame,
    survey: LastSurvey,
    path: Path,
    fields: Sequence[str],
    proposals: Proposals | None = None,
    beside: Mapping[str, Mapping[str, str]] = MappingProxyType({}),
) -> int:
    """Write a table of these pages for editing: what is published now, what the overrides file
    says already, and empty cells for the rest. `beside` has, by address, what else is told of
    pages now, by its name. Gives the number of rows. Raises AtlasError."""
    site = survey.site
    _overrides_file(site)
    if not pages.height:
        raise AtlasError("No page is chosen, so there is nothing to edit.")
    known = {one.loc: one for one in site.overrides}
    used = {name for one in known.values() for name in (*one.sets, *one.texts)}
    names = [name for name in OVERRIDE_COLUMNS if name in fields or name in used - {"loc"}]
    names = [name for name in names if name not in ("loc", "reason", "by")]
    texts = [name for name in names if name in PAGE_TEXTS]
    told = list(dict.fromkeys(name for one in beside.values() for name in one))
    header = ["loc", _SEEN, *(f"{name}{NOW}" for name in told)]
    for name in names:
        header += [f"{name}{NOW}"] if name in texts else []
        header += [f"{name}{PROPOSED}"] if name in texts and proposals else []
        header.append(name)
    header += [_ACCEPT] if proposals else []
    stream = io.StringIO()
    writer = csv.DictWriter(stream, [*header, "reason", "by"], lineterminator="\r\n", restval="")
    writer.writeheader()
    for page in pages_of(pages):
        own = known.get(page.loc, Override(page.loc, {}))
        row = {**said_of(own), _SEEN: seen(page, own)}
        row |= {f"{name}{NOW}": text for name, text in beside.get(page.loc, {}).items()}
        head = head_data(page, survey.heads, survey.films.get(page.loc, ()), survey.head_context)
        row |= {f"{name}{NOW}": _published(head, page, survey.heads, name) for name in texts}
        if proposals:
            given = proposals(page)
            row |= {f"{n}{PROPOSED}": given[n].value or "" for n in texts if n in given}
        cells = {name: as_cell(row.get(name, "")) for name in (*header, "reason", "by")}
        writer.writerow(cells)
    # A mark by which spreadsheets know the encoding.
    write_whole(path, ("\ufeff" + stream.getvalue()).encode())
    return pages.height


def _published(head: Head, page: Page, settings: HeadSettings, name: str) -> str:
    if name == "phrase":
        return phrase_of(page, settings)
    if name == "exempt":
        return settings.texts.get(page.loc, {}).get(name, "")
    if name == "share_image":
        return head.picture.loc if head.picture else ""
    return str(getattr(head, name) or "")


def seen(page: Page, own: Override) -> str:
    """By what a table knows whether a page, or what is said of it, changed since it was written."""
    words = [page.fingerprint, page.title, page.heading, page.description,
             *sorted(said_of(own).items())]  # fmt: skip
    return xxhash.xxh3_64_hexdigest(repr(words).encode())[:12]


def take_table(
    survey: LastSurvey, path: Path, *, dry_run: bool = False, anyway: bool = False
) -> Taken:
    """Take an edited table into the overrides file: its rows replace those of the same pages, a
    row without fields takes a page out, cells of columns that the table does not have stay. Rows
    that are wrong, and with `anyway` not those of pages that changed meanwhile, are left out and
    told. Raises SiteFileError where it is no such table, and AtlasError."""
    site = survey.site
    target = _overrides_file(site)
    text = given_text(path)
    header = header_of(text)
    beside = [name for name in header if name.endswith((NOW, PROPOSED))]
    rows, refused = parse_rows(text, path, site.model, (_SEEN, _ACCEPT, *beside))
    columns = set(header)
    wanted = [one for one, _ in rows]
    pages = survey.decided.filter(pl.col("loc").is_in([one.loc for one in wanted]))
    known = {one.loc: one for one in site.overrides}
    there = {page.loc: page for page in pages_of(pages)}
    result, changes, conflicts, touched = dict(known), [], [], 0
    for edited, cells in rows:
        had = known.get(edited.loc, Override(edited.loc, {}))
        new = _accepted(_kept(edited, had, columns), cells)
        differences = list(_differences(had, new))
        if not differences:
            continue
        if wrong := _wrong(new, site, there.get(edited.loc), {one.field for one in differences}):
            refused.append(wrong)
            continue
        if clash := _clash(new, cells, there.get(edited.loc), had):
            conflicts.append(clash)
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
    refused.sort(key=lambda one: one.line or 0)
    return Taken(changes, conflicts, refused, touched)


def _kept(edited: Override, had: Override, columns: set[str]) -> Override:
    """The row with what is said already in columns that its table does not have."""
    sets = {name: value for name, value in had.sets.items() if name not in columns}
    texts = {name: value for name, value in had.texts.items() if name not in columns}
    return replace(edited, sets={**sets, **edited.sets}, texts={**texts, **edited.texts})


def _accepted(row: Override, cells: Mapping[str, str]) -> Override:
    """The row with the proposals it accepts: all, or those of the fields it names, where the
    owner wrote nothing else."""
    said = cells.get(_ACCEPT, "").strip().lower()
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


def _wrong(row: Override, site: SiteFile, page: Page | None, changed: set[str]) -> Problem | None:
    """Why a row cannot be taken, beyond what its cells say by themselves."""
    if page is None:
        return Problem(row.line, "loc", f"{row.loc} is no page of the last survey")
    for name, pattern in row.texts.items():
        if name not in NO_PATTERNS and (wrong := wrong_pattern(pattern)):
            return Problem(row.line, name, wrong)
    for name in row.sets:
        if name in changed and guards(site, name, page.section, row.by):
            message = f"a guard of the site file does not let {row.by or 'everybody'} decide it"
            return Problem(row.line, name, message)
    return None


def _clash(
    row: Override, cells: Mapping[str, str], page: Page | None, had: Override
) -> Problem | None:
    written = cells.get(_SEEN, "").strip()
    if not written or page is None or written == seen(page, had):
        return None
    message = f"{row.loc}, or what is decided for it, changed since the table was written"
    return Problem(row.line, "seen", message)


def _overrides_file(site: SiteFile) -> Path:
    """Where overrides are kept. Raises AtlasError where the site file does not say."""
    if not site.model.overrides.file:
        raise AtlasError(
            'The site file names no overrides file. Add [overrides] with file = "overrides.csv".'
        )
    return site.folder / site.model.overrides.file
