"""Lines of JSON as lines of the Combined Log Format, whole columns at a time: where fields stand is
learned from the first lines, and what has none there is left to be read by itself."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import polars as pl

from jovial_atlas import foreign
from jovial_atlas.address_columns import each_once
from jovial_atlas.logs.combined import combined_lines
from jovial_atlas.logs.lines import JSON_NAMES, WITHIN_JSON, Way, time_of, ways_in

#: So many lines are looked at to learn where fields stand; fewer are read one by one.
_LOOKED_AT = 100
_PLAIN_TIME = r"^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?Z$"
_COMBINED = r"^[^\[\n]*\[\d\d/\w{3}/\d{4}:"


def from_json(lines: Sequence[str]) -> list[str | None]:
    """The lines in the usual form; None for those that are not read here."""
    nothing: list[str | None] = [None] * len(lines)
    if len(lines) < _LOOKED_AT:
        return nothing
    known = _learned(lines[:_LOOKED_AT])
    if not known:
        return nothing
    table = _fields(pl.Series("line", lines), known)
    words = pl.col("request").str.split(" ")
    table = table.with_columns(
        target=pl.coalesce("target", words.list.get(1, null_on_oob=True)),
        method=pl.when(pl.col("target").is_null())
        .then(words.list.get(0, null_on_oob=True))
        .otherwise("method"),
    ).with_columns(at=_times(table["at"]))
    day = pl.col("at").str.slice(0, 10).str.to_date("%Y-%m-%d", strict=False)
    made = combined_lines(day, pl.col("at").str.slice(11, 8), _target())
    inner = pl.col("inner").str.strip_chars_end("\r\n")
    whole = pl.when(inner.str.contains(_COMBINED) & ~inner.str.contains("\n")).then(inner)
    return table.select(pl.coalesce(made, whole)).to_series().to_list()


def _learned(lines: Sequence[str]) -> Mapping[str, Sequence[Way]]:
    """Where in lines of JSON each of our fields stands, the usual place first."""
    paths: dict[str, Way] = {}
    for line in lines:
        if line.startswith("{"):
            try:
                paths = ways_in(foreign.read_json(line)) | paths
            except (ValueError, RecursionError):
                continue
    asked = {**JSON_NAMES, "inner": WITHIN_JSON}
    return {
        ours: [paths[name] for name in names if name in paths] for ours, names in asked.items()
    } if paths else {}  # fmt: skip


def _fields(lines: pl.Series, known: Mapping[str, Sequence[Way]]) -> pl.DataFrame:
    """Our fields of lines, as texts."""
    try:
        kind = _kind_of(way for ways in known.values() for way in ways)
        whole = lines.str.json_decode(kind).to_frame()
        read = _within
    except (TypeError, pl.exceptions.PolarsError, pl.exceptions.PanicException):
        # A line is none, or has a value of another kind: each value is looked for by itself.
        whole, read = lines.to_frame(), _matched
    return whole.select(**{ours: _value(list(map(read, ways))) for ours, ways in known.items()})


def _kind_of(ways: Iterable[Way]) -> pl.Struct:
    """The type of an object that has texts there. Raises TypeError where one would be an object
    too."""
    tree: dict[str | int, Any] = {}
    for way in ways:
        inner = tree
        for step in way[:-1]:
            inner = inner.setdefault(step, {})
            if inner is None:
                raise TypeError(way)
        if inner.setdefault(way[-1], None) is not None:
            raise TypeError(way)
    kind = _kind(tree)
    assert isinstance(kind, pl.Struct)
    return kind


def _kind(tree: Mapping[str | int, Any] | None) -> pl.DataType:
    if tree is None:
        return pl.String()
    if 0 in tree:
        return pl.List(_kind(tree[0]))
    return pl.Struct({str(name): _kind(inner) for name, inner in tree.items()})


def _within(way: Way) -> pl.Expr:
    value = pl.col("line")
    for step in way:
        value = (
            value.struct.field(step) if isinstance(step, str)
            else value.list.get(step, null_on_oob=True)
        )  # fmt: skip
    return value


def _matched(way: Way) -> pl.Expr:
    """By JSONPath (RFC 9535)."""
    path = "".join(f"[{step!r}]" for step in way)
    value = pl.col("line").str.json_path_match(f"${path}")
    return pl.when(~value.str.contains(r"^[\[{]")).then(value)  # no list, and no object


def _value(found: Sequence[pl.Expr]) -> pl.Expr:
    """The first text or number that is not empty."""
    given = [pl.when(one != "").then(one) for one in found]
    return pl.coalesce(given) if given else pl.lit(None, pl.String)


def _times(values: pl.Series) -> pl.Series:
    plain = values.str.contains(_PLAIN_TIME).fill_null(False)
    if plain.all():
        return values
    return each_once(values, time_of)


def _target() -> pl.Expr:
    """What was asked for, as `path_of` has it."""
    path = pl.col("target").str.replace("^https?://[^/]*", "")
    return pl.when(path == "").then(pl.lit("/")).otherwise(path)
