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


def line_count(text: str) -> int:
    """How many lines there are, the last of which may have no end."""
    return text.count("\n") + bool(text and not text.endswith("\n"))


def plain_rows(text: str, header: list[str], separator: str) -> pl.DataFrame | None:
    """Lines of a CSV (RFC 4180) in which each row is one line and has as many cells as the header,
    as columns of texts; empty cells are null."""
    text = text.replace("\r\n", "\n")
    if "\r" in text or "\n\n" in text or text.startswith("\n"):
        return None
    lines, more = line_count(text), len(header) - 1
    quoted = '"' in text
    if not (_quoted_well if quoted else _parted_well)(text, separator, lines, more):
        return None
    try:
        table = pl.read_csv(
            io.BytesIO(text.encode()), has_header=False, separator=separator,
            quote_char='"' if quoted else None, schema=dict.fromkeys(header, pl.String),
        )  # fmt: skip
    except (pl.exceptions.PolarsError, UnicodeEncodeError):
        return None
    if table.height != lines:
        return None
    return table.select(
        pl.when(pl.col(name) != "").then(pl.col(name)).alias(name) for name in header
    )


def _parted_well(text: str, separator: str, lines: int, more: int) -> bool:
    """Whether there are as many cells as there should be: where a line has one too many, reading
    it fails."""
    return text.count(separator) == more * lines


def _quoted_well(text: str, separator: str, lines: int, more: int) -> bool:
    """Whether each line is a whole row in which quotes stand only around cells."""
    if more > _MOST_CELLS:
        return False
    mark = re.escape(separator)
    cell = rf'(?:"(?:[^"]|"")*"|[^"{mark}]*)'
    table = pl.Series("line", text.removesuffix("\n").split("\n"), pl.String)
    quoted = table.str.contains('"', literal=True)
    bare = table.filter(~quoted)
    return bool(
        table.len() == lines
        and (bare.str.count_matches(separator, literal=True) == more).all()
        and table.filter(quoted).str.contains(rf"^{cell}(?:{mark}{cell}){{{more}}}$").all()
    )


def plain_records(text: str, lines: int) -> pl.DataFrame | None:
    """So many lines of JSON, each an object of texts, numbers, truth values and lists of texts, as
    columns."""
    text = text.replace("\r\n", "\n").removesuffix("\n")
    if "\r" in text or text.count("\n{") != lines - 1:
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
    str: pl.String, int: pl.Int64, float: pl.Float64, bool: pl.Boolean, msgspec.Raw: pl.String,
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
            values: list[Any] | None = list(map(attrgetter(short), records))
            if kind is msgspec.Raw and (values := _texts(values or [])) is None:
                return None
            if kind == list[str]:
                columns.append(texts_in_lists(name, values or []))
                continue
            column = pl.Series(name, values, _COLUMN_KINDS[kind])
            if all(one is None for one in given[name]) and column.null_count() < lines:
                return None  # of which kind it is was not known yet
            columns.append(column)
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


def _texts(values: list[msgspec.Raw | None]) -> list[str | None] | None:
    """Values that are JSON as texts; None where one has a number that not all read alike."""
    found = []
    for one in values:
        written = None if one is None else bytes(one)
        if written is not None and _LONG_NUMBER.search(written):
            return None
        found.append(None if written is None else text_of(orjson.loads(written)))
    return found


#: The beginning of a whole number that may not fit into 64 bits.
_LONG_NUMBER = re.compile(rb"(?:^|[:,\[\s])-?[0-9]{16}")


@lru_cache(maxsize=8)
def _decoder_of(
    kinds: tuple[tuple[str, Any], ...],
) -> tuple[msgspec.json.Decoder[msgspec.Struct], list[str]]:
    """What reads objects with these fields and no others, and the names of their attributes."""
    names = [f"_{number}" for number in range(len(kinds))]
    record = msgspec.defstruct(
        "Record",
        [
            (name, kind if kind is msgspec.Raw else kind | None, None)
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
