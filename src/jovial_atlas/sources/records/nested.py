"""Values within values: lists and objects in cells of records, as the page table has them.

Exports give pictures, tags and language versions as lists of objects as often as plainly; and some
give a text as a list of one, or as octets.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from functools import partial

import polars as pl

from jovial_atlas import foreign, languages
from jovial_atlas.address_columns import each_once, normal_addresses
from jovial_atlas.pages import schema
from jovial_atlas.sources.records.records import text_of
from jovial_atlas.sources.records.whole_columns import parted, read_lists, read_pictures, resolved

#: What the parts of an object are called, the likeliest first.
_PICTURE = {"loc": ("src", "url", "loc", "href", "image"), "alt": ("alt", "alt_text", "altText")}
_VERSION = {
    "lang": ("lang", "hreflang", "language", "locale"), "href": ("href", "url", "loc"),
}  # fmt: skip
#: Cells that hold objects, or lists of them; and texts that may be either.
_OBJECTS = r"^\s*(?:\[\s*)?\{"
#: A name with a text, in which nothing is escaped; an object that has nothing else; one of those
#: that a version is described by.
_PAIR = r'"([^"\\\x00-\x1f]*)"\s*:\s*"([^"\\\x00-\x1f]*)"'
_BY_LANGUAGE = rf"^\s*\{{\s*{_PAIR}(?:\s*,\s*{_PAIR})*\s*\}}\s*$"
_NAMED_VERSION = rf'"(?:{"|".join(sum(_VERSION.values(), ()))})"\s*:'
_IMAGES, _ALTERNATES = schema.SCHEMA["images"], schema.SCHEMA["alternates"]


def in_texts(
    table: pl.LazyFrame, single: Collection[str], lists: Collection[str]
) -> pl.LazyFrame:
    """A table in which the columns `single` hold values, and the columns `lists` such lists of
    them, as can be read as texts; what is more deeply nested is JSON."""
    changed = []
    for name, kind in table.collect_schema().items():
        if name in single and not _is_value(kind):
            changed.append(_single(pl.col(name), kind).alias(name))
        elif name in lists and not _is_value(kind) and kind != _ALTERNATES:
            changed.append(_list(pl.col(name), kind).alias(name))
    return table.with_columns(changed) if changed else table


def _is_value(kind: pl.DataType) -> bool:
    """Whether values of a kind are no more than a text, a number, a date."""
    odd = (pl.Duration, pl.Categorical, pl.Enum)
    return not (kind.is_nested() or kind in (pl.Binary, pl.Object) or isinstance(kind, odd))


def _single(column: pl.Expr, kind: pl.DataType) -> pl.Expr:
    if isinstance(kind, (pl.List, pl.Array)) and _is_inner_value(kind):
        return _list(column, kind).cast(pl.List(pl.String), strict=False).list.join(", ")
    if kind.is_nested():
        return _as_json(column, kind)
    if isinstance(kind, pl.Duration):
        return column.dt.to_string("iso")
    if kind == pl.Binary:
        return column.map_batches(_decoded, return_dtype=pl.String, is_elementwise=True)
    return column.cast(pl.String)


def _list(column: pl.Expr, kind: pl.DataType) -> pl.Expr:
    if isinstance(kind, (pl.List, pl.Array)) and _is_inner_value(kind):
        return column.arr.to_list() if isinstance(kind, pl.Array) else column
    return _single(column, kind)


def _is_inner_value(kind: pl.List | pl.Array) -> bool:
    return _is_value(kind.inner)  # type: ignore[arg-type]


def _as_json(column: pl.Expr, kind: pl.DataType) -> pl.Expr:
    if isinstance(kind, pl.Struct) and _is_of_json(kind):
        return pl.when(column.is_not_null()).then(column.struct.json_encode())
    if isinstance(kind, pl.List) and isinstance(kind.inner, pl.Struct) and _is_of_json(kind.inner):
        items = column.list.eval(pl.element().struct.json_encode())
        return pl.format("[{}]", items.list.join(",", ignore_nulls=False))
    return column.map_batches(_written, return_dtype=pl.String, is_elementwise=True)


def _is_of_json(kind: object) -> bool:
    """Whether values of a type are written as JSON in one way."""
    if isinstance(kind, pl.Struct):
        return all(_is_of_json(one.dtype) for one in kind.fields)
    if isinstance(kind, pl.List):
        return _is_of_json(kind.inner)
    return kind in (pl.String, pl.Boolean, pl.Int64, pl.Int32, pl.Float64)


def _written(values: pl.Series) -> pl.Series:
    return pl.Series(values.name, [text_of(one) for one in values.to_list()], pl.String)


def _decoded(values: pl.Series) -> pl.Series:
    """Octets as texts in UTF-8."""
    texts = [None if one is None else one.decode("utf-8", "replace") for one in values.to_list()]
    return pl.Series(values.name, texts, pl.String)


def read_picture_cells(values: pl.Series, separator: str, site: str) -> pl.Series:
    """Cells with addresses of pictures, or with objects that have one, as JSON, as the page table
    has them."""
    plain = partial(_plain_pictures, separator=separator, site=site)
    return parted(values, values.str.contains(_OBJECTS), plain, partial(_pictures, site=site))


def _plain_pictures(values: pl.Series, separator: str, site: str) -> pl.Series:
    return read_pictures(read_lists(values, separator), site)


def _pictures(values: pl.Series, site: str) -> pl.Series:
    """Cells of JSON that hold objects."""
    found = _objects(values, _PICTURE)
    address = pl.element().struct.field("loc").map_batches(
        partial(resolved, site=site), return_dtype=pl.String, is_elementwise=True
    )  # fmt: skip
    item = pl.struct(loc=address, alt=pl.element().struct.field("alt"))
    return _with(found, item, "loc").cast(_IMAGES)


def read_version_cells(values: pl.Series, site: str) -> pl.Series:
    """Cells of JSON that hold language versions, as a list of objects or as an object with an
    address for each language, as the page table has them; null for all else."""
    objects = values.str.contains(_OBJECTS)
    read = partial(_versions, site=site)
    return parted(values, objects, _nothing, read)


def _versions(values: pl.Series, site: str) -> pl.Series:
    # Solidi need no escape, but some programs write one.
    plain = values.str.replace_all(r"\/", "/", literal=True)
    of_languages = plain.str.contains(_BY_LANGUAGE) & ~plain.str.contains(_NAMED_VERSION)
    objects = partial(_objects, called=_VERSION)
    found = parted(values, of_languages, objects, lambda _: _by_language(plain, of_languages))
    return spelled_versions(found, site)


def _by_language(values: pl.Series, which: pl.Series) -> pl.Series:
    """Objects with an address for each language as lists of versions."""
    pair = pl.element().str.extract_groups(_PAIR).struct
    version = pl.struct(lang=pair["1"], href=pair["2"])
    pairs = values.filter(which).str.extract_all(_PAIR)
    given = pl.when(pair["2"].str.strip_chars() != "").then(version)
    return pairs.list.eval(given).list.drop_nulls()


def spelled_versions(lists: pl.Series, site: str) -> pl.Series:
    """Lists of language versions with languages and addresses in the one spelling; what is no
    version is left out."""
    field = pl.element().struct.field
    tag = field("lang").map_batches(_tags, return_dtype=pl.String, is_elementwise=True)
    address = field("href").map_batches(
        partial(normal_addresses, site=site), return_dtype=pl.String, is_elementwise=True
    )
    return _with(lists, pl.struct(lang=tag, href=address), "lang", "href").cast(_ALTERNATES)


def _tags(values: pl.Series) -> pl.Series:
    return each_once(values, _tag).alias(values.name)


def _tag(text: str) -> str | None:
    tag = text.strip().replace("_", "-")
    if tag.lower() == "x-default":
        return "x-default"
    return languages.canonical(tag) if not languages.fault_of(tag) else None


def _nothing(values: pl.Series) -> pl.Series:
    return pl.Series(values.name, [None] * len(values), _ALTERNATES)


def _with(lists: pl.Series, item: pl.Expr, *needed: str) -> pl.Series:
    """Lists with other items, those left out that lack something."""
    made = lists.list.eval(item)
    lacks = pl.any_horizontal(pl.element().struct.field(name).is_null() for name in needed)
    if not made.explode().is_null().all() and made.list.eval(lacks).list.any().any():
        return made.list.eval(pl.element().filter(~lacks))
    return made


def _objects(values: pl.Series, called: Mapping[str, Collection[str]]) -> pl.Series:
    """Cells of JSON as lists of objects with these fields, as texts, which may be called
    otherwise there."""
    names = [name for others in called.values() for name in others]
    kind = pl.List(pl.Struct(dict.fromkeys(names, pl.String)))
    try:
        found = values.str.json_decode(kind)
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException):
        # They are not all lists of objects, or one is no JSON.
        read = [_object_list(value, called) for value in values.to_list()]
        found = schema.lists_of_structs(values.name, read, kind.inner)  # type: ignore[arg-type]
    field = pl.element().struct.field
    chosen = [pl.coalesce(*map(field, others)).alias(name) for name, others in called.items()]
    return found.list.eval(pl.struct(chosen))


def _object_list(
    value: str | None, called: Mapping[str, Collection[str]]
) -> list[dict[str, str | None]] | None:
    names = [name for others in called.values() for name in others]
    try:
        found = foreign.read_json(value or "")
    except (ValueError, RecursionError):
        return None
    if isinstance(found, dict) and not {*names} & {*found}:
        # An object with a value for each name, as {"de": "/de/"}.
        first, second = (next(iter(others)) for others in called.values())
        found = [{first: name, second: one} for name, one in found.items()]
    items = found if isinstance(found, list) else [found]
    address = next(iter(called.get("loc", ("",))))
    return [
        {name: _text(one.get(name)) for name in names}
        for one in ({address: one} if isinstance(one, str) and address else one for one in items)
        if isinstance(one, dict)
    ]


def _text(value: object) -> str | None:
    return value if isinstance(value, str) and value.strip() else None
