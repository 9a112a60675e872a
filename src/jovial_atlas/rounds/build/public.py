"""What is public: remembered from build to build, for stable files, differences and `submit`."""

from __future__ import annotations

import io
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import polars as pl

from jovial_atlas.engines import indexnow
from jovial_atlas.errors import AtlasError, OutputError
from jovial_atlas.files import FileSet, remove, write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.rounds.build.kinds import Kind
from jovial_atlas.rounds.build.listing import key_of
from jovial_atlas.rounds.build.places import GONE, HIDDEN, KEY, PLACED, RECORD, TABLES
from jovial_atlas.rounds.build.placing import Placed
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps import plan
from jovial_atlas.sitemaps.packing import decompressed
from jovial_atlas.sitemaps.plain import as_written
from jovial_atlas.sitemaps.write import Part

_NOWHERE = 4_000_000_000


@dataclass(frozen=True, slots=True)
class SitemapRecord:
    """One sitemap file as it was written. `mark` tells whether it is still as it should be;
    `outside` that it lists addresses that its own folder may not speak for; `memory` names the
    file in which what it lists is kept, if any does."""

    path: str
    mark: str
    urls: int
    images: int
    videos: int
    lastmod: str | None
    outside: bool = False
    memory: str = ""


@dataclass(slots=True)
class Record:
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


def load_record(site: SiteFile) -> Record:
    """The record of the last build, empty where there was none. Raises OutputError."""
    place = site.state / RECORD
    try:
        read = json.loads(place.read_bytes())
        return Record(
            str(read["at"]),
            list(read["kinds"]),
            {loc: (str(mark), int(urls)) for loc, (mark, urls) in read["sitemaps"].items()},
            {name: _record(name, one) for name, one in read["files"].items()}
            if read["key"] == test_key()
            else {},
            {name: (int(n), int(of)) for name, (n, of) in read.get("hidden", {}).items()},
        )
    except FileNotFoundError:
        return Record()
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise OutputError(
            f"{place} cannot be read ({error}). Delete it and run `jovial-atlas build` again."
        ) from error


def _record(name: str, said: dict[str, Any]) -> SitemapRecord:
    # Records of older versions do not name the file: it was always a table.
    return SitemapRecord(**{"memory": f"{name.replace('/', '-')}.parquet", **said})


def save_record(site: SiteFile, record: Record) -> None:
    """Keep the record of a build."""
    value = {
        "at": record.at,
        "key": test_key(),
        "kinds": record.kinds,
        "sitemaps": {loc: list(one) for loc, one in record.sitemaps.items()},
        "hidden": {name: list(one) for name, one in record.hidden.items()},
        "files": {name: asdict(one) for name, one in record.files.items()},
    }
    write_whole(site.state / RECORD, (json.dumps(value, indent=1) + "\n").encode())


def load_placed(site: SiteFile, record: Record) -> dict[str, pl.DataFrame]:
    """Where addresses were placed last, as `plan.PLACED`, with the kinds numbered as in the record:
    pages and videos; and under `gone` those that were listed earlier and are not now."""
    found = {}
    places = {name: placed_place(site, name) for name in ("pages", "videos")}
    for name, place in {**places, "gone": site.state / GONE}.items():
        table = snapshot.load(place) if record.files else None
        found[name] = pl.DataFrame(schema=plan.PLACED) if table is None else table
    return found


def renumbered(
    table: pl.DataFrame, record: Record, kinds: Sequence[Kind], fold: Sequence[str] = ()
) -> pl.DataFrame:
    """A table of `load_placed` with the kinds numbered as now; those that are no more, or are in
    `fold`, are left out."""
    codes = {kind.name: number for number, kind in enumerate(kinds) if kind.name not in fold}
    renumber = {old: codes.get(name, _NOWHERE) for old, name in enumerate(record.kinds)}
    if all(old == new for old, new in renumber.items()):
        return table
    return table.with_columns(
        pl.col("kind").replace_strict(renumber, default=_NOWHERE, return_dtype=pl.UInt32)
    ).filter(pl.col("kind") != _NOWHERE)


#: So many addresses that are no longer listed are remembered.
_GONE_MOST = 200_000


def save_gone(site: SiteFile, gone: pl.DataFrame) -> None:
    """Keep in which files addresses stood that are no longer listed."""
    place = site.state / GONE
    if gone.height:
        snapshot.save(gone.select(list(plan.PLACED)).head(_GONE_MOST), place)
    else:
        remove(place)


