"""The page table's columns, in one place: name, type, meaning.

One row an address. Dates are strings in the product's form (`dates`): `YYYY-MM-DD` or
`YYYY-MM-DDThh:mm:ssZ`. Everything else that needs a column's name or type asks here.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import polars as pl


@dataclass(frozen=True, slots=True)
class Column:
    """One column: its name, Polars type and meaning."""

    name: str
    type: Any
    meaning: str


IMAGE = pl.Struct({"loc": pl.String, "alt": pl.String})
VIDEO = pl.Struct(
    {
        "content": pl.String,
        "thumbnail": pl.String,
        "title": pl.String,
        "description": pl.String,
    }
)

COLUMNS = (
    Column("loc", pl.String, "the page's normalised absolute address; unique"),
    Column("source", pl.String, "name of the source that delivered the page"),
    Column("path", pl.String, "file inside the source, with `/`"),
    Column("status", pl.Int16, "HTTP status with which the address is answered"),
    Column("kind", pl.String, "page, error (an error page) or frames (a frameset)"),
    Column("redirect", pl.String, "address to which the page sends visitors on at once"),
    Column("title", pl.String, "text of the title element"),
    Column("heading", pl.String, "text of the first h1"),
    Column("description", pl.String, "content of the meta description"),
    Column("excerpt", pl.String, "first sentences of the main content, about 300 characters"),
    Column("language", pl.String, "lang of the html element, as written"),
    Column("author", pl.String, "author named by meta or JSON-LD"),
    Column("canonical", pl.String, "canonical address the page names, normalised"),
    Column("directives", pl.String, "robots directives found, sorted, comma-separated"),
    Column("published", pl.String, "date of first publication"),
    Column("published_from", pl.String, "where that date comes from: meta, json-ld, time"),
    Column("lastmod", pl.String, "date of the last change of the content"),
    Column("lastmod_from", pl.String, "where it comes from: meta, json-ld, time, published, file"),
    Column("words", pl.Int32, "words in the main content"),
    Column("entries", pl.Int32, "pages of the site that the main content links to"),
    Column("links", pl.List(pl.String), "addresses on the same site that the page links to"),
    Column("links_out", pl.Int32, "links to other sites"),
    Column("images", pl.List(IMAGE), "pictures shown, in order, each once"),
    Column("videos", pl.List(VIDEO), "video elements with a media file"),
    Column("fingerprint", pl.String, "digest of the main content's text"),
    Column("bytes", pl.Int64, "size of the file"),
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
    return pl.DataFrame(rows, schema=SCHEMA) if rows else empty()
