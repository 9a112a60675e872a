"""Choosing pages from the decided page table."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import msgspec
import polars as pl

from jovial_atlas import patterns
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import is_none
from jovial_atlas.files import write_pieces
from jovial_atlas.pages import snapshot
from jovial_atlas.rules.selectors import path_column
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.cells import MAY_BE_FORMULA, as_cell
from jovial_atlas.sitefile.deciding import REST


class Filters(msgspec.Struct, frozen=True):
    """Which pages are wanted; None asks for nothing. `match` is a pattern of addresses, `where` a
    condition in SQL over the columns of the page table."""

    section: str | None = None
    verdict: str | None = None
    source: str | None = None
    language: str | None = None
    match: str | None = None
    where: str | None = None


def select_pages(decided: pl.LazyFrame, site: SiteFile, filters: Filters) -> pl.LazyFrame:
    """The pages for which every given condition holds, to be read in pieces. Raises AtlasError for
    a wrong one."""
    if filters.section is not None:
        check_section(decided, site, filters.section)
        decided = decided.filter(pl.col("section") == filters.section)
    if filters.source is not None:
        known = _all(decided, "source")
        if filters.source not in known:
            raise AtlasError(is_none(filters.source, "source", known))
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


def check_section(decided: pl.LazyFrame, site: SiteFile, name: str) -> None:
    """Raises AtlasError where no page is, or could be, in a section."""
    known = sorted({*(one.name for one in site.model.section), REST, *_all(decided, "section")})
    if name not in known:
        raise AtlasError(is_none(name, "section", known))


def _all(decided: pl.LazyFrame, name: str) -> list[str]:
    """The values that a column has, in order."""
    found = decided.select(pl.col(name).unique()).collect(engine="streaming")
    return [str(value) for value in found[name].drop_nulls().sort()]


def _matching(decided: pl.LazyFrame, site: SiteFile, match: str) -> pl.LazyFrame:
    try:
        expression = patterns.to_regex(match)
    except ValueError as error:
        raise AtlasError(f"--match: {error}.") from None
    return decided.filter(path_column(site).str.contains(expression))


def _where(decided: pl.LazyFrame, where: str) -> pl.LazyFrame:
    known = decided.collect_schema()
    try:
        condition = pl.sql_expr(where)
        pl.DataFrame(schema=known).filter(condition)
    except (pl.exceptions.ColumnNotFoundError, pl.exceptions.StructFieldNotFoundError):
        columns = ", ".join(known.names())
        raise AtlasError(
            f"--where: {where!r} names a column that the page table does not have. "
            f"It has: {columns}."
        ) from None
    except snapshot.BROKEN as error:
        raise AtlasError(
            f"--where: {where!r} is no SQL condition ({str(error).splitlines()[0]})."
        ) from None
    return decided.filter(condition)


#: Rows that are taken out of a large table together.
_AT_ONCE = 50_000


def batches(pages: pl.LazyFrame) -> Iterator[pl.DataFrame]:
    """Pages in their order, some at a time; at first none, for their columns."""
    yield pl.DataFrame(schema=pages.collect_schema())
    yield from pages.collect_batches(chunk_size=_AT_ONCE, maintain_order=True, engine="streaming")


def export(pages: pl.LazyFrame, path: Path) -> int:
    """Write pages with all their columns, by the ending of the file: .csv, .json, .jsonl or
    .parquet; gives their number. Lists and nested fields become JSON text in a CSV, and what a
    spreadsheet would take for a formula becomes none. Raises AtlasError."""
    endings = (".csv", ".json", ".jsonl", ".parquet")
    if path.suffix.lower() not in endings:
        raise AtlasError(f"{path}: an export ends in {', '.join(endings)}.")
    count = int(pages.select(pl.len()).collect(engine="streaming").item())
    if path.suffix == ".parquet":
        snapshot.sink(pages, path)
    else:
        forms = {".csv": _as_csv, ".json": json_pieces, ".jsonl": _as_lines}
        write_pieces(path, (text.encode() for text in forms[path.suffix.lower()](pages)))
    return count


def json_pieces(pages: pl.LazyFrame) -> Iterator[str]:
    """Pages as one list in JSON, a piece at a time: what is long is never held as a whole."""
    before = "["
    for some in filter(len, batches(pages)):
        text = json.dumps(some.to_dicts(), ensure_ascii=False, indent=1, default=str)
        yield before + text.removeprefix("[").removesuffix("\n]")
        before = ","
    yield "[]\n" if before == "[" else "\n]\n"


def _as_csv(pages: pl.LazyFrame) -> Iterator[str]:
    for number, some in enumerate(batches(pages)):
        yield _flat(some).write_csv(line_terminator="\r\n", include_header=not number)


def _as_lines(pages: pl.LazyFrame) -> Iterator[str]:
    for some in batches(pages):
        yield some.write_ndjson()


def _flat(pages: pl.DataFrame) -> pl.DataFrame:
    changes: list[pl.Series | pl.Expr] = []
    for name, kind in pages.schema.items():
        if pages[name].null_count() == pages.height:
            changes.append(pl.lit(None, pl.String).alias(name))
        elif kind.is_nested():
            values = [
                json.dumps(value, ensure_ascii=False, default=str) if value else None
                for value in pages[name].to_list()
            ]
            changes.append(pl.Series(name, values, pl.String))
        elif kind == pl.String and (odd := pages[name].str.contains(MAY_BE_FORMULA)).any():
            cells = [as_cell(value) for value in pages[name].filter(odd).to_list()]
            changes.append(pages[name].clone().scatter(odd.arg_true(), cells))
    return pages.with_columns(changes)
