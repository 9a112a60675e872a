"""The page table's columns, in one place: name, type, meaning.

One row an address. Dates are strings in the product's form (`dates`): `YYYY-MM-DD` or
`YYYY-MM-DDThh:mm:ssZ`. Everything else that needs a column's name or type asks here.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from types import UnionType
from typing import Annotated, Any, TypeVar, Union, get_args, get_origin, get_type_hints

import msgspec
import polars as pl
from msgspec import Meta, Struct
from polars.datatypes import DataTypeClass

from jovial_atlas.pages.page import EXTRA as EXTRA
from jovial_atlas.pages.page import VERDICT_FIELDS, Page, SurveyedPage
from jovial_atlas.pages.row import PageRow


class Column(msgspec.Struct, frozen=True):
    """One column: its name, Polars type and meaning."""

    name: str
    type: pl.DataType
    meaning: str


#: Types of fields and of the columns that hold them.
_PLAIN = {str: pl.String(), bool: pl.Boolean(), float: pl.Float64()}
_WHOLE = {16: pl.Int16(), 32: pl.Int32(), 64: pl.Int64()}


def _type_of(kind: object, bits: int = 32) -> pl.DataType | None:
    """The Polars type of a field's type; None for one that differs from site to site."""
    origin, inner = get_origin(kind), get_args(kind)
    if origin is Annotated:
        extra = next((m.extra for m in inner[1:] if isinstance(m, Meta) and m.extra), {})
        return _type_of(inner[0], int(str(extra.get("bits", bits))))
    if origin in (Union, UnionType):
        return _type_of(next(one for one in inner if one is not type(None)), bits)
    if origin is list:
        return pl.List(_type_of(inner[0]) or pl.Null())
    if kind is int:
        return _WHOLE[bits]
    if isinstance(kind, type) and issubclass(kind, Struct):
        return pl.Struct({one.name: one.type for one in _columns(kind)})
    return _PLAIN.get(kind) if isinstance(kind, type) else None


def _columns(kind: type[Struct]) -> list[Column]:
    """The fields of a structure as columns."""
    columns = []
    for name, said in get_type_hints(kind, include_extras=True).items():
        meta = get_args(said)[1:] if get_origin(said) is Annotated else ()
        meaning = next((m.description or "" for m in meta if isinstance(m, Meta)), "")
        if (type_ := _type_of(said)) is not None:
            columns.append(Column(name, type_, meaning))
    return columns


#: The page table, from the fields of `SurveyedPage`.
COLUMNS = tuple(_columns(SurveyedPage))

SCHEMA: dict[str, pl.DataType] = {column.name: column.type for column in COLUMNS}

#: Columns that a survey works out from the whole table, anew each time: no source gives them.
LINK_COLUMNS = (
    "links_in", "links_out", "content_links_in", "content_links_out", "depth", "weight",
    "weight_rank",
)  # fmt: skip
#: Columns that come from what engines and logs were heard to say, when the table is read.
TRAFFIC_COLUMNS = ("clicks", "impressions", "visits", "position", "clicks_rank")
WORKED_OUT = ("variant", "variant_of", "media", *LINK_COLUMNS, *TRAFFIC_COLUMNS)

#: One video of a page, and what is known of its file.
ONE_VIDEO = SCHEMA["videos"].inner  # type: ignore[attr-defined]
ONE_MEDIA = SCHEMA["media"].inner  # type: ignore[attr-defined]

#: What a verdict adds, from the fields of `Page`: the meaning of each column; and the types of
#: those that have one at every site.
_DECIDED = {column.name: column for column in _columns(Page)}
_HINTS = get_type_hints(Page, include_extras=True)
VERDICT_COLUMNS = {name: str(get_args(_HINTS[name])[1].description) for name in VERDICT_FIELDS}
VERDICT_TYPES = {name: _DECIDED[name].type for name in VERDICT_FIELDS if name in _DECIDED}

#: What makes a page count as changed between two surveys.
CHANGE_COLUMNS = (
    "status", "redirect", "title", "description", "canonical", "directives", "lastmod",
    "fingerprint",
)  # fmt: skip


def empty() -> pl.DataFrame:
    """A page table without rows."""
    return pl.DataFrame(schema=SCHEMA)


def table(rows: Sequence[PageRow]) -> pl.DataFrame:
    """A page table from rows whose keys are the column names; missing keys become null."""
    columns = ([row.get(name) for row in rows] for name in SCHEMA)
    return pl.DataFrame(map(_series, SCHEMA, SCHEMA.values(), columns))


#: Stands between the texts of a list while they are one text: no address or name holds it.
_GAP = "\0"


def _series(name: str, kind: pl.DataType, values: list[Any]) -> pl.Series:
    """One column. (Lists take longest: each would become a column of its own.)"""
    if kind == pl.List(pl.String) and (found := lists_of_text(name, values)) is not None:
        return found
    if isinstance(kind, pl.List) and not any(values):
        there = pl.DataFrame({name: [one is not None for one in values]}, {name: pl.Boolean})
        none = pl.lit(pl.Series([[]], dtype=kind))
        return there.select(pl.when(name).then(none).alias(name)).to_series()
    if isinstance(kind, pl.List) and isinstance(kind.inner, pl.Struct):
        return lists_of_structs(name, values, kind.inner)
    if isinstance(kind, pl.List):
        return pl.DataFrame([{name: one} for one in values], schema={name: kind}).to_series()
    return pl.Series(name, values, kind)


