"""Pieces of tables of text that are as plain as most are, parted into columns at once. Whatever is
not so plain gives None, and is read row by row."""

from __future__ import annotations

import io
import json
import re

import polars as pl


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
    """So many lines of JSON, each an object of texts, numbers and truth values, as columns. A
    column has values of one kind."""
    try:
        table = pl.read_ndjson(io.BytesIO(text.encode()), infer_schema_length=None)
    except (pl.exceptions.PolarsError, UnicodeEncodeError, ValueError):
        return None
    if not table.width or table.height != lines:
        return None
    if not all(_is_of_one_kind(text, column) for column in table):
        return None
    return table.with_columns(pl.col(pl.Null).cast(pl.String))


#: Kind of column → how each of its values begins in JSON, where it is there.
_BEGINNINGS: dict[type[pl.DataType], str] = {
    pl.String: '"', pl.Int64: "[-0-9]", pl.Float64: "[-0-9]", pl.Boolean: "[tf]", pl.Null: "(?!)",
}  # fmt: skip


def _is_of_one_kind(text: str, column: pl.Series) -> bool:
    """Whether all values of a column are written as its kind is: the reader takes numbers for texts
    where some are texts."""
    beginning = _BEGINNINGS.get(column.dtype.base_type())
    if beginning is None:
        return False
    name = re.escape(json.dumps(column.name, ensure_ascii=False))
    said = len(re.findall(rf"{name}\s*:\s*{beginning}", text))
    return (
        said == column.len() - column.null_count() == len(re.findall(rf"{name}\s*:\s*[^n\s]", text))
    )
