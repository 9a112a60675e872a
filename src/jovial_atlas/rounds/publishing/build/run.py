"""Running a build: what is due is compared with what stands there, then put in place at once."""

from __future__ import annotations

import secrets
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import nullcontext
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from types import MappingProxyType

import polars as pl

from jovial_atlas import addresses, dates
from jovial_atlas.errors import LossError, OutputError
from jovial_atlas.faults import plural
from jovial_atlas.files import FileChange, FileSet, digest
from jovial_atlas.head.texts import check_patterns
from jovial_atlas.pages.keys import key_of, keys_of
from jovial_atlas.rounds.publishing.build import companions, remembering
from jovial_atlas.rounds.publishing.build.kinds import NEWS, Kind, kinds_of, wrong_unlisted
from jovial_atlas.rounds.publishing.build.listing import (
    Listed,
    Listing,
    hidden_by,
    news_tables,
    noindexed,
    read_listing,
    rows_of,
)
from jovial_atlas.rounds.publishing.build.placing import Place, place_listing, tables_of
from jovial_atlas.rounds.publishing.build.rendering import Rendered, mark_of_file, render_all
from jovial_atlas.rounds.publishing.build.result import Build, BuiltFile, Difference, joined
from jovial_atlas.rounds.publishing.build.resuming import (
    Resumed,
    ShiftedError,
    block_records,
    decisions_key,
    forget_blocks,
    resume,
    save_blocks,
)
from jovial_atlas.rounds.state.hiding import coming_robots, said_first
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.loss import check_build, counted, losses_of
from jovial_atlas.rounds.state.names import (
    HEAD_DATA,
    HEAD_FRAGMENTS,
    INDEX,
    MANIFEST,
    ROBOTS,
    SERVERS,
    STYLE,
)
from jovial_atlas.rounds.state.record import (
    Memory,
    Record,
    SitemapRecord,
    load_record,
    memories,
    memory_set,
    remembered,
)
from jovial_atlas.rounds.state.survey_result import Swapping
from jovial_atlas.rules.hiding import Shown
from jovial_atlas.signs import signed_files
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps import plan
from jovial_atlas.sitemaps.write import index_file

#: Layers of the site file by their names: what they take out was decided by the owner.
_DECIDED = r"^(rule|section|policy) |^(site|overrides file|robots\.txt)$"
#: In a dry run, in place of the part of a name that nobody can guess and that is not made yet.
_NOT_MADE = "unlisted-name"


def run_build(
    site: SiteFile,
    survey: LastSurvey,
    now: datetime,
    *,
    dry_run: bool = False,
    fold: bool = False,
    differences: bool = False,
    accept: bool = False,
    environment: Mapping[str, str] = MappingProxyType({}),
    swapping: Swapping = nullcontext,
) -> Build:
    """Write the whole set, or with `dry_run` only say what would change. `fold` fills up files
    that have become near-empty, which moves addresses between files. `environment` holds the
    password of a ledger that wants one. While files are put in place of others, nobody may read
    them: `swapping` sees to it.

    Raises SiteFileError for a wrong pattern, OutputError where files cannot be written, and,
    unless told to `accept` it, LossError where much of what was listed would be lost; then, and
    on an interrupt, the set of before stays as it was.
    """
    check_patterns(site)
    how = _How(now, dry_run, accept, environment, swapping)
    built = []
    if site.model.host and not dry_run:
        # Either the files of all hosts are written, or those of none.
        for host in site.hosts:
            _Building(host, survey.of_host(host), how).would_lose()
    for host in site.hosts:
        try:
            built.append(_Building(host, survey.of_host(host), how).run(fold, differences))
        except ShiftedError:
            building = _Building(host, survey.of_host(host), how)
            built.append(building.run(fold, differences, anew=True))
    return built[0] if len(built) == 1 else joined(site.hosts, built)


@dataclass(frozen=True, slots=True)
class _How:
    """How a build runs, as `run_build` is told."""

    now: datetime
    dry: bool
    accept: bool
    environment: Mapping[str, str]
    swapping: Swapping


