"""The survey that was kept last, as later commands need it: without anything that reads sources."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl

from jovial_atlas import addresses, dates
from jovial_atlas.errors import AtlasError, OutputError
from jovial_atlas.faults import Fault
from jovial_atlas.head.film_table import OF_PAGES, Asked, film_table
from jovial_atlas.head.settings import HeadSettings, head_settings
from jovial_atlas.head.videos import Film, films_of
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.rounds.state.names import PAGE_TABLE, SURVEY_RECORD
from jovial_atlas.rounds.state.survey_record import read_survey_record
from jovial_atlas.rounds.state.traffic import with_traffic
from jovial_atlas.rules import decide, layers_of
from jovial_atlas.rules.decide import Pages
from jovial_atlas.rules.page_kinds import SIGNS
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.values import replace

if TYPE_CHECKING:
    from jovial_atlas.checks.texts import PublishedTexts
    from jovial_atlas.head.context import HeadContext
    from jovial_atlas.rounds.state.picture_files import PictureFiles

_NO_SURVEY = "There is no survey of this site yet. Run `jovial-atlas survey` first."

#: Pages up to which a site is decided once and held.
_HELD = 50_000
#: Pages with videos that are looked at together.
_AT_ONCE = 8_000
_HAS_VIDEOS = pl.col("videos").list.len() > 0


@dataclass(frozen=True)
class LastSurvey:
    """The survey that was kept last, with verdicts by the site file of now."""

    at: str
    site: SiteFile
    pages: pl.LazyFrame
    #: The columns that any source filled (all others are null), and signs of kinds of page.
    filled: frozenset[str]
    faults: list[Fault]
    #: The time for which verdicts are given: pages expire, and grow old.
    now: datetime
    #: Columns that have one value in all rows.
    constant: Mapping[str, Any] = field(default_factory=dict)

    @cached_property
    def is_held(self) -> bool:
        """Whether the site is small enough to be decided once and held; larger ones are decided
        piece by piece, as they are read."""
        return self.count <= _HELD

    @cached_property
    def count(self) -> int:
        """How many pages there are."""
        return int(self.pages.select(pl.len()).collect(engine="streaming").item())

    @property
    def lazy(self) -> pl.LazyFrame:
        """The page table with verdicts, to be read in pieces; its row numbers are in `_row`."""
        if self.is_held:
            return self.decided.lazy().with_row_index("_row")
        return self.decide(self.pages.with_row_index("_row"))

    @property
    def table(self) -> pl.LazyFrame:
        """The page table with verdicts, to be read in pieces."""
        return self.decided.lazy() if self.is_held else self.decide(self.pages)

    def decided_where(self, wanted: pl.Expr) -> pl.LazyFrame:
        """The pages of which something holds that stands in the page table itself, with their
        verdicts."""
        if self.is_held:
            return self.decided.lazy().filter(wanted)
        return self.decide(self.pages.filter(wanted))

    @cached_property
    def decided(self) -> pl.DataFrame:
        """The page table with verdicts, in memory."""
        pages = snapshot.collect(self.pages, self.site.shared_state / PAGE_TABLE)
        return self.decide(pages)

    def decide(self, pages: Pages) -> Pages:
        """Some rows of the page table with their verdicts."""
        return decide(pages, self.site, self.now, self.filled)

    @cached_property
    def decides_dates(self) -> bool:
        """Whether anything but the sources says when pages changed."""
        return "lastmod" in self._set_by_layers

    @cached_property
    def _set_by_layers(self) -> frozenset[str]:
        layers = layers_of(self.site, self.now, self.pages, self.filled)
        return frozenset(name for layer in layers for name in layer.sets)

    def may_have(self, name: str) -> bool:
        """Whether any page may have a value in a column: of a source, or as it is decided."""
        return name in self.filled or name in self._set_by_layers

    @cached_property
    def heads(self) -> HeadSettings:
        """What heads of pages depend on in the site file."""
        return head_settings(self.site)

    @cached_property
    def _heads_of_hosts(self) -> dict[str, HeadSettings]:
        return {host.model.site.url: head_settings(host) for host in self.site.hosts}

    def heads_of(self, loc: str) -> HeadSettings:
        """What the head of a page depends on, by the host that serves it."""
        return self._heads_of_hosts.get(addresses.origin(loc), self.heads)

    @cached_property
    def published(self) -> list[PublishedTexts]:
        """The texts of all listed pages, as their heads have them. For sites that are held."""
        from jovial_atlas.checks.texts import published_texts

        return published_texts(self.decided, self.heads)

    @cached_property
    def films(self) -> dict[str, list[Film]]:
        """The videos of all pages, by address."""
        if "videos" not in self.filled:
            return {}
        shown = self.decided_where(_HAS_VIDEOS).select(pl.exclude("links"))
        return films_of(shown.collect(engine="streaming"), self.heads, dates.write(self.now))

    @cached_property
    def film_table(self) -> pl.DataFrame:
        """The videos of all pages, one a row."""
        return self.films_for(Asked())

    def films_for(self, asked: Asked) -> pl.DataFrame:
        """What is asked of the videos of all pages, one a row."""
        return film_table(self._showing(), self.heads, dates.write(self.now), asked)

    def _showing(self) -> Iterator[pl.DataFrame]:
        """The pages that show videos, in pieces."""
        yield self.decide(self.pages.head(0)).select(OF_PAGES).collect()
        if "videos" in self.filled:
            shown = self.decided_where(_HAS_VIDEOS).select(OF_PAGES)
            yield from shown.collect_batches(
                chunk_size=_AT_ONCE, maintain_order=True, engine="streaming"
            )

    @cached_property
    def pictures(self) -> PictureFiles:
        """The picture files of the site."""
        from jovial_atlas.rounds.state.picture_files import PictureFiles

        return PictureFiles(self.site)

    @cached_property
    def head_context(self) -> HeadContext:
        """What heads of pages need to know of other pages and of pictures."""
        from jovial_atlas.head.context import HeadContext

        return HeadContext(self.pictures.look, self.names.get)

    @cached_property
    def names(self) -> dict[str, str]:
        """Address → what the page is called, by its heading or title."""
        said = pl.coalesce("heading", "title")
        pages = self.pages.filter(said.is_not_null(), pl.col("kind") == "page")
        return dict(pages.select("loc", said).collect(engine="streaming").iter_rows())

    def of_host(self, site: SiteFile) -> LastSurvey:
        """What of it belongs to one host of the site."""
        if not site.model.host:
            return self
        mine = pl.col("loc").str.starts_with(f"{site.model.site.url}/")
        return replace(self, site=site, pages=self.pages.filter(mine))

    def sections(self) -> list[str]:
        """Names of the sections that may hold pages, in no order."""
        if "in_section" not in self.filled:
            return [section.name for section in self.site.model.section]
        found = self.lazy.select(pl.col("section").unique())
        return found.collect(engine="streaming").get_column("section").to_list()


def last_survey(site: SiteFile, now: datetime) -> LastSurvey:
    """The survey that was kept last, with verdicts by the site file and the time of now.
    Raises AtlasError."""
    stored = snapshot.scan(site.shared_state / PAGE_TABLE)
    if stored is None:
        raise AtlasError(_NO_SURVEY)
    try:
        record = read_survey_record(site.shared_state)
    except (OSError, ValueError) as error:
        path = site.shared_state / SURVEY_RECORD
        message = f"{path} cannot be read ({error}). Run `jovial-atlas survey` again."
        raise OutputError(message) from error
    filled = filled_in(stored, SIGNS if record.noted is None else record.noted)
    same = snapshot.constants(site.shared_state / PAGE_TABLE)
    pages, filled = with_traffic(schema.complete(stored), site, filled)
    return LastSurvey(record.at, site, pages, filled, record.faults, now, same)


def filled_in(stored: pl.LazyFrame, signs: Iterable[str]) -> frozenset[str]:
    """What decisions need to know of a page table as it is stored: the columns that any source
    filled, and the signs of kinds of page that it has."""
    return frozenset([*stored.collect_schema(), *signs])


def filled_at(path: Path, signs: Iterable[str]) -> frozenset[str]:
    """As `filled_in`, of the page table that is stored there."""
    stored = snapshot.scan(path)
    return frozenset() if stored is None else filled_in(stored, signs)


def surveyed_locs(site: SiteFile) -> list[str]:
    """The addresses of one host in the last survey. Raises AtlasError where there is none."""
    stored = snapshot.scan(site.shared_state / PAGE_TABLE)
    if stored is None:
        raise AtlasError(_NO_SURVEY)
    mine = pl.col("loc").str.starts_with(f"{site.model.site.url}/")
    found = stored.select("loc").filter(mine) if site.model.host else stored.select("loc")
    return found.collect()["loc"].to_list()


def stored_pages(path: Path) -> pl.LazyFrame | None:
    """A page table with all columns of the schema, None where there is none."""
    table = snapshot.scan(path)
    return schema.complete(table) if table is not None else None
