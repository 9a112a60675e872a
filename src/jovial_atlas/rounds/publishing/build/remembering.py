"""What a build keeps for the next one, and for whoever announces it: the record of what is public,
in which file each address stands, what may not be indexed, what each file lists."""

from __future__ import annotations

import io
import json
from collections.abc import Mapping, Sequence
from pathlib import Path

import polars as pl

from jovial_atlas.files import remove, write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.rounds.publishing.build.kinds import Kind
from jovial_atlas.rounds.publishing.build.placing import Placed
from jovial_atlas.rounds.state.names import BUILD_RECORD, NOINDEXED, PLACED, PLACED_GONE
from jovial_atlas.rounds.state.record import TABLE, BuildRecord, ListedMemory, test_key
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps import plan
from jovial_atlas.sitemaps.write import SitemapPart
from jovial_atlas.values import asdict

#: The number of a kind that is no more.
_NOWHERE = 4_000_000_000


def save_record(site: SiteFile, record: BuildRecord) -> None:
    """Keep the record of a build."""
    value = {
        "at": record.at,
        "key": test_key(),
        "kinds": record.kinds,
        "sitemaps": {loc: list(one) for loc, one in record.sitemaps.items()},
        "hidden": {name: list(one) for name, one in record.hidden.items()},
        "files": {name: asdict(one) for name, one in record.files.items()},
    }
    write_whole(site.state / BUILD_RECORD, (json.dumps(value, indent=1) + "\n").encode())


def load_placed(site: SiteFile, record: BuildRecord) -> dict[str, pl.DataFrame]:
    """Where addresses were placed last, as `plan.PLACED`, with the kinds numbered as in the record:
    pages and videos; and under `gone` those that were listed earlier and are not now."""
    tables = {}
    places = {name: placed_place(site, name) for name in ("pages", "videos")}
    for name, path in {**places, "gone": site.state / PLACED_GONE}.items():
        table = snapshot.load(path) if record.files else None
        tables[name] = pl.DataFrame(schema=plan.PLACED) if table is None else table
    return tables


def renumbered(
    table: pl.DataFrame, record: BuildRecord, kinds: Sequence[Kind], fold: Sequence[str] = ()
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
    path = site.state / PLACED_GONE
    if gone.height:
        snapshot.save(gone.select(list(plan.PLACED)).head(_GONE_MOST), path)
    else:
        remove(path)


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
    table = snapshot.load(site.state / NOINDEXED)
    return pl.DataFrame(schema={"key": pl.UInt64}) if table is None else table


def save_hidden(site: SiteFile, keys: pl.DataFrame) -> None:
    """Keep the keys of pages that may not be indexed."""
    path = site.state / NOINDEXED
    if keys.height or path.exists():
        snapshot.save(keys.select("key"), path)


def placed_place(site: SiteFile, name: str) -> Path:
    """Where it is kept in which file each address stands."""
    return site.state / f"{PLACED}-{name}.parquet"


def memory_of(part: SitemapPart, rows: pl.DataFrame, stem: str) -> ListedMemory:
    """What to keep of a file that lists these rows. Without marks of their own, dates are what
    tells that a page has changed, and those stand in the file."""
    if part.plain and "mark" not in rows.columns:
        return ListedMemory(f"{stem}.xml.gz" if part.gzipped else f"{stem}.xml", part.data)
    buffer = io.BytesIO()
    names = [name for name in ("loc", "lastmod", "mark") if name in rows.columns]
    rows.select(names).write_parquet(buffer, compression="lz4", statistics=False)
    return ListedMemory(f"{stem}{TABLE}", buffer.getvalue())
