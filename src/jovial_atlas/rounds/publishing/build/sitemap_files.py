"""The sitemap files of one build: each is kept where it is as it should be, else written; then the
index of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial

import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.files import digest
from jovial_atlas.rounds.publishing.build.companions import FileListing
from jovial_atlas.rounds.publishing.build.file_sets import BuildFiles
from jovial_atlas.rounds.publishing.build.kinds import NEWS, Kind
from jovial_atlas.rounds.publishing.build.listing import ListedPages, news_tables
from jovial_atlas.rounds.publishing.build.placing import PlacedT, tables_of
from jovial_atlas.rounds.publishing.build.rendering import Rendered, mark_of_file, render_all
from jovial_atlas.rounds.publishing.build.result import AddressChange, Difference
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import INDEX, STYLE
from jovial_atlas.rounds.state.record import (
    BuildRecord,
    ListedMemory,
    SitemapRecord,
    memories,
    remembered,
)
from jovial_atlas.sitemaps.write import index_file


class SitemapFiles:
    """The sitemap files while they are put into `files`. `before` is the record of the build
    before, `records` those of now: both by kind and number, as `species/1`."""

    def __init__(
        self,
        survey: LastSurvey,
        kinds: Sequence[Kind],
        files: BuildFiles,
        before: BuildRecord,
        *,
        differences: bool,
    ) -> None:
        self.site, self.survey, self.kinds = survey.site, survey, kinds
        self.files, self.before = files, before
        self._tells_differences = differences
        self.records: dict[str, SitemapRecord] = {}
        self._home = f"{self.site.model.site.url}/"
        self._style = f"/{STYLE}" if self.site.model.sitemap.style else None
        self._text = self.site.model.sitemap.text
        #: What files that are written anew listed before, by the names of their memories; and what
        #: they list now.
        self._replaced: list[str] = []
        self._fresh: list[pl.DataFrame] = []
        #: Of the written file with the newest page: its date, the name of its memory, its rows.
        self._newest = ("", "", pl.DataFrame())

    def put(
        self, listing: ListedPages, placed: PlacedT
    ) -> tuple[PlacedT, dict[str, tuple[str, int]]]:
        """Put every sitemap file that is not as it should be, keep the others as they are, and
        put the index. Gives where pages stand in the end; and by address all sitemaps, the index
        first, with digest and count."""
        summed, kinds = placed.files(), self.kinds
        due = []
        for row, (code, number, urls, mark) in enumerate(summed.iter_rows()):
            wanted_mark = mark_of_file(kinds[code], urls, mark, self._style, self._text)
            if not self._keep(kinds[code], number, wanted_mark):
                due.append(row)
        wanted = summed[due].select("kind", "number")
        marks = {(code, n): (urls, mark) for code, n, urls, mark in summed[due].iter_rows()}
        tables = (
            (kinds[code], number, table)
            for code, number, table in tables_of(self.survey, placed, listing, wanted, kinds)
        )
        overflow: list[tuple[Kind, pl.DataFrame]] = []
        for file in self._rendered(tables):
            urls, mark = marks[(kinds.index(file.kind), file.number)]
            if file.rest.height:
                overflow.append((file.kind, file.rest))
                mark = -1  # what did not fit is placed elsewhere: no mark fits this file
            self._put(file, mark_of_file(file.kind, urls, mark, self._style, self._text))
        placed = self._spread(overflow, placed)
        news = next(kind for kind in kinds if kind.name == NEWS)
        due_news = ((news, number, table) for number, table in news_tables(listing, news))
        for file in self._rendered(due_news):
            self._put(file, "")
        return placed, self._index(listing.count)

    def in_index(self) -> list[str]:
        """Names of the files that the index lists."""
        secret = {kind.name for kind in self.kinds if kind.secret}
        return [name for name in self.records if name.rpartition("/")[0] not in secret]

    def outside(self) -> list[str]:
        """Addresses of files that list addresses for which their own folder may not speak."""
        return [self._home + file.path for file in self.records.values() if file.outside]

    def newest_first(self) -> Iterator[FileListing]:
        """What each file lists, the file with the newest page first."""
        dated = [(file.lastmod, name) for name, file in self.records.items() if file.lastmod]
        for lastmod, name in sorted(dated, reverse=True):
            memory = self.records[name].memory
            if self.files.listed.has(memory):
                yield name.rpartition("/")[0], str(lastmod), partial(self._remembered, memory)

    def differences(self) -> list[Difference]:
        """Address by address, what the files list now and did not list before."""
        gone = [file.memory for name, file in self.before.files.items() if name not in self.records]
        old = memories(self.site, sorted({*self._replaced, *gone} - {""}))
        new = pl.concat(self._fresh) if self._fresh else old.clear()
        both = new.join(old, on="loc", how="inner", suffix="_old")
        changed = both.filter(
            pl.col("lastmod").ne_missing(pl.col("lastmod_old"))
            | pl.col("mark").ne_missing(pl.col("mark_old"))
        )
        tables = [
            (AddressChange.ADDED, new.join(old, on="loc", how="anti")),
            (AddressChange.REMOVED, old.join(new, on="loc", how="anti")),
            (AddressChange.CHANGED, changed),
            (AddressChange.MOVED, both.filter(pl.col("file") != pl.col("file_old"))),
        ]
        return [
            Difference(loc, change, file)
            for change, table in tables
            for loc, file in table.sort("loc").select("loc", "file").iter_rows()
        ]

    def _rendered(self, due: Iterator[tuple[Kind, int, pl.DataFrame]]) -> Iterator[Rendered]:
        try:
            yield from render_all(due, style=self._style, text=self._text, home=self._home)
        except ValueError as error:
            raise OutputError(str(error)) from error

    def _spread(self, overflow: list[tuple[Kind, pl.DataFrame]], placed: PlacedT) -> PlacedT:
        """Rows for which their file has no bytes left go into further files of their kind, and
        stay there from then on."""
        for kind, rows in overflow:
            while rows.height:
                code = self.kinds.index(kind)
                used = [number for of, number, *_ in placed.files().iter_rows() if of == code]
                number = max(used) + 1
                (file,) = self._rendered(iter([(kind, number, rows)]))
                placed = placed.moved(code, number, rows["loc"].head(file.part.urls))
                self._put(file, "")
                rows = file.rest
        return placed

    def _keep(self, kind: Kind, number: int, mark: str) -> bool:
        """Whether a file is what it should be; then it stays."""
        name = f"{kind.name}/{number}"
        had = self.before.files.get(name)
        if had is None or had.mark != mark or not had.path.startswith(kind.stem):
            return False
        text = self._text and kind.remembered
        wanted = [had.path, *([_text_of(had.path)] if text else [])]
        if kind.remembered and not self.files.listed.keep(had.memory):
            return False
        if not all(self.files.public.keep(path) for path in wanted):
            return False
        self.records[name] = had
        return True

    def _put(self, file: Rendered, mark: str) -> None:
        part, name = file.part, f"{file.kind.name}/{file.number}"
        self.files.public.put(file.path, part.data, file.digest)
        if file.text is not None:
            self.files.public.put(_text_of(file.path), file.text)
        if file.memory:
            known = file.digest if file.memory.data is part.data else None
            self.files.listed.put(file.memory.name, file.memory.data, known)
            if part.lastmod and part.lastmod > self._newest[0]:
                self._newest = (part.lastmod, file.memory.name, file.rows)
            if self._tells_differences:
                if name in self.before.files:
                    self._replaced.append(self.before.files[name].memory)
                self._fresh.append(file.memory.rows)
        self.records[name] = SitemapRecord(
            file.path, mark, part.urls,
            part.counts.get("images", 0), part.counts.get("videos", 0), part.lastmod, file.outside,
            file.memory.name if file.memory else "",
            file.rows["loc"].to_list() if file.kind.name == NEWS else (),
        )  # fmt: skip

    def _index(self, listed: int) -> dict[str, tuple[str, int]]:
        order = {kind.name: number for number, kind in enumerate(self.kinds)}

        def path(name: str) -> tuple[int, int]:
            kind, _, number = name.rpartition("/")
            return order[kind], int(number)

        self.records = {name: self.records[name] for name in sorted(self.records, key=path)}
        sitemaps = {
            f"{self._home}{file.path}": (self.files.public.digest(file.path), file.urls)
            for file in self.records.values()
        }
        shown = [self.records[name] for name in self.in_index()]
        if not shown:
            return sitemaps
        try:
            entries = [(f"{self._home}{file.path}", file.lastmod) for file in shown]
            data = index_file(entries, self._style)
        except ValueError as error:
            raise OutputError(str(error)) from error
        self.files.public.put(INDEX, data)
        return {f"{self._home}{INDEX}": (digest(data), listed), **sitemaps}

    def _remembered(self, name: str) -> pl.DataFrame:
        _, newest, rows = self._newest
        if name == newest:
            # The feeds want no other, mostly; it need not be read from what was just written.
            return remembered(rows, name)
        return ListedMemory(name, self.files.listed.read(name)).rows


def _text_of(path: str) -> str:
    """The plain-text companion of a sitemap file."""
    return f"{path.removesuffix('.gz').removesuffix('.xml')}.txt"
