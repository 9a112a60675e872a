"""From a source's own fields to the page table's columns, whole columns at a time.

Sources that deliver records (tables, queries, feeds, interfaces) share these: the address
template, the mapping of names, dates, lists and pictures. A row that gives no usable
address becomes a fault that names it.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from datetime import date, datetime
from functools import partial
from typing import Any

import msgspec
import polars as pl

from jovial_atlas import addresses
from jovial_atlas.address_columns import normal_addresses, path_values, replaced
from jovial_atlas.errors import ContentError
from jovial_atlas.media.fields import of_fields
from jovial_atlas.media.services import Service
from jovial_atlas.pages import schema
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sources.records.content import PAGE_HTML
from jovial_atlas.sources.records.film_columns import read_films
from jovial_atlas.sources.records.losses import Losses
from jovial_atlas.sources.records.nested import (
    in_texts,
    read_picture_cells,
    read_version_cells,
    spelled_versions,
)
from jovial_atlas.sources.records.plain_values import plain_texts, said_texts
from jovial_atlas.sources.records.record_dates import date_column, days_stand_first
from jovial_atlas.sources.records.whole_columns import read_lists, read_pictures
from jovial_atlas.sources.records.withheld import directives, may_withhold, withheld
from jovial_atlas.sources.records.within import field_with, with_values_within

_FIELD = re.compile(r"\{([^{}]+)\}")
_ADDRESSES = ("canonical", "redirect", "share_image")
#: Texts that people read, which may be marked up; and others.
_READ = ("title", "heading", "description", "excerpt", "author", "share_title",
         "share_description", "card_title", "card_description")  # fmt: skip
_TEXT = ("language", "in_section", "parent", "fingerprint", "phrase")
_DATES = ("lastmod", "published", "expires")
_LISTS = ("tags", "categories", "links")
_NESTED = ("images", "videos", "alternates")
#: Columns that no record gives.
_NOT_GIVEN = (*schema.WORKED_OUT, "crawler_directives")


class FieldMap(msgspec.Struct, frozen=True):
    """How the fields of one source become columns.

    `url` is an address template with {field}; empty: the column `loc` (or `url`) holds the
    address. `columns` maps our names to theirs; fields of our own names need no mapping. Names may
    lead to values within others (`seo.title`). What cannot be used is added to `lost`.
    """

    source: str
    site: str
    now: datetime
    url: str = ""
    columns: Mapping[str, str] = msgspec.field(default_factory=dict)
    separator: str = ";"
    services: tuple[Service, ...] = ()
    lost: Losses | None = None
    #: That in which dates may have words, beside English.
    language: str = ""


def template_fields(url: str) -> list[str]:
    """Names in an address template."""
    return _FIELD.findall(url)


def deliver(table: pl.LazyFrame, how: FieldMap) -> pl.LazyFrame:
    """The table with our columns, everything else in `extra`. Rows whose address cannot be
    used are still there; `wrong` finds them.

    Raises ContentError where a named field does not exist.
    """
    own = set(table.collect_schema().names())
    table = with_values_within(table, [*template_fields(how.url), *how.columns.values()])
    check_fields(table.collect_schema().names(), how)
    ours = [name for name in schema.SCHEMA if name not in _NOT_GIVEN]
    taken = {how.columns.get(name, name) for name in ours}
    content = how.columns.get("content", "content")
    lists = {how.columns.get(name, name) for name in (*_LISTS, *_NESTED)}
    used = {*taken, *template_fields(how.url), content, "url", "link"} - lists
    table = in_texts(table, used, lists - {how.columns.get("videos", "videos")})
    have = table.collect_schema()
    status = how.columns.get("status", "status")
    if have.get(status) == pl.String:
        taken.discard(status)  # it says more than numbers do
    extras = [pl.col(name) for name in have if name in own - taken and name != content]
    loc = _address(have, how)
    columns = [loc.alias("loc"), pl.lit(how.source).alias("source")]
    for name in ours:
        theirs = how.columns.get(name, name)
        if name in _MADE or theirs not in have:
            continue
        columns.append(
            _date(name, theirs, table, how).alias(name)
            if name in _DATES
            else _column(name, theirs, have[theirs], how).alias(name)
        )
    given = {str(column.meta.output_name()) for column in columns}
    columns += _usual(have, how)
    if content in have:
        html = pl.col(content).cast(pl.String)
        html = html.map_batches(said_texts, return_dtype=pl.String, is_elementwise=True)
        columns.append(html.alias(PAGE_HTML))
    if extras:
        columns.append(pl.struct(extras).alias(schema.EXTRA))
    delivered = table.select(columns)
    if "lastmod" in given:
        dated = pl.col("lastmod").is_not_null()
        delivered = delivered.with_columns(lastmod_from=pl.when(dated).then(pl.lit("field")))
    return delivered


#: What a server mostly answers, and what a record mostly is.
_GOOD, _PAGE = 200, "page"
#: Columns that are not just those of the table.
_MADE = ("loc", "source", "merged", "status", "kind", "directives")


def _usual(have: pl.Schema, how: FieldMap) -> list[pl.Expr]:
    """What a page has mostly: an answer, and that it is one; and what fields say of drafts and of
    crawlers."""
    named = {name: how.columns.get(name, name) for name in ("status", "kind")}
    status: pl.Expr = pl.lit(_GOOD, pl.Int16)
    if named["status"] in have:
        status = pl.col(named["status"]).cast(pl.Int16, strict=False)
        # Texts that are no numbers, and flags, say no answer of a server: there is a page.
        status = pl.when(status.is_between(100, 599)).then(status).otherwise(_GOOD)
    kind: pl.Expr = pl.lit(_PAGE)
    if named["kind"] in have:
        kind = _text(pl.col(named["kind"]))
    if (draft := withheld(have, how.columns)) is not None:
        kind = pl.when(draft).then(pl.lit("draft")).otherwise(kind)
    made = [status.alias("status"), kind.alias("kind")]
    if (words := directives(have, how.columns)) is not None:
        made.append(words.alias("directives"))
    return made


def _text(column: pl.Expr) -> pl.Expr:
    text = column.cast(pl.String).str.strip_chars()
    return pl.when(text != "").then(text)


def constants(have: Collection[str], how: FieldMap) -> dict[str, Any]:
    """The columns in which `deliver` gives all rows of a table with such fields one value, and
    which."""
    names = {name: how.columns.get(name, name) for name in ("status", "kind")}
    same = {"source": how.source, "status": _GOOD, "kind": _PAGE}
    for ours, one in names.items():
        if one in have or field_with(one, have):
            del same[ours]
    if may_withhold([*have], how.columns):
        same.pop("kind", None)
    return same


def check_fields(have: list[str], how: FieldMap) -> None:
    """Raises ContentError where a table has not the fields that its pages are made of."""
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


def _address(have: Mapping[str, pl.DataType], how: FieldMap) -> pl.Expr:
    if not how.url:
        mapped = how.columns.get("loc", "loc")
        name = next(one for one in (mapped, "url", "link") if one in have)
        return _of_site(normal(pl.col(name).cast(pl.String), how.site), how.site, how.lost)
    parts: list[pl.Expr] = []
    begun = how.url if how.url.startswith(("http://", "https://")) else how.site + how.url
    for number, piece in enumerate(_FIELD.split(begun)):
        if number % 2:
            value = _path_value(pl.col(piece), have[piece])
            parts.append(pl.when(value != "").then(value))
        elif piece:
            parts.append(pl.lit(addresses.escape(piece)))
    return pl.concat_str(parts)


def _path_value(column: pl.Expr, kind: pl.DataType) -> pl.Expr:
    """A value inside a path, in normal form: percent-encoded but for its slashes."""
    text = column.cast(pl.String)
    if kind.is_integer():
        return text

    return text.map_batches(path_values, return_dtype=pl.String, is_elementwise=True)


def normal(column: pl.Expr, site: str) -> pl.Expr:
    """A column of addresses (or paths from '/' on) in normal form; null where it is none."""

    # Reports of visits often name host and path alone.
    scheme, _, host = site.partition("://")
    bare = column.str.starts_with(f"{host}/") if host else pl.lit(False)
    column = pl.when(bare).then(pl.lit(f"{scheme}://") + column).otherwise(column)
    work = partial(normal_addresses, site=site)
    return column.map_batches(work, return_dtype=pl.String, is_elementwise=True)


def _of_site(column: pl.Expr, site: str, lost: Losses | None = None) -> pl.Expr:
    """Addresses of the site, those that have the other scheme with its own; they are counted as
    `lost`."""
    other = addresses.with_other_scheme(site)

    def work(values: pl.Series) -> pl.Series:
        if not (begun := values.str.starts_with(other)).any():
            return values
        odd = begun & values.str.contains(rf"^{re.escape(other)}(?:/|$)")
        if lost is not None and odd.any():
            lost.note_scheme(values.filter(odd))
        places = odd.fill_null(False)
        return replaced(values, places, lambda some: site + some.str.slice(len(other)))

    return column.map_batches(work, return_dtype=pl.String, is_elementwise=True)


def wrong(how: FieldMap) -> pl.Expr:
    """Whether a delivered address cannot be used: there is none, or it is of another host."""
    loc = pl.col("loc")
    if how.url.startswith("/"):
        return loc.is_null()
    return loc.is_null() | ((loc != how.site) & ~loc.str.starts_with(f"{how.site}/"))


def _date(name: str, theirs: str, table: pl.LazyFrame, how: FieldMap) -> pl.Expr:
    kind = table.collect_schema()[theirs]
    if kind == pl.Boolean:
        return pl.lit(None, pl.String)  # whether it was published, not when
    last = date.max if name == "expires" else how.now.date()
    day_first = days_stand_first(table, theirs, kind)
    lost = how.lost.dates if how.lost is not None else None
    return date_column(theirs, kind, last, lost, day_first=day_first, language=how.language)


def _column(name: str, theirs: str, kind: pl.DataType, how: FieldMap) -> pl.Expr:
    column = pl.col(theirs)
    if name == "links":
        return _links(_list(column, kind, how.separator, addresses=True), how.site)
    if name in _LISTS:
        return _list(column, kind, how.separator)
    if name == "images":
        return _pictures(column, kind, how)
    if name == "alternates":
        return _versions(column, kind, how.site)
    if name == "videos":
        return _films(column, how)
    if name in _ADDRESSES:
        address = normal(column.cast(pl.String), how.site)
        return _of_site(pl.when(address.str.starts_with("http")).then(address), how.site)
    if name == "author" and kind.is_numeric():
        return pl.lit(None, pl.String)  # whom a number means, only the system knows that made it
    if name in _READ:
        return _plain(column.cast(pl.String), theirs, how)
    if name in _TEXT:
        return _text(column)
    return column.cast(schema.SCHEMA[name], strict=False)


def _plain(column: pl.Expr, field: str, how: FieldMap) -> pl.Expr:
    """Texts that people read, without markup."""

    def work(values: pl.Series) -> pl.Series:
        texts, marked = plain_texts(values)
        if how.lost is not None and marked.any():
            how.lost.note_markup(field, values.filter(marked))
        return texts.alias(values.name)

    return column.map_batches(work, return_dtype=pl.String, is_elementwise=True)


def _list(
    column: pl.Expr, kind: pl.DataType, separator: str, *, addresses: bool = False
) -> pl.Expr:
    if isinstance(kind, pl.List):
        return column.cast(pl.List(pl.String), strict=False)

    split = partial(read_lists, separator=separator, addresses=addresses)
    kind = pl.List(pl.String)
    return column.cast(pl.String).map_batches(split, return_dtype=kind, is_elementwise=True)


def _links(column: pl.Expr, site: str) -> pl.Expr:
    """Addresses of the site in the one spelling, without fragments, each once."""
    bare = pl.element().str.replace(r"#.*$", "")
    spelled = column.list.eval(_of_site(normal(bare, site), site))
    within = (pl.element() == site) | pl.element().str.starts_with(f"{site}/")
    return spelled.list.eval(pl.element().filter(within).unique(maintain_order=True))


def _pictures(column: pl.Expr, kind: pl.DataType, how: FieldMap) -> pl.Expr:
    if isinstance(kind, pl.List):
        column, work = _list(column, kind, ""), partial(read_pictures, site=how.site)
    else:
        column = column.cast(pl.String)
        work = partial(read_picture_cells, separator=how.separator, site=how.site)
    return column.map_batches(work, return_dtype=schema.SCHEMA["images"], is_elementwise=True)


def _versions(column: pl.Expr, kind: pl.DataType, site: str) -> pl.Expr:
    work = partial(read_version_cells, site=site)
    if kind == (spelled := schema.SCHEMA["alternates"]):
        work = partial(spelled_versions, site=site)
    elif not isinstance(kind, pl.List):
        column = column.cast(pl.String)
    else:  # texts, which name no language
        return pl.lit(None, spelled)
    return column.map_batches(work, return_dtype=spelled, is_elementwise=True)


def _films(column: pl.Expr, how: FieldMap) -> pl.Expr:
    """Videos in a cell: an address, a table, a list of these, or any of them as JSON."""
    work = partial(read_films, site=how.site, services=how.services)
    return column.map_batches(work, return_dtype=schema.SCHEMA["videos"], is_elementwise=True)


def with_named_videos(
    table: pl.DataFrame | pl.LazyFrame, names: Sequence[str], services: tuple[Service, ...]
) -> pl.DataFrame | pl.LazyFrame:
    """The table with the videos that fields of `extra` (or columns beyond the schema) name."""
    known = table.collect_schema()
    extra = known.get(schema.EXTRA)
    inner = {one.name for one in extra.fields} if isinstance(extra, pl.Struct) else set()
    for name in names:
        if name not in inner and (name not in known or name in schema.SCHEMA):
            continue
        value = pl.col(schema.EXTRA).struct.field(name) if name in inner else pl.col(name)
        had = pl.col("videos") if "videos" in known else pl.lit(None, schema.SCHEMA["videos"])

        def work(rows: pl.Series) -> pl.Series:
            found = []
            for row in rows.to_list():
                loc = row["loc"] or ""
                named = of_fields(row["v"], partial(addresses.resolve, loc),
                                  services)  # fmt: skip
                have = [one["content"] or one["player"] for one in row["had"] or []]
                more = [one for one in named if (one["content"] or one["player"]) not in have]
                found.append([*(row["had"] or []), *more])
            return schema.lists_of_structs("videos", found, schema.ONE_VIDEO)

        whole = pl.struct("loc", v=value, had=had).map_batches(
            work, return_dtype=schema.SCHEMA["videos"], is_elementwise=True
        )
        table = table.with_columns(videos=whole)
        known = table.collect_schema()
    return table


def split_wrong(
    delivered: pl.DataFrame,
    how: FieldMap,
    before: str,
    lines: Sequence[int] | Sequence[str] | int = 0,
) -> Batch:
    """The rows that can be used. Others are lost (`how.lost`), or told at once where nobody counts
    them; `before` and `lines` say what each is told as (`Losses.leave_out`)."""
    bad = wrong(how)
    refused = delivered.select("loc").with_row_index("_row", offset=1).filter(bad)
    if not refused.height:
        return Batch(delivered)
    lost = how.lost or Losses()
    lost.leave_out(refused, before, lines)
    told = [] if how.lost else list(lost.faults(how.source, how.site))
    return Batch(delivered.filter(~bad), told)
