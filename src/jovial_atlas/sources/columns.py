"""From a source's own fields to the page table's columns, whole columns at a time.

Sources that deliver records (tables, queries, feeds, interfaces) share these: the address
template, the mapping of names, dates, lists and pictures. A row that gives no usable
address becomes a fault that names it.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from urllib.parse import quote

import polars as pl

from jovial_atlas import addresses, dates
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.pages import schema
from jovial_atlas.pages.gather import Batch

_FIELD = re.compile(r"\{([^{}]+)\}")
_SAFE_VALUE = r"^[A-Za-z0-9._~-]*$"
_NORMAL = r"^https?://[a-z0-9-]+(\.[a-z0-9-]+)+(:\d+)?(/[A-Za-z0-9_~-][A-Za-z0-9._~-]*)*/?$"
_W3C = r"^\d{4}-\d\d-\d\d(T\d\d:\d\d:\d\dZ)?$"
#: Faults of single rows that are told one by one; the rest is counted.
_TOLD = 20
_TEXT = ("title", "heading", "description", "excerpt", "language", "author", "canonical",
         "directives", "redirect", "kind", "in_section", "parent", "fingerprint")  # fmt: skip
_LISTS = ("tags", "categories")


@dataclass(frozen=True, slots=True)
class FieldMap:
    """How the fields of one source become columns.

    `url` is an address template with {field}; empty: the column `loc` (or `url`) holds the
    address. `columns` maps our names to theirs; fields of our own names need no mapping.
    """

    source: str
    site: str
    now: datetime
    url: str = ""
    columns: Mapping[str, str] = field(default_factory=dict)
    separator: str = ";"


def template_fields(url: str) -> list[str]:
    """Names in an address template."""
    return _FIELD.findall(url)


def deliver(table: pl.LazyFrame, how: FieldMap) -> pl.LazyFrame:
    """The table with our columns, everything else in `extra`, and two helpers: `_row`, the
    number of the row from 1, and `_wrong`, why its address cannot be used (or null).

    Raises ContentError where a named field does not exist.
    """
    have = table.collect_schema()
    _check_fields(have.names(), how)
    table = table.with_row_index("_row", offset=1)
    taken = {how.columns.get(name, name) for name in schema.SCHEMA} | {"_row"}
    extras = [pl.col(name) for name in have.names() if name not in taken]
    loc = _address(have, how)
    columns = [loc.alias("loc"), pl.lit(how.source).alias("source")]
    for name in schema.SCHEMA:
        theirs = how.columns.get(name, name)
        if name in ("loc", "source", "merged") or theirs not in have:
            continue
        columns.append(_column(name, theirs, have[theirs], how).alias(name))
    given = {str(column.meta.output_name()) for column in columns}
    if "status" not in given:
        columns.append(pl.lit(200, pl.Int16).alias("status"))
    if "kind" not in given:
        columns.append(pl.lit("page").alias("kind"))
    if "lastmod" in given:
        columns.append(
            pl.when(_column("lastmod", how.columns.get("lastmod", "lastmod"),
                            have[how.columns.get("lastmod", "lastmod")], how).is_not_null())
            .then(pl.lit("field")).alias("lastmod_from")
        )  # fmt: skip
    if extras:
        columns.append(pl.struct(extras).alias(schema.EXTRA))
    delivered = table.select("_row", *columns)
    return delivered.with_columns(_wrong=_why_wrong(how.site))


def _check_fields(have: list[str], how: FieldMap) -> None:
    named = {**{f"{{{name}}}": name for name in template_fields(how.url)}}
    named |= {f"columns.{ours}": theirs for ours, theirs in how.columns.items()}
    for where, name in named.items():
        if name not in have:
            shown = ", ".join(have[:30])
            raise ContentError(
                f"{how.source}: {where} names the field {name!r}, which is not there. "
                f"The fields are: {shown}."
            )
    if not how.url and not {how.columns.get("loc", "loc"), "url", "link"} & set(have):
        raise ContentError(
            f"{how.source} has no field loc or url. Say how addresses are made, "
            'like url = "/species/{slug}/", or columns = { loc = "address" }.'
        )


def _address(have: Mapping[str, Any], how: FieldMap) -> pl.Expr:
    if not how.url:
        mapped = how.columns.get("loc", "loc")
        name = next(one for one in (mapped, "url", "link") if one in have)
        return normal(pl.col(name).cast(pl.String), how.site)
    parts: list[pl.Expr] = []
    begun = how.url if how.url.startswith(("http://", "https://")) else how.site + how.url
    for number, piece in enumerate(_FIELD.split(begun)):
        if number % 2:
            value = _path_value(pl.col(piece), have[piece])
            parts.append(pl.when(value != "").then(value))
        elif piece:
            parts.append(pl.lit(piece))
    return normal(pl.concat_str(parts), how.site)


def _path_value(column: pl.Expr, kind: Any) -> pl.Expr:
    """A value inside a path: percent-encoded but for its slashes."""
    text = column.cast(pl.String)
    if kind.is_integer():
        return text

    def encode(values: pl.Series) -> pl.Series:
        odd = ~values.str.contains(_SAFE_VALUE)
        if not odd.any():
            return values
        fixed = [quote(str(v), safe="/-._~") if v is not None else None for v in values.to_list()]
        return pl.Series(values.name, fixed, pl.String)

    return text.map_batches(encode, return_dtype=pl.String, is_elementwise=True)


def normal(column: pl.Expr, site: str) -> pl.Expr:
    """A column of addresses (or paths from '/' on) in normal form; null where it is none."""

    def work(values: pl.Series) -> pl.Series:
        odd = ~values.str.contains(_NORMAL).fill_null(False)
        if not odd.any():
            return values
        return pl.Series(
            values.name,
            [_normal(value, site) if wrong else value
             for value, wrong in zip(values.to_list(), odd.to_list(), strict=True)],
            pl.String,
        )  # fmt: skip

    return column.map_batches(work, return_dtype=pl.String, is_elementwise=True)


def _normal(value: str | None, site: str) -> str | None:
    if not value or not value.strip():
        return None
    try:
        return addresses.normalise(site + value if value.startswith("/") else value)
    except ValueError:
        return value


def _why_wrong(site: str) -> pl.Expr:
    loc = pl.col("loc")
    return (
        pl.when(loc.is_null())
        .then(pl.lit("row-no-address"))
        .when(~loc.str.starts_with("http"))
        .then(pl.lit("row-no-address"))
        .when((loc != site) & ~loc.str.starts_with(f"{site}/"))
        .then(pl.lit("address-other-host"))
    )


def _column(name: str, theirs: str, kind: Any, how: FieldMap) -> pl.Expr:
    column = pl.col(theirs)
    if name in ("lastmod", "published"):
        return _date(column, kind, how.now)
    if name in _LISTS or (name == "links"):
        return _list(column, kind, how.separator)
    if name == "images":
        return _pictures(_list(column, kind, how.separator), how.site)
    if name in _TEXT:
        text = column.cast(pl.String).str.strip_chars()
        return pl.when(text != "").then(text)
    return column.cast(schema.SCHEMA[name], strict=False)


def _date(column: pl.Expr, kind: Any, now: datetime) -> pl.Expr:
    """Dates in the product's form; what is no date, or cannot be right, becomes null."""
    if kind == pl.Date:
        text = column.dt.strftime("%Y-%m-%d")
    elif isinstance(kind, pl.Datetime):
        moment = column.dt.convert_time_zone("UTC") if kind.time_zone else column
        text = moment.dt.strftime("%Y-%m-%dT%H:%M:%SZ")
    elif kind == pl.Null:
        return pl.lit(None, pl.String)
    else:
        text = column.cast(pl.String).map_batches(
            _read_dates, return_dtype=pl.String, is_elementwise=True
        )
    latest = dates.write(now)[:10]
    good = (text >= "1990") & (text.str.head(10) <= latest)
    return pl.when(good).then(text)


