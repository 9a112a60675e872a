"""Videos of records, whole columns at a time: cells that hold addresses or tables of fields are
read by columns, field after field; JSON in a cell, and what is rare in a field, value by value."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import polars as pl
from polars.exceptions import ComputeError

from jovial_atlas import addresses, foreign
from jovial_atlas.media.fields import VIDEO_ALIASES, VIDEO_KEYS, VideoRow, of_fields, read_field
from jovial_atlas.media.services import Recognised, Service, recognise
from jovial_atlas.pages import schema
from jovial_atlas.sources.records.whole_columns import resolved
from jovial_atlas.sources.records.written_dates import read_dates

_KIND = schema.SCHEMA["videos"]
_FIELDS = {field.name: field.dtype for field in schema.ONE_VIDEO.fields}
_ADDRESSES = frozenset({"content", "player", "thumbnail", "uploader_page", "gallery"})
_TEXTS = frozenset({"title", "description", "category", "uploader", "gallery_title"})
_COUNTS = frozenset({"duration", "width", "height", "views"})
_DATES = frozenset({"published", "expires"})
_JSON = r"^\s*[\[{]"


def read_films(values: pl.Series, site: str, services: Sequence[Service]) -> pl.Series:
    """Videos in cells, as the page table has them: an address, several with semicolons between, a
    table of a video's fields, a list of these, or any of them as JSON. What names no media file
    and no player is left out."""
    cells = pl.DataFrame({"row": pl.int_range(len(values), dtype=pl.UInt32, eager=True)})
    cells = cells.with_columns(item=values)
    found = [pl.DataFrame(schema={"row": pl.UInt32, "film": schema.ONE_VIDEO})]
    found += [_by_column(*given, site, services) for given in _given(cells)]
    odd = _odd(cells)
    if (parsed := _parsed(odd)) is not None:
        found.append(_by_column(*parsed, site, services))
    elif odd.height:
        found.append(_by_value(odd, site, services))
    films = pl.concat(found).sort("row", maintain_order=True)
    lists = films.group_by("row", maintain_order=True).agg("film")
    joined = cells.join(lists, on="row", how="left", maintain_order="left")
    empty = pl.lit(pl.Series([[]], dtype=_KIND))
    whole = pl.when(pl.col("item").is_not_null()).then(pl.coalesce("film", empty))
    return joined.select(whole.cast(_KIND).alias(values.name)).to_series()


def _given(cells: pl.DataFrame) -> list[tuple[pl.Series, pl.DataFrame]]:
    """The cells that can be read by columns: the row of each video, and its fields."""
    kind, item = cells.schema["item"], pl.col("item")
    if kind == pl.String:
        parts = item.str.split(";").list.eval(pl.element().str.strip_chars())
        plain = cells.filter(~item.str.contains(_JSON)).with_columns(parts)
        each = plain.explode("item").filter(item != "")
        return [(each["row"], each.select(src="item"))]
    if isinstance(kind, pl.List) and (kind.inner == pl.String or isinstance(kind.inner, pl.Struct)):
        cells = cells.filter(item.list.len() > 0).explode("item")
    each = cells.drop_nulls()
    if each.schema["item"] == pl.String:
        return [(each["row"], each.select(src="item"))]
    is_table = isinstance(each.schema["item"], pl.Struct)
    return [(each["row"], each["item"].struct.unnest())] if is_table else []


def _odd(cells: pl.DataFrame) -> pl.DataFrame:
    """The cells that are read value by value."""
    kind, item = cells.schema["item"], pl.col("item")
    if kind == pl.String:
        return cells.filter(item.str.contains(_JSON))
    inner = kind.inner if isinstance(kind, pl.List) else kind
    known = isinstance(inner, pl.Struct) or (inner == pl.String and inner is not kind)
    return cells.head(0) if known else cells.drop_nulls()


def _parsed(cells: pl.DataFrame) -> tuple[pl.Series, pl.DataFrame] | None:
    """What cells of JSON hold, as `_given`; None where a field has values of several kinds."""
    if cells.schema["item"] != pl.String:
        return None
    rows: list[int] = []
    records: list[dict[str, Any]] = []
    for row, text in cells.iter_rows():
        try:
            value = foreign.read_json(text)
        except ValueError:
            continue
        for one in value if isinstance(value, list) else [value]:
            if not isinstance(one, (dict, str)):
                return None
            rows.append(row)
            records.append(one if isinstance(one, dict) else {"src": one})
    columns = []
    for name in dict.fromkeys(one for key in VIDEO_KEYS for one in VIDEO_ALIASES.get(key, (key,))):
        values = [record.get(name) for record in records]
        kinds = set(map(type, values)) - {type(None)}
        if not kinds:
            continue
        kind = _SIMPLE.get(kinds.pop())
        if kinds or kind is None:
            return None
        try:
            columns.append(pl.Series(name, values, kind))
        except (OverflowError, TypeError):
            return None
    if not columns:
        return None
    return pl.Series("row", rows, pl.UInt32), pl.DataFrame(columns)


#: Kinds of values in JSON that are read by columns.
_SIMPLE: dict[type, Any] = {str: pl.String, int: pl.Int64, float: pl.Float64, bool: pl.Boolean}


def _by_value(cells: pl.DataFrame, site: str, services: Sequence[Service]) -> pl.DataFrame:
    resolve = _resolver(site)
    found: list[tuple[int, VideoRow]] = [
        (row, film)
        for row, value in cells.iter_rows()
        for film in of_fields(value, resolve, services)
    ]
    films = _series_of([film for _, film in found])
    return pl.DataFrame([pl.Series("row", [row for row, _ in found], pl.UInt32), films])


def _series_of(films: Sequence[VideoRow]) -> pl.Series:
    columns = [_column(name, [film.get(name) for film in films]) for name in VIDEO_KEYS]
    return pl.DataFrame(columns).select(_record()).to_series()


def _record() -> pl.Expr:
    return pl.struct(list(_FIELDS)).alias("film")


def _column(name: str, values: Sequence[Any]) -> pl.Series:
    """A field of videos. A number that it cannot hold is none."""
    kind = _FIELDS[name]
    if not kind.is_integer():
        return pl.Series(name, values, kind)
    return pl.Series(name, values, pl.Int128).cast(kind, strict=False)


def _resolver(site: str) -> Callable[[str], str | None]:
    home = f"{site}/"

    def resolve(said: str) -> str | None:
        return addresses.join_plain(home, said) or addresses.resolve(home, said)

    return resolve


def _by_column(
    row: pl.Series, given: pl.DataFrame, site: str, services: Sequence[Service]
) -> pl.DataFrame:
    columns = []
    for name in VIDEO_KEYS:
        names = [one for one in VIDEO_ALIASES.get(name, (name,)) if one in given.columns]
        kinds = {given.schema[one] for one in names}
        if len(kinds) > 1:
            names = [one for one in names if not given.schema[one].is_nested()]
        cast = (pl.col(one).cast(pl.String) if len(kinds) > 1 else pl.col(one) for one in names)
        if names:
            values = given.select(pl.coalesce(cast).alias(name)).to_series()
        else:
            values = pl.repeat(None, given.height, dtype=pl.String, eager=True)
        columns.append(_read(name, values, site).alias(name))
    films = pl.DataFrame([row.alias("row"), *columns])
    films = films.with_columns(found=pl.lit("field"), service=pl.lit(None, pl.String),
                               words_before=pl.lit(None, _FIELDS["words_before"]))  # fmt: skip
    films = _at_services(films, services)
    shown = pl.col("content").is_not_null() | pl.col("player").is_not_null()
    return films.filter(shown).select("row", _record())


def _read(name: str, values: pl.Series, site: str) -> pl.Series:
    """A field of videos as records have it."""
    kind, theirs, value = _FIELDS[name], values.dtype, pl.col(name)
    if values.null_count() == len(values):
        return pl.Series(name, [None], kind).new_from_index(0, len(values))
    if theirs == pl.String:
        if name in _ADDRESSES:
            return resolved(_filled(values), site)
        if name in _TEXTS:
            return _filled(values.str.replace_all(r"\s+", " ").str.strip_chars())
        if name in _DATES:
            return read_dates(values)
    if name in _COUNTS and theirs.is_integer():
        above = values.to_frame().select(pl.when(value > 0).then(value)).to_series()
        return above.cast(kind, strict=False)
    if (kind == pl.Boolean and theirs == pl.Boolean) or (kind.is_float() and theirs.is_numeric()):
        return values.cast(kind)
    resolve = _resolver(site)
    read = [None if one is None else read_field(name, one, resolve) for one in values.to_list()]
    return _column(name, [None if one in ("", []) else one for one in read])


def _filled(values: pl.Series) -> pl.Series:
    text = pl.col("text")
    return pl.DataFrame({"text": values}).select(pl.when(text != "").then(text)).to_series()


def _at_services(films: pl.DataFrame, services: Sequence[Service]) -> pl.DataFrame:
    """The videos with what hosting services say by the form of their addresses."""
    address = pl.coalesce("player", "content")
    asked = films.select(address.alias("address")).to_series()
    some = asked.filter(_may_be_known(asked, services)).unique().drop_nulls()
    known = {one: at for one in some.to_list() if (at := recognise(one, services))}
    if not known:
        return films
    table = pl.DataFrame(
        [(one, *_parts(found)) for one, found in known.items()],
        schema=dict.fromkeys(("address", "_service", "_player", "_content", "_still"), pl.String),
        orient="row",
    )
    joined = films.with_columns(address=address).join(
        table, on="address", how="left", maintain_order="left"
    )
    is_known = pl.col("_service").is_not_null()
    is_content = is_known & (pl.col("content") == pl.col("address"))
    return joined.with_columns(
        player=pl.when(is_known).then("_player").otherwise("player"),
        service=pl.when(is_known).then("_service").otherwise("service"),
        content=pl.when(is_content).then("_content").otherwise("content"),
        thumbnail=pl.coalesce("thumbnail", "_still"),
    )


def _parts(at: Recognised) -> tuple[str | None, ...]:
    parts = (at.service, at.player, at.content, at.thumbnail)
    return tuple(one or None for one in parts)


def _may_be_known(asked: pl.Series, services: Sequence[Service]) -> pl.Series:
    """Whether a pattern of a service may fit: those that columns know in the same words."""
    fits = pl.repeat(False, len(asked), dtype=pl.Boolean, eager=True)
    for pattern in (one for service in services for one in service.match):
        try:
            fits |= asked.str.contains(f"^(?:{pattern})").fill_null(False)
        except ComputeError:  # a word that only Python's patterns have
            return asked.is_not_null()
    return fits
