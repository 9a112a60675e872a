"""The survey that was kept last, as later commands need it: without anything that reads sources."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import polars as pl

from jovial_atlas.errors import AtlasError, OutputError
from jovial_atlas.faults import Fault
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.rules import decide
from jovial_atlas.sitefile import SiteFile

#: In the state folder: the page table, what the survey said of it, files that builds wrote.
PAGES, RECORD, MANIFEST = "pages.parquet", "survey.json", "manifest.json"


@dataclass(frozen=True)
class LastSurvey:
    """The survey that was kept last, with verdicts by the site file of now."""

    at: str
    site: SiteFile
    pages: pl.LazyFrame
    #: The columns that any source filled; all others are null.
    filled: frozenset[str]
    faults: list[Fault]

    @property
    def lazy(self) -> pl.LazyFrame:
        """The page table with verdicts, to be read in pieces; its row numbers are in `_row`."""
        return decide(self.pages.with_row_index("_row"), self.site)

    @cached_property
    def decided(self) -> pl.DataFrame:
        """The page table with verdicts, in memory."""
        pages = snapshot.collect(self.pages, self.site.shared_state / PAGES)
        return decide(pages, self.site)

    def of_host(self, site: SiteFile) -> LastSurvey:
        """What of it belongs to one host of the site."""
        if not site.model.host:
            return self
        mine = pl.col("loc").str.starts_with(f"{site.model.site.url}/")
        return LastSurvey(self.at, site, self.pages.filter(mine), self.filled, self.faults)

    def sections(self) -> list[str]:
        """Names of the sections that may hold pages, in no order."""
        if "in_section" not in self.filled:
            return [section.name for section in self.site.model.section]
        found = decide(self.pages, self.site).select(pl.col("section").unique())
        return found.collect(engine="streaming").get_column("section").to_list()


def last_survey(site: SiteFile) -> LastSurvey:
    """The survey that was kept last, with verdicts by the site file of now. Raises AtlasError."""
    stored = snapshot.scan(site.shared_state / PAGES)
    if stored is None:
        raise AtlasError("There is no survey of this site yet. Run `jovial-atlas survey` first.")
    try:
        record = json.loads((site.shared_state / RECORD).read_bytes())
        faults = [Fault(*fault) for fault in record["told"]]
        at = str(record["at"])
    except (OSError, ValueError, KeyError, TypeError) as error:
        place = site.shared_state / RECORD
        message = f"{place} cannot be read ({error}). Run `jovial-atlas survey` again."
        raise OutputError(message) from error
    filled = frozenset(stored.collect_schema())
    return LastSurvey(at, site, schema.complete(stored), filled, faults)


def stored_pages(place: Path) -> pl.LazyFrame | None:
    """A page table with all columns of the schema, None where there is none."""
    table = snapshot.scan(place)
    return schema.complete(table) if table is not None else None
