"""What the last build made public, as it is announced."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from functools import cached_property
from pathlib import PurePosixPath

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.engines.published import Published
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import digest
from jovial_atlas.pages import snapshot
from jovial_atlas.pages.keys import key_of
from jovial_atlas.robots import parse_robots
from jovial_atlas.rounds.state.names import PAGE_TABLE, PLACED, ROBOTS
from jovial_atlas.rounds.state.record import (
    BuildRecord,
    all_listed,
    load_record,
    site_key,
)
from jovial_atlas.rounds.state.traffic import page_figures
from jovial_atlas.sitefile import IndexNowChannel, SiteFile

#: What clicks add to the weight of a section, at most: less than a step from one to the next.
_OF_CLICKS = 0.09
#: What a page weighs of which nothing is said.
_MIDDLE = 0.5


class PublishedSite:
    """What the last build made public, read once: its record, what its sitemap files list, and what
    stands beside them. Every property raises AtlasError where there was no build."""

    def __init__(self, site: SiteFile) -> None:
        self.site = site

    @cached_property
    def record(self) -> BuildRecord:
        """Which files the build wrote."""
        return load_record(self.site)

    @cached_property
    def listed(self) -> pl.DataFrame:
        """What the files list: `loc, lastmod, mark, file, section`; `file` is the name of a file
        without its ending and its folder."""
        section = pl.col("file").str.replace(r"-\d+$", "").alias("section")
        return all_listed(self.site).with_columns(section)

    @cached_property
    def marks(self) -> dict[str, str]:
        """A mark of its content for each public page."""
        return dict(self.listed.select("loc", "mark").iter_rows())

    @cached_property
    def sections(self) -> dict[str, str]:
        """The section in whose sitemap each public page stands."""
        return dict(self.listed.select("loc", "section").iter_rows())

    def files_of(self, loc: str) -> list[str]:
        """Names of the files that list a page."""
        stems = set()
        for name in ("pages", "videos"):
            path = self.site.state / f"{PLACED}-{name}.parquet"
            placed = snapshot.scan(path) if self.record.files else None
            if placed is not None:
                same = placed.filter(pl.col("key") == key_of(pl.lit(loc)))
                for kind, number in same.select("kind", "number").collect().iter_rows():
                    stems.add(f"{self.record.kinds[kind]}-{number}")
        return sorted(
            PurePosixPath(file.path).name
            for name, file in self.record.files.items()
            if name.replace("/", "-") in stems or loc in file.news
        )

    @cached_property
    def announced(self) -> Published:
        """All that engines are told of."""
        site, record = self.site, self.record
        pages, url = self.marks, site.model.site.url
        of_file = {
            f"{url}/{one.path}": name.rpartition("/")[0] for name, one in record.files.items()
        }
        return Published(
            url,
            site_key(site),
            pages,
            record.sitemaps,
            _feeds(site),
            self._weights(),
            {loc: of_file.get(loc, "") for loc in record.sitemaps},
            _in_robots(site),
        )

    def _weights(self) -> dict[str, float]:
        """What pages weigh, where a quota makes it matter: what their sections do, or they
        themselves by what their sections say, and, among those of one weight, how often they are
        clicked. The section is the one that was decided: the one in whose sitemap the page
        stands."""
        model = self.site.model
        channels = (one for engine in model.engine for one in engine.channels)
        if not any(isinstance(one, IndexNowChannel) and one.per_day for one in channels):
            return {}
        said = {s.name: s.priority for s in model.section if s.priority is not None}
        figures = page_figures(self.site)
        if not (said or model.defaults.priority is not None or figures is not None):
            return {}
        counted: dict[str, int] = {}
        if figures is not None:
            clicks = figures.select("loc", pl.coalesce("clicks", "visits", 0))
            counted = dict(clicks.iter_rows())
        most = max(counted.values(), default=0) or 1
        ranks: dict[str, dict[str, float]] = {
            name: dict(table.drop_nulls().iter_rows())
            for name, table in self._ranks({*said.values(), model.defaults.priority}, figures)
        }

        def weight(loc: str, section: str) -> float:
            priority = said.get(section, model.defaults.priority)
            if isinstance(priority, str):
                return 0.1 + 0.9 * ranks[priority].get(loc, 0.0)
            return _MIDDLE if priority is None else priority

        return {
            loc: weight(loc, name) + _OF_CLICKS * counted.get(loc, 0) / most
            for loc, name in self.sections.items()
        }

    def _ranks(
        self, wanted: Collection[object], figures: pl.DataFrame | None
    ) -> Iterator[tuple[str, pl.DataFrame]]:
        """Page and rank, for what priorities go by."""
        empty = pl.DataFrame(schema={"loc": pl.String, "rank": pl.Float64})
        if "clicks" in wanted:
            yield "clicks", empty if figures is None else figures.select("loc", "clicks_rank")
        if "weight" in wanted:
            pages = snapshot.scan(self.site.shared_state / PAGE_TABLE)
            ranks = None if pages is None else pages.select("loc", "weight_rank").collect()
            yield "weight", empty if ranks is None else ranks


def _in_robots(site: SiteFile) -> frozenset[str]:
    """The sitemaps that the robots.txt in the output folder names."""
    path = site.output / ROBOTS
    data = path.read_bytes() if path.is_file() else b""
    return frozenset(record.value for record in parse_robots(data).sitemaps)


def _feeds(site: SiteFile) -> dict[str, str]:
    """The feeds as they stand in the output folder, with their marks."""
    feed, marks = site.model.feed, {}
    for name in (feed.rss, feed.atom):
        path = site.output / name
        if name and path.is_file():
            marks[f"{site.model.site.url}/{name}"] = digest(path.read_bytes())
    return marks


def asked_for(public: Published, urls: Sequence[str], *, pages_only: bool = False) -> list[str]:
    """Addresses of pages, and of sitemaps unless `pages_only`, as the build knows them. Raises
    AtlasError for one that is not public."""
    chosen = []
    for url in urls:
        given = public.site_url + url if url.startswith("/") else url
        try:
            loc = addresses.normalise(given)
        except ValueError as error:
            raise AtlasError(f"{error}. Give the whole address, or its path from '/' on.") from None
        if loc not in public.pages and (pages_only or loc not in public.sitemaps):
            raise AtlasError(
                f"{loc} is not listed, so no engine is told of it; "
                f"see `jovial-atlas explain {url}`."
            )
        chosen.append(loc)
    return chosen
