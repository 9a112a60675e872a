"""Telling layout from content by the whole site: a picture on most pages is a logo, a heading that
most pages share is the site's name, first sentences that several pages share stand in a frame
around them, and tags that most pages share are a list of all there are. All of it is taken out of
the page table."""

from __future__ import annotations

from collections.abc import Collection

import polars as pl

from jovial_atlas.pages import schema
from jovial_atlas.rounds.reading.read_pages import any_read, was_read
from jovial_atlas.rounds.state.layout import Layout
from jovial_atlas.rules.page_kinds import lists_others
from jovial_atlas.rules.selectors import path_column
from jovial_atlas.sitefile import SiteFile

#: Sites with fewer pages are all alike by chance.
_LEAST_PAGES = 8
#: From this share of pages on a picture or a heading is layout.
_SHARE = 0.5
#: So many pages with other texts that begin with the same sentences do so by their frame.
_SAME_BEGINNING = 3


def learned(table: pl.LazyFrame, filled: Collection[str], site: SiteFile) -> Layout:
    """What is layout by the pages of a table that were read. Records of other systems name their
    pictures and texts on purpose."""
    if not any_read(filled):
        return Layout()
    table = schema.complete(table)
    pages = table.filter(was_read())
    count = pages.select(pl.len()).collect(engine="streaming").item()
    if count < _LEAST_PAGES:
        return Layout()
    most = pl.len() >= _SHARE * count
    found: dict[str, tuple[str, ...]] = {}
    if "images" in filled:
        found["images"] = tuple(sorted({*_repeated_images(pages, count), *_icons(pages, site)}))
    if "heading" in filled:
        # A site of which all pages have one title has one subject.
        other = pl.col("title").n_unique() >= pl.len() / 2
        found["headings"] = _repeated(pages.select("heading", "title"), "heading", most & other)
    if "excerpt" in filled:
        other = pl.col("fingerprint").n_unique() >= _SAME_BEGINNING
        # What lists others begins as the first of them does.
        texts = pages.with_columns(path_column(site)).filter(~lists_others(site))
        # Pages that nobody has translated yet begin alike in several languages.
        found["excerpts"] = _repeated(texts, "excerpt", other, "language")
    if "tags" in filled:
        listed = pages.select(tags=pl.col("tags").list.join("|"))
        found["tags"] = _repeated(listed.filter(pl.col("tags") != ""), "tags", most)
    return Layout(**found)


#: Folders with fewer pages may show one picture on purpose.
_LEAST_IN_FOLDER = 20


def _repeated_images(pages: pl.LazyFrame, count: int) -> tuple[str, ...]:
    """Pictures on most pages of the site, or of one of its top folders: a book in many languages
    has a logo in each."""
    loc = pl.col("loc")
    shown = pages.select(
        folder=loc.str.extract(r"^https?://[^/]+/([^/]+)/").fill_null(""),
        image=pl.col("images").list.eval(pl.element().struct.field("loc")),
    )
    sizes = shown.group_by("folder").agg(whole=pl.len())
    counted = (
        shown.filter(pl.col("image").list.len() > 0)
        .explode("image")
        .group_by("folder", "image")
        .agg(times=pl.len())
        .join(sizes, on="folder")
        .with_columns(everywhere=pl.col("times").sum().over("image"))
        .filter(
            (pl.col("everywhere") >= _SHARE * count)
            | (
                (pl.col("whole") >= _LEAST_IN_FOLDER)
                & (pl.col("times") >= _SHARE * pl.col("whole"))
            )
        )
    )
    return tuple(counted.collect(engine="streaming")["image"].unique().sort())


#: A picture on so many pages may be an icon; so many of them, the most frequent ones, are measured.
_LEAST_SHOWN, _MEASURED = 3, 1_000


def _icons(pages: pl.LazyFrame, site: SiteFile) -> list[str]:
    """Pictures on several pages whose files are those of icons: arrows, signs beside notes."""
    shown = (
        pages.filter(pl.col("images").list.len() > 0)
        .select(image=pl.col("images").list.eval(pl.element().struct.field("loc")))
        .explode("image")
        .group_by("image")
        .len()
        .filter(pl.col("len") >= _LEAST_SHOWN)
        .sort("len", "image", descending=[True, False])
        .head(_MEASURED)
        .collect(engine="streaming")["image"]
    )
    if not shown.len():
        return []
    # Sites without such pictures need not wait for what measures them.
    from jovial_atlas.rounds.state.picture_files import PictureFiles

    files = PictureFiles(site)
    found = [loc for loc in shown if files.is_icon(loc)]
    files.keep()
    return found


def _repeated(table: pl.LazyFrame, name: str, often: pl.Expr, *within: str) -> tuple[str, ...]:
    """The values of a column that stand often enough, among pages that are alike `within`."""
    there = table.filter(pl.col(name).is_not_null()).group_by(name, *within).agg(_often=often)
    return tuple(there.filter("_often").collect(engine="streaming")[name].unique().sort())


def without_layout(table: pl.LazyFrame, filled: Collection[str], layout: Layout) -> pl.LazyFrame:
    """The table without what is layout."""
    columns = []
    if layout.images and "images" in filled:
        loc = pl.element().struct.field("loc")
        own = pl.element().filter(~loc.is_in(list(layout.images)))
        columns.append(pl.col("images").list.eval(own))
    if layout.tags and "tags" in filled:
        tags = pl.col("tags")
        own = ~tags.list.join("|").is_in(list(layout.tags))
        columns.append(pl.when(own).then(tags).alias("tags"))
    for name, texts in (("heading", layout.headings), ("excerpt", layout.excerpts)):
        if texts and name in filled:
            text = pl.col(name)
            columns.append(pl.when(~text.is_in(list(texts))).then(text).alias(name))
    return table.with_columns(columns)
