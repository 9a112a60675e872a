"""Records of any shape as a table: a column's values need not be of one kind outside."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from datetime import date, datetime
from typing import Any

import polars as pl

from jovial_atlas.pages import schema
from jovial_atlas.pages.row import PageRow

#: What all values of a column may be → the column's type.
_KINDS: tuple[tuple[frozenset[type], Any], ...] = (
    (frozenset({bool}), pl.Boolean),
    (frozenset({int}), pl.Int64),
    (frozenset({int, float}), pl.Float64),
    (frozenset({str}), pl.String),
    (frozenset({datetime}), None),
    (frozenset({date}), pl.Date),
)


def table_of(
    records: Sequence[Mapping[str, Any]], nested: Mapping[str, Any] | None = None
) -> pl.DataFrame:
    """A table of records, missing fields null. `nested` names columns with a type of their own.

    A column whose values are of one kind has that type, lists of texts are lists of texts;
    anything else becomes text, nested values as JSON, so that nothing is lost.
    """
    names = dict.fromkeys(name for record in records for name in record)
    typed = nested or {}
    return pl.DataFrame(
        [
            pl.Series(name, values, typed[name]) if name in typed else _series(name, values)
            for name in names
            for values in [[record.get(name) for record in records]]
        ]
    )


def pages_of(rows: Sequence[PageRow]) -> pl.DataFrame:
    """A page table of rows, of which any may have fields of its own under `extra`."""
    extras = [row.get(schema.EXTRA) or {} for row in rows]
    table = schema.table(rows)
    names = sorted({name for extra in extras for name in extra})
    if not names:
        return table
    beside = table_of([{name: extra.get(name) for name in names} for extra in extras])
    return table.with_columns(beside.to_struct(schema.EXTRA))


def _series(name: str, values: list[Any]) -> pl.Series:
    kinds = frozenset(type(value) for value in values if value is not None)
    try:
        for known, kind in _KINDS:
            if kinds and kinds <= known:
                return pl.Series(name, values, kind)
        if kinds == {list} and all(isinstance(i, str) for v in values if v for i in v):
            return pl.Series(name, values, pl.List(pl.String))
    except (TypeError, OverflowError, pl.exceptions.PolarsError):
        pass
    return pl.Series(name, [_text(value) for value in values], pl.String)


def _text(value: object) -> str | None:
    if value is None or isinstance(value, str):
        return value
    return json.dumps(value, ensure_ascii=False, default=str)
