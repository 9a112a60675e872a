"""The page table's columns, in one place: name, type, meaning.

One row an address. Dates are strings in the product's form (`dates`): `YYYY-MM-DD` or
`YYYY-MM-DDThh:mm:ssZ`. Everything else that needs a column's name or type asks here.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

import polars as pl

from jovial_atlas.pages import EXTRA as EXTRA


@dataclass(frozen=True, slots=True)
class Column:
    """One column: its name, Polars type and meaning."""

    name: str
    type: Any
    meaning: str


IMAGE = pl.Struct({"loc": pl.String, "alt": pl.String})
#: One video that a page shows. `found` says where: video, player, link, og, json-ld, feed, field.
VIDEO = pl.Struct(
    {
        "content": pl.String,
        "player": pl.String,
        "thumbnail": pl.String,
        "title": pl.String,
        "description": pl.String,
        "duration": pl.Int64,
        "width": pl.Int32,
        "height": pl.Int32,
        "published": pl.String,
        "expires": pl.String,
        "category": pl.String,
        "tags": pl.List(pl.String),
        "rating": pl.Float64,
        "views": pl.Int64,
        "family_friendly": pl.Boolean,
        "live": pl.Boolean,
        "subscription": pl.Boolean,
        "countries": pl.String,
        "platforms": pl.String,
        "uploader": pl.String,
        "uploader_page": pl.String,
        "listed": pl.Boolean,
        "found": pl.String,
        "service": pl.String,
        "words_before": pl.Int32,
    }
)
#: What a video was found to be when it was looked at: the media file probed, a service asked.
MEDIA = pl.Struct(
    {
        "duration": pl.Int64,
        "width": pl.Int32,
        "height": pl.Int32,
        "codecs": pl.String,
        "plays": pl.Boolean,
        "still": pl.String,
        "bytes": pl.Int64,
        "title": pl.String,
        "thumbnail": pl.String,
        "author": pl.String,
        "author_page": pl.String,
        "problem": pl.String,
    }
)

ALTERNATE = pl.Struct({"lang": pl.String, "href": pl.String})

CRAWLER_WORDS = pl.Struct({"crawler": pl.String, "words": pl.String})

MERGED = pl.Struct(
    {"source": pl.String, "column": pl.String, "value": pl.String, "used": pl.Boolean}
)

COLUMNS = (
    Column("loc", pl.String, "the page's normalised absolute address; unique"),
    Column("source", pl.String, "name of the source that delivered the page"),
    Column("path", pl.String, "file inside the source, with `/`"),
    Column("status", pl.Int16, "HTTP status with which the address is answered"),
    Column(
        "kind",
        pl.String,
        "page, error (an error page), frames (a frameset), document (a file that is not HTML), "
        "attachment, draft, or future (dated in the future)",
    ),
    Column("in_section", pl.String, "section that the source names, before any pattern"),
    Column("parent", pl.String, "address or number of the page that an attachment belongs to"),
    Column("redirect", pl.String, "address to which the page sends visitors on at once"),
    Column("title", pl.String, "text of the title element"),
    Column("heading", pl.String, "text of the first h1"),
    Column("description", pl.String, "content of the meta description"),
    Column("excerpt", pl.String, "first sentences of the main content, about 300 characters"),
    Column("language", pl.String, "lang of the html element, as written"),
    Column("author", pl.String, "author named by meta or JSON-LD"),
    Column("canonical", pl.String, "canonical address the page names, normalised"),
    Column(
        "alternates",
        pl.List(ALTERNATE),
        "versions in other languages that the page names, by hreflang",
    ),
    Column("directives", pl.String, "robots directives found, sorted, comma-separated"),
    Column(
        "crawler_directives",
        pl.List(CRAWLER_WORDS),
        "directives for single crawlers of the site's engines, as `directives`",
    ),
    Column(
        "injected",
        pl.String,
        "what tells which head data `inject` wrote into the file; empty for that of an older "
        "version, null where there is none",
    ),
    Column("expires", pl.String, "date from which on the page is no longer valid"),
    Column("published", pl.String, "date of first publication"),
    Column("published_from", pl.String, "where that date comes from: meta, json-ld, time"),
    Column("lastmod", pl.String, "date of the last change of the content"),
    Column("lastmod_from", pl.String, "where it comes from: meta, json-ld, time, published, file"),
    Column("words", pl.Int32, "words in the main content"),
    Column("entries", pl.Int32, "pages of the site that the main content links to"),
    Column("links", pl.List(pl.String), "addresses on the same site that the page links to"),
    Column("links_out", pl.Int32, "links to other sites"),
    Column("images", pl.List(IMAGE), "pictures shown, in order, each once"),
    Column("share_image", pl.String, "address of the picture that the page names for sharing"),
    Column("videos", pl.List(VIDEO), "videos shown, in order, each once"),
    Column("media", pl.List(MEDIA), "what was found out about each of the videos, in their order"),
    Column(
        "data",
        pl.String,
        "structured data found in the page, questions, steps and items of its lists, as JSON",
    ),
    Column("phrase", pl.String, "target phrase, as the source names it"),
    Column("tags", pl.List(pl.String), "tags, as the source names them"),
    Column("categories", pl.List(pl.String), "categories, as the source names them"),
    Column("fingerprint", pl.String, "digest of the main content's text"),
    Column(
        "variant",
        pl.String,
        "what kind of repetition of another page it is: print, query, content (the same text)",
    ),
    Column("variant_of", pl.String, "address of the page that it repeats"),
    Column("bytes", pl.Int64, "size of the file"),
    Column("mtime", pl.Int64, "time of the file, in nanoseconds since 1970"),
    Column("digest", pl.String, "digest of the file's bytes"),
    Column("merged", pl.List(MERGED), "values of other sources for this address, used or not"),
)

SCHEMA: dict[str, Any] = {column.name: column.type for column in COLUMNS}

#: What makes a page count as changed between two surveys.
CHANGE_COLUMNS = (
    "status", "redirect", "title", "description", "canonical", "directives", "lastmod",
    "fingerprint",
)  # fmt: skip


def empty() -> pl.DataFrame:
    """A page table without rows."""
    return pl.DataFrame(schema=SCHEMA)


def table(rows: list[dict[str, Any]]) -> pl.DataFrame:
    """A page table from rows whose keys are the column names; missing keys become null."""
    columns = ([row.get(name) for row in rows] for name in SCHEMA)
    return pl.DataFrame(map(_series, SCHEMA, SCHEMA.values(), columns))


#: Stands between the texts of a list while they are one text: no address or name holds it.
_GAP = "\0"


def _series(name: str, kind: Any, values: list[Any]) -> pl.Series:
    """One column. (Lists take longest: each would become a column of its own.)"""
    if kind == pl.List(pl.String) and (found := _lists_of_text(name, values)) is not None:
        return found
    if isinstance(kind, pl.List) and not any(values):
        there = pl.DataFrame({name: [one is not None for one in values]}, {name: pl.Boolean})
        none = pl.lit(pl.Series([[]], dtype=kind))
        return there.select(pl.when(name).then(none).alias(name)).to_series()
    if isinstance(kind, pl.List):
        return pl.DataFrame([{name: one} for one in values], schema={name: kind}).to_series()
    return pl.Series(name, values, kind)


def _lists_of_text(name: str, values: list[list[str] | None]) -> pl.Series | None:
    """Lists of texts as a column; None where they cannot be parted again."""
    try:
        whole = [None if one is None else _GAP.join(one) for one in values]
    except TypeError:
        return None
    text, none = pl.col(name), pl.lit([], pl.List(pl.String))
    parted = pl.when(text != "").then(text.str.split(_GAP)).when(text == "").then(none)
    found = pl.Series(name, whole, pl.String).to_frame().select(parted.alias(name)).to_series()
    count = sum(len(one) for one in values if one)
    return found if found.list.len().sum() == count else None


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


def extra_fields(frames: Iterable[pl.DataFrame | pl.LazyFrame]) -> dict[str, Any]:
    """Fields of `extra` over several tables; where types differ the field is text."""
    found: dict[str, Any] = {}
    for frame in frames:
        kind = frame.collect_schema().get(EXTRA)
        for one in kind.fields if isinstance(kind, pl.Struct) else ():
            same = found.get(one.name, one.dtype)
            if same == pl.Null:
                same = one.dtype
            elif one.dtype not in (same, pl.Null):
                numbers = same.is_numeric() and one.dtype.is_numeric()
                same = pl.Float64() if numbers else pl.String()
            found[one.name] = same
    return {name: pl.String() if kind == pl.Null else kind for name, kind in found.items()}


def with_extra(frame: Frame, fields: Mapping[str, Any]) -> Frame:
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
