"""Records that carry the page itself: a field `content` with its HTML, whole or the main part of
it, is read as a page of a folder is. What the record says of the page wins; the page fills gaps."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator
from pathlib import Path

import polars as pl
import xxhash

from jovial_atlas.faults import Fault
from jovial_atlas.pages import schema
from jovial_atlas.pages.gather import Batch
from jovial_atlas.pages.row import PageRow
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page
from jovial_atlas.values import replace

#: The column in which records hand the HTML of their page on.
PAGE_HTML = "_content"
_WHOLE = re.compile(r"\A\s*(?:<\?xml[^>]*>\s*)?(?:<!--.*?-->\s*)*<(?:!doctype|html|head|body)\b",
                    re.I | re.S)  # fmt: skip
#: What a page cannot say of itself.
_NOT_FILLED = frozenset(
    {"loc", "source", "path", "status", "merged", "mtime", "in_section", "parent"}
)
#: What a part of a page cannot lack.
_OF_WHOLE_PAGES = frozenset({"page-empty"})


def with_contents(batches: Iterable[Batch], reading: Reading) -> Iterator[Batch]:
    """The batches, with what the pages in their column `PAGE_HTML` say."""
    for batch in batches:
        table = batch.table
        if isinstance(table, pl.DataFrame) and PAGE_HTML in table.columns:
            filled, faults = _filled(table, reading)
            yield replace(batch, table=filled, faults=[*batch.faults, *faults], constant=())
        else:
            yield batch


def _filled(table: pl.DataFrame, reading: Reading) -> tuple[pl.DataFrame, list[Fault]]:
    """The table without `PAGE_HTML`, its gaps filled by what the pages there say; their faults."""
    rows: list[PageRow] = []
    faults: list[Fault] = []
    for number, (loc, content) in enumerate(table.select("loc", PAGE_HTML).iter_rows()):
        # What begins like this is an object of JSON with parts of its own.
        if content and content.strip() and not content.startswith(("{", "[")):
            row, page_faults = _read(loc, content, reading)
            faults += page_faults
            if row is not None:
                rows.append({**row, "path": str(number)})
    table = table.drop(PAGE_HTML)
    if not rows:
        return table, faults
    pages = schema.table(rows)
    numbers = pages["path"].cast(pl.UInt32).alias("_row")
    pages = pages.drop(*(name for name in _NOT_FILLED if name in pages.columns))
    numbered = table.with_row_index("_row")
    joined = numbered.join(
        pages.with_columns(numbers), on="_row", how="left", suffix=_PAGE, maintain_order="left"
    )
    columns = [_one(name, table.columns) for name in pages.columns]
    names = [name for name in schema.SCHEMA if name in table.columns or name in pages.columns]
    extra = [schema.EXTRA] if schema.EXTRA in table.columns else []
    return joined.with_columns(columns).select(*names, *extra), faults


#: What the columns of pages are called where records have the same.
_PAGE = "_page"


def _one(name: str, given: Collection[str]) -> pl.Expr:
    """A column: what the record says, else its page."""
    date = name.removesuffix("_from")
    if date != name and date in given:
        # From where a date comes, the date tells: whose is taken.
        page = pl.col(f"{name}{_PAGE}" if name in given else name)
        own = pl.col(name) if name in given else pl.lit("field")
        return pl.when(pl.col(date).is_null()).then(page).otherwise(own).alias(name)
    if name not in given:
        return pl.col(name)
    own, page = pl.col(name), pl.col(f"{name}{_PAGE}")
    if name == "kind":
        return pl.when(own == "page").then(pl.coalesce(page, own)).otherwise(own).alias(name)
    return pl.coalesce(own, page).alias(name)


def _read(loc: str, content: str, reading: Reading) -> tuple[PageRow | None, list[Fault]]:
    whole = _WHOLE.match(content) is not None
    data = (content if whole else f"<main>{content}</main>").encode("utf-8", "replace")
    row, faults = read_page(data, PageFile(Path(), loc, loc), reading)
    if row is not None:
        row["digest"] = xxhash.xxh3_128_hexdigest(content.encode("utf-8", "replace"))
    return row, faults if whole else [one for one in faults if one.code not in _OF_WHOLE_PAGES]
