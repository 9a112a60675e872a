"""Records of any shape as a table: a column's values need not be of one kind outside."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from contextlib import suppress
from datetime import date, datetime
from itertools import chain
from operator import itemgetter
from typing import Any

import orjson
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
    typed = nested or {}
    return pl.DataFrame(
        [
            pl.Series(name, values, typed[name]) if name in typed else _series(name, values)
            for name, values in columns_of(records).items()
        ]
    )


def columns_of(records: Sequence[Mapping[str, Any]]) -> dict[str, Sequence[Any]]:
    """The values of each field of records; None where a record does not have it."""
    names = list(records[0]) if records else []
    if sum(map(len, records)) == len(names) * len(records):
        # Mostly all have the same.
        with suppress(KeyError):
            return {name: list(map(itemgetter(name), records)) for name in names}
    found = dict.fromkeys(chain.from_iterable(records))
    return {name: [record.get(name) for record in records] for name in found}


def table_of_columns(columns: Mapping[str, Sequence[Any]]) -> pl.DataFrame:
    """As `table_of`, of the values of each field."""
    return pl.DataFrame([_series(name, values) for name, values in columns.items()])


def pages_of(rows: Sequence[PageRow]) -> pl.DataFrame:
    """A page table of rows, of which any may have fields of its own under `extra`."""
    extras = [row.get(schema.EXTRA) or {} for row in rows]
    table = schema.table(rows)
    names = sorted({name for extra in extras for name in extra})
    if not names:
        return table
    beside = table_of([{name: extra.get(name) for name in names} for extra in extras])
    return table.with_columns(beside.to_struct(schema.EXTRA))


def _series(name: str, values: Sequence[Any]) -> pl.Series:
    kinds = frozenset(map(type, values)) - {type(None)}
    try:
        for known, kind in _KINDS:
            if kinds and kinds <= known:
                return pl.Series(name, values, kind)
        if kinds == {list} and all(isinstance(i, str) for v in values if v for i in v):
            return texts_in_lists(name, values)
    except (TypeError, OverflowError, pl.exceptions.PolarsError):
        pass
    return pl.Series(name, [text_of(value) for value in values], pl.String)


def texts_in_lists(name: str, values: Sequence[list[str] | None]) -> pl.Series:
    """Lists of texts as a column, by one column of all of them where that can be."""
    made = schema.lists_of_text(name, values)
    return pl.Series(name, values, pl.List(pl.String)) if made is None else made


def text_of(value: object) -> str | None:
    """A value of JSON as text: one with values within, or that is no text, as JSON."""
    if value is None or isinstance(value, str):
        return value
    try:
        return orjson.dumps(value, default=str, option=_PLAIN_KEYS).decode()
    except TypeError:  # a number of more than 64 bits
        return json.dumps(value, ensure_ascii=False, default=str, separators=(",", ":"))


_PLAIN_KEYS = orjson.OPT_NON_STR_KEYS | orjson.OPT_PASSTHROUGH_DATETIME


#: What an object in a list of names, and of addresses, is called by.
CALLED = ("name", "label", "title", "term", "href", "url", "loc", "slug", "id")
ADDRESSED = ("href", "url", "loc", "link", "permalink", "path", "slug", "id")


def item_text(item: object, *, address: bool = False) -> str:
    """An item of a list as text: of an object what it is called, or its address; "" where that is
    nothing."""
    if isinstance(item, dict):
        names = ADDRESSED if address else CALLED
        item = next((item[name] for name in names if isinstance(item.get(name), str)), None)
    return "" if item is None or isinstance(item, (list, dict)) else str(item).strip()
