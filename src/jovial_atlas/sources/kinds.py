"""The kinds of source: from what the site file says of one to its batches."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from urllib.parse import urljoin

import msgspec

from jovial_atlas import __version__, addresses
from jovial_atlas.errors import ContentError
from jovial_atlas.files import digest
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sitefile import (
    CrawlSource,
    FeedSource,
    HtmlSource,
    JsonSource,
    ListSource,
    MarkdownSource,
    PackageSource,
    SiteFile,
    Source,
    SqlSource,
    TableSource,
)
from jovial_atlas.sitefile.sources import RecordSource
from jovial_atlas.sources.crawl import Crawl, Limits, PageLook, read_site
from jovial_atlas.sources.html_page.context import Reading
from jovial_atlas.sources.records.columns import FieldMap
from jovial_atlas.sources.records.content import with_contents
from jovial_atlas.sources.records.kept_pages import KeptPages
from jovial_atlas.sources.records.losses import Losses
from jovial_atlas.sources.settings import folder_of, name_of, reading_of
from jovial_atlas.sources.workers.folder import Folder
from jovial_atlas.sources.workers.html_folder import KnownFiles, Progress, read_folder
from jovial_atlas.sources.workers.readers import Readers
from jovial_atlas.values import replace
from jovial_atlas.web import Client

#: Changes with how the answers of a crawl are read, so that they are asked for anew.
_MANNER = 2
_NEVER = datetime.fromtimestamp(0, UTC)


class Surroundings(msgspec.Struct, frozen=True):
    """What sources need from outside: the site file, time, environment, network, memory."""

    site: SiteFile
    now: datetime
    environment: Mapping[str, str]
    client: Client
    identify: Callable[[str], str]
    readers: Readers
    #: Gives what is known of the pages of a source of records, or of texts.
    kept_pages: Callable[[Source], KeptPages]
    #: Pages that this tool wrote itself: they are none of the site's content.
    written: frozenset[str] = frozenset()
    progress: Progress | None = None
    #: Is given each page that a crawl fetches.
    look: PageLook | None = None


def open_source(source: Source, around: Surroundings, known: KnownFiles | None) -> Iterator[Batch]:
    """The batches of a source. Raises ContentError, at once or while they are taken."""
    batches = _OPENERS[type(source)](source, around, known)
    if isinstance(source, RecordSource) and not isinstance(source, MarkdownSource):
        reading = reading_of(source, around.site, around.now)
        batches = with_contents(batches, reading, around.readers, around.kept_pages(source))
    yield from batches


def _with_losses(batches: Iterator[Batch], how: FieldMap) -> Iterator[Batch]:
    """The batches, and what is told of what they lost once all were taken."""
    yield from batches
    if how.lost is not None and (faults := list(how.lost.faults(how.source, how.site))):
        yield Batch(faults=faults)


def _field_map(source: RecordSource, around: Surroundings) -> FieldMap:
    return FieldMap(
        name_of(source),
        source.host or around.site.model.site.url,
        around.now,
        source.url,
        source.columns,
        getattr(source, "separator", ";"),
        reading_of(source, around.site, around.now).services,
        Losses(),
        around.site.model.site.language,
    )


def _html(source: HtmlSource, around: Surroundings, known: KnownFiles | None) -> Iterator[Batch]:
    yield from read_folder(
        folder_of(source, around.site, around.written),
        reading_of(source, around.site, around.now),
        around.readers,
        known=known,
        progress=around.progress,
    )


def _site(source: CrawlSource, around: Surroundings, known: KnownFiles | None) -> Iterator[Batch]:
    reading = reading_of(source, around.site, around.now)
    crawl = _crawl(source, around, name_of(source), reading)
    yield from read_site(
        around.client, crawl, replace(reading, served=(crawl.served, crawl.site)),
        progress=around.progress, dated=known.dates if known else None, look=around.look,
    )  # fmt: skip


def _markdown(
    source: MarkdownSource, around: Surroundings, known: KnownFiles | None
) -> Iterator[Batch]:
    from jovial_atlas.sources.records.markdown import read_markdown

    site = source.host or around.site.model.site.url
    path = around.site.folder / source.path
    folder = Folder(path, site, include=source.include, exclude=source.exclude)
    reading = reading_of(source, around.site, around.now)
    yield from read_markdown(
        folder, _field_map(source, around), reading, around.readers, around.kept_pages(source),
        known.dates if known else None,
    )  # fmt: skip


def _table(source: TableSource, around: Surroundings, _known: KnownFiles | None) -> Iterator[Batch]:
    from jovial_atlas.sources.records.table import read_table

    how = _field_map(source, around)
    yield from _with_losses(read_table(around.site.folder, source.path, how, source.items), how)


def _sql(source: SqlSource, around: Surroundings, _known: KnownFiles | None) -> Iterator[Batch]:
    from jovial_atlas.sources.records.sql import read_query

    password = _secret(source.password_env, around.environment, name_of(source))
    how = _field_map(source, around)
    batches = read_query(source.connect, source.query, how, around.site.folder, password)
    yield from _with_losses(batches, how)


def _feed(source: FeedSource, around: Surroundings, _known: KnownFiles | None) -> Iterator[Batch]:
    from jovial_atlas.sources.records.feed import read_feed
    from jovial_atlas.sources.remote import read

    data = read(source.path, around.site.folder, around.client)
    how = _field_map(source, around)
    yield from _with_losses(read_feed(data, how), how)


def _interface(
    source: JsonSource, around: Surroundings, _known: KnownFiles | None
) -> Iterator[Batch]:
    from jovial_atlas.sources.records.interface import Paging, read_interface

    token = _secret(source.token_env, around.environment, name_of(source))
    paging = Paging(source.items, source.next, source.counter, source.first, source.max_pages)
    how = _field_map(source, around)
    batches = read_interface(around.client, source.address, how, paging, token)
    yield from _with_losses(batches, how)


def _package(
    source: PackageSource, around: Surroundings, _known: KnownFiles | None
) -> Iterator[Batch]:
    from jovial_atlas.sources.records.package import ReaderContext, read_package

    context = ReaderContext(around.site.folder, around.environment, around.client)
    how = _field_map(source, around)
    yield from _with_losses(read_package(source, how, context), how)


def _list(source: ListSource, around: Surroundings, _known: KnownFiles | None) -> Iterator[Batch]:
    from jovial_atlas.sources.records.listing import read_list
    from jovial_atlas.sources.remote import read

    folder = around.site.folder

    def fetch(loc: str) -> bytes:
        """A file that a sitemap index lists: beside it, on disk or on the same host."""
        beside = loc.rpartition("/")[2]
        if source.path.startswith(("http://", "https://")):
            return read(urljoin(source.path, beside), folder, around.client)
        return read(str(Path(source.path).with_name(beside)), folder, around.client)

    data = read(source.path, folder, around.client)
    how = _field_map(source, around)
    yield from _with_losses(read_list(data, how, fetch), how)


def _crawl(source: CrawlSource, around: Surroundings, name: str, reading: Reading) -> Crawl:
    site = source.host or around.site.model.site.url
    served = addresses.origin(addresses.normalise(source.via)) if source.via else site
    safe = "".join(letter if letter.isalnum() else "-" for letter in name)
    return Crawl(
        site,
        served,
        source.start,
        source.crawler,
        around.site.state / "crawls" / f"{safe}.jsonl",
        Limits(source.max_pages, source.max_depth, source.max_bytes, source.per_second),
        digest(repr((__version__, _MANNER, replace(reading, now=_NEVER))).encode()),
        around.identify,
    )


def _secret(variable: str, environment: Mapping[str, str], name: str) -> str:
    if not variable:
        return ""
    if not environment.get(variable):
        raise ContentError(f"{name}: the environment variable {variable} is empty or not set.")
    return environment[variable]


#: Kind of source → what opens it. A test holds that every kind of the site file is here.
_OPENERS: dict[type, Callable[[Any, Surroundings, KnownFiles | None], Iterator[Batch]]] = {
    HtmlSource: _html,
    CrawlSource: _site,
    MarkdownSource: _markdown,
    TableSource: _table,
    SqlSource: _sql,
    FeedSource: _feed,
    ListSource: _list,
    JsonSource: _interface,
    PackageSource: _package,
}
SOURCE_KINDS = frozenset(_OPENERS)
