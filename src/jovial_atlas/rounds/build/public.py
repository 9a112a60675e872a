"""What is public: remembered from build to build, for stable files, differences and `submit`."""

from __future__ import annotations

import io
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

import polars as pl

from jovial_atlas.engines import indexnow
from jovial_atlas.errors import AtlasError, OutputError
from jovial_atlas.files import FileSet, write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.rounds.build.kinds import Kind
from jovial_atlas.rounds.build.listing import Placed, key_of
from jovial_atlas.rounds.build.places import HIDDEN, KEY, PLACED, RECORD, TABLES
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps import plan

_NOWHERE = 4_000_000_000


@dataclass(frozen=True, slots=True)
class SitemapRecord:
    """One sitemap file as it was written. `mark` tells whether it is still as it should be;
    `outside` that it lists addresses that its own folder may not speak for."""

    path: str
    mark: str
    urls: int
    images: int
    videos: int
    lastmod: str | None
    outside: bool = False


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
    #: What hid the whole site, in words; empty where nothing did.
    whole: str = ""


def _test_key() -> int:
    # Keys are only good for as long as the library makes the same ones of the same text.
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
            {name: SitemapRecord(**one) for name, one in read["files"].items()}
            if read["key"] == _test_key()
            else {},
            {name: (int(n), int(of)) for name, (n, of) in read.get("hidden", {}).items()},
            str(read.get("whole", "")),
        )
    except FileNotFoundError:
        return Record()
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise OutputError(
            f"{place} cannot be read ({error}). Delete it and run `jovial-atlas build` again."
        ) from error


def save_record(site: SiteFile, record: Record) -> None:
    """Keep the record of a build."""
    value = {
        "at": record.at,
        "key": _test_key(),
        "kinds": record.kinds,
        "sitemaps": {loc: list(one) for loc, one in record.sitemaps.items()},
        "whole": record.whole,
        "hidden": {name: list(one) for name, one in record.hidden.items()},
        "files": {name: asdict(one) for name, one in record.files.items()},
    }
    write_whole(site.state / RECORD, (json.dumps(value, indent=1) + "\n").encode())


def load_placed(
    site: SiteFile, record: Record, kinds: Sequence[Kind], fold: Sequence[str]
) -> dict[str, pl.DataFrame]:
    """Where addresses were placed last, with the kinds numbered as now. Kinds in `fold` are
    placed anew."""
    codes = {kind.name: number for number, kind in enumerate(kinds) if kind.name not in fold}
    renumber = {old: codes.get(name, _NOWHERE) for old, name in enumerate(record.kinds)}
    same = all(old == new for old, new in renumber.items())
    found = {}
    for name in ("pages", "videos"):
        table = snapshot.load(_place(site, name)) if record.files else None
        if table is None:
            table = pl.DataFrame(schema=plan.PLACED)
        elif not same:
            table = table.with_columns(
                pl.col("kind").replace_strict(renumber, default=_NOWHERE, return_dtype=pl.UInt32)
            ).filter(pl.col("kind") != _NOWHERE)
        found[name] = table
    return found


def save_placed(site: SiteFile, placed: Placed, before: Mapping[str, pl.DataFrame]) -> None:
    """Keep where addresses are placed; nothing is written where nothing changed."""
    tables = zip(("pages", "videos"), (placed.rows, placed.videos), placed.same, strict=True)
    for name, table, same in tables:
        if not (same and _place(site, name).exists() and before[name].height):
            snapshot.sink(table.select(list(plan.PLACED)).lazy(), _place(site, name))


def load_hidden(site: SiteFile) -> pl.DataFrame:
    """The keys of pages that the last build kept out of the index."""
    table = snapshot.load(site.state / HIDDEN)
    return pl.DataFrame(schema={"key": pl.UInt64}) if table is None else table


def save_hidden(site: SiteFile, keys: pl.DataFrame) -> None:
    """Keep the keys of pages that may not be indexed."""
    place = site.state / HIDDEN
    if keys.height or place.exists():
        snapshot.save(keys, place)


def _place(site: SiteFile, name: str) -> Any:
    return site.state / f"{PLACED}-{name}.parquet"


def table_set(site: SiteFile, *, dry: bool) -> FileSet:
    """The tables of what each sitemap file lists, as `loc, lastmod, mark`."""
    return FileSet(site.state / TABLES, site.state / f"{TABLES}-files.json", dry=dry)


def table_bytes(table: pl.DataFrame) -> bytes:
    """One such table as Parquet."""
    buffer = io.BytesIO()
    names = [name for name in ("loc", "lastmod", "mark") if name in table.columns]
    table.select(names).write_parquet(buffer, compression="lz4", statistics=False)
    return buffer.getvalue()


def load_tables(site: SiteFile, names: Sequence[str]) -> pl.DataFrame:
    """What sitemap files listed when they were last written, as `loc, lastmod, mark, file`."""
    found = [
        with_marks(table).with_columns(file=pl.lit(name))
        for name in names
        if (table := snapshot.load(site.state / TABLES / name)) is not None
    ]
    schema = dict.fromkeys(("loc", "lastmod", "mark", "file"), pl.String)
    return pl.concat(found) if found else pl.DataFrame(schema=schema)


def with_marks(table: pl.DataFrame) -> pl.DataFrame:
    """A table of what a file lists with the marks that are left out where dates say as much."""
    if "mark" in table.columns:
        return table
    return table.with_columns(mark=pl.lit("@") + pl.col("lastmod").fill_null(""))


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
    section = pl.col("file").str.replace(r"-\d+\.parquet$", "")
    return dict(_all_tables(site).select("loc", section).iter_rows())


def _all_tables(site: SiteFile) -> pl.DataFrame:
    if not (site.state / RECORD).exists():
        raise AtlasError("There is no build of this site yet. Run `jovial-atlas build` first.")
    names = sorted(place.name for place in (site.state / TABLES).glob("*.parquet"))
    return load_tables(site, names)
