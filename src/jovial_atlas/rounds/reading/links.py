"""What the links between the pages of a site say of each page, found once a survey."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import polars as pl

from jovial_atlas import __version__
from jovial_atlas.files import digest
from jovial_atlas.linking.columns import graph_of, link_columns
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.pages.blocks import blocks_of
from jovial_atlas.rounds.state.names import PAGE_TABLE
from jovial_atlas.sitefile import SiteFile

#: What figures of links rest on in the page table.
_RESTS_ON = ("loc", "links", "entries", "redirect", "status", "kind", "injected")


class FoundLinkFigures(NamedTuple):
    """What links say of each page, and a mark of what that rests on; "" where it is not known."""

    table: pl.DataFrame
    mark: str


def link_figures(
    delivered: pl.LazyFrame, site: SiteFile, stored: Path, before: str = ""
) -> FoundLinkFigures:
    """`loc` and the columns of `LINK_COLUMNS` for each page; without rows where no page links to
    another. Where the table is `stored` already and rests on what had the mark `before`, they are
    those of the survey before: other texts make no other links."""
    mark = _mark(stored, site)
    if mark and mark == before:
        known = snapshot.scan(site.state / PAGE_TABLE)
        names = ("loc", *schema.LINK_COLUMNS)
        if known is not None and set(names) <= set(known.collect_schema()):
            return FoundLinkFigures(known.select(names).collect(engine="streaming"), mark)
    return FoundLinkFigures(_figures(delivered, site), mark)


def _mark(stored: Path, site: SiteFile) -> str:
    if not stored.exists():
        return ""
    parts = [__version__, repr(site.model), repr(site.taken_links)]
    parts += [block.digest for block in blocks_of(stored, _RESTS_ON)]
    return digest("\n".join(parts).encode())


def _figures(delivered: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    pages = linking_pages(schema.complete(delivered), site)
    if not pages.select((pl.col("links").list.len() > 0).any()).collect(engine="streaming").item():
        names = ("loc", *schema.LINK_COLUMNS)
        return pl.DataFrame(schema={name: schema.SCHEMA[name] for name in names})
    locs = pages.select("loc").collect(engine="streaming")["loc"]
    return link_columns(graph_of(pages), start_pages(locs, site)).insert_column(0, locs)


def linking_pages(pages: pl.LazyFrame, site: SiteFile) -> pl.LazyFrame:
    """What the graph is made of: pages with their links, and with those that `inject` wrote."""
    asked = pages.select("loc", "links", "entries", "redirect", "status", "kind", "injected")
    if not site.taken_links:
        return asked.drop("injected")
    rows = [(one.loc, one.to) for one in site.taken_links]
    taken = pl.DataFrame(rows, {"loc": pl.String, "added": pl.String}, orient="row")
    joined = asked.join(
        taken.group_by("loc").agg("added").lazy(), on="loc", how="left", maintain_order="left"
    )
    there = pl.col("injected").is_not_null() & pl.col("added").is_not_null()
    none = pl.lit([], pl.List(pl.String))
    own = pl.col("links").fill_null(none)
    return joined.with_columns(
        links=pl.when(there).then(pl.col("added").list.concat(own)).otherwise("links"),
        entries=pl.when(there)
        .then(pl.col("entries") + pl.col("added").list.len().cast(pl.Int32))
        .otherwise("entries"),
    ).drop("injected", "added")


#: Pages that readers begin with, where a host has no page at its root, at most.
_MOST_STARTS = 100


def start_pages(locs: pl.Series, site: SiteFile) -> Sequence[int]:
    """The numbers of the pages that readers begin with: those that `[links] start` names, else the
    root of each host; of a host without one, the pages of its uppermost folders, or else the one
    with the shortest path."""
    numbers: list[int] = []
    here = locs.to_frame("loc").with_row_index("number")
    for host in site.hosts:
        home = f"{host.model.site.url}/"
        named = [home.removesuffix("/") + path for path in site.model.links.start]
        found = here.filter(pl.col("loc").is_in(named or [home]))
        if not found.height and not named:
            found = _uppermost(here.filter(pl.col("loc").str.starts_with(home)))
        numbers += found["number"].to_list()
    return numbers


def _uppermost(pages: pl.DataFrame) -> pl.DataFrame:
    """Of the pages of a host, as `number, loc`, those that readers may begin with."""
    parts = pl.col("loc").str.strip_chars_end("/").str.count_matches("/")
    index = pl.col("loc").str.contains(r"/(?:index|default|home|contents)\.[a-z]+$")
    folder = pl.col("loc").str.ends_with("/")
    first = pages.with_columns(parts=parts).filter(pl.col("parts") == pl.col("parts").min())
    for wanted in (folder, index):
        some = first.filter(wanted).sort("loc")
        if some.height:
            return some.head(_MOST_STARTS)
    return first.sort(pl.col("loc").str.len_chars(), "loc").head(1)
