"""Choosing pages from the decided page table."""

from __future__ import annotations

import io
import json
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from jovial_atlas import patterns
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.rules.selectors import path_column
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.cells import as_cell
from jovial_atlas.sitefile.deciding import REST


@dataclass(frozen=True, slots=True)
class Filters:
    """Which pages are wanted; None asks for nothing. `match` is a pattern of addresses, `where` a
    condition in SQL over the columns of the page table."""

    section: str | None = None
    verdict: str | None = None
    source: str | None = None
    language: str | None = None
    match: str | None = None
    where: str | None = None


def select_pages(decided: pl.DataFrame, site: SiteFile, filters: Filters) -> pl.DataFrame:
    """The pages for which every given condition holds. Raises AtlasError for a wrong one."""
    if filters.section is not None:
        known = sorted({*(one.name for one in site.model.section), REST, *decided["section"]})
        if filters.section not in known:
            raise AtlasError(f"{filters.section!r} is no section; there are {', '.join(known)}.")
        decided = decided.filter(pl.col("section") == filters.section)
    if filters.source is not None:
        known = decided["source"].unique().sort().to_list()
        if filters.source not in known:
            raise AtlasError(f"{filters.source!r} is no source; there are {', '.join(known)}.")
        decided = decided.filter(pl.col("source") == filters.source)
    if filters.language is not None:
        wanted = filters.language.lower()
        spoken = pl.col("language").fill_null(site.model.site.language).str.to_lowercase()
        decided = decided.filter((spoken == wanted) | spoken.str.starts_with(f"{wanted}-"))
    if filters.verdict is not None:
        decided = decided.filter(pl.col("verdict") == filters.verdict)
    if filters.match is not None:
        decided = _matching(decided, site, filters.match)
    return decided if filters.where is None else _where(decided, filters.where)


def _matching(decided: pl.DataFrame, site: SiteFile, match: str) -> pl.DataFrame:
    try:
        expression = patterns.to_regex(match)
    except ValueError as error:
        raise AtlasError(f"--match: {error}.") from None
    return decided.filter(decided.select(path_column(site))["_path"].str.contains(expression))


def _where(decided: pl.DataFrame, where: str) -> pl.DataFrame:
    try:
        return decided.filter(pl.sql_expr(where))
    except (pl.exceptions.ColumnNotFoundError, pl.exceptions.StructFieldNotFoundError):
        columns = ", ".join(decided.columns)
        raise AtlasError(
            f"--where: {where!r} names a column that the page table does not have. "
            f"It has: {columns}."
        ) from None
    except snapshot.BROKEN as error:
        raise AtlasError(
            f"--where: {where!r} is no SQL condition ({str(error).splitlines()[0]})."
        ) from None


def export(pages: pl.DataFrame, path: Path) -> None:
    """Write pages with all their columns, by the ending of the file: .csv, .json, .jsonl or
    .parquet. Lists and nested fields become JSON text in a CSV, and what a spreadsheet would take
    for a formula becomes none. Raises AtlasError."""
    endings = (".csv", ".json", ".jsonl", ".parquet")
    if path.suffix.lower() not in endings:
        raise AtlasError(f"{path}: an export ends in {', '.join(endings)}.")
    buffer = io.BytesIO()
    if path.suffix == ".parquet":
        pages.write_parquet(buffer)
    elif path.suffix == ".jsonl":
        pages.write_ndjson(buffer)
    elif path.suffix == ".json":
        text = json.dumps(pages.to_dicts(), ensure_ascii=False, indent=1, default=str)
        buffer.write(f"{text}\n".encode())
    else:
        _flat(pages).write_csv(buffer, line_terminator="\r\n")
    write_whole(path, buffer.getvalue())


def _flat(pages: pl.DataFrame) -> pl.DataFrame:
    changes = []
    for name, kind in pages.schema.items():
        if kind.is_nested():
            values = [
                json.dumps(value, ensure_ascii=False, default=str) if value else None
                for value in pages[name].to_list()
            ]
            changes.append(pl.Series(name, values, pl.String))
        elif kind == pl.String:
            cells = [None if value is None else as_cell(value) for value in pages[name].to_list()]
            changes.append(pl.Series(name, cells, pl.String))
    return pages.with_columns(changes)