class _Building:
    """One build while it runs."""

    def __init__(self, site: SiteFile, survey: LastSurvey, how: _How) -> None:
        self.environment, self.swapping, self.accept = how.environment, how.swapping, how.accept
        self.site, self.survey, self.now, self.dry = site, survey, how.now, how.dry
        self.refused = ""
        self.output = FileSet(site.output, site.state / MANIFEST, dry=self.dry)
        if not self.output.is_known:
            # What was remembered is lost, or there was nothing yet.
            self.output.claim(signed_files(site.output, site.model.visitors.page))
        self.heads = FileSet(site.state / HEAD_DATA, site.state / "head.json", dry=self.dry)
        self.fragments = FileSet(
            site.state / HEAD_FRAGMENTS, site.state / f"{HEAD_FRAGMENTS}.json", dry=self.dry
        )
        self.memory = memory_set(site, dry=self.dry)
        self.servers = FileSet(site.state / SERVERS, site.state / f"{SERVERS}.json", dry=self.dry)
        self.before = load_record(site)
        self.files: dict[str, SitemapRecord] = {}
        self.notes: list[str] = []
        self.home = f"{site.model.site.url}/"
        self.style = f"/{STYLE}" if site.model.sitemap.style else None
        self.touched: list[str] = []
        self.fresh: list[pl.DataFrame] = []
        self.whole = ""
        #: Of the file with the newest page: its date, the name of its memory, its rows.
        self.newest = ("", "", pl.DataFrame())

    def run(self, fold: bool, differences: bool, *, anew: bool = False) -> Build:
        """Build; `anew` without looking at what the build before decided."""
        output = self.site.output
        if not output.is_dir() and output.exists():
            raise OutputError(f"The output folder {output} is not a folder.")
        kinds = self._kinds()
        key = decisions_key(self.survey, kinds)
        resumed = None if fold or anew else resume(self.survey, kinds, self.before, key)
        try:
            changes, told, what = (
                self._go_on(resumed, kinds, differences)
                if resumed
                else self._anew(kinds, key, fold, differences)
            )
        except BaseException:
            for one in (self.output, self.heads, self.fragments, self.memory, self.servers):
                one.discard()
            raise
        held = {record.path: record for record in self.files.values()}
        files = []
        for change in changes:
            of = held.get(change.path)
            counts = (of.urls, of.images, of.videos) if of else (0, 0, 0)
            if change.path == INDEX:
                counts = (sum(not self._is_secret(one, kinds) for one in self.files), 0, 0)
            files.append(BuiltFile(change.path, *counts, change.bytes, change.state))
        return Build(files, what.count, what.not_listed, self.whole, self.notes, told, self.refused)

    def _anew(
        self, kinds: Sequence[Kind], key: str | None, fold: bool, differences: bool
    ) -> tuple[list[FileChange], list[Difference], Listed]:
        """Decide about all pages, and put the files that are due in place."""
        site = self.site
        listing = read_listing(self.survey, kinds, self.now, texts=not self.before.files)
        were = remembering.load_placed(site, self.before)
        lost = plan.missing(were["pages"], listing.rows)
        self._guard(were["pages"], lost)
        fresh = self._foldable(listing, kinds) if fold else ()
        known = {n: remembering.renumbered(t, self.before, kinds, fresh) for n, t in were.items()}
        absent = plan.missing(known["gone"], listing.rows)
        if absent.height < known["gone"].height:
            # What comes again stands where it stood.
            back = known["gone"].join(absent, on="key", how="anti")
            known["pages"] = pl.concat([known["pages"], plan.missing(back, known["pages"])])
        gone = pl.concat([remembering.renumbered(lost, self.before, kinds), absent])
        keys = noindexed(self.survey, listing)
        hidden = hidden_by(keys, known["pages"], kinds)
        before = remembering.load_hidden(site)
        again = listing.rows.join(before, on="key", how="semi").height if before.height else 0
        if again:
            self.notes.append(
                f"{plural(again, 'page')} may be indexed again. Engines come back to such pages "
                "late; `submit` announces them."
            )
        for name, (count, had) in hidden.items():
            self.notes.append(
                f"{plural(count, 'page')} of {had:,} in {name} may no longer be indexed."
            )
        home = key_of(pl.lit(f"{site.model.site.url}/"))
        hidden_home = keys.select((pl.col("key") == home).any()).item()
        self._say_first(listing, keys.height, False if hidden_home else None)
        placed = place_listing(listing, known, kinds)
        final, sitemaps = self._sitemaps(listing, placed, kinds, differences)
        self._others(listing, sitemaps)
        changes, told = self.output.changes(), self._differences() if differences else []
        if not self.dry:
            with self.swapping():
                forget_blocks(site)
                self._commit()
                with ThreadPoolExecutor(1) as pool:
                    saving = pool.submit(remembering.save_placed, site, final, known)
                    remembering.save_hidden(site, keys)
                    remembering.save_gone(site, gone)
                    blocks = block_records(self.survey, kinds, listing, final, keys) if key else []
                    saving.result()
                self._save_record(kinds, sitemaps, hidden)
                if key:
                    save_blocks(site, key, blocks)
        return changes, told, listing

    def _say_first(self, listing: Listed, noindexed: int, home: bool | None) -> None:
        """Find out what hides the whole site, from what was counted already; error pages, which
        engines should not index, are no pages in this."""
        pages = listing.count + sum(listing.not_listed.values())
        if "kind" in self.survey.filled:
            errors = self.survey.decide(self.survey.pages.filter(pl.col("kind") == "error"))
            counts = errors.select(pl.len(), hidden=(~pl.col("index")).sum())
            count, hidden = counts.collect(engine="streaming").row(0)
            pages, noindexed = pages - count, noindexed - hidden
        shown = Shown(pages, noindexed, listing.count, home)
        self.whole = said_first(self.survey, coming_robots(self.site, self.output), shown)

    def would_lose(self) -> None:
        """Raise LossError where this build would be refused; nothing else is done."""
        had = remembering.load_placed(self.site, self.before)["pages"]
        listing = read_listing(self.survey, self._kinds(), self.now)
        self._guard(had, plan.missing(had, listing.rows))

    def _guard(self, had: pl.DataFrame, lost: pl.DataFrame) -> None:
        """Raise LossError where this build would take much of what is public out of the sitemaps.
        A dry run says so instead."""
        if not lost.height or self.accept or self.site.model.site.stage != "live":
            return
        names = pl.Series(self.before.kinds, dtype=pl.String)
        tables = [t.select("key", section=names.gather(t["kind"])) for t in (had, lost)]
        if not losses_of(self.site, *(counted(one, ("section",)) for one in tables)):
            return
        there = self.survey.lazy.select("reason", "decided_by", key=key_of(pl.col("loc")))
        found = there.join(lost.lazy().select("key"), on="key", how="semi")
        some = found.collect(engine="streaming")
        if lost.height < had.height:
            # What the site file says was decided, and is told by the build; it is no accident.
            meant = some.filter(pl.col("decided_by").str.contains(_DECIDED))
            lost, some = (one.join(meant, on="key", how="anti") for one in (lost, some))
            tables[1] = tables[1].join(meant, on="key", how="anti")
        reasons = some.group_by("reason").len().sort("len", "reason")
        memory = [one.memory for one in self.before.files.values() if one.memory]
        listed = memories(self.site, memory).select("loc", key=key_of(pl.col("loc")))
        locs = listed.join(lost.select("key"), on="key", how="semi")["loc"].sort().head(5)
        paths = [addresses.path_and_query(loc) for loc in locs]
        try:
            check_build(self.site, tables[0], tables[1], list(reasons.reverse().iter_rows()), paths)
        except LossError as error:
            if not self.dry:
                raise
            self.refused = str(error)

    def _go_on(
        self, before: Resumed, kinds: Sequence[Kind], differences: bool
    ) -> tuple[list[FileChange], list[Difference], Listed]:
        """As `_anew` where all pages are listed in the files in which they were. Raises
        ShiftedError where that turns out not to be so."""
        home = f"{self.site.model.site.url}/"
        at = before.places(keys_of(pl.Series([home]))) if before.noindexed else [0]
        self._say_first(before, before.noindexed, None if at else False)
        _, sitemaps = self._sitemaps(before, before, kinds, differences)
        self._others(before, sitemaps)
        changes, told = self.output.changes(), self._differences() if differences else []
        if not self.dry:
            with self.swapping():
                forget_blocks(self.site)
                self._commit()
                self._save_record(kinds, sitemaps, {})
                save_blocks(self.site, before.key, before.blocks)
        return changes, told, before

    def _commit(self) -> None:
        self.output.commit(last=(INDEX, ROBOTS))
        for one in (self.heads, self.fragments, self.servers, self.memory):
            one.commit()

    def _save_record(
        self,
        kinds: Sequence[Kind],
        sitemaps: dict[str, tuple[str, int]],
        hidden: dict[str, tuple[int, int]],
    ) -> None:
        names = [kind.name for kind in kinds]
        at = dates.write(self.now)
        record = Record(at, names, sitemaps, self.files, hidden)
        remembering.save_record(self.site, record)

    def _kinds(self) -> list[Kind]:
        found = self.survey.sections()
        if wrong := wrong_unlisted(self.site, found):
            raise self.site.error(
                ("sitemap", "unlisted"), f"{wrong!r} is no section.", 'unlisted = ["video"]'
            )
        unlisted = self.site.model.sitemap.unlisted
        return kinds_of(self.site, found, self._tokens(unlisted) if unlisted else {})

    def _tokens(self, unlisted: Sequence[str]) -> dict[str, str]:
        """The parts of names that nobody can guess, kept in the ledger and made once."""
        from jovial_atlas.rounds.state.ledger import has_ledger, open_ledger

        if self.dry and not has_ledger(self.site):
            return dict.fromkeys(unlisted, _NOT_MADE)
        ledger = open_ledger(self.site, lambda: self.now, self.environment)
        try:
            known = ledger.secrets()
            for name in unlisted:
                if name not in known:
                    known[name] = _NOT_MADE if self.dry else secrets.token_hex(12)
                    if not self.dry:
                        ledger.keep_secret(name, known[name])
        finally:
            ledger.close()
        return known

    def _foldable(self, listing: Listing, kinds: Sequence[Kind]) -> list[str]:
        """Kinds that have more files than their addresses need."""
        have: dict[str, int] = {}
        for name in self.before.files:
            kind = name.rpartition("/")[0]
            have[kind] = have.get(kind, 0) + 1
        counts = dict(listing.rows.group_by("kind").len().iter_rows())
        counts |= {n: listing.videos.height for n, one in enumerate(kinds) if one.name == "video"}
        return [
            kind.name
            for number, kind in enumerate(kinds)
            if have.get(kind.name, 0) > -(-counts.get(number, 0) // kind.most)
        ]

    def _sitemaps(
        self, listing: Listed, placed: Place, kinds: Sequence[Kind], differences: bool
    ) -> tuple[Place, dict[str, tuple[str, int]]]:
        """Put every sitemap file that is not as it should be, keep the others as they are, and
        put the index. Gives where pages stand in the end, and all sitemaps as `_index` does."""
        summed = placed.files()
        due = []
        for number, (code, n, urls, mark) in enumerate(summed.iter_rows()):
            kind = kinds[code]
            said = mark_of_file(kind, urls, mark, self.style, self.site.model.sitemap.text)
            if not self._keep(kind, n, said):
                due.append(number)
        wanted = summed[due].select("kind", "number")
        marks = {(c, n): (u, m) for c, n, u, m in summed[due].iter_rows()}
        tables = (
            (kinds[code], number, table)
            for code, number, table in tables_of(self.survey, placed, listing, wanted, kinds)
        )
        overflow: list[tuple[Kind, pl.DataFrame]] = []
        for one in self._rendered(tables):
            code = kinds.index(one.kind)
            urls, mark = marks[(code, one.number)]
            if one.rest.height:
                overflow.append((one.kind, one.rest))
                mark = -1  # what did not fit is placed elsewhere: no mark fits this file
            of_file = mark_of_file(one.kind, urls, mark, self.style, self.site.model.sitemap.text)
            self._put(one, of_file, differences)
        placed = self._spread(overflow, placed, kinds, differences)
        news = next(kind for kind in kinds if kind.name == NEWS)
        due_news = ((news, number, table) for number, table in news_tables(listing, news))
        for one in self._rendered(due_news):
            self._put(one, "", differences=False)
        return placed, self._index(listing, kinds)

    def _rendered(self, due: Iterator[tuple[Kind, int, pl.DataFrame]]) -> Iterator[Rendered]:
        text = self.site.model.sitemap.text
        try:
            yield from render_all(due, style=self.style, text=text, home=self.home)
        except ValueError as error:
            raise OutputError(str(error)) from error

    def _spread(
        self,
        overflow: list[tuple[Kind, pl.DataFrame]],
        placed: Place,
        kinds: Sequence[Kind],
        differences: bool,
    ) -> Place:
        """Rows for which their file has no bytes left go into further files of their kind, and
        stay there from then on."""
        for kind, rows in overflow:
            while rows.height:
                code = kinds.index(kind)
                used = [n for c, n, *_ in placed.files().iter_rows() if c == code]
                number = max(used) + 1
                (one,) = self._rendered(iter([(kind, number, rows)]))
                placed = placed.moved(code, number, rows["loc"].head(one.part.urls))
                self._put(one, "", differences)
                rows = one.rest
        return placed

    def _keep(self, kind: Kind, number: int, mark: str) -> bool:
        """Leave a file as it is, where it is what it should be."""
        name = f"{kind.name}/{number}"
        had = self.before.files.get(name)
        if had is None or had.mark != mark or not had.path.startswith(kind.stem):
            return False
        text = self.site.model.sitemap.text and kind.remembered
        wanted = [had.path, *([_text_of(had.path)] if text else [])]
        if kind.remembered and not self.memory.keep(had.memory):
            return False
        if not all(self.output.keep(path) for path in wanted):
            return False
        self.files[name] = had
        return True

    def _put(self, one: Rendered, mark: str, differences: bool) -> None:
        part, name = one.part, f"{one.kind.name}/{one.number}"
        self.output.put(one.path, part.data, one.digest)
        if one.text is not None:
            self.output.put(_text_of(one.path), one.text)
        if one.memory:
            known = one.digest if one.memory.data is part.data else None
            self.memory.put(one.memory.name, one.memory.data, known)
            if part.lastmod and part.lastmod > self.newest[0]:
                self.newest = (part.lastmod, one.memory.name, one.rows)
            if differences:
                if name in self.before.files:
                    self.touched.append(self.before.files[name].memory)
                self.fresh.append(one.memory.rows)
        self.files[name] = SitemapRecord(
            one.path, mark, part.urls, part.images, part.videos, part.lastmod, one.outside,
            one.memory.name if one.memory else "",
        )  # fmt: skip

    def _is_secret(self, name: str, kinds: Sequence[Kind]) -> bool:
        return any(kind.secret and name.rpartition("/")[0] == kind.name for kind in kinds)

    def _index(self, listing: Listed, kinds: Sequence[Kind]) -> dict[str, tuple[str, int]]:
        """Put the index. Gives all sitemaps by address, the index first, with digest and count."""
        order = {kind.name: number for number, kind in enumerate(kinds)}

        def place(name: str) -> tuple[int, int]:
            kind, _, number = name.rpartition("/")
            return order[kind], int(number)

        self.files = {name: self.files[name] for name in sorted(self.files, key=place)}
        entries, sitemaps = [], {}
        for name, record in self.files.items():
            loc = f"{self.home}{record.path}"
            sitemaps[loc] = (self.output.digest(record.path), record.urls)
            if not self._is_secret(name, kinds):
                entries.append((loc, record.lastmod))
        if not entries:
            return sitemaps
        try:
            data = index_file(entries, self.style)
        except ValueError as error:
            raise OutputError(str(error)) from error
        self.output.put(INDEX, data)
        return {f"{self.home}{INDEX}": (digest(data), listing.count), **sitemaps}

    def _others(self, listing: Listed, sitemaps: dict[str, tuple[str, int]]) -> None:
        """Put what belongs beside the sitemaps."""
        site = self.site
        index = f"{self.home}{INDEX}"
        outside = [self.home + one.path for one in self.files.values() if one.outside]
        if outside:
            lists = "lists" if len(outside) == 1 else "list"
            self.notes.append(
                f"{plural(len(outside), 'sitemap file')} in {site.model.sitemap.folder} {lists} "
                "addresses outside that folder; robots.txt names each, which makes that valid."
            )
        put = self.output.put
        put(*companions.robots_file(site, [*([index] if index in sitemaps else []), *outside]))
        if site.model.site.stage != "draft":
            for named in companions.key_files(site, dry=self.dry):
                put(*named)
        for named in companions.ownership_files(site):
            put(*named)
        for named in companions.stills(self.survey):
            put(*named)
        if sitemaps and self.style:
            put(*companions.style_sheet())
        for named in companions.feed_files(
            site, self._listed(), lambda locs: rows_of(self.survey, listing, locs)
        ):
            put(*named)
        for named in companions.visitors_pages(site, self.survey, listing.count):
            put(*named)
        if site.model.visitors.page and listing.count >= site.model.visitors.most:
            self.notes.append(
                f"The page for visitors is not written: {listing.count:,} pages are listed, "
                f"and `most` in [visitors] is {site.model.visitors.most:,}."
            )
        for named in companions.header_files(site, self.survey):
            self.servers.put(*named)
        self._heads(listing)
        if pages := listing.count + sum(listing.not_listed.values()):
            self._undelivered(pages)

    def _undelivered(self, pages: int) -> None:
        """Note what was decided and does not stand in the pages."""
        if pages > self.site.model.output.head_pages:
            return
        from jovial_atlas.findings.registry import CHECKS
        from jovial_atlas.rounds.publishing.undelivered import undelivered

        for fault in undelivered(self.survey):
            self.notes.append(f"{fault.message} {CHECKS[fault.code].fix}")

    def _listed(self) -> Iterator[companions.Listed]:
        """What each file lists, the file with the newest page first."""
        dated = [(one.lastmod, name) for name, one in self.files.items() if one.lastmod]
        for newest, name in sorted(dated, reverse=True):
            memory = self.files[name].memory
            if self.memory.has(memory):
                yield name.rpartition("/")[0], str(newest), partial(self._remembered, memory)

    def _remembered(self, name: str) -> pl.DataFrame:
        _, newest, rows = self.newest
        if name == newest:
            # The feeds want no other, mostly; it need not be read from what was just written.
            return remembered(rows, name)
        return Memory(name, self.memory.read(name)).rows

    def _heads(self, listing: Listed) -> None:
        pages = listing.count + sum(listing.not_listed.values())
        most = self.site.model.output.head_pages
        if pages > most:
            self.notes.append(
                f"Head data is not written: there are {pages:,} pages, and `head_pages` in "
                f"[output] is {most:,}."
            )
            return
        # A large site has no head data: only for others is loaded what makes it.
        from jovial_atlas.rounds.publishing.build.heads import put_heads

        put_heads(self.survey, self.heads, self.fragments, self.output)

    def _differences(self) -> list[Difference]:
        """Address by address, what the files list now and did not list before."""
        gone = [one.memory for name, one in self.before.files.items() if name not in self.files]
        old = memories(self.site, sorted({*self.touched, *gone} - {""}))
        new = pl.concat(self.fresh) if self.fresh else old.clear()
        both = new.join(old, on="loc", how="inner", suffix="_old")
        changed = both.filter(
            pl.col("lastmod").ne_missing(pl.col("lastmod_old"))
            | pl.col("mark").ne_missing(pl.col("mark_old"))
        )
        found = [
            *(("added", new.join(old, on="loc", how="anti")),),
            ("removed", old.join(new, on="loc", how="anti")),
            ("changed", changed),
            ("moved", both.filter(pl.col("file") != pl.col("file_old"))),
        ]
        return [
            Difference(loc, change, file)
            for change, table in found
            for loc, file in table.sort("loc").select("loc", "file").iter_rows()
        ]


def _text_of(path: str) -> str:
    """The plain-text companion of a sitemap file."""
    return f"{path.removesuffix('.gz').removesuffix('.xml')}.txt"
