"""What is published of a site by other means: pages with their heads, robots.txt, sitemaps; and
files that say where old addresses lead, or hold texts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

import polars as pl

from jovial_atlas import delimited
from jovial_atlas.errors import AtlasError
from jovial_atlas.moves.importing import kind_of_configuration
from jovial_atlas.rounds.reading.content_place import answer_at, recognise
from jovial_atlas.rounds.reading.content_records import ContentPlace
from jovial_atlas.rounds.reading.home_head import HomeHead, home_head
from jovial_atlas.rounds.reading.proposal import pages_at
from jovial_atlas.rounds.state.names import INDEX, ROBOTS
from jovial_atlas.sitefile import CrawlSource, HtmlSource
from jovial_atlas.sitefile.tables import header_of
from jovial_atlas.sitemaps.read import FileKind, read_sitemap
from jovial_atlas.web import Client
from jovial_atlas.workbooks import ENDINGS

#: Pages of a live site that are read, and files of sitemaps that are followed.
_MOST_PAGES, _MOST_FILES = 2_000, 200
#: Files of a folder that may say where addresses lead.
_REDIRECTS = (".htaccess", "_redirects", "redirects.conf", "redirects.map")


@dataclass(slots=True)
class OldSite:
    """What was found, and what of it was not read, in words."""

    pages: pl.DataFrame | None = None
    #: What the home page says of the site, and who stands behind it.
    home: HomeHead = field(default_factory=HomeHead)
    robots: bytes | None = None
    sitemaps: list[bytes] = field(default_factory=list)
    redirects: list[Path] = field(default_factory=list)
    texts: list[Path] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def read_published(
    places: Sequence[str], url: str, now: datetime, client: Client
) -> OldSite:
    """Read places: folders of published HTML, live addresses, files. Raises AtlasError for one that
    is nothing of the kind."""
    found = OldSite()
    for place in places:
        path = Path(place)
        if path.is_file():
            _file(path, found)
        else:
            _site(recognise(place, client), url, now, client, found)
    return found


def _file(path: Path, found: OldSite) -> None:
    """What a single file is, by its name and its beginning."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror or error}).") from error
    beginning = data[:4096]
    if data[:2] == b"\x1f\x8b" or b"<urlset" in beginning or b"<sitemapindex" in beginning:
        found.sitemaps += _sitemaps_from(path)
        return
    if path.suffix.lower() in ENDINGS:
        found.texts.append(path)
        return
    text = delimited.decoded(data)[0]
    lines = [line.strip().lower() for line in text.splitlines()]
    if path.name == ROBOTS or any(line.startswith("user-agent:") for line in lines):
        found.robots = data
    elif kind_of_configuration(text) or path.name in _REDIRECTS:
        found.redirects.append(path)
    elif "loc" in header_of(text):
        found.texts.append(path)
    elif path.suffix.lower() in (".csv", ".tsv", ".txt"):
        found.redirects.append(path)
    else:
        raise AtlasError(
            f"{path} is neither a robots.txt, a sitemap, a configuration with redirects, nor a "
            "table with the column loc."
        )


def _sitemaps_from(path: Path) -> Iterator[bytes]:
    """A sitemap file; of an index, the files beside it that it names."""
    data = path.read_bytes()
    file = read_sitemap(data, path.name)
    if file.kind != FileKind.INDEX:
        yield data
        return
    for entry in file.entries[:_MOST_FILES]:
        beside = path.parent / entry.loc.rpartition("/")[2]
        if beside.is_file():
            yield beside.read_bytes()


def _follow(address: str, client: Client, found: OldSite) -> None:
    """A sitemap of a live site; of an index, the files that it names."""
    waiting = [address]
    for number, one in enumerate(waiting):
        if number == _MOST_FILES:
            found.notes.append(f"Of the live site {_MOST_FILES} files of sitemaps were read.")
            return
        try:
            data = answer_at(one, client)[1].body
        except AtlasError as error:
            found.notes.append(str(error))
            continue
        file = read_sitemap(data, one)
        if file.kind == FileKind.INDEX and number == 0:
            waiting += [entry.loc for entry in file.entries]
        else:
            found.sitemaps.append(data)


def _site(
    place: ContentPlace, url: str, now: datetime, client: Client, found: OldSite
) -> None:
    """A folder of published pages, or a live site."""
    if not isinstance(place.source, HtmlSource | CrawlSource):
        raise AtlasError(f"{place.what}: nothing is published there that could be brought over.")
    found.pages, _, _ = pages_at(url, place.source, place, now, client, most=_MOST_PAGES)
    found.home = home_head(place, url, found.pages, client)
    if isinstance(place.source, CrawlSource):
        if found.pages.height >= _MOST_PAGES:
            found.notes.append(f"Of the live site {_MOST_PAGES:,} pages were read.")
        found.robots = found.robots or place.robots
        for address in place.sitemaps[:_MOST_FILES]:
            _follow(address, client, found)
        return
    folder = place.folder
    assert folder is not None
    if (folder / ROBOTS).is_file():
        found.robots = (folder / ROBOTS).read_bytes()
    if (folder / INDEX).is_file():
        found.sitemaps += _sitemaps_from(folder / INDEX)
    found.redirects += [folder / name for name in _REDIRECTS if (folder / name).is_file()]
