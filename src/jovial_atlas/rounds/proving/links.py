"""The links of a site: who leads where, what leads nowhere, which pages nothing leads to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from posixpath import join, normpath
from urllib.parse import unquote

import numpy as np
import polars as pl
from numpy.typing import NDArray

from jovial_atlas import patterns
from jovial_atlas.linking.broken import BrokenLink, broken_links
from jovial_atlas.linking.columns import graph_of, link_columns
from jovial_atlas.linking.graph import LinkGraph
from jovial_atlas.linking.spellings import all_spellings
from jovial_atlas.linking.states import (
    LinkSurroundings,
    link_states,
    target_states,
)
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.rounds.proving.named_files import markdown_sources
from jovial_atlas.rounds.reading.links import linking_pages, start_pages
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.page_links import page_links, style_links
from jovial_atlas.rounds.state.site_files import file_of, may_exist
from jovial_atlas.sitefile import SiteFile

#: Kinds of page that lead on by what they are, or of which nobody expects that something leads to
#: them.
_APART = ("error", "search", "draft", "document", "feed")


@dataclass(frozen=True, slots=True)
class SectionPair:
    """How many links lead from the pages of one section to those of another."""

    source: str
    target: str
    links: int


@dataclass(frozen=True)
class LinkOverview:
    """What there is to say of all links of a site.

    `depth`: clicks from the start → pages, None for those that no way leads to. `orphans` are
    listed pages that no page links to, `islands` those that are linked to, and that no way leads to
    from the start all the same; `dead_ends` lead to no other page; `only_nofollow` and
    `only_unlisted` are reached by no way but over links that crawlers do not follow, or over pages
    that are not indexed. `apart`: pairs of sections of which neither links to the other.
    `matrix`: links from each section to each. `most` are the listed pages of most weight, with the
    pages that link to each and that weight.
    """

    pages: int
    links: int
    content_links: int
    starts: list[str]
    depth: dict[int | None, int]
    orphans: list[str]
    islands: list[str]
    dead_ends: list[str]
    only_nofollow: list[str]
    only_unlisted: list[str]
    apart: list[tuple[str, str]]
    matrix: list[SectionPair]
    most: list[tuple[str, int, float]]


@dataclass(frozen=True)
class SiteLinks:
    """The links of the pages of a survey."""

    survey: LastSurvey
    workers: int | None = None

    @property
    def site(self) -> SiteFile:
        """The site file."""
        return self.survey.site

    @cached_property
    def graph(self) -> LinkGraph:
        """The pages as a graph, each by its row of the page table."""
        return graph_of(linking_pages(self.survey.pages, self.site))

    @cached_property
    def pages(self) -> pl.DataFrame:
        """What is asked of each page here, in the order of the page table."""
        return self.survey.table.select(
            "loc", "section", "role", "listed", "index", "follow", "canonical", "decided_by",
            "redirect", "send_to", "status", "kind", "links_in", "depth", "weight", "clicks",
            "visits",
        ).collect(engine="streaming").pipe(self._with_figures)  # fmt: skip

    def _with_figures(self, pages: pl.DataFrame) -> pl.DataFrame:
        """The pages with what links say of each, where the survey has no word of it: no page links
        to another, or it is of a time before that."""
        if pages["weight"].null_count() < pages.height or not pages.height:
            return pages
        figures = link_columns(self.graph, start_pages(pages["loc"], self.site))
        return pages.with_columns(figures.select("links_in", "depth", "weight"))

    @cached_property
    def all(self) -> pl.LazyFrame:
        """All that pages and their style sheets lead to, as `reading.READ_COLUMNS`, links to
        themselves left in."""
        found = _by_files(page_links(self.survey, self.workers), self.survey)
        styles = style_links(found, file_of(self.site))
        return pl.concat([found, styles, self._taken(found.collect_schema())])

    def _taken(self, columns: pl.Schema) -> pl.LazyFrame:
        """The links that the owner took, of pages into which `inject` wrote."""
        rows = [(one.loc, one.to, one.words) for one in self.site.taken_links]
        names = {"page": pl.String, "target": pl.String, "text": pl.String}
        taken = pl.DataFrame(rows, names, orient="row").lazy().with_columns(
            kind=pl.lit("link"), place=pl.lit("content"), nofollow=pl.lit(False)
        )
        written = self.survey.pages.filter(pl.col("injected").is_not_null()).select(page="loc")
        there = taken.join(written, on="page", how="semi")
        blank = [pl.lit(None, kind).alias(name) for name, kind in columns.items()]
        known = set(there.collect_schema())
        filled = there.with_columns(one for one in blank if one.meta.output_name() not in known)
        return filled.select(pl.col(name).cast(kind) for name, kind in columns.items())

    @cached_property
    def states(self) -> pl.DataFrame:
        """The state of each target, as `target_states` gives it."""
        targets = self.all.select(pl.col("target").unique()).collect(engine="streaming")["target"]
        return target_states(targets, self._around)

    @property
    def _around(self) -> LinkSurroundings:
        return LinkSurroundings(
            self.pages.lazy(),
            may_exist(self.site),
            [host.model.site.url for host in self.site.hosts],
            self.site.model.links.hosts,
            self._moved,
        )

    def _moved(self, address: str) -> str:
        """Where the table of moves leads an address; "" where nowhere."""
        end = self._moves.end(address) if self.site.moves else None
        return end.to if end and not end.loops else ""

    @cached_property
    def _moves(self) -> MoveMap:
        return MoveMap(self.site.moves)

    @cached_property
    def stated(self) -> pl.LazyFrame:
        """All links with what becomes of those who follow them."""
        links = self.all.filter(~pl.col("kind").is_in(["id", "page"]))
        named = self.all.filter(pl.col("kind").is_in(["id", "page"])).select("page", "fragment")
        return link_states(links, self.states, named)

    def broken(self) -> list[BrokenLink]:
        """The links that lead wrong, by target, worst first."""
        return [one for one in broken_links(self.stated) if not self.is_ignored(one.target)]

    @cached_property
    def is_ignored(self) -> Callable[[str], bool]:
        """Whether the owner wants to hear nothing of a target."""
        origins = [host.model.site.url for host in self.site.hosts]
        return patterns.matcher(self.site.model.links.ignore, origins)

    def of_page(self, loc: str, *, towards: bool) -> pl.DataFrame:
        """The links `towards` a page, or from it, with their states: those of the content first."""
        if towards:
            wanted = pl.col("target").is_in(all_spellings(loc)) & (pl.col("page") != loc)
        else:
            wanted = (pl.col("page") == loc) & (pl.col("target") != loc)
        named = pl.col("kind").is_in(["id", "page"])
        some = self.all.filter(wanted, ~named).collect(engine="streaming")
        states = target_states(some["target"], self._around)
        pages = pl.concat([states["target"], states["known_as"].drop_nulls()]).unique()
        names = self.all.filter(named, pl.col("page").is_in(pages.implode()))
        found = link_states(some.lazy(), states, names.select("page", "fragment")).collect()
        if towards:
            known = pl.coalesce("known_as", "target")
            found = found.filter(known == pl.lit(loc))
        return found.sort(
            pl.col("place").cast(pl.String) != "content", pl.col("place").to_physical(),
            *(["page"] if towards else []), maintain_order=True,
        )  # fmt: skip

    def overview(self) -> LinkOverview:
        """All links in a few figures."""
        pages, graph = self.pages, self.graph
        starts = start_pages(pages["loc"], self.site)
        counted = pages.group_by("depth").len()
        depth = dict(sorted(counted.iter_rows(), key=lambda one: (one[0] is None, one[0] or 0)))
        listed = pages["listed"].to_numpy()
        matrix, names = self._sections()
        most = pages.filter("listed").sort(["weight", "loc"], descending=[True, False]).head(10)
        at_start = np.zeros(graph.pages, np.bool_)
        at_start[list(starts)] = True
        orphans = listed & (graph.links_in == 0) & ~at_start
        return LinkOverview(
            pages=graph.pages, links=int(graph.links_out.sum()),
            content_links=int(graph.content_out.sum()),
            starts=[pages["loc"][one] for one in starts],
            depth=depth,
            orphans=self._locs(orphans),
            islands=self._locs(listed & (graph.depth(starts) < 0) & ~orphans),
            dead_ends=self._locs(self._dead_ends(listed)),
            only_nofollow=self._locs(listed & self._lost(starts, ~_truth(pages["follow"]))),
            only_unlisted=self._locs(listed & self._lost(starts, ~_truth(pages["index"]))),
            apart=_apart(matrix, names, self._sizes(names)),
            matrix=[
                SectionPair(names[a], names[b], int(matrix[a, b]))
                for a in range(len(names))
                for b in range(len(names))
                if matrix[a, b]
            ],
            most=list(most.select("loc", "links_in", "weight").iter_rows()),
        )  # fmt: skip

    def _sizes(self, names: Sequence[str]) -> list[int]:
        """How many listed pages each section has."""
        counted = dict(self.pages.filter("listed")["section"].value_counts().iter_rows())
        return [counted.get(name, 0) for name in names]

    def _dead_ends(self, listed: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Listed pages of the site that lead nowhere, of those that could."""
        could = ~self.pages["role"].is_in(_APART).to_numpy()
        sent = self.pages["redirect"].is_not_null().to_numpy()
        dead: NDArray[np.bool_] = listed & could & ~sent & (self.graph.links_out == 0)
        return dead

    def _lost(self, starts: Sequence[int], closed: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """The pages that nobody reaches who does not go on from some pages."""
        if not closed.any():
            return np.zeros(self.graph.pages, np.bool_)
        reached = self.graph.depth(starts) >= 0
        without: NDArray[np.bool_] = self.graph.depth_without(starts, closed) < 0
        return reached & without

    def _locs(self, wanted: NDArray[np.bool_]) -> list[str]:
        """The pages of which something holds: those with most weight first."""
        some = self.pages.filter(pl.Series(wanted))
        return some.sort(["weight", "loc"], descending=[True, False])["loc"].to_list()

    def _sections(self) -> tuple[NDArray[np.int64], list[str]]:
        """Links between sections, and the sections' names."""
        found = self.pages["section"].unique().sort()
        groups = self.pages["section"].cast(pl.Enum(found)).to_physical().to_numpy()
        return self.graph.matrix(groups.astype(np.int64), len(found)), found.to_list()


def texts_of(links: pl.DataFrame) -> list[tuple[str, int]]:
    """What links (as `of_page` gives them) call their page, with how many pages do, most first."""
    counted = links.drop_nulls("text").group_by("text").agg(pl.col("page").n_unique())
    return list(counted.sort(["page", "text"], descending=[True, False]).iter_rows())


#: Listed pages from which on one expects links between a section and others.
_A_SECTION = 5


def _truth(values: pl.Series) -> NDArray[np.bool_]:
    return values.fill_null(True).to_numpy()


def _apart(
    matrix: NDArray[np.int64], names: Sequence[str], sizes: Sequence[int]
) -> list[tuple[str, str]]:
    """Pairs of sections of some size of which neither links to the other, the largest first."""
    pairs = [
        (min(sizes[a], sizes[b]), names[a], names[b])
        for a in range(len(names))
        for b in range(a + 1, len(names))
        if not matrix[a, b] and not matrix[b, a] and min(sizes[a], sizes[b]) >= _A_SECTION
    ]
    return [(one, other) for _, one, other in sorted(pairs, key=lambda pair: -pair[0])]


def _by_files(links: pl.LazyFrame, survey: LastSurvey) -> pl.LazyFrame:
    """The links, where those that pages of Markdown write by the names of files lead to the pages
    that these are, as generators take them."""
    sources = markdown_sources(survey.site)
    if not sources:
        return links
    named = pl.col("written").str.contains(r"(?i)^[^:]*\.(?:md|markdown)(?:#|$)")
    places = survey.pages.filter(pl.col("source").is_in(sources)).select("loc", "source", "path")
    files = places.collect(engine="streaming")
    locs = {(source, path): loc for loc, source, path in files.iter_rows()}
    of_page = {loc: (source, path) for (source, path), loc in locs.items()}
    some = links.filter(named).select("page", "written").unique().collect(engine="streaming")
    found = [
        (page, written, loc)
        for page, written in some.iter_rows()
        if page in of_page and (loc := locs.get(_file_named(written, *of_page[page])))
    ]
    kind = {"page": pl.String, "written": pl.String, "_file": pl.String}
    leads = pl.DataFrame(found, schema=kind, orient="row").lazy()
    joined = links.join(leads, on=["page", "written"], how="left", maintain_order="left")
    return joined.with_columns(target=pl.coalesce("_file", "target")).drop("_file")


def _file_named(written: str, source: str, path: str) -> tuple[str, str]:
    """The file that a reference in a file of Markdown names, with its source."""
    name = unquote(written.partition("#")[0])
    folder = "" if name.startswith("/") else path.rpartition("/")[0]
    return source, normpath(join(folder, name.lstrip("/")))
