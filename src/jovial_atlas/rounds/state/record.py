"""What the last build made public, as it was remembered: which files, and what each lists."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import msgspec
import polars as pl

from jovial_atlas.engines import indexnow
from jovial_atlas.errors import AtlasError, OutputError
from jovial_atlas.files import FileSet, write_whole
from jovial_atlas.pages.keys import key_of
from jovial_atlas.rounds.state.names import BUILD_RECORD, KEY, LISTED_IN
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps.packing import decompressed
from jovial_atlas.sitemaps.plain import as_written


class SitemapRecord(msgspec.Struct, frozen=True):
    """One sitemap file as it was written. `mark` tells whether it is still as it should be;
    `outside` that it lists addresses that its own folder may not speak for; `memory` names the
    file in which what it lists is kept, if any does; `news` are the addresses of a news file, which
    are few."""

    path: str
    mark: str
    urls: int
    images: int
    videos: int
    lastmod: str | None
    outside: bool = False
    memory: str = ""
    news: Sequence[str] = ()


@dataclass(slots=True)
class BuildRecord:
    """The last build: when, which sitemaps with digest and count, and their files by kind and
    number (`species/1`)."""

    at: str = ""
    kinds: list[str] = field(default_factory=list)
    sitemaps: dict[str, tuple[str, int]] = field(default_factory=dict)
    files: dict[str, SitemapRecord] = field(default_factory=dict)
    #: Section → pages that the build turned from index to noindex, and pages it had listed.
    hidden: dict[str, tuple[int, int]] = field(default_factory=dict)


def test_key() -> int:
    """The key of one address: keys are only good for as long as the library makes the same ones
    of the same text."""
    return int(pl.select(key_of(pl.lit("https://www.marrowfen.example/"))).item())


def load_record(site: SiteFile) -> BuildRecord:
    """The record of the last build, empty where there was none. Raises OutputError."""
    path = site.state / BUILD_RECORD
    try:
        read = json.loads(path.read_bytes())
        return BuildRecord(
            str(read["at"]),
            list(read["kinds"]),
            {loc: (str(mark), int(urls)) for loc, (mark, urls) in read["sitemaps"].items()},
            {name: _record(name, one) for name, one in read["files"].items()}
            if read["key"] == test_key()
            else {},
            {name: (int(n), int(of)) for name, (n, of) in read.get("hidden", {}).items()},
        )
    except FileNotFoundError:
        return BuildRecord()
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise OutputError(
            f"{path} cannot be read ({error}). Delete it and run `jovial-atlas build` again."
        ) from error


def _record(name: str, said: dict[str, Any]) -> SitemapRecord:
    # Records of older versions do not name the file: it was always a table.
    return SitemapRecord(**{"memory": f"{name.replace('/', '-')}.parquet", **said})


def listed_set(site: SiteFile, *, dry: bool) -> FileSet:
    """What is kept of what each sitemap file lists."""
    return FileSet(site.state / LISTED_IN, site.state / f"{LISTED_IN}-files.json", dry=dry)


class ListedMemory(msgspec.Struct, frozen=True):
    """What is kept of what one sitemap file lists: a copy of the file where that says all, a
    Parquet table with marks where it does not. `name` is that of the file in the state folder."""

    name: str
    data: bytes

    @property
    def rows(self) -> pl.DataFrame:
        """The addresses as `loc, lastmod, mark, file`; `file` is the name without its ending."""
        if self.name.endswith(TABLE):
            table = pl.read_parquet(self.data)
        else:
            table = as_written(decompressed(self.data) if self.name.endswith(".gz") else self.data)
        return remembered(table, self.name)


def remembered(rows: pl.DataFrame, name: str) -> pl.DataFrame:
    """What is kept under a name of a file that lists these rows, as `ListedMemory.rows`."""
    mark = pl.lit("@") + pl.col("lastmod").fill_null("")
    marked = rows if "mark" in rows.columns else rows.with_columns(mark=mark)
    return marked.select("loc", "lastmod", "mark", file=pl.lit(stem_of(name)))


TABLE = ".parquet"
_MEMORY = dict.fromkeys(("loc", "lastmod", "mark", "file"), pl.String)


def stem_of(name: str) -> str:
    """`species-1` for the names of all files that keep what `species/1` lists."""
    return name.removesuffix(".gz").removesuffix(".xml").removesuffix(TABLE)


def memories(site: SiteFile, names: Sequence[str]) -> pl.DataFrame:
    """What sitemap files listed when they were last written, as `ListedMemory.rows`. Raises
    OutputError."""
    tables = [pl.DataFrame(schema=_MEMORY)]
    for name in names:
        path = site.state / LISTED_IN / name
        try:
            tables.append(ListedMemory(name, path.read_bytes()).rows)
        except FileNotFoundError:
            continue
        except (OSError, ValueError, pl.exceptions.PolarsError) as error:
            raise OutputError(
                f"{path} cannot be read ({error}). Delete it and run `jovial-atlas build` again."
            ) from error
    return pl.concat(tables)


def site_key(site: SiteFile, *, make: bool = False) -> str:
    """The IndexNow key kept in the state folder; made once where there is none yet.
    Raises OutputError."""
    path = site.state / KEY
    try:
        return path.read_text("ascii").strip()
    except FileNotFoundError:
        if not make:
            return ""
    except (OSError, ValueError) as error:
        raise OutputError(f"{path} cannot be read ({error}).") from error
    key = indexnow.new_key()
    write_whole(path, f"{key}\n".encode())
    return key


def all_listed(site: SiteFile) -> pl.DataFrame:
    """What all sitemap files list, as `ListedMemory.rows`. Raises AtlasError where nothing was
    built."""
    return memories(site, listed_names(site))


def listed_names(site: SiteFile) -> list[str]:
    """The names under which is kept what sitemap files list. Raises AtlasError where nothing was
    built."""
    if not (site.state / BUILD_RECORD).exists():
        raise AtlasError("There is no build of this site yet. Run `jovial-atlas build` first.")
    return sorted(path.name for path in (site.state / LISTED_IN).glob("[!.]*"))
