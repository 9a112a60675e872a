"""Running a build: what is due is compared with what stands there, then put in place at once."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime

import msgspec
import polars as pl

from jovial_atlas import dates
from jovial_atlas.errors import OutputError
from jovial_atlas.faults import plural
from jovial_atlas.files import FileChange, make_folder, temporary_name
from jovial_atlas.findings.registry import CHECKS
from jovial_atlas.pages.keys import key_of, keys_of
from jovial_atlas.rounds.publishing.build import companions, remembering, windows
from jovial_atlas.rounds.publishing.build.file_sets import BuildFiles
from jovial_atlas.rounds.publishing.build.guard import refusal
from jovial_atlas.rounds.publishing.build.kinds import Kind, kinds_of, wrong_unlisted
from jovial_atlas.rounds.publishing.build.listing import (
    ListedPages,
    Listing,
    foldable,
    hidden_by,
    noindexed,
    read_listing,
    rows_of,
    without_lost_pictures,
)
from jovial_atlas.rounds.publishing.build.options import BuildOptions
from jovial_atlas.rounds.publishing.build.placing import ShiftedError, place_listing
from jovial_atlas.rounds.publishing.build.result import Build, BuiltFile, Difference, joined
from jovial_atlas.rounds.publishing.build.resuming import (
    Resumed,
    block_records,
    decisions_key,
    forget_blocks,
    resume,
    save_blocks,
)
from jovial_atlas.rounds.publishing.build.sitemap_files import SitemapFiles
from jovial_atlas.rounds.publishing.patterns import check_patterns
from jovial_atlas.rounds.publishing.redirects import redirects_of
from jovial_atlas.rounds.publishing.server_files import (
    server_files,
    slow_in_folder,
    small_pages,
)
from jovial_atlas.rounds.state.hiding import coming_robots, said_first
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import INDEX
from jovial_atlas.rounds.state.record import BuildRecord, load_record
from jovial_atlas.rounds.state.stake import stake_in_words, unlisted_at_stake
from jovial_atlas.rules.hiding import ShownCounts
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps import plan

#: Sitemaps by address, the index first, with digest and count.
Sitemaps = dict[str, tuple[str, int]]


def run_build(
    site: SiteFile, survey: LastSurvey, now: datetime, options: BuildOptions | None = None
) -> Build:
    """Write the whole set, or in a dry run only say what would change.

    Raises SiteFileError for a wrong pattern, OutputError where files cannot be written, and,
    unless told to accept it, LossError where much of what was listed would be lost; then, and
    on an interrupt, the set of before stays as it was.
    """
    check_patterns(site)
    options = options or BuildOptions()
    survey = without_lost_pictures(survey)
    built = []
    if site.model.host and not options.dry_run:
        # Either the files of all hosts are written, or those of none.
        for host in site.hosts:
            _Building(host, survey.of_host(host), now, options).would_lose()
    for host in site.hosts:
        try:
            built.append(_Building(host, survey.of_host(host), now, options).run())
        except ShiftedError:
            building = _Building(host, survey.of_host(host), now, options)
            built.append(building.run(anew=True))
    return built[0] if len(built) == 1 else joined(site.hosts, built)


class _Before(msgspec.Struct, frozen=True):
    """What the builds before remember, against what is listed now: where addresses stand
    (`placed`, by pages and videos), what is listed no longer (`gone`), and what may not be
    indexed now (`hidden`: section → how many pages that were listed, of how many)."""

    placed: dict[str, pl.DataFrame]
    gone: pl.DataFrame
    noindexed: pl.DataFrame
    hidden: dict[str, tuple[int, int]]


class _Building:
    """One build while it runs."""

    def __init__(
        self, site: SiteFile, survey: LastSurvey, now: datetime, options: BuildOptions
    ) -> None:
        self.site, self.survey, self.now, self.options = site, survey, now, options
        self.before = load_record(site)
        self.kinds = self._kinds()
        self.files = BuildFiles(site, dry=options.dry_run)
        self.sitemaps = SitemapFiles(
            survey, self.kinds, self.files, self.before, differences=options.differences
        )
        self.home = f"{site.model.site.url}/"
        self.notes: list[str] = []
        self.differences: list[Difference] = []
        self.hidden = self.refused = ""

    def run(self, *, anew: bool = False) -> Build:
        """Build; `anew` without looking at what the build before decided."""
        output = self.site.output
        if not output.is_dir() and output.exists():
            raise OutputError(f"The output folder {output} is not a folder.")
        key = decisions_key(self.survey, self.kinds)
        fold = self.options.fold
        resumed = None if fold or anew else resume(self.survey, self.kinds, self.before, key)
        try:
            if resumed:
                listed, changes = self._go_on(resumed)
            elif key and not anew and self._is_large_and_new():
                listed, changes = self._in_windows(key)
            else:
                listed, changes = self._anew(key)
        except BaseException:
            self.files.discard()
            raise
        return Build(
            self._built(changes), listed.count, listed.not_listed,
            self.hidden, self.notes, self.differences, self.refused,
        )  # fmt: skip

    def _built(self, changes: Sequence[FileChange]) -> list[BuiltFile]:
        """The files with what stands in each."""
        held = {record.path: record for record in self.sitemaps.records.values()}
        files = []
        for change in changes:
            of = held.get(change.path)
            counts = (of.urls, of.images, of.videos) if of else (0, 0, 0)
            if change.path == INDEX:
                counts = (len(self.sitemaps.in_index()), 0, 0)
            files.append(BuiltFile(change.path, *counts, change.bytes, change.state))
        return files

    def _anew(self, key: str | None) -> tuple[ListedPages, list[FileChange]]:
        """Decide about all pages, and put the files that are due in place."""
        site, kinds = self.site, self.kinds
        listing = read_listing(self.survey, kinds, self.now, texts=not self.before.files)
        before = self._compared(listing)
        home = before.noindexed.select((pl.col("key") == key_of(pl.lit(self.home))).any()).item()
        self._say_first(listing, before.noindexed.height, False if home else None)
        placed = place_listing(listing, before.placed, kinds)
        final, sitemaps = self.sitemaps.put(listing, placed)
        self._others(listing, sitemaps)
        changes = self._changes()
        if self.options.dry_run:
            return listing, changes
        with self.options.swapping():
            forget_blocks(site)
            self.files.commit()
            with ThreadPoolExecutor(1) as pool:
                saving = pool.submit(remembering.save_placed, site, final, before.placed)
                remembering.save_hidden(site, before.noindexed)
                remembering.save_gone(site, before.gone)
                blocks = (
                    block_records(
                        self.survey, kinds, listing.unlisted, final.block_sums, before.noindexed
                    )
                    if key
                    else []
                )
                saving.result()
            self._save_record(sitemaps, before.hidden)
            if key:
                save_blocks(site, key, blocks)
        return listing, changes

    def _is_large_and_new(self) -> bool:
        """Whether nothing was built before, and more than is held at once."""
        return self.survey.count >= windows.WINDOWED and not self.before.files

    def _in_windows(self, key: str) -> tuple[ListedPages, list[FileChange]]:
        """As `_anew`, of so many pages that they lie in files meanwhile. Raises ShiftedError where
        some do not fit into theirs."""
        site, kinds = self.site, self.kinds
        folder = temporary_name(site.state)
        make_folder(folder)
        try:
            listing = windows.list_in_windows(self.survey, kinds, folder)
            hidden = noindexed(self.survey, listing)
            home = hidden.select((pl.col("key") == key_of(pl.lit(self.home))).any()).item()
            self._say_first(listing, hidden.height, False if home else None)
            placed = windows.place_in_windows(self.survey, listing, kinds, folder)
            final, sitemaps = self.sitemaps.put(listing, placed)
            self._others(listing, sitemaps)
            changes = self._changes()
            if not self.options.dry_run:
                with self.options.swapping():
                    forget_blocks(site)
                    self.files.commit()
                    final.save(remembering.placed_place(site, "pages"))
                    remembering.save_hidden(site, hidden)
                    self._save_record(sitemaps, {})
                    blocks = block_records(
                        self.survey, kinds, listing.unlisted, final.block_sums, hidden
                    )
                    save_blocks(site, key, blocks)
            return listing, changes
        finally:
            shutil.rmtree(folder, ignore_errors=True)

    def _compared(self, listing: Listing) -> _Before:
        """Compare what is listed now with what builds before remember. Raises LossError where so
        much of it would be lost that the build is refused."""
        were = remembering.load_placed(self.site, self.before)
        lost = plan.missing(were["pages"], listing.rows)
        self._guard(were["pages"], lost)
        self._note_stake(lost)
        fold = foldable(self.kinds, self.before, listing) if self.options.fold else ()
        known = {
            name: remembering.renumbered(table, self.before, self.kinds, fold)
            for name, table in were.items()
        }
        absent = plan.missing(known["gone"], listing.rows)
        if absent.height < known["gone"].height:
            # What comes again stands where it stood.
            back = known["gone"].join(absent, on="key", how="anti")
            known["pages"] = pl.concat([known["pages"], plan.missing(back, known["pages"])])
        gone = pl.concat([remembering.renumbered(lost, self.before, self.kinds), absent])
        keys = noindexed(self.survey, listing)
        hidden = hidden_by(keys, known["pages"], self.kinds)
        self._note_index(listing, hidden)
        return _Before(known, gone, keys, hidden)

    def _note_stake(self, lost: pl.DataFrame) -> None:
        """Note how much the pages were clicked that are no longer listed."""
        stake = unlisted_at_stake(self.site, lost["key"].unique()) if lost.height else None
        if stake and stake.counted:
            words = stake_in_words(stake, self.site.model.site.url)
            self.notes.append(f"No longer listed: {words}")

    def _note_index(self, listing: Listing, hidden: dict[str, tuple[int, int]]) -> None:
        """Note which pages may be indexed again, and which may no longer."""
        were = remembering.load_hidden(self.site)
        again = listing.rows.join(were, on="key", how="semi").height if were.height else 0
        if again:
            self.notes.append(
                f"{plural(again, 'page')} may be indexed again. Engines come back to such pages "
                "late; `submit` announces them."
            )
        for name, (count, had) in hidden.items():
            self.notes.append(
                f"{plural(count, 'page')} of {had:,} in {name} may no longer be indexed."
            )

    def _go_on(self, before: Resumed) -> tuple[ListedPages, list[FileChange]]:
        """As `_anew` where all pages are listed in the files in which they were. Raises
        ShiftedError where that turns out not to be so."""
        at = before.places(keys_of(pl.Series([self.home]))) if before.noindexed else [0]
        self._say_first(before, before.noindexed, None if at else False)
        _, sitemaps = self.sitemaps.put(before, before)
        self._others(before, sitemaps)
        changes = self._changes()
        if not self.options.dry_run:
            with self.options.swapping():
                forget_blocks(self.site)
                self.files.commit()
                self._save_record(sitemaps, {})
                save_blocks(self.site, before.key, before.blocks)
        return before, changes

    def _changes(self) -> list[FileChange]:
        """What becomes of each file; and, while the files of before are there, of each address
        where that is asked for."""
        if self.options.differences:
            self.differences = self.sitemaps.differences()
        return self.files.public.changes()

    def _say_first(self, listing: ListedPages, noindexed: int, home: bool | None) -> None:
        """Find out what hides the whole site, from what was counted already; error pages, which
        engines should not index, are no pages in this."""
        pages = _pages_in(listing)
        if "kind" in self.survey.filled:
            errors = self.survey.decided_where(pl.col("kind") == "error")
            counts = errors.select(pl.len(), hidden=(~pl.col("index")).sum())
            count, hidden = counts.collect(engine="streaming").row(0)
            pages, noindexed = pages - count, noindexed - hidden
        shown = ShownCounts(pages, noindexed, listing.count, home)
        self.hidden = said_first(self.survey, coming_robots(self.site, self.files.public), shown)

    def would_lose(self) -> None:
        """Raise LossError where this build would be refused; nothing else is done."""
        had = remembering.load_placed(self.site, self.before)["pages"]
        listing = read_listing(self.survey, self.kinds, self.now)
        self._guard(had, plan.missing(had, listing.rows))

    def _guard(self, had: pl.DataFrame, lost: pl.DataFrame) -> None:
        """Raise LossError where this build would take much of what is public out of the sitemaps.
        A dry run says so instead."""
        if self.options.accept or (error := refusal(self.survey, self.before, had, lost)) is None:
            return
        if not self.options.dry_run:
            raise error
        self.refused = str(error)

    def _save_record(self, sitemaps: Sitemaps, hidden: dict[str, tuple[int, int]]) -> None:
        names = [kind.name for kind in self.kinds]
        record = BuildRecord(dates.write(self.now), names, sitemaps, self.sitemaps.records, hidden)
        remembering.save_record(self.site, record)

    def _kinds(self) -> list[Kind]:
        sections = self.survey.sections()
        if wrong := wrong_unlisted(self.site, sections):
            raise self.site.error(
                ("sitemap", "unlisted"), f"{wrong!r} is no section.", 'unlisted = ["video"]'
            )
        unlisted = self.site.model.sitemap.unlisted
        make = not self.options.dry_run
        names = self.options.unlisted_names(self.site, unlisted, make) if unlisted else {}
        return kinds_of(self.site, sections, names)

    def _others(self, listing: ListedPages, sitemaps: Sitemaps) -> None:
        """Put what belongs beside the sitemaps."""
        site, survey = self.site, self.survey
        outside = self.sitemaps.outside()
        if outside:
            lists = "lists" if len(outside) == 1 else "list"
            self.notes.append(
                f"{plural(len(outside), 'sitemap file')} in {site.model.sitemap.folder} {lists} "
                "addresses outside that folder; robots.txt names each, which makes that valid."
            )
        index = f"{self.home}{INDEX}"
        named = [*([index] if index in sitemaps else []), *outside]
        for name, data in companions.root_files(
            survey, named, style=bool(sitemaps), dry=self.options.dry_run
        ):
            self.files.public.put(name, data)
        for name, data in companions.feed_files(
            site, self.sitemaps.newest_first(), lambda locs: rows_of(survey, listing, locs)
        ):
            self.files.public.put(name, data)
        for name, data in companions.visitors_pages(site, survey, listing.count):
            self.files.public.put(name, data)
        if site.model.visitors.page and listing.count >= site.model.visitors.most:
            self.notes.append(
                f"The page for visitors is not written: {listing.count:,} pages are listed, "
                f"and `most` in [visitors] is {site.model.visitors.most:,}."
            )
        self._servers()
        self._heads(_pages_in(listing))

    def _servers(self) -> None:
        """Put what servers are told, and the small pages that do as much."""
        redirects = redirects_of(self.survey)
        for name, data in server_files(self.site, self.survey, redirects):
            self.files.servers.put(name, data)
        if self.site.model.moves.old_url:
            # Few sites come from another host.
            from jovial_atlas.rounds.publishing.old_host import old_host_files

            for name, data in old_host_files(self.site, redirects, self.now):
                self.files.servers.put(name, data)
        for name, data in small_pages(self.site, redirects):
            self.files.public.put(name, data)
        if slow := slow_in_folder(redirects):
            self.notes.append(slow)

    def _heads(self, pages: int) -> None:
        """Put head data, and note what was decided and does not stand in the pages."""
        most = self.site.model.output.head_pages
        if pages > most:
            self.notes.append(
                f"Head data is not written: there are {pages:,} pages, and `head_pages` in "
                f"[output] is {most:,}."
            )
            return
        # A large site has no head data: only for others is loaded what makes it.
        from jovial_atlas.rounds.publishing.build.heads import put_heads
        from jovial_atlas.rounds.publishing.undelivered import undelivered

        put_heads(self.survey, self.files.heads, self.files.fragments, self.files.public)
        for fault in undelivered(self.survey) if pages else ():
            self.notes.append(f"{fault.message} {CHECKS[fault.code].fix}")


def _pages_in(listing: ListedPages) -> int:
    return listing.count + sum(listing.not_listed.values())
