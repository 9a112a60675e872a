"""Opening sources: from what the site file says of one to its batches."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from urllib.parse import urljoin

import httpx

from jovial_atlas import addresses
from jovial_atlas.errors import ContentError
from jovial_atlas.media.services import Service, services
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sitefile import (
    CrawlSource,
    FeedSource,
    HtmlSource,
    JsonSource,
    ListSource,
    MarkdownSource,
    SiteFile,
    Source,
    SqlSource,
    TableSource,
)
from jovial_atlas.sources.columns import FieldMap
from jovial_atlas.sources.crawl import Crawl, Limits, read_site
from jovial_atlas.sources.html import Folder, Known, Progress, read_folder
from jovial_atlas.sources.page import Reading


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What sources need from outside: the site file, time, environment, network, memory."""

    site: SiteFile
    now: datetime
    environment: Mapping[str, str]
    client: httpx.Client
    identify: Callable[[str], str]
    #: Pages that this tool wrote itself: they are none of the site's content.
    written: frozenset[str] = frozenset()
    workers: int | None = None
    progress: Progress | None = None


def crawler_tokens(site: SiteFile) -> set[str]:
    """The crawlers whose own robots tags are read: those that the site file names."""
    return site.crawlers | {token for rule in site.model.rule for token in rule.crawlers}


def known_services(site: SiteFile) -> tuple[Service, ...]:
    """The hosting services of videos: the owner's file, then those that ship. Raises AtlasError."""
    own = site.model.videos.services
    return services(site.folder / own if own else None)


def name_of(source: Source) -> str:
    """The name of a source: its own, or its place."""
    if source.name:
        return source.name
    if isinstance(source, SqlSource):
        return "query"
    if isinstance(source, CrawlSource):
        return "site"
    return source.address if isinstance(source, JsonSource) else source.path


def open_source(source: Source, around: Surroundings, known: Known | None) -> Iterator[Batch]:
    """The batches of a source. Raises ContentError, at once or while they are taken."""
    name = name_of(source)
    site, folder = source.host or around.site.model.site.url, around.site.folder
    trust = around.site.model.dates.trust
    tokens = tuple(sorted(crawler_tokens(around.site)))
    players = known_services(around.site)
    asked = any(section.schema_type for section in around.site.model.section)
    reading = Reading(
        name, around.now, trust=trust, crawlers=tokens, services=players, outline=asked
    )
    if isinstance(source, HtmlSource):
        honour = source.canonicals == "honour"
        yield from read_folder(
            Folder(
                folder / source.path, site, source.addresses, source.at,
                source.documents, source.include, source.exclude, written=around.written,
            ),
            replace(reading, honour_canonical=honour, fields=tuple(source.fields.items())),
            known=known,
            workers=around.workers,
            progress=around.progress,
        )  # fmt: skip
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
        players,
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
