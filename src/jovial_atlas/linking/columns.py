"""What the graph of a site's links says of each page, as columns of the page table."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import polars as pl
from numpy.typing import NDArray

from jovial_atlas.linking.graph import LinkGraph, LinksOfPages, link_graph
from jovial_atlas.linking.lookup import DigestNumbers
from jovial_atlas.linking.spellings import other_spellings
from jovial_atlas.pages import schema

#: The columns, with their types.
_TYPES = {name: schema.SCHEMA[name] for name in schema.LINK_COLUMNS}
#: Pages whose links are read and looked up together.
_ROWS = 32 * 1024
#: So many times as many are read while others are worked on.
_AHEAD = 2
#: Digests of addresses: two of different addresses are the same once in many billion sites.
_SEED = 7


def graph_of(pages: pl.LazyFrame) -> LinkGraph:
    """The graph of the pages of a table (`loc, links, entries, redirect, status, kind`), each by
    its row. A page that sends visitors on links to where it sends them; what is answered with an
    error links to nothing. What leads to another spelling of a page leads to it."""
    digests = pages.select(pl.col("loc").hash(_SEED)).collect(engine="streaming").to_series()
    rows = len(digests)
    spelled = [
        pl.when(each.is_not_null()).then(each.hash(_SEED))
        for each in other_spellings(pl.col("loc"))
    ]
    others = (
        pages.with_row_index("number")
        .select("number", own=pl.col("loc").hash(_SEED), digest=pl.concat_list(spelled))
        .explode("digest")
        .filter(pl.col("digest").is_not_null() & (pl.col("digest") != pl.col("own")))
        .select("number", "digest")
        .collect(engine="streaming")
    )
    # A page at such an address is the one that is meant: it comes last.
    known = pl.concat([others["digest"], digests]).to_numpy()
    numbers = np.concatenate([others["number"].to_numpy() + rows, np.arange(rows, dtype=np.uint32)])
    return link_graph(rows, _parts(pages, rows, DigestNumbers(known, numbers)))


def _parts(pages: pl.LazyFrame, rows: int, numbers: DigestNumbers) -> Iterator[LinksOfPages]:
    """The links of all pages in their order. What leads to another spelling of page n is numbered
    `rows` + n."""
    # Digests are taken where addresses are read: those of all links are too many to hold.
    leads = pl.col("links").list.eval(pl.element().hash(_SEED))
    dead = (pl.col("status") >= 400).fill_null(False) | (pl.col("kind") == "error").fill_null(False)
    sent_on = pl.when(pl.col("redirect").is_not_null()).then(pl.col("redirect").hash(_SEED))
    asked = pages.select(dead=dead, leads=leads, within="entries", sent_on=sent_on)

    def part(begin: int) -> LinksOfPages:
        some = asked.slice(begin, _ROWS).collect(engine="streaming")
        return _each_once(_looked_up(some, numbers), rows)

    begins = list(range(0, rows, _ROWS))
    with ThreadPoolExecutor(_AHEAD) as ahead:
        coming = [ahead.submit(part, begin) for begin in begins[:_AHEAD]]
        for begin in [*begins[_AHEAD:], *([None] * min(_AHEAD, len(begins)))]:
            found = coming.pop(0).result()
            if begin is not None:
                coming.append(ahead.submit(part, begin))
            yield found


def _looked_up(some: pl.DataFrame, numbers: DigestNumbers) -> LinksOfPages:
    if some["sent_on"].null_count() < some.height:
        alone = pl.concat_list("sent_on")
        here = pl.col("sent_on").is_null()
        some = some.with_columns(
            leads=pl.when(here).then("leads").otherwise(alone), within=pl.when(here).then("within")
        )
    if some["dead"].any():
        none = pl.lit([], pl.List(pl.UInt64))
        some = some.with_columns(leads=pl.when("dead").then(none).otherwise("leads"))
    lengths = some["leads"].list.len().fill_null(0)
    linking = some.with_columns(length=lengths).filter(pl.col("length") > 0)
    found = numbers.of(linking["leads"].explode().to_numpy())
    counts = linking["length"].to_numpy().astype(np.int64)
    # Those of the content stand first.
    within = linking["within"].fill_null(linking["length"]).to_numpy().astype(np.int64)
    within = np.minimum(within, counts)
    stretches = np.stack([within, counts - within], axis=1).ravel()
    in_content = np.repeat(np.tile(np.array([True, False]), len(counts)), stretches)
    return LinksOfPages(lengths.to_numpy().astype(np.int64), found, in_content)


def _each_once(links: LinksOfPages, rows: int) -> LinksOfPages:
    """The links, those to other spellings as links to the page, each once a page: what stands in
    the content comes first."""
    spelled = links.targets >= rows
    if not spelled.any():
        return links
    targets = np.where(spelled, links.targets - rows, links.targets)
    at = np.repeat(np.arange(len(links.counts)), links.counts)
    known = targets >= 0
    _, first = np.unique(at[known] * rows + targets[known], return_index=True)
    kept = np.sort(np.flatnonzero(known)[first])
    counts = np.bincount(at[kept], minlength=len(links.counts))
    return LinksOfPages(counts, targets[kept], links.in_content[kept])


def link_columns(graph: LinkGraph, starts: Sequence[int]) -> pl.DataFrame:
    """What a graph says of each page, as the columns of `LINK_COLUMNS`: a page that no way leads to
    from any of the `starts` has no depth."""
    depth = pl.Series(graph.depth(starts), dtype=pl.Int32)
    weight = graph.visits()
    return pl.DataFrame(
        {
            "links_in": graph.links_in,
            "links_out": graph.links_out,
            "content_links_in": graph.content_in,
            "content_links_out": graph.content_out,
            "depth": depth.replace(-1, None),
            "weight": weight,
            "weight_rank": rank_of(weight),
        },
        schema=_TYPES,
    )


def rank_of(weight: NDArray[np.float64]) -> NDArray[np.float64]:
    """For each weight, which part of all the others is lower, 0 to 1; those that are the same, but
    for what a computer cannot tell apart, are in the middle of their places."""
    if len(weight) < 2:
        return np.ones(len(weight))
    steady = np.round(np.log(weight), 5)
    places = pl.Series(steady).rank("average").to_numpy() - 1
    return np.round(places / (len(weight) - 1), 4)
