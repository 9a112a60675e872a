"""Records that carry the page itself: a field `content` with its HTML, whole or the main part of
it, is read as a page of a folder is. What the record says of the page wins; the page fills gaps."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from itertools import chain

import polars as pl

from jovial_atlas.faults import Fault
from jovial_atlas.pages import schema
from jovial_atlas.pages.gather import Batch
from jovial_atlas.pages.row import PageRow
from jovial_atlas.sources.html_page.page import Reading
from jovial_atlas.sources.records.kept_pages import (
    KEPT_FAULTS,
    KEPT_KEY,
    KeptPages,
    faults_of,
    with_faults,
)
from jovial_atlas.sources.workers.contents import read_contents
from jovial_atlas.sources.workers.readers import Readers
from jovial_atlas.values import replace

#: The column in which records hand the HTML of their page on.
PAGE_HTML = "_content"
#: What a page cannot say of itself.
_NOT_FILLED = frozenset(
    {"loc", "source", "path", "status", "merged", "mtime", "in_section", "parent"}
)


def with_contents(
    batches: Iterable[Batch], reading: Reading, readers: Readers, kept: KeptPages
) -> Iterator[Batch]:
    """The batches, with what the pages in their column `PAGE_HTML` say. Pages that are as they were
    when they were `kept` are not read again."""
    for batch in batches:
        table = batch.table
        if isinstance(table, pl.DataFrame) and PAGE_HTML in table.columns:
            filled, faults = _filled(table, reading, readers, kept)
            yield replace(batch, table=filled, faults=[*batch.faults, *faults], constant={})
        else:
            yield batch


def _filled(
    table: pl.DataFrame, reading: Reading, readers: Readers, kept: KeptPages
) -> tuple[pl.DataFrame, list[Fault]]:
    """The table without `PAGE_HTML`, its gaps filled by what the pages there say; their faults."""
    content = pl.col(PAGE_HTML).str.strip_chars()
    # What begins like this is an object of JSON with parts of its own.
    html = (content != "") & ~pl.col(PAGE_HTML).str.contains(r"^[{\[]")
    carried = table.select("loc", PAGE_HTML).with_row_index("_row").filter(html)
    table = table.drop(PAGE_HTML)
    if not carried.height:
        return table, []
    pages, faults = _pages(carried, reading, readers, kept)
    pages = pages.drop(*_NOT_FILLED, strict=False)
    numbered = table.with_row_index("_row")
    joined = numbered.join(pages, on="_row", how="left", suffix=_PAGE, maintain_order="left")
    columns = [_one(name, table.columns) for name in pages.columns if name != "_row"]
    names = [name for name in schema.SCHEMA if name in table.columns or name in pages.columns]
    extra = [schema.EXTRA] if schema.EXTRA in table.columns else []
    return joined.with_columns(columns).select(*names, *extra), faults


def _pages(
    carried: pl.DataFrame, reading: Reading, readers: Readers, kept: KeptPages
) -> tuple[pl.DataFrame, list[Fault]]:
    """What pages say, given as `_row, loc, PAGE_HTML`, with their `_row`; and their faults."""
    given = list(zip(carried["loc"], carried[PAGE_HTML], strict=True))
    keys = kept.keys(given)
    known = kept.known(keys)
    fresh = (~keys.is_in(known[KEPT_KEY].implode()) & keys.is_first_distinct()).arg_true()
    rows, numbers, faults = _read([given[at] for at in fresh], reading, readers)
    read = with_faults(
        schema.table(rows), keys.gather(fresh.gather(numbers)), [faults[at] for at in numbers]
    )
    # Faults of what is no page at all are not kept, nor is it: it is read each time.
    others = [one for at in {*range(len(faults))} - {*numbers} for one in faults[at]]
    found = pl.concat([known, read])
    kept.keep(found)
    rows_of = carried.select("_row").with_columns(keys)
    joined = rows_of.join(found, on=KEPT_KEY, how="inner", maintain_order="left")
    return joined.drop(KEPT_KEY, KEPT_FAULTS), [*faults_of(found), *others]


def _read(
    given: list[tuple[str, str]], reading: Reading, readers: Readers
) -> tuple[list[PageRow], list[int], list[list[Fault]]]:
    """The rows of those that are pages, their places among what is given, and the faults of all."""
    rows, numbers, faults = [], [], []
    found = chain.from_iterable(readers.each(read_contents, given, reading))
    for number, (row, page_faults) in enumerate(found):
        faults.append(page_faults)
        if row is not None:
            rows.append(row)
            numbers.append(number)
    return rows, numbers, faults


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
