"""Pieces of tables of text that are as plain as most are, parted into columns at once. Whatever is
not so plain gives None, and is read row by row."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import chain
from operator import attrgetter
from typing import Any, TextIO

import msgspec
import orjson
import polars as pl

from jovial_atlas.sources.records.alike_lines import alike_lines
from jovial_atlas.sources.records.records import (
    columns_of,
    table_of_columns,
    text_of,
    texts_in_lists,
)

#: Signs of a table that are read together.
_PIECE = 4 << 20
#: Whole numbers up to this are the same as floats.
_EXACT = 2**53
#: Cells up to which rows with quotes are compared with a regular expression.
_MOST_CELLS = 100


def pieces(stream: TextIO) -> Iterator[str]:
    """Some lines of a table at a time, whole ones."""
    while piece := stream.read(_PIECE):
        yield piece + stream.readline()


def whole_rows(stream: TextIO) -> Iterator[str]:
    """As `pieces`, each up to a line on which no cell goes on, where there soon is one."""
    for piece in pieces(stream):
        more, is_open = "", '"' in piece and piece.count('"') % 2 == 1
        while is_open and len(more) < _PIECE and (line := stream.readline()):
            more += line
            is_open = line.count('"') % 2 == 0
        yield piece + more


def line_count(text: str) -> int:
    """How many lines there are, the last of which may have no end."""
    return text.count("\n") + bool(text and not text.endswith("\n"))


def plain_rows(
    text: str, header: list[str], separator: str
) -> tuple[pl.DataFrame, range | pl.Series] | None:
    """Lines of a CSV (RFC 4180) in which each row has as many cells as the header, as columns of
    texts, and the numbers of the lines on which rows end, from 1 on; empty cells are null."""
    if '"' in text:
        return _quoted_rows(text, header, separator)
    # To find a sign is fast, to count it or to replace it is not.
    text = text.replace("\r\n", "\n") if "\r" in text else text
    if "\r" in text or "\n\n" in text or text.startswith("\n"):
        return None
    table = _read_csv(text, header, separator, quoted=False)
    # Where a line has a cell too many, reading it fails; where it has too few, signs are missing.
    if table is None or text.count(separator) != (len(header) - 1) * table.height:
        return None
    return _without_empty(table), range(1, table.height + 1)


def _quoted_rows(
    text: str, header: list[str], separator: str
) -> tuple[pl.DataFrame, pl.Series] | None:
    """As `plain_rows`, where quotes stand only around cells, which may go over several lines."""
    more = len(header) - 1
    if more > _MOST_CELLS or not more:
        return None
    text = text if text.endswith("\n") else f"{text}\n"
    mark = re.escape(separator)
    cell = rf'(?:"(?:[^"]|"")*"|[^"{mark}\r\n]*)'
    row = rf"{cell}(?:{mark}{cell}){{{more}}}\r?\n"
    if not pl.Series([text]).str.contains(rf"\A(?:{row})*\z")[0]:
        return None
    table = _read_csv(text, header, separator, quoted=True)
    if table is None:
        return None
    # Where a cell is not what was looked at, there are too few lines or too many.
    ends, end = text.count("\n"), "\n"
    if "\r" in text:
        ends, end = ends + text.count("\r") - text.count("\r\n"), r"\r\n|\n|\r"
    within = pl.sum_horizontal(pl.all().str.count_matches(end).fill_null(0))
    lines = table.select(within.cum_sum() + pl.int_range(1, pl.len() + 1)).to_series()
    if not table.height or lines[-1] != ends:
        return None
    return _without_empty(table), lines


def _read_csv(text: str, header: list[str], separator: str, *, quoted: bool) -> pl.DataFrame | None:
    try:
        return pl.read_csv(
            io.BytesIO(text.encode()), has_header=False, separator=separator,
            quote_char='"' if quoted else None, schema=dict.fromkeys(header, pl.String),
        )  # fmt: skip
    except (pl.exceptions.PolarsError, UnicodeEncodeError):
        return None


def _without_empty(table: pl.DataFrame) -> pl.DataFrame:
    """Empty cells are null."""
    return table.select(
        pl.when(pl.col(name) != "").then(pl.col(name)).alias(name) for name in table.columns
    )


def plain_records(text: str, lines: int) -> pl.DataFrame | None:
    """So many lines of JSON, each an object of texts, numbers, truth values and lists of texts, as
    columns."""
    text = text.replace("\r\n", "\n") if "\r" in text else text
    text = text.removesuffix("\n")
    if "\r" in text:
        return None
    if (found := alike_lines(text)) is not None:
        if not (others := found.others).len():
            return found.table
        rest = _other_records(found.text, others.len())
        if rest is not None and (whole := _in_order(found.table, rest, others)) is not None:
            return whole
    return _other_records(text, lines)


def _in_order(alike: pl.DataFrame, rest: pl.DataFrame, places: pl.Series) -> pl.DataFrame | None:
    """Lines that are alike and the rest, which stand at these places, as one table; None where
    their columns are not the same."""
    if rest.columns != alike.columns:
        return None
    rest = rest.cast(
        {one.name: alike.schema[one.name] for one in rest if one.null_count() == rest.height}
    )
    if rest.schema != alike.schema:
        return None
    of_rest = pl.repeat(False, alike.height + rest.height, eager=True).scatter(places, True)
    number = pl.when(of_rest).then(of_rest.cum_sum() + alike.height).otherwise((~of_rest).cum_sum())
    return pl.concat([alike, rest])[pl.select(number - 1).to_series()]


def _other_records(text: str, lines: int) -> pl.DataFrame | None:
    """As `plain_records`, whatever their fields."""
    if text.count("\n{") != lines - 1:
        return None
    table = _typed_records(text, lines)
    if table is not None:
        return table
    try:
        records = orjson.loads(f"[{text.replace(chr(10), ',')}]")
    except ValueError:
        return None
    if len(records) != lines or set(map(type, records)) != {dict}:
        return None
    columns = columns_of(records)
    if not columns or not all(map(_is_plain, columns.values())):
        return None
    return table_of_columns(columns)


#: So many signs at the beginning are looked at to learn of which kind the values are.
_BEGINNING = 50_000
_OF_KINDS: dict[frozenset[type], Any] = {
    frozenset({str}): str, frozenset({int}): int, frozenset({float}): float,
    frozenset({int, float}): float, frozenset({bool}): bool,
}  # fmt: skip
_COLUMN_KINDS: dict[Any, Any] = {
    str: pl.String, int: pl.Int64, float: pl.Float64, bool: pl.Boolean,
}  # fmt: skip


def _typed_records(text: str, lines: int) -> pl.DataFrame | None:
    """As `plain_records`, where each field has values of one kind, the one that it has at the
    beginning: so they are read three times as fast. None where one is of another."""
    beginning = text if len(text) < _BEGINNING else text[:_BEGINNING].rpartition("\n")[0]
    try:
        first = orjson.loads(f"[{beginning.replace(chr(10), ',')}]")
        if set(map(type, first)) != {dict}:
            return None
        given = columns_of(first)
        kinds = {name: _kind_of(values) for name, values in given.items()}
        if not kinds:
            return None
        decoder, names = _decoder_of(tuple(kinds.items()))
        records = decoder.decode_lines(text)
        if len(records) != lines:
            return None
        columns = []
        for short, (name, kind) in zip(names, kinds.items(), strict=True):
            values: list[Any] = list(map(attrgetter(short), records))
            if kind is msgspec.Raw or kind == list[str]:
                column = (_texts if kind is msgspec.Raw else _lists)(values)
                if column is None:
                    return None
                columns.append(column.alias(name))
            else:
                columns.append(pl.Series(name, values, _COLUMN_KINDS[kind]))
            if columns[-1].null_count() < lines and all(one is None for one in given[name]):
                return None  # of which kind it is was not known yet
    except (ValueError, OverflowError, pl.exceptions.PolarsError):
        return None
    if any(one.dtype == pl.Float64 and (one.abs() > _EXACT).any() for one in columns):
        return None  # it may be a whole number that does not fit into 64 bits
    return pl.DataFrame(columns)


def _kind_of(values: Sequence[Any]) -> Any:
    """What all values are; JSON as it is written for those of several kinds, with values within, or
    where there is none."""
    kinds = frozenset(map(type, values)) - {type(None)}
    if kinds == {list}:
        parts = chain.from_iterable(one for one in values if one)
        return list[str] if set(map(type, parts)) <= {str} else msgspec.Raw
    return _OF_KINDS.get(kinds, msgspec.Raw)


def _written(values: Sequence[msgspec.Raw | None]) -> tuple[bytes, pl.Series]:
    """Values as a list of JSON, and each as it is written there; null is a value like others."""
    parts = [b"null" if one is None else one for one in values]
    column = pl.Series([b"\n".join(parts).decode()]).str.split("\n").explode()
    return b"[" + b",".join(parts) + b"]", column


def _texts(values: Sequence[msgspec.Raw | None]) -> pl.Series | None:
    """Values that are JSON as texts; None where one has a number that not all read alike."""
    whole, column = _written(values)
    if column.str.contains(_LONG_NUMBER).any():
        return None
    read = orjson.loads(whole)
    # Nearly all programs write objects and lists in the same way, which is that of `text_of`.
    if orjson.dumps(read) != whole or column.str.starts_with('"').any():
        return pl.Series([text_of(one) for one in read], dtype=pl.String)
    return _without_null(column)


def _without_null(column: pl.Series) -> pl.Series:
    is_null = column == "null"
    return column.set(is_null, None) if is_null.any() else column


def _lists(values: Sequence[msgspec.Raw | None]) -> pl.Series | None:
    """Lists of texts; None where one is anything else."""
    whole, column = _written(values)
    column = _without_null(column)
    if column.str.contains(_PLAIN_LIST).all(ignore_nulls=True):
        inner = column.str.slice(2).str.head(-2)
        none = pl.lit([], pl.List(pl.String))
        split = pl.when(pl.col("t") != "[]").then(pl.col("l"))
        empty = pl.when(pl.col("t") == "[]").then(none)
        table = pl.DataFrame({"t": column, "l": inner.str.split('","')})
        return table.select(pl.coalesce(split, empty)).to_series()
    read = orjson.loads(whole)
    parts = chain.from_iterable(one for one in read if type(one) is list)
    if not set(map(type, read)) <= {list, type(None)} or not set(map(type, parts)) <= {str}:
        return None
    return texts_in_lists("", read)


#: The beginning of a whole number that may not fit into 64 bits.
_LONG_NUMBER = r"(?:^|[:,\[\s])-?[0-9]{16}"
#: A list of texts in which nothing is escaped.
_PLAIN_LIST = r'^\[(?:"[^"\\]*"(?:,"[^"\\]*")*)?\]$'


@lru_cache(maxsize=8)
def _decoder_of(
    kinds: tuple[tuple[str, Any], ...],
) -> tuple[msgspec.json.Decoder[msgspec.Struct], list[str]]:
    """What reads objects with these fields and no others, and the names of their attributes."""
    names = [f"_{number}" for number in range(len(kinds))]
    record = msgspec.defstruct(
        "Record",
        [
            (name, msgspec.Raw if kind in (msgspec.Raw, list[str]) else kind | None, None)
            for name, (_, kind) in zip(names, kinds, strict=True)
        ],
        rename=dict(zip(names, (name for name, _ in kinds), strict=True)),
        forbid_unknown_fields=True,
        gc=False,
    )
    return msgspec.json.Decoder(record), names


_PLAIN = frozenset({str, int, float, bool, type(None)})


def _is_plain(values: Sequence[Any]) -> bool:
    kinds = set(map(type, values))
    if float in kinds and any(abs(one) > _EXACT for one in values if type(one) is float):
        return False  # it may be a whole number that does not fit into 64 bits
    if list in kinds:
        kinds.remove(list)
        parts = chain.from_iterable(one for one in values if type(one) is list)
        if not set(map(type, parts)) <= {str}:
            return False
    return kinds <= _PLAIN
