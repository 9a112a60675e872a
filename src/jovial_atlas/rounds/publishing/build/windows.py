"""The first build of a very large site: what is listed lies in files, and is worked on so many rows
at a time. Whatever has to be compared with a build before, or with other pages, is not done so.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import polars as pl

from jovial_atlas.pages import snapshot
from jovial_atlas.rounds.publishing.build.kinds import Kind
from jovial_atlas.rounds.publishing.build.listing import (
    hints_of,
    listed_rows,
    reasons_in,
    unlisted_rows,
)
from jovial_atlas.rounds.publishing.build.placing import (
    DueRows,
    ShiftedError,
    block_sums,
    page_windows,
)
from jovial_atlas.rounds.publishing.build.versions import Versions
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.sitemaps import plan

#: From so many pages on.
WINDOWED = 20_000_000
#: Row groups that are worked on together.
_GROUPS = 16
_NO_VIDEOS = {"loc": pl.String, "kind": pl.UInt32, "number": pl.UInt32}


@dataclass(frozen=True)
class WindowedListing:
    """What is listed, as `ListedPages`: its rows, as those of `Listing`, are in a file."""

    path: Path
    count: int
    unlisted: pl.DataFrame
    videos: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=_NO_VIDEOS))
    news: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema={"loc": pl.String}))
    versions: Versions = field(default_factory=Versions)
    texts: pl.DataFrame | None = None

    @property
    def not_listed(self) -> dict[str, int]:
        """How many pages are not listed, by reason, most first."""
        return reasons_in(self.unlisted)

    def windows(self) -> Iterator[pl.DataFrame]:
        """The rows, some at a time."""
        rows = _GROUPS * snapshot.ROW_GROUP
        for start in range(0, self.count, rows):
            yield pl.scan_parquet(self.path).slice(start, rows).collect()

    def places(self, keys: pl.Series) -> list[int]:
        """As `ListedPages.places`."""
        there = pl.scan_parquet(self.path).filter(pl.col("key").is_in(keys.implode()))
        return there.select("row").collect(engine="streaming")["row"].to_list()


def list_in_windows(survey: LastSurvey, kinds: Sequence[Kind], folder: Path) -> WindowedListing:
    """Read the page table with its verdicts into a folder. Raises OutputError."""
    path = folder / "listed.parquet"
    decided = survey.lazy
    # Keys and digests are as good as random: there is nothing to compress.
    snapshot.sink(listed_rows(survey, kinds, decided), path, compression="uncompressed")
    count = int(pl.scan_parquet(path).select(pl.len()).collect().item())
    return WindowedListing(path, count, unlisted_rows(survey, decided, count))


@dataclass(frozen=True)
class WindowedPlaces:
    """Where listed pages stand, as `PlacedFiles`: their rows are in files; `sums` are
    `BLOCK_SUMS`."""

    parts: list[Path]
    hints: list[str]
    sums: pl.DataFrame
    videos: pl.DataFrame

    def files(self) -> pl.DataFrame:
        """As `PlacedFiles.files`."""
        summed = self.sums.group_by("kind", "number").agg(pl.col("urls", "digest").sum())
        return summed.sort("kind", "number")

    def due(self, wanted: pl.DataFrame) -> DueRows:
        """As `PlacedFiles.due`."""
        asked = wanted.select("kind", "number").unique()
        files = self.files().join(asked, on=["kind", "number"], how="semi")
        counts = {(kind, number): urls for kind, number, urls, _ in files.iter_rows()}
        return DueRows(self._windows(asked), counts)

    def _windows(self, asked: pl.DataFrame) -> Iterator[pl.DataFrame]:
        for part in self.parts:
            rows = pl.read_parquet(part, columns=["row", "kind", "number", *self.hints])
            by = ["kind", "number"]
            yield from page_windows(rows.join(asked, on=by, how="semi", maintain_order="left"))

    def block_sums(self, _rows: int) -> pl.DataFrame:
        """As that of `Placed`: they are known for the blocks that there are."""
        return self.sums

    def moved(self, kind: int, number: int, locs: pl.Series) -> WindowedPlaces:
        """Addresses that do not fit into their file take the longer way. Raises ShiftedError."""
        raise ShiftedError

    def save(self, path: Path) -> None:
        """Keep it for the next build, as `plan.PLACED`. Raises OutputError."""
        rows = pl.concat([pl.scan_parquet(one) for one in self.parts])
        snapshot.sink(rows.select(list(plan.PLACED)), path, compression="uncompressed")


def place_in_windows(
    survey: LastSurvey, listing: WindowedListing, kinds: Sequence[Kind], folder: Path
) -> WindowedPlaces:
    """Give each listed page its file, where none has one yet. Raises OutputError."""
    most = {number: kind.most for number, kind in enumerate(kinds)}
    used: dict[int, int] = {}
    parts: list[Path] = []

    def placed() -> Iterator[pl.DataFrame]:
        for number, rows in enumerate(listing.windows()):
            some = rows.with_columns(number=plan.place_new(rows["kind"], most, used))
            parts.append(folder / f"{number:05d}.parquet")
            snapshot.sink(some.drop("digest").lazy(), parts[-1], compression="uncompressed")
            yield some

    sums = block_sums(placed(), snapshot.group_rows(survey.filled))
    return WindowedPlaces(parts, hints_of(survey), sums, listing.videos)
