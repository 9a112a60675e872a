"""Going on from the build before: of a large site in which few pages changed, only those blocks
of the page table are decided anew that hold another content.

A block is a row group of the page table's file. Of each is remembered how many of its pages are
listed, in which files, and the sum of their digests. This holds as long as a verdict rests on
nothing but the page itself and the site file; where it may rest on more (the time, other pages),
nothing is remembered, and every build decides anew.
"""

from __future__ import annotations

import json
from bisect import bisect_right
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from itertools import accumulate
from pathlib import Path

import msgspec
import polars as pl

from jovial_atlas import __version__
from jovial_atlas.files import digest, remove, write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.pages.blocks import Block, blocks_of
from jovial_atlas.rounds.publishing.build.kinds import Kind
from jovial_atlas.rounds.publishing.build.listing import hints_of, listed_rows
from jovial_atlas.rounds.publishing.build.placing import (
    BLOCK_SUMS,
    DueRows,
    ShiftedError,
    chosen,
    page_windows,
    sums_in,
)
from jovial_atlas.rounds.publishing.build.remembering import placed_place
from jovial_atlas.rounds.publishing.build.versions import Versions
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import DECIDED_BLOCKS, PAGE_TABLE
from jovial_atlas.rounds.state.record import BuildRecord, test_key
from jovial_atlas.rounds.state.traffic import rests_on_traffic
from jovial_atlas.rules import not_listed, rests_on_time
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps import plan
from jovial_atlas.values import asdict

#: Smaller sites are built anew as fast.
_LEAST = 4
#: Where more than one block in so many changed, all are decided anew.
_FEW = 8
#: Columns with which a page's place in a sitemap rests on other pages.
_RESTS_ON_MORE = {"videos", "alternates"}


class BlockRecord(msgspec.Struct, frozen=True):
    """A block at the last build: its rows and their digest; how many of them were listed, kept
    out of the index, and not listed for which reason; and for each sitemap file, as kind and
    number, how many of its addresses stood in this block with the sum of their digests."""

    digest: str
    rows: int
    listed: int
    noindexed: int
    not_listed: dict[str, int]
    files: list[tuple[str, int, int, int]]


def decisions_key(survey: LastSurvey, kinds: Sequence[Kind]) -> str | None:
    """What a verdict rests on beside the page itself; None where that is the time or others."""
    site, model = survey.site, survey.site.model
    if model.host or survey.filled & _RESTS_ON_MORE or model.languages.have_versions:
        return None
    if any(section.news for section in model.section):
        return None
    if rests_on_time(site, survey.now, survey.pages, survey.filled):
        return None
    parts = [__version__, repr(model), site.overrides.told().decode(), repr(sorted(site.crawlers)),
             repr([move.old for move in site.moves if move.is_gone]),
             repr(sorted(survey.filled)), repr([kind.name for kind in kinds]),
             str(test_key())]  # fmt: skip
    return digest("\n".join(parts).encode())


def forget_blocks(site: SiteFile) -> None:
    """Remember nothing: from here on what is public and what is remembered may differ."""
    remove(site.state / DECIDED_BLOCKS)


def save_blocks(site: SiteFile, key: str, blocks: Iterable[BlockRecord]) -> None:
    """Keep what was decided, for the next build. Raises OutputError."""
    record = {"key": key, "blocks": [asdict(block) for block in blocks]}
    write_whole(site.state / DECIDED_BLOCKS, (json.dumps(record) + "\n").encode())


def _load(site: SiteFile, key: str) -> list[BlockRecord]:
    try:
        read = json.loads((site.state / DECIDED_BLOCKS).read_bytes())
        blocks = [BlockRecord(**block) for block in read["blocks"]] if read["key"] == key else []
    except (OSError, ValueError, KeyError, TypeError):
        return []
    return blocks


