"""Where on disk the addresses of a site are: files of its sources and of its output folder."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path
from urllib.parse import unquote, urlsplit

import polars as pl

from jovial_atlas.files import is_file
from jovial_atlas.pages.page import Page
from jovial_atlas.sitefile import CrawlSource, HtmlSource, MarkdownSource, SiteFile

Find = Callable[[str], Path | None]
Candidates = Callable[[str], Iterator[tuple[Path, str]]]

#: What ends the path of an address (RFC 3986 §3.3).
_QUERY = re.compile("[?#]")


def file_of(site: SiteFile) -> Find:
    """Gives the file of a source, or of the output folder, that an address of the site leads to."""
    candidates, is_folder = _candidates(site), _known_folders()
    is_elsewhere = _elsewhere(candidates, is_folder)

    def found(address: str) -> Path | None:
        if is_elsewhere(address):
            return None
        for root, below in candidates(address):
            if is_folder(f"{root}/{below.rpartition('/')[0]}") and is_file(path := root / below):
                return path
        return None

    return found


def _elsewhere(candidates: Candidates, is_folder: Callable[[str], bool]) -> Callable[[str], bool]:
    """Whether nothing can be at an address, since its folder is not there. Of many addresses most
    lie in few folders: each is asked for once."""

    @lru_cache(maxsize=_FOLDERS)
    def is_empty(folder: str) -> bool:
        return not any(is_folder(f"{root}/{below}") for root, below in candidates(folder))

    def is_elsewhere(address: str) -> bool:
        bare = address.partition("#")[0].partition("?")[0]
        folder, slash, name = bare.rpartition("/")
        return "%" not in name and is_empty(folder + slash)

    return is_elsewhere


def files_at(site: SiteFile, addresses: pl.Series) -> dict[str, Path]:
    """The files that addresses lead to, of those that have one, by address. Of many, most may lie
    elsewhere: where there is no folder, nothing in it is looked for."""
    candidates, is_folder = _candidates(site), _known_folders()
    folder = addresses.str.extract(r"^[^?#]*/", 0)
    there = [
        one
        for one in folder.unique().drop_nulls().to_list()
        if any(is_folder(f"{root}/{below}") for root, below in candidates(one))
    ]
    near: list[str] = []
    if there:
        near = addresses.filter(folder.is_in(there).fill_null(False)).unique().to_list()
    find = file_of(site)
    return {address: path for address in sorted(near) if (path := find(address))}


#: From so many files on, of which most are not there, they lie elsewhere.
_MANY, _MOST_SHARE = 10, 0.9


def lost_files(site: SiteFile, addresses: pl.Series) -> list[str]:
    """Addresses whose files are not there, where the whole site lies in a folder: what is not in it
    is nowhere. None where hardly any is there: then they lie on another server."""
    whole = whole_places(site)
    if not whole:
        return []
    mine = pl.any_horizontal(pl.col("at").str.starts_with(one) for one in whole)
    own = pl.DataFrame({"at": addresses.unique()}).filter(mine)["at"].sort()
    have = files_at(site, own)
    lost = [one for one in own.to_list() if one not in have]
    return [] if len(own) >= _MANY and len(lost) > _MOST_SHARE * len(own) else lost


def whole_places(site: SiteFile) -> tuple[str, ...]:
    """How addresses begin whose files lie in a folder, all of them."""
    return tuple(
        (source.host or site.model.site.url) + source.at
        for source in site.model.source
        if isinstance(source, HtmlSource)
    )


def _known_folders() -> Callable[[str], bool]:
    @lru_cache(maxsize=_FOLDERS)
    def is_folder(name: str) -> bool:
        try:
            return Path(name).is_dir()
        except (OSError, ValueError):  # a name that no file system takes
            return False

    return is_folder


#: Folders of which it is known for a while whether they are there.
_FOLDERS = 10_000


def page_file_of(site: SiteFile) -> Find:
    """As `file_of`, with the files that servers give for an address without an ending."""
    candidates = _candidates(site)
    is_elsewhere = _elsewhere(candidates, _known_folders())

    def found(address: str) -> Path | None:
        if is_elsewhere(address):
            return None
        for root, below in candidates(address):
            path = root / below
            plain = path.with_name(f"{path.name}.html") if path.name else path / "index.html"
            for one in (path, path / "index.html", plain):
                if is_file(one):
                    return one
        return None

    return found


#: What an address ends with that may be a page's.
_PAGE_ENDINGS = ("", ".html", ".htm", ".xhtml", ".php", ".asp", ".aspx", ".jsp")


def may_exist(site: SiteFile) -> Callable[[str], bool]:
    """Whether there may be something at an address that is no page of the survey: a file, where the
    site lies in a folder; anything that a crawl of its host did not come to; and a file that is no
    page, where only records are known."""
    find = page_file_of(site)
    folders = whole_places(site)
    crawled: list[str] = []
    endings: tuple[str, ...] = _PAGE_ENDINGS
    for source in site.model.source:
        host = source.host or site.model.site.url
        if isinstance(source, CrawlSource):
            crawled.append(f"{host}/")
        elif isinstance(source, MarkdownSource):
            endings = (*endings, ".md", ".markdown")

    def may(address: str) -> bool:
        if find(address) is not None:
            return True
        if address.startswith(folders):
            return False
        name = urlsplit(address).path.rpartition("/")[2]
        return address.startswith(tuple(crawled)) or Path(name).suffix not in endings

    return may


def _candidates(site: SiteFile) -> Candidates:
    """Gives the places where what an address leads to may lie: a folder, and a path from there."""
    places = [(host.model.site.url, host.output, "/") for host in site.hosts]
    places += [
        (source.host or site.model.site.url, site.folder / source.path, source.at)
        for source in site.model.source
        if isinstance(source, HtmlSource)
    ]

    def candidates(address: str) -> Iterator[tuple[Path, str]]:
        for url, root, mount in places:
            if not address.startswith(f"{url}/"):
                continue
            path = unquote(_QUERY.split(address[len(url) :], maxsplit=1)[0])
            below = path.removeprefix(mount.rstrip("/")).lstrip("/")
            if path.startswith(mount) and ".." not in below.split("/") and "\0" not in path:
                yield root, below

    return candidates


def file_of_row(site: SiteFile) -> Callable[[Page], Path | None]:
    """Gives the file that a page (a row of the page table) was read from; None where its source is
    no folder of files."""
    places: dict[str, Path] = {}
    for source in site.model.source:
        if isinstance(source, (HtmlSource, MarkdownSource)):
            places[source.path] = places[source.name or source.path] = site.folder / source.path

    def found(page: Page) -> Path | None:
        folder = places.get(page.source or "")
        return folder / page.path if folder is not None and page.path else None

    return found
