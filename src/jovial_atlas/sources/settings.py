"""What the site file says of reading pages: names of sources, folders, how their files are read.

Loads nothing of tables.
"""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from jovial_atlas.media.services import Service, services
from jovial_atlas.signs import signed_pages
from jovial_atlas.sitefile import (
    CrawlSource,
    HtmlSource,
    JsonSource,
    PackageSource,
    SiteFile,
    Source,
    SqlSource,
)
from jovial_atlas.sources.html_page.context import Reading
from jovial_atlas.sources.workers.folder import Folder


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
    if isinstance(source, PackageSource):
        return source.package
    return source.address if isinstance(source, JsonSource) else source.path


def reading_of(source: Source, site: SiteFile, now: datetime) -> Reading:
    """How the pages of a source are read. Raises AtlasError."""
    built = source if isinstance(source, HtmlSource) else None
    return Reading(
        name_of(source),
        now,
        honour_canonical=built is None or built.canonicals == "honour",
        services=known_services(site),
        crawlers=tuple(sorted(crawler_tokens(site))),
        fields=tuple(built.fields.items()) if built else (),
        outline=any(section.schema_type for section in site.model.section),
        trust=site.model.dates.trust,
        authors=site.model.authors.trust,
        tags=site.model.tags.trust,
    )


def folder_of(source: HtmlSource, site: SiteFile, written: frozenset[str]) -> Folder:
    """The folder of a source of built HTML, but for files that this tool has `written`."""
    return Folder(
        site.folder / source.path, source.host or site.model.site.url, source.addresses, source.at,
        source.documents, source.include, source.exclude, written=written,
    )  # fmt: skip


def written_pages(site: SiteFile) -> frozenset[str]:
    """Places of the pages that this tool wrote itself, by what they hold: pages for visitors, and
    files that prove ownership to an engine. They are none of the site's content."""
    places: set[str] = set()
    for host in site.hosts:
        signed = signed_pages(host.output, host.model.visitors.page)
        places |= {str(host.output / name) for name in signed}
        for engine in host.model.engine:
            path = host.output / engine.ownership.file
            if engine.ownership.file and _holds(path, engine.ownership.content.encode()):
                places.add(str(path))
    return frozenset(places)


def _holds(path: Path, data: bytes) -> bool:
    try:
        return path.read_bytes() == data
    except OSError:
        return False