def block_records(
    survey: LastSurvey,
    kinds: Sequence[Kind],
    unlisted: pl.DataFrame,
    sums: Callable[[int], pl.DataFrame],
    noindexed: pl.DataFrame,
) -> list[BlockRecord]:
    """What to remember after everything was decided; nothing of a small site. `unlisted` is that of
    `Listing`, and `sums` gives `BLOCK_SUMS` for blocks of so many rows. Raises OutputError."""
    blocks = _regular(survey)
    if not blocks:
        return []
    rows = blocks[0].rows
    files: list[list[tuple[str, int, int, int]]] = [[] for _ in blocks]
    for number, kind, file, urls, total in sums(rows).select(list(BLOCK_SUMS)).iter_rows():
        files[number].append((kinds[kind].name, file, urls, total))
    hidden = dict(noindexed.group_by(pl.col("row") // rows).len().iter_rows())
    reasons: list[dict[str, int]] = [{} for _ in blocks]
    for reason, number, count in unlisted.iter_rows():
        reasons[number][reason] = count
    return [
        BlockRecord(
            block.digest, block.rows, sum(urls for _, _, urls, _ in files[number]),
            hidden.get(number, 0), reasons[number], files[number],
        )
        for number, block in enumerate(blocks)
    ]  # fmt: skip


def _regular(survey: LastSurvey) -> list[Block]:
    """The blocks of the page table, where there are enough and all but the last of one size. What
    was decided by figures that are no part of it has to be decided anew."""
    if rests_on_traffic(survey.site):
        return []
    blocks = blocks_of(survey.site.shared_state / PAGE_TABLE)
    rows = snapshot.group_rows(survey.filled)
    regular = all(block.rows == rows for block in blocks[:-1])
    return blocks if regular and len(blocks) >= _LEAST else []


@dataclass
class Resumed:
    """The listing and the placement of the build before, with a few blocks decided anew: what
    `Listed` and `Placement` ask for."""

    survey: LastSurvey
    kinds: Sequence[Kind]
    key: str
    blocks: list[BlockRecord]
    place: Path
    #: Rows of blocks that were looked at, as those of `Placed`.
    decided: dict[int, pl.DataFrame] = field(default_factory=dict)
    news: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema={"loc": pl.String}))
    versions: Versions = field(default_factory=Versions)
    texts: pl.DataFrame | None = None
    videos: pl.DataFrame = field(
        default_factory=lambda: pl.DataFrame(
            schema={"loc": pl.String, "kind": pl.UInt32, "number": pl.UInt32}
        )
    )

    def __post_init__(self) -> None:
        # Where each block begins, in the page table and among the listed pages.
        self._rows = [0, *accumulate(block.rows for block in self.blocks)]
        self._listed = [0, *accumulate(block.listed for block in self.blocks)]
        self._hints = hints_of(self.survey)

    @property
    def count(self) -> int:
        """How many pages are listed."""
        return self._listed[-1]

    @property
    def noindexed(self) -> int:
        """How many pages may not be indexed."""
        return sum(block.noindexed for block in self.blocks)

    @property
    def not_listed(self) -> dict[str, int]:
        """How many pages are not listed, by reason, most first."""
        reasons: dict[str, int] = {}
        for block in self.blocks:
            for reason, count in block.not_listed.items():
                reasons[reason] = reasons.get(reason, 0) + count
        return dict(sorted(reasons.items(), key=lambda one: (-one[1], one[0])))

    def renew(self, number: int, name: str) -> bool:
        """Decide a block anew, which now has the digest `name`. False where its pages are no
        longer listed in the same files in the same order."""
        had = self.blocks[number]
        decided = self._decided(number)
        rows = listed_rows(self.survey, self.kinds, decided).collect()
        before = self._placed(number)
        same = rows.height == before.height and all(
            (rows[one] == before[one]).all() for one in ("key", "kind")
        )
        reasons: dict[str, int] = {}
        noindexed = 0
        if rows.height < had.rows:
            reasons = dict(not_listed(decided).collect().iter_rows())
            noindexed = decided.select((~pl.col("index")).sum()).collect().item()
        if not same or had.noindexed or noindexed:
            return False
        rows = rows.with_columns(number=before["number"])
        self.decided[number] = rows.select("row", "key", "kind", "number", *self._hints)
        sums = sums_in(rows, plan.runs_of(rows)).group_by("kind", "number", maintain_order=True)
        files = sums.agg(pl.col("urls", "digest").sum()).iter_rows()
        named = [(self.kinds[kind].name, *rest) for kind, *rest in files]
        self.blocks[number] = BlockRecord(name, had.rows, had.listed, 0, reasons, named)
        return True

    def _decided(self, number: int) -> pl.LazyFrame:
        start = self._rows[number]
        block = self.survey.pages.slice(start, self.blocks[number].rows)
        return self.survey.decide(block.with_row_index("_row", offset=start))

    def _placed(self, number: int) -> pl.DataFrame:
        """Where the listed pages of a block were placed, as `plan.PLACED`."""
        placed = pl.scan_parquet(self.place)
        return placed.slice(self._listed[number], self.blocks[number].listed).collect()

    def _block(self, number: int) -> pl.DataFrame:
        """The listed rows of a block, as those of `Placed` (but for digests)."""
        if number not in self.decided:
            placed = self._placed(number)
            if placed.height == self.blocks[number].rows and not self._hints:
                # All are listed: what was placed tells which.
                rows = placed.with_row_index("row", offset=self._rows[number])
            else:
                found = listed_rows(self.survey, self.kinds, self._decided(number)).collect()
                rows = found.with_columns(number=placed["number"])
            self.decided[number] = rows.select("row", "key", "kind", "number", *self._hints)
        return self.decided[number]

    def places(self, keys: pl.Series) -> list[int]:
        """As `Listed.places`."""
        rows = pl.scan_parquet(self.place).select("key").with_row_index("at")
        there = rows.filter(pl.col("key").is_in(keys.implode())).collect(engine="streaming")["at"]
        places = []
        for at in there:
            number = bisect_right(self._listed, at) - 1
            places.append(int(self._block(number)["row"][at - self._listed[number]]))
        return places

    def files(self) -> pl.DataFrame:
        """As `Placement.files`."""
        codes = {kind.name: code for code, kind in enumerate(self.kinds)}
        rows = [
            (codes[kind], number, urls, total)
            for block in self.blocks
            for kind, number, urls, total in block.files
        ]
        schema = {"kind": pl.UInt32, "number": pl.UInt32, "urls": pl.UInt32, "digest": pl.UInt64}
        table = pl.DataFrame(rows, schema=schema, orient="row")
        return table.group_by("kind", "number").agg(pl.all().sum()).sort("kind", "number")

    def due(self, wanted: pl.DataFrame) -> DueRows:
        """As `Placement.due`. Raises ShiftedError where more than a few blocks are needed."""
        names = {(self.kinds[kind].name, number) for kind, number in wanted.iter_rows()}
        needed = [
            number
            for number, block in enumerate(self.blocks)
            if not names.isdisjoint((kind, file) for kind, file, *_ in block.files)
        ]
        if len(needed) * 2 > len(self.blocks):
            raise ShiftedError
        pieces = [self._block(number) for number in needed]
        rows = pl.concat(pieces) if pieces else self._block(0).clear()
        found, counts = chosen(rows, plan.runs_of(rows), wanted)
        return DueRows(page_windows(found), counts, found)

    def moved(self, kind: int, number: int, locs: pl.Series) -> Resumed:
        """Addresses that no longer fit into their file need everything decided anew.
        Raises ShiftedError."""
        raise ShiftedError


def resume(
    survey: LastSurvey, kinds: Sequence[Kind], before: BuildRecord, key: str | None
) -> Resumed | None:
    """Go on from the build before; None where that is not possible. Raises OutputError."""
    site = survey.site
    if key is None or before.kinds != [kind.name for kind in kinds] or not before.files:
        return None
    had, place = _load(site, key), placed_place(site, "pages")
    if not had or not place.exists():
        return None
    blocks = _regular(survey)
    changed = [
        number
        for number, (old, new) in enumerate(zip(had, blocks, strict=False))
        if old.digest != new.digest
    ]
    same_rows = [block.rows for block in had] == [block.rows for block in blocks]
    if not same_rows or len(changed) * _FEW > len(blocks):
        return None
    resumed = Resumed(survey, kinds, key, had, place)
    if pl.scan_parquet(place).select(pl.len()).collect().item() != resumed.count:
        return None
    renewed = all(resumed.renew(number, blocks[number].digest) for number in changed)
    return resumed if renewed else None