def save_placed(site: SiteFile, placed: Placed, before: Mapping[str, pl.DataFrame]) -> None:
    """Keep where addresses are placed; nothing is written where nothing changed."""
    tables = zip(("pages", "videos"), (placed.rows, placed.videos), placed.same, strict=True)
    for name, table, same in tables:
        if not (same and placed_place(site, name).exists() and before[name].height):
            # Keys are as good as random: there is nothing to compress.
            placed_ = table.select(list(plan.PLACED)).lazy()
            snapshot.sink(placed_, placed_place(site, name), compression="uncompressed")


def load_hidden(site: SiteFile) -> pl.DataFrame:
    """The keys of pages that the last build kept out of the index."""
    table = snapshot.load(site.state / HIDDEN)
    return pl.DataFrame(schema={"key": pl.UInt64}) if table is None else table


def save_hidden(site: SiteFile, keys: pl.DataFrame) -> None:
    """Keep the keys of pages that may not be indexed."""
    place = site.state / HIDDEN
    if keys.height or place.exists():
        snapshot.save(keys.select("key"), place)


def placed_place(site: SiteFile, name: str) -> Path:
    """Where it is kept in which file each address stands."""
    return site.state / f"{PLACED}-{name}.parquet"


def memory_set(site: SiteFile, *, dry: bool) -> FileSet:
    """What is kept of what each sitemap file lists."""
    return FileSet(site.state / TABLES, site.state / f"{TABLES}-files.json", dry=dry)


@dataclass(frozen=True, slots=True)
class Memory:
    """What is kept of what one sitemap file lists: a copy of the file where that says all, a
    Parquet table with marks where it does not. `name` is that of the file in the state folder."""

    name: str
    data: bytes

    @property
    def rows(self) -> pl.DataFrame:
        """The addresses as `loc, lastmod, mark, file`; `file` is the name without its ending."""
        if self.name.endswith(_TABLE):
            table = pl.read_parquet(self.data)
        else:
            table = as_written(decompressed(self.data) if self.name.endswith(".gz") else self.data)
        return remembered(table, self.name)


def remembered(rows: pl.DataFrame, name: str) -> pl.DataFrame:
    """What is kept under a name of a file that lists these rows, as `Memory.rows`."""
    mark = pl.lit("@") + pl.col("lastmod").fill_null("")
    marked = rows if "mark" in rows.columns else rows.with_columns(mark=mark)
    return marked.select("loc", "lastmod", "mark", file=pl.lit(stem_of(name)))


_TABLE = ".parquet"
_MEMORY = dict.fromkeys(("loc", "lastmod", "mark", "file"), pl.String)


def stem_of(name: str) -> str:
    """`species-1` for the names of all files that keep what `species/1` lists."""
    return name.removesuffix(".gz").removesuffix(".xml").removesuffix(_TABLE)


def memory_of(part: Part, rows: pl.DataFrame, stem: str) -> Memory:
    """What to keep of a file that lists these rows. Without marks of their own, dates are what
    tells that a page has changed, and those stand in the file."""
    if part.plain and "mark" not in rows.columns:
        return Memory(f"{stem}.xml.gz" if part.gzipped else f"{stem}.xml", part.data)
    buffer = io.BytesIO()
    names = [name for name in ("loc", "lastmod", "mark") if name in rows.columns]
    rows.select(names).write_parquet(buffer, compression="lz4", statistics=False)
    return Memory(f"{stem}{_TABLE}", buffer.getvalue())


def memories(site: SiteFile, names: Sequence[str]) -> pl.DataFrame:
    """What sitemap files listed when they were last written, as `Memory.rows`. Raises
    OutputError."""
    found = [pl.DataFrame(schema=_MEMORY)]
    for name in names:
        place = site.state / TABLES / name
        try:
            found.append(Memory(name, place.read_bytes()).rows)
        except FileNotFoundError:
            continue
        except (OSError, ValueError, pl.exceptions.PolarsError) as error:
            raise OutputError(
                f"{place} cannot be read ({error}). Delete it and run `jovial-atlas build` again."
            ) from error
    return pl.concat(found)


def marks(site: SiteFile) -> dict[str, str]:
    """A mark of its content for each public page. Raises AtlasError where nothing was built."""
    return dict(_all_tables(site).select("loc", "mark").iter_rows())


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


def page_sections(site: SiteFile) -> dict[str, str]:
    """The section in whose sitemap each public page stands. Raises AtlasError as `marks` does."""
    section = pl.col("file").str.replace(r"-\d+$", "")
    return dict(_all_tables(site).select("loc", section).iter_rows())


def _all_tables(site: SiteFile) -> pl.DataFrame:
    if not (site.state / RECORD).exists():
        raise AtlasError("There is no build of this site yet. Run `jovial-atlas build` first.")
    names = sorted(place.name for place in (site.state / TABLES).glob("[!.]*"))
    return memories(site, names)
