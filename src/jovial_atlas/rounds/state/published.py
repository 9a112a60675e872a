"""What the last build made public, as it is announced."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import suppress
from functools import cached_property, partial
from pathlib import Path, PurePosixPath

import msgspec
import polars as pl

from jovial_atlas import addresses
from jovial_atlas.engines.public_pages import PageFiles, PublicPages, Remembered, Weigh
from jovial_atlas.engines.published import Published
from jovial_atlas.errors import AtlasError, OutputError
from jovial_atlas.files import digest, write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.pages.keys import key_of, keys_of, places_in
from jovial_atlas.robots import parse_robots
from jovial_atlas.rounds.state.names import HEARD_FILES, PAGE_TABLE, PLACED, ROBOTS
from jovial_atlas.rounds.state.record import (
    BuildRecord,
    all_listed,
    listed_names,
    listed_set,
    load_record,
    memories,
    site_key,
    stem_of,
    test_key,
)
from jovial_atlas.rounds.state.traffic import page_figures
from jovial_atlas.sitefile import IndexNowChannel, SiteFile

#: What clicks add to the weight of a section, at most: less than a step from one to the next.
_OF_CLICKS = 0.09
_KEY = key_of(pl.col("loc")).alias("key")
_SECTION = pl.col("file").str.replace(r"-\d+$", "").alias("section")
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
        return all_listed(self.site).with_columns(_SECTION)

    @cached_property
    def pages(self) -> PublicPages:
        """The public pages, each file a piece."""
        names = listed_names(self.site)
        pieces = [partial(self._piece, name) for name in names]
        counts = {one.memory: one.urls for one in self.record.files.values()}
        sizes = [counts[name] for name in names] if counts.keys() >= set(names) else None
        if self._placed("pages") is None:
            return PublicPages(pieces, None, sizes)
        digests = listed_set(self.site, dry=True).digests()
        files = None
        if sizes is not None and digests.keys() >= set(names):
            known = {name: digests[name] for name in names}
            files = PageFiles(known, test_key(), HeardFiles(self.site.state / HEARD_FILES))
        return PublicPages(pieces, self._keys, sizes, partial(self._holding, names), files)

    def _piece(self, name: str) -> pl.DataFrame:
        return memories(self.site, [name]).select("loc", "mark", _SECTION)

    def _holding(self, names: Sequence[str], keys: pl.Series) -> list[int]:
        """The numbers of those of these files that hold pages with some keys."""
        stems = self._stems("pages", pl.col("key").is_in(keys.implode()))
        return [number for number, name in enumerate(names) if stem_of(name) in stems]

    def _stems(self, name: str, wanted: pl.Expr) -> set[str]:
        """Names of files, without their endings, in which some pages, or videos, were placed."""
        placed = self._placed(name)
        if placed is None:
            return set()
        same = placed.filter(wanted).select("kind", "number").unique().collect(engine="streaming")
        return {f"{self.record.kinds[kind]}-{number}" for kind, number in same.iter_rows()}

    def _placed(self, name: str) -> pl.LazyFrame | None:
        """Where the last build placed pages, or videos."""
        path = self.site.state / f"{PLACED}-{name}.parquet"
        return snapshot.scan(path) if self.record.files else None

    def _keys(self) -> pl.Series:
        placed = self._placed("pages")
        assert placed is not None
        return placed.select("key").collect().to_series()

    def sections_of(self, locs: Collection[str]) -> dict[str, str]:
        """The section in whose sitemap each of these stands, of those that are public."""
        sections: dict[str, str] = {}
        placed = self._placed("pages")
        if placed is None:
            return {loc: self.sections[loc] for loc in locs if loc in self.sections}
        keyed = pl.DataFrame({"loc": list(locs)}, schema={"loc": pl.String}).with_columns(
            key=key_of(pl.col("loc"))
        )
        found = placed.select("key", "kind").join(keyed.lazy(), on="key").select("loc", "kind")
        for loc, kind in found.collect(engine="streaming").iter_rows():
            sections[loc] = self.record.kinds[kind]
        return sections

    @cached_property
    def sections(self) -> dict[str, str]:
        """The section in whose sitemap each public page stands."""
        return dict(self.listed.select("loc", "section").iter_rows())

    def files_of(self, loc: str) -> list[str]:
        """Names of the files that list a page."""
        same = pl.col("key") == key_of(pl.lit(loc))
        stems = self._stems("pages", same) | self._stems("videos", same)
        return sorted(
            PurePosixPath(file.path).name
            for name, file in self.record.files.items()
            if name.replace("/", "-") in stems or loc in file.news
        )

    @cached_property
    def announced(self) -> Published:
        """All that engines are told of."""
        site, record = self.site, self.record
        url = site.model.site.url
        of_file = {
            f"{url}/{one.path}": name.rpartition("/")[0] for name, one in record.files.items()
        }
        return Published(
            url,
            site_key(site),
            self.pages,
            record.sitemaps,
            _feeds(site),
            self._weigh(),
            {loc: of_file.get(loc, "") for loc in record.sitemaps},
            _in_robots(site),
        )

    def _weigh(self) -> Weigh | None:
        """What pages weigh, where a quota makes it matter: what their sections do, or they
        themselves by what their sections say, and, among those of one weight, how often they are
        clicked. The section is the one that was decided: the one in whose sitemap the page
        stands."""
        model = self.site.model
        channels = (one for engine in model.engine for one in engine.channels)
        if not any(isinstance(one, IndexNowChannel) and one.per_day for one in channels):
            return None
        said = {s.name: s.priority for s in model.section if s.priority is not None}
        figures = page_figures(self.site)
        if not (said or model.defaults.priority is not None or figures is not None):
            return None
        priorities = {*said.values(), model.defaults.priority}
        ranks = dict(self._ranks(priorities, figures))
        clicks = None
        if figures is not None:
            counted = pl.coalesce("clicks", "visits", 0).cast(pl.Float64)
            most = pl.max_horizontal(counted.max(), 1.0)
            clicks = figures.select(_KEY, value=_OF_CLICKS * counted / most).sort("key")
        return partial(_weights, said, model.defaults.priority, ranks, clicks)

    def _ranks(
        self, wanted: Collection[object], figures: pl.DataFrame | None
    ) -> Iterator[tuple[str, pl.DataFrame]]:
        """Keys of pages with their ranks, for what priorities go by."""
        empty = pl.DataFrame(schema={"key": pl.UInt64, "value": pl.Float64})
        if "clicks" in wanted:
            ranks = None if figures is None else figures.select(_KEY, value="clicks_rank")
            yield "clicks", empty if ranks is None else ranks.sort("key")
        if "weight" in wanted:
            pages = snapshot.scan(self.site.shared_state / PAGE_TABLE)
            asked = None if pages is None else pages.select(_KEY, value="weight_rank").sort("key")
            yield "weight", empty if asked is None else asked.collect(engine="streaming")


class HeardFiles:
    """What engines have heard of files, kept as JSON. To lose it costs nothing but time."""

    def __init__(self, path: Path) -> None:
        self._path = path

    @cached_property
    def _by_engine(self) -> dict[str, Remembered]:
        try:
            return msgspec.json.decode(self._path.read_bytes(), type=dict[str, Remembered])
        except (OSError, ValueError):
            return {}

    def load(self, engine: str) -> Remembered | None:
        """The last comparison with an engine."""
        return self._by_engine.get(engine)

    def save(self, engine: str, what: Remembered) -> None:
        """Keep one, where the folder can be written to."""
        self._by_engine[engine] = what
        with suppress(OutputError):
            write_whole(self._path, msgspec.json.encode(self._by_engine) + b"\n")


def _weights(
    said: Mapping[str, float | str],
    usual: float | str | None,
    ranks: Mapping[str, pl.DataFrame],
    clicks: pl.DataFrame | None,
    rows: pl.DataFrame,
) -> pl.Series:
    """What rows of a piece weigh, by the priorities of sections, or the `usual` one; `ranks` and
    `clicks` are in the order of their keys."""
    keys = keys_of(rows["loc"])
    known = {name: _at_keys(table, keys) for name, table in ranks.items()}
    table = rows.select("section").with_columns(**known)

    def of(priority: float | str | None) -> pl.Expr:
        if isinstance(priority, str):
            return 0.1 + 0.9 * pl.col(priority).fill_null(0.0)
        return pl.lit(_MIDDLE if priority is None else float(priority))

    weight = of(usual)
    for section, priority in said.items():
        weight = pl.when(pl.col("section") == section).then(of(priority)).otherwise(weight)
    found = table.with_columns(weight=weight)["weight"]
    return found if clicks is None else found + _at_keys(clicks, keys).fill_null(0.0)


def _at_keys(table: pl.DataFrame, keys: pl.Series) -> pl.Series:
    """The values of a table of `key, value` for keys; null for those that it does not have."""
    if not table.height:
        return pl.repeat(None, keys.len(), dtype=pl.Float64, eager=True)
    return table["value"][places_in(table["key"], keys)]


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
            chosen.append(addresses.normalise(given))
        except ValueError as error:
            raise AtlasError(f"{error}. Give the whole address, or its path from '/' on.") from None
    listed = public.pages.marks_of(chosen) if chosen else {}
    for loc, url in zip(chosen, urls, strict=True):
        if loc not in listed and (pages_only or loc not in public.sitemaps):
            raise AtlasError(
                f"{loc} is not listed, so no engine is told of it; "
                f"see `jovial-atlas explain {url}`."
            )
    return chosen
