"""One build: verdicts become sitemaps, robots.txt, key file and head data, all or nothing."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import polars as pl

from jovial_atlas import dates
from jovial_atlas.engines import indexnow
from jovial_atlas.errors import AtlasError, OutputError
from jovial_atlas.files import FileSet, digest, write_whole
from jovial_atlas.head.compose import head_lines
from jovial_atlas.head.texts import check_patterns
from jovial_atlas.head.videos import with_videos
from jovial_atlas.pages import snapshot
from jovial_atlas.robots import write_robots
from jovial_atlas.rules import not_listed, robots_of
from jovial_atlas.sitefile import IndexNowChannel, SiteFile
from jovial_atlas.sitefile.model import REST
from jovial_atlas.sitemaps.write import Part, compressed, index_file, urlset_parts

INDEX, ROBOTS = "sitemap.xml", "robots.txt"
MANIFEST, KEY, PUBLISHED = "manifest.json", "indexnow.key", "published.parquet"
ANNOUNCED, HEAD, ADOPTED = "published.json", "head", "replaced"
#: With compress = "auto", files of this many bytes and more are gzipped.
_COMPRESS_FROM = 1 << 20


@dataclass(frozen=True, slots=True)
class BuiltFile:
    """One file of the set: what stands in it, and what the build did to it."""

    path: str
    urls: int
    images: int
    videos: int
    bytes: int
    state: str


@dataclass(frozen=True, slots=True)
class Build:
    """A build: its files, how many pages are listed, and why others are not."""

    files: list[BuiltFile]
    listed: int
    not_listed: dict[str, int]
    draft: bool


@dataclass(frozen=True, slots=True)
class _Holds:
    urls: int = 0
    images: int = 0
    videos: int = 0
    pages: int = 0  # of an index: the different pages that its files list


def run_build(
    site: SiteFile, decided: pl.DataFrame, now: datetime, *, dry_run: bool = False
) -> Build:
    """Write the whole set, or with `dry_run` only say what would change.

    Raises SiteFileError for a wrong pattern and OutputError where files cannot be written;
    then, and on an interrupt, the set of before stays as it was.
    """
    check_patterns(site)
    if not site.output.is_dir() and site.output.exists():
        raise OutputError(f"The output folder {site.output} is not a folder.")
    public = FileSet(site.output, site.state / MANIFEST, dry=dry_run)
    heads = FileSet(site.state / HEAD, site.state / "head.json", dry=dry_run)
    holds: dict[str, _Holds] = {}
    sitemaps: dict[str, tuple[str, int]] = {}
    try:
        for path, data, held, loc in _sitemap_files(site, decided):
            holds[path] = held
            public.put(path, data)
            sitemaps[loc] = (digest(data), held.pages or held.urls)
        for path, data in _root_files(site, list(sitemaps)[:1], dry_run):
            public.put(path, data)
        for section, data in head_lines(decided, site):
            heads.put(f"{section}.jsonl", data)
        if dry_run:
            changes = public.changes()
        else:
            changes = public.commit(last=(INDEX, ROBOTS))
            heads.commit()
            _remember(site, decided, sitemaps, now)
    except BaseException:
        public.discard()
        heads.discard()
        raise
    files = [
        BuiltFile(change.path, held.urls, held.images, held.videos, change.bytes, change.state)
        for change in changes
        for held in [holds.get(change.path, _Holds())]
    ]
    return Build(
        files,
        int(decided["listed"].sum()),
        not_listed(decided),
        site.model.site.stage == "draft",
    )


def _sitemap_files(
    site: SiteFile, decided: pl.DataFrame
) -> Iterator[tuple[str, bytes, _Holds, str]]:
    """(path, bytes, what it holds, address) of the index, then of each sitemap.

    The index is made last, since it tells the newest lastmod of each file; it is yielded
    first where there is anything to list.
    """
    files: list[tuple[str, bytes, _Holds, str]] = []
    entries: list[tuple[str, str | None]] = []
    for name, part in _parts(site, decided):
        path, data = _named(name, part.data, site.model.sitemap.compress)
        loc = f"{site.model.site.url}/{path}"
        files.append((path, data, _Holds(part.urls, part.images, part.videos), loc))
        entries.append((loc, part.lastmod))
    if entries:
        index = index_file(entries)
        held = _Holds(len(entries), pages=int(decided["listed"].sum()))
        yield INDEX, index, held, f"{site.model.site.url}/{INDEX}"
    yield from files


def _parts(site: SiteFile, decided: pl.DataFrame) -> Iterator[tuple[str, Part]]:
    listed = decided.filter("listed").sort("loc")
    pictures = pl.col("images").list.eval(pl.element().struct.field("loc"))
    most = site.model.sitemap.max_urls
    known = [section.name for section in site.model.section]
    found = sorted(set(listed["section"]) - {*known, REST})
    for section in [*known, *found, REST]:
        pages = listed.filter(pl.col("section") == section).select("loc", "lastmod", pictures)
        yield from _numbered(f"sitemap-{section}", urlset_parts(pages, max_urls=most))
    yield from _numbered("sitemap-video", urlset_parts(with_videos(listed), max_urls=most))


def _numbered(stem: str, parts: Iterator[Part]) -> Iterator[tuple[str, Part]]:
    for number, part in enumerate(parts, start=1):
        yield f"{stem}-{number}.xml", part


def _named(name: str, data: bytes, compress: str) -> tuple[str, bytes]:
    if compress == "always" or (compress == "auto" and len(data) >= _COMPRESS_FROM):
        return f"{name}.gz", compressed(data)
    return name, data


def _root_files(site: SiteFile, index: Sequence[str], dry_run: bool) -> Iterator[tuple[str, bytes]]:
    robots = robots_of(site.model)
    draft = site.model.site.stage == "draft"
    named = [] if draft else [*index, *(record.value for record in robots.sitemaps)]
    comment = "This site is a draft: nothing may be fetched yet." if draft else ""
    others = [(record.field, record.value) for record in robots.others]
    yield ROBOTS, write_robots(robots.groups, named, others, comment)
    if not draft:
        for key in _keys(site, dry_run):
            yield indexnow.key_file(key)


def _keys(site: SiteFile, dry_run: bool) -> list[str]:
    channels = [
        channel
        for engine in site.model.engine
        for channel in engine.channels
        if isinstance(channel, IndexNowChannel)
    ]
    own = {channel.key for channel in channels if channel.key}
    if any(not channel.key for channel in channels):
        own.add(site_key(site, make=not dry_run))
    return sorted(own - {""})


def site_key(site: SiteFile, *, make: bool = False) -> str:
    """The IndexNow key kept in the state folder; made once where there is none yet."""
    place = site.state / KEY
    try:
        return place.read_text("ascii").strip()
    except FileNotFoundError:
        if not make:
            return ""
    except (OSError, ValueError) as error:
        raise OutputError(f"{place} cannot be read ({error}).") from error
    key = indexnow.new_key()
    write_whole(place, f"{key}\n".encode())
    return key


def _remember(
    site: SiteFile, decided: pl.DataFrame, sitemaps: dict[str, tuple[str, int]], now: datetime
) -> None:
    """What is public from now on: for `submit`, each listed page with a mark of its content,
    each sitemap with its digest and count."""
    dated = pl.when(pl.col("lastmod_from") != "file").then(pl.col("lastmod"))
    mark = pl.concat_str(pl.col("fingerprint").fill_null(""), pl.lit("@"), dated.fill_null(""))
    published = decided.filter("listed").select("loc", "section", mark.alias("mark")).sort("loc")
    snapshot.save(published, site.state / PUBLISHED)
    record = {"at": dates.write(now), "sitemaps": {k: list(v) for k, v in sitemaps.items()}}
    write_whole(site.state / ANNOUNCED, (json.dumps(record, indent=1) + "\n").encode())


def replace_foreign(site: SiteFile, names: Sequence[str]) -> list[Path]:
    """Move files that the tool did not write out of its way, into the state folder.

    Returns where they are now. Raises AtlasError for a name where no such file stands.
    """
    public = FileSet(site.output, site.state / MANIFEST)
    moved = []
    for name in names:
        place = site.output / name
        if "/" in name or not place.is_file():
            raise AtlasError(f"There is no file {name} in {site.output} to replace.")
        if public.owns(name):
            continue
        target = site.state / ADOPTED / name
        number = 1
        while target.exists():
            number += 1
            target = target.with_name(f"{name}.{number}")
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.move(place, target)
        except OSError as error:
            raise OutputError(f"{place} cannot be moved to {target} ({error.strerror}).") from error
        moved.append(target)
    return moved
