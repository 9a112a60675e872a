"""Pieces of tables of text that are as plain as most are, parted into columns at once. Whatever is
not so plain gives None, and is read row by row."""

from __future__ import annotations

import io

import polars as pl

_SIMPLE = frozenset({pl.String, pl.Int64, pl.Float64, pl.Boolean, pl.Null})


def plain_rows(text: str, header: list[str], separator: str) -> pl.DataFrame | None:
    """Lines of a CSV without any quote, each with as many cells as the header, as columns of texts;
    empty cells are null."""
    text = text.replace("\r\n", "\n")
    if '"' in text or "\r" in text:
        return None
    lines = pl.Series("line", text.removesuffix("\n").split("\n"), pl.String)
    more = len(header) - 1
    if not (lines.str.count_matches(separator, literal=True) == more).all() or (lines == "").any():
        return None
    cells = lines.str.split_exact(separator, more).struct.rename_fields(header).struct.unnest()
    return cells.select(
        pl.when(pl.col(name) != "").then(pl.col(name)).alias(name) for name in header
    )


def plain_records(text: str, lines: int) -> pl.DataFrame | None:
    """So many lines of JSON, each an object of texts, numbers and truth values, as columns."""
    try:
        table = pl.read_ndjson(io.BytesIO(text.encode()), infer_schema_length=None)
    except (pl.exceptions.PolarsError, UnicodeEncodeError, ValueError):
        return None
    if not table.width or table.height != lines or not _SIMPLE.issuperset(table.dtypes):
        return None
    return table.with_columns(pl.col(pl.Null).cast(pl.String))
