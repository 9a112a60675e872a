"""Values within the values of records, by names with dots: `seo.title` of a record that has
{"seo": {"title": "Otters"}}, `pictures.0.src` of the first item in a list.

Interfaces and exports of content systems seldom give a title or an address plainly. A field that is
itself called with dots goes before.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any

import polars as pl

from jovial_atlas import foreign

#: So deep values are looked for in records.
_DEEPEST = 4


def field_with(name: str, have: Collection[str]) -> tuple[str, list[str]] | None:
    """The field in which the value of this name stands, and the way to it there; None where no
    field is called like its beginning, or the name is that of a field."""
    parts = name.split(".")
    if name in have:
        return None
    for length in range(len(parts) - 1, 0, -1):
        if (field := ".".join(parts[:length])) in have:
            return field, parts[length:]
    return None


def with_values_within(table: pl.LazyFrame, names: Iterable[str]) -> pl.LazyFrame:
    """A table with a column for each name with dots that leads to a value within another, which is
    a struct, a list or JSON; what leads nowhere has none."""
    schema = table.collect_schema()
    columns = []
    for name in names:
        if not (place := field_with(name, schema.names())):
            continue
        field, way = place
        if schema[field] == pl.String:
            columns.append(pl.col(field).str.json_path_match(_json_path(way)).alias(name))
        elif (value := _value(pl.col(field), schema[field], way)) is not None:
            columns.append(value.alias(name))
    return table.with_columns(columns) if columns else table


def _json_path(way: Iterable[str]) -> str:
    """A way as JSONPath (RFC 9535 §2.3)."""
    quoted = (f'["{one}"]' if "'" in one else f"['{one}']" for one in way)
    return "$" + "".join(f"[{q[2:-2]}]" if q[2:-2].isdecimal() else q for q in quoted)


def _value(column: pl.Expr, kind: Any, way: Iterable[str]) -> pl.Expr | None:
    for name in way:
        if isinstance(kind, pl.Struct):
            kinds = {one.name: one.dtype for one in kind.fields}
            if name not in kinds:
                return None
            column, kind = column.struct.field(name), kinds[name]
        elif isinstance(kind, pl.List) and name.isdecimal():
            column, kind = column.list.get(int(name), null_on_oob=True), kind.inner
        else:
            return None
    return column


def flattened(
    names: Sequence[str], rows: Sequence[Mapping[str, object]]
) -> tuple[list[str], list[dict[str, object]]]:
    """Records with the values within theirs as fields of their own, by names with dots, behind the
    field that has them; and the names of all."""
    flat = [_flat(row) for row in rows]
    order = dict.fromkeys(names)
    inner: dict[str, dict[str, None]] = {}
    for row in flat:
        for name in row:
            if name not in order and (place := field_with(name, order)):
                inner.setdefault(place[0], {})[name] = None
    return [one for name in order for one in (name, *inner.get(name, ()))], flat


def _flat(row: Mapping[str, object]) -> dict[str, object]:
    found: dict[str, object] = {}
    waiting = [(name, row[name], 0) for name in reversed([*row])]
    while waiting:
        name, value, depth = waiting.pop()
        found.setdefault(name, value)
        inner = _object(value)
        if inner and depth < _DEEPEST:
            waiting += [(f"{name}.{one}", inner[one], depth + 1) for one in reversed([*inner])]
    return found


def _object(value: object) -> dict[str, object] | None:
    if isinstance(value, str) and value.lstrip().startswith("{"):
        try:
            value = foreign.read_json(value)
        except (ValueError, RecursionError):
            return None
    return value if isinstance(value, dict) else None
