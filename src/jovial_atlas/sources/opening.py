"""Opening sources: from what the site file says of one to its batches."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from urllib.parse import urljoin

from jovial_atlas import addresses
from jovial_atlas.errors import ContentError
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sitefile import (
    CrawlSource,
    FeedSource,
    HtmlSource,
    ListSource,
    MarkdownSource,
    SiteFile,
    Source,
    SqlSource,
    TableSource,
)
from jovial_atlas.sources.columns import FieldMap
from jovial_atlas.sources.crawl import Crawl, Limits, read_site
from jovial_atlas.sources.folder import Folder
from jovial_atlas.sources.html import Known, Progress, read_folder
from jovial_atlas.sources.readers import Readers
from jovial_atlas.sources.settings import folder_of, name_of, reading_of
from jovial_atlas.web import Client


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What sources need from outside: the site file, time, environment, network, memory."""

    site: SiteFile
    now: datetime
    environment: Mapping[str, str]
    client: Client
    identify: Callable[[str], str]
    readers: Readers
    #: Pages that this tool wrote itself: they are none of the site's content.
    written: frozenset[str] = frozenset()
    progress: Progress | None = None


def open_source(source: Source, around: Surroundings, known: Known | None) -> Iterator[Batch]:
    """The batches of a source. Raises ContentError, at once or while they are taken."""
    name = name_of(source)
    site, folder = source.host or around.site.model.site.url, around.site.folder
    reading = reading_of(source, around.site, around.now)
    if isinstance(source, HtmlSource):
        yield from read_folder(
            folder_of(source, around.site, around.written),
            reading,
            around.readers,
            known=known,
            progress=around.progress,
        )
        return
    if isinstance(source, CrawlSource):
        crawl = _crawl(source, around, name)
        yield from read_site(
            around.client,
            crawl,
            replace(reading, served=(crawl.served, site)),
            progress=around.progress,
        )
        return
    how = FieldMap(
        name,
        site,
        around.now,
        source.url,
        source.columns,
        getattr(source, "separator", ";"),
        reading.services,
    )
    if isinstance(source, MarkdownSource):
        from jovial_atlas.sources.markdown import read_markdown

        place = Folder(folder / source.path, site, include=source.include, exclude=source.exclude)
        yield from read_markdown(place, how, reading)
    elif isinstance(source, TableSource):
        from jovial_atlas.sources.table import read_table

        yield from read_table(folder, source.path, how)
    elif isinstance(source, SqlSource):
        from jovial_atlas.sources.sql import read_query

        password = _secret(source.password_env, around.environment, name)
        yield from read_query(source.connect, source.query, how, folder, password)
    elif isinstance(source, FeedSource):
        from jovial_atlas.sources.feed import read_feed
        from jovial_atlas.sources.remote import read

        yield from read_feed(read(source.path, folder, around.client), how, reading)
    elif isinstance(source, ListSource):
        yield from _list(source, around, how)
    else:
        from jovial_atlas.sources.interface import read_interface

        yield from read_interface(
            around.client, source.address, how, items=source.items, following=source.next,
            counter=source.counter, first=source.first, max_pages=source.max_pages,
            token=_secret(source.token_env, around.environment, name),
        )  # fmt: skip


def _list(source: ListSource, around: Surroundings, how: FieldMap) -> Iterator[Batch]:
    from jovial_atlas.sources.listing import read_list
    from jovial_atlas.sources.remote import read

    folder = around.site.folder

    def fetch(loc: str) -> bytes:
        """A file that a sitemap index lists: beside it, on disk or on the same host."""
        beside = loc.rpartition("/")[2]
        if source.path.startswith(("http://", "https://")):
            return read(urljoin(source.path, beside), folder, around.client)
        return read(str(Path(source.path).with_name(beside)), folder, around.client)

    yield from read_list(read(source.path, folder, around.client), how, fetch)


def _crawl(source: CrawlSource, around: Surroundings, name: str) -> Crawl:
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
        around.identify,
    )


def _secret(variable: str, environment: Mapping[str, str], name: str) -> str:
    if not variable:
        return ""
    if not environment.get(variable):
        raise ContentError(f"{name}: the environment variable {variable} is empty or not set.")
    return environment[variable]
