"""The checks of what was built for a host: one list, with those that other packages add."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property, partial

import polars as pl

from jovial_atlas import dates
from jovial_atlas.checks import against_pages, pages, sets, sharing, texts, videos
from jovial_atlas.checks.sets import SitemapSet
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.files import FileSet
from jovial_atlas.findings.added import AddedFindings
from jovial_atlas.installed import CHECKS, load, names
from jovial_atlas.pages.page import pages_of
from jovial_atlas.robots import RobotsFile
from jovial_atlas.rounds.proving.moves import move_faults
from jovial_atlas.rounds.proving.structured_data import data_faults
from jovial_atlas.rounds.proving.targets import relative, robots_faults
from jovial_atlas.rounds.publishing.patterns import failing_patterns, has_patterns
from jovial_atlas.rounds.publishing.undelivered import undelivered
from jovial_atlas.rounds.state.hiding import hiding_faults
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import INDEX, MANIFEST, ROBOTS
from jovial_atlas.rounds.state.picture_files import lost_pictures
from jovial_atlas.rounds.state.record import BuildRecord, load_record
from jovial_atlas.rounds.state.site_files import file_of, files_at, lost_files, may_exist
from jovial_atlas.rules import robots_of
from jovial_atlas.sitefile import SiteFile


@dataclass(frozen=True)
class CheckedHost:
    """What was built for a host, and its pages: all that a check may look at. `robots` is the file
    on disk, if there is one; `read` are the sitemap files."""

    survey: LastSurvey
    robots: RobotsFile | None
    read: SitemapSet
    now: datetime

    @property
    def site(self) -> SiteFile:
        """The site file, for this host."""
        return self.survey.site

    @property
    def pages(self) -> pl.DataFrame:
        """The page table with its verdicts, all of it in memory."""
        return self.survey.decided

    @property
    def table(self) -> pl.LazyFrame:
        """The page table with its verdicts, to be read in pieces."""
        return self.survey.table

    @cached_property
    def rules(self) -> RobotsFile:
        """The robots.txt on disk, or the one that would be written."""
        return self.robots or robots_of(self.site.model)

    @cached_property
    def published(self) -> list[texts.PublishedTexts] | None:
        """The texts that heads of pages get; None for a site with more pages than head data is
        written for."""
        if self.survey.count > self.site.model.output.head_pages:
            return None
        return self.survey.published

    @cached_property
    def record(self) -> BuildRecord:
        """What the last build wrote."""
        return load_record(self.site)


class AddedCheck(AddedFindings):
    """A check of another package. `findings` has an entry for each code of its faults."""

    @abstractmethod
    def faults(self, host: CheckedHost) -> Iterable[Fault]:
        """What it finds."""


def host_faults(host: CheckedHost) -> Iterator[Fault]:
    """All that is wrong with a host. Raises AtlasError where a check of a package fails."""
    for check in SITE_CHECKS:
        yield from check(host)
    for name in names(CHECKS):
        yield from _added(name, host)


def _added(name: str, host: CheckedHost) -> Iterator[Fault]:
    check = load(CHECKS, name, AddedCheck)
    codes = {entry.code for entry in check.findings}
    try:
        for fault in check.faults(host):
            if fault.code not in codes:
                raise ValueError(f"the code {fault.code!r} is none of its findings")
            yield fault
    except AtlasError:
        raise
    except Exception as error:
        message = f"The check {name!r} of a package failed ({error!r}); tell those who made it."
        raise AtlasError(message) from error


def texts_faults(host: CheckedHost) -> Iterator[Fault]:
    """What is wrong with the texts of pages, and the pictures with which they are shared."""
    published = host.published
    told = host.table if published is None else texts.with_published(host.pages, published).lazy()
    yield from pages.check_texts(told)
    limits = host.site.model.lengths
    yield from texts.check_lengths(published or (), host.survey.heads, limits)
    yield from texts.check_languages(published or (), host.site)
    survey = host.survey
    yield from sharing.check_shared_pictures(
        published or (),
        survey.heads,
        survey.films if published else {},
        survey.pictures.look,
        file_of(host.site),
        may_exist(host.site),
    )


def film_faults(host: CheckedHost) -> Iterator[Fault]:
    """What is wrong with videos."""
    films, site = host.survey.films_for(videos.TO_CHECK), host.site
    yield from videos.check_films(
        films, site, host.rules, partial(files_at, site), partial(lost_files, site)
    )


def _robots(host: CheckedHost) -> Iterator[Fault]:
    yield from hiding_faults(host.survey, host.rules)
    yield from host.robots.faults if host.robots else ()
    yield from robots_faults(host.robots, host.site.output / ROBOTS, host.read)


def _kept(host: CheckedHost) -> Iterator[Fault]:
    """Files that stand where the tool would write, and are not its own."""
    public = FileSet(host.site.output, host.site.state / MANIFEST)
    for name in (INDEX, ROBOTS):
        if public.is_foreign(name):
            yield Fault(
                "file-kept",
                relative(host.site.output / name),
                "It was not written by this tool, or was edited since.",
            )


def _links(host: CheckedHost) -> Iterator[Fault]:
    if host.survey.may_have("links"):
        yield from pages.check_links(host.table, may_exist(host.site))


def _languages_said(host: CheckedHost) -> Iterator[Fault]:
    path = host.survey.constant.get("path", "")
    if not path or pages.is_html(path):
        yield from pages.check_languages_said(host.table)


def _canonicals(host: CheckedHost) -> Iterator[Fault]:
    if host.survey.may_have("canonical"):
        yield from pages.check_canonicals(host.table, host.site)


def _pictures(host: CheckedHost) -> Iterator[Fault]:
    if "images" in host.survey.filled and (lost := lost_pictures(host.table, host.site)):
        yield from pages.check_pictures(host.table, frozenset(lost).__contains__)


def _patterns(host: CheckedHost) -> Iterator[Fault]:
    """Patterns that cannot be filled in for a listed page."""
    if has_patterns(host.site):
        yield from failing_patterns(pages_of(host.pages.filter("listed")), host.site)


#: From this share of a section on, and this many pages, hiding pages counts as an accident.
_ACCIDENT_SHARE, _ACCIDENT_PAGES = 0.3, 3


def _flipped(host: CheckedHost) -> Iterator[Fault]:
    """Sections of which the last build took many pages out of the index."""
    for name, (count, had) in host.record.hidden.items():
        if count >= _ACCIDENT_PAGES and count >= _ACCIDENT_SHARE * had:
            turned = f"{plural(count, 'page')} of {had:,} turned from index to noindex"
            yield Fault("section-flipped", name, f"{turned} in the last build.")


def _against_pages(host: CheckedHost) -> Iterator[Fault]:
    """The files of a site that is live against its pages and its robots.txt."""
    site, read = host.site, host.read
    if site.model.site.stage != "live":
        return
    yield from sets.check_against_robots(read, host.rules, sorted(site.crawlers))
    if read.files:
        yield from against_pages.check_against_pages(read, host.table)
        yield from against_pages.check_stale(host.record.at, host.survey.at, host.table)
    elif host.table.select(pl.col("listed").any()).collect(engine="streaming").item():
        yield Fault("sitemap-none", relative(site.output / INDEX), "It is missing.")


#: What is looked for, in this order.
SITE_CHECKS: tuple[Callable[[CheckedHost], Iterable[Fault]], ...] = (
    _robots,
    _kept,
    texts_faults,
    _languages_said,
    _canonicals,
    lambda host: pages.check_overrides(host.table, host.site),
    lambda host: pages.check_noindex_seen(host.table, host.rules),
    lambda host: undelivered(host.survey),
    _patterns,
    lambda host: pages.check_engines(host.table, host.rules, host.site),
    lambda host: pages.check_given(host.site),
    lambda host: move_faults(host.survey),
    _links,
    _pictures,
    lambda host: data_faults(host.survey, host.site),
    film_faults,
    lambda host: sets.check_set(host.read, dates.write(host.now), host.robots),
    _flipped,
    _against_pages,
)