def lists_of_structs(name: str, values: Sequence[Any], kind: pl.Struct) -> pl.Series:
    """Lists of records as a column: made of one column of all records, since each list alone would
    become a column of its own."""
    places = [place for place, one in enumerate(values) for _ in one or ()]
    records = [record for one in values for record in one or ()]
    fields = {field.name: field.dtype for field in kind.fields}
    items = pl.DataFrame(records, schema=fields)
    found = (
        pl.DataFrame({"at": pl.Series(places, dtype=pl.UInt32), "item": items.to_struct()})
        .group_by("at", maintain_order=True)
        .agg("item")
    )
    there = pl.Series("there", [one is not None for one in values], pl.Boolean)
    rows = there.to_frame().with_row_index("at")
    joined = rows.join(found, on="at", how="left", maintain_order="left")
    none = pl.lit(pl.Series([[]], dtype=pl.List(kind)))
    whole = pl.when("there").then(pl.coalesce("item", none)).alias(name)
    return joined.select(whole.cast(pl.List(kind))).to_series()


def lists_of_text(name: str, values: Sequence[list[str] | None]) -> pl.Series | None:
    """Lists of texts as a column; None where they cannot be parted again."""
    try:
        whole = [None if one is None else _GAP.join(one) for one in values]
    except TypeError:
        return None
    text, none = pl.col(name), pl.lit([], pl.List(pl.String))
    parted = pl.when(text != "").then(text.str.split(_GAP)).when(text == "").then(none)
    found = pl.Series(name, whole, pl.String).to_frame().select(parted.alias(name)).to_series()
    lengths = pl.Series([None if one is None else len(one) for one in values], dtype=pl.UInt32)
    if not found.list.len().equals(lengths):
        # A list of one empty text is not told from an empty list, unless each begins with a gap.
        begun = [None if one is None else _GAP.join(["", *one]) for one in values]
        found = pl.Series(name, begun, pl.String).str.split(_GAP).list.slice(1)
    return found if found.list.len().equals(lengths) else None


Frame = TypeVar("Frame", pl.DataFrame, pl.LazyFrame)


def complete(table: Frame) -> Frame:
    """The table with every column of the schema: those that no source filled are null."""
    known = table.collect_schema()
    missing = [pl.lit(None, kind).alias(n) for n, kind in SCHEMA.items() if n not in known]
    extra = [EXTRA] if EXTRA in known else []
    return table.with_columns(missing).select(*SCHEMA, *extra) if missing else table


def conform(delivered: Frame) -> Frame:
    """A delivered table brought to the schema: its columns in order, each of its type.
    Columns that nobody fills are left out; `complete` adds them.

    Columns that the schema does not know are fields of the struct `extra`, beside those
    that are in it already. Raises ValueError where a column cannot have its type.
    """
    known = delivered.collect_schema()
    fields = [pl.col(name) for name in known if name not in SCHEMA and name != EXTRA]
    inner = known.get(EXTRA)
    if isinstance(inner, pl.Struct):
        named = {name for name in known if name not in SCHEMA}
        fields += [
            pl.col(EXTRA).struct.field(one.name) for one in inner.fields if one.name not in named
        ]
    columns = [pl.col(name).cast(kind) for name, kind in SCHEMA.items() if name in known]
    return delivered.select(*columns, *([pl.struct(fields).alias(EXTRA)] if fields else []))


def extra_fields(
    frames: Iterable[pl.DataFrame | pl.LazyFrame],
) -> dict[str, pl.DataType | DataTypeClass]:
    """Fields of `extra` over several tables; where types differ the field is text."""
    fields: dict[str, pl.DataType | DataTypeClass] = {}
    for frame in frames:
        kind = frame.collect_schema().get(EXTRA)
        for inner in kind.fields if isinstance(kind, pl.Struct) else ():
            same = fields.get(inner.name, inner.dtype)
            if same == pl.Null:
                same = inner.dtype
            elif inner.dtype not in (same, pl.Null):
                numbers = same.is_numeric() and inner.dtype.is_numeric()
                same = pl.Float64() if numbers else pl.String()
            fields[inner.name] = same
    return {name: pl.String() if kind == pl.Null else kind for name, kind in fields.items()}


def with_extra(frame: Frame, fields: Mapping[str, pl.DataType | DataTypeClass]) -> Frame:
    """The table with exactly these fields in `extra`; without any, the column is left out."""
    kind = frame.collect_schema().get(EXTRA)
    own = {one.name for one in kind.fields} if isinstance(kind, pl.Struct) else set()
    if not fields:
        return frame.drop(EXTRA, strict=False)
    values = [
        (
            pl.col(EXTRA).struct.field(name).cast(type_, strict=False)
            if name in own
            else pl.lit(None, type_)
        ).alias(name)
        for name, type_ in fields.items()
    ]  # fmt: skip
    return frame.with_columns(pl.struct(values).alias(EXTRA))