def _read_dates(values: pl.Series) -> pl.Series:
    odd = ~values.str.contains(_W3C).fill_null(True)
    if not odd.any():
        return values
    read = [dates.read(value) if value else None for value in values.to_list()]
    return pl.Series(values.name, read, pl.String)


def _list(column: pl.Expr, kind: Any, separator: str) -> pl.Expr:
    if isinstance(kind, pl.List):
        return column.cast(pl.List(pl.String), strict=False)

    def split(values: pl.Series) -> pl.Series:
        return pl.Series(
            values.name, [_items(value, separator) for value in values.to_list()],
            pl.List(pl.String),
        )  # fmt: skip

    return column.cast(pl.String).map_batches(
        split, return_dtype=pl.List(pl.String), is_elementwise=True
    )


def _items(value: str | None, separator: str) -> list[str] | None:
    """A cell's list: JSON, or items between separators."""
    if not value:
        return None
    if value.startswith("["):
        try:
            return [str(item) for item in json.loads(value)]
        except ValueError:
            pass
    return [item.strip() for item in value.split(separator) if item.strip()]


def _pictures(column: pl.Expr, site: str) -> pl.Expr:
    def work(values: pl.Series) -> pl.Series:
        rows = [
            None
            if value is None
            else [
                {"loc": loc, "alt": None}
                for item in value
                if (loc := addresses.resolve(f"{site}/", item))
            ]
            for value in values.to_list()
        ]
        return pl.Series(values.name, rows, schema.SCHEMA["images"])

    return column.map_batches(work, return_dtype=schema.SCHEMA["images"], is_elementwise=True)


_WHY = {
    "row-no-address": "gives no address",
    "address-other-host": "is on another host",
}


def split_wrong(
    delivered: pl.DataFrame, name: str, before: str, lines: Sequence[int] | int = 0
) -> Batch:
    """Rows that can be used, and faults for the others, the first few one by one.

    A row is told as `before` and its number: its line, where `lines` has one for each row,
    else its place after as many rows as `lines` says.
    """
    wrong = delivered.filter(pl.col("_wrong").is_not_null()).select("_row", "_wrong", "loc")
    good = delivered.filter(pl.col("_wrong").is_null()).drop("_row", "_wrong")

    def place(row: int) -> str:
        return f"{before}{lines + row if isinstance(lines, int) else lines[row - 1]}"

    return Batch(good, list(wrong_rows(wrong, name, wrong.height, place)))


def wrong_rows(
    some: pl.DataFrame, name: str, count: int, place: Callable[[int], str] | None = None
) -> Iterator[Fault]:
    """Faults for rows that cannot be used: `some` as `_row, _wrong, loc`, `count` in all."""
    for row, code, loc in some.head(_TOLD).iter_rows():
        where = place(row) if place else f"{name}, row {row}"
        shown = f"{loc!r} " if loc else "The row "
        yield Fault(code, where, f"{shown}{_WHY[code]}; it is left out.")
    if count > _TOLD:
        yield Fault(
            str(some["_wrong"][0]), name, f"{plural(count - _TOLD, 'more row')} cannot be used."
        )
