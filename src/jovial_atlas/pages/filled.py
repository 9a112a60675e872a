"""The parts of a table that hold anything: taking rows apart costs as much for the others."""

from __future__ import annotations

import polars as pl


def filled_parts(table: pl.DataFrame) -> pl.DataFrame:
    """A table without columns that hold nothing, and without such fields in lists of records."""
    return table.select(
        _filled_fields(one) for one in table.iter_columns() if one.null_count() < table.height
    )


def _filled_fields(column: pl.Series) -> pl.Series:
    kind = column.dtype
    if not (isinstance(kind, pl.List) and isinstance(kind.inner, pl.Struct)):
        return column
    records = column.explode(empty_as_null=False, keep_nulls=False)
    if not records.len():
        return column
    fields = records.struct.unnest()
    kept = [one.name for one in fields.iter_columns() if one.null_count() < fields.height]
    if len(kept) == fields.width or not kept:
        return column
    return column.list.eval(pl.struct(pl.element().struct.field(name) for name in kept))
