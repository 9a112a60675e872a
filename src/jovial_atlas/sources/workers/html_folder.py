"""The source `html`: a folder of built HTML, read on all cores, unchanged files not again.

Addresses come from file paths; a page's own canonical that spells the same page
otherwise (`/a` for `a.html`) is honoured as its address.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import msgspec
import polars as pl

from jovial_atlas import dates
from jovial_atlas.faults import Fault
from jovial_atlas.pages import schema
from jovial_atlas.pages.gather import Batch
from jovial_atlas.pages.row import PageRow
from jovial_atlas.sources.html_page.page import PageFile, Reading, digest_of_page
from jovial_atlas.sources.kept_dates import KeptDates
from jovial_atlas.sources.records.records import pages_of
from jovial_atlas.sources.workers.folder import Folder
from jovial_atlas.sources.workers.readers import Readers, pages_among

Progress = Callable[[int, int], None]

#: Pages that become a table together: many small tables take longer to make and to join.
_BATCH = 2_000


class KnownFiles(msgspec.Struct, frozen=True):
    """What surveys before knew of this source: its rows, where they were read in the same way,
    and its faults by path; and the dates of all pages, as `loc, fingerprint, digest, lastmod,
    lastmod_from`, whichever way they were read."""

    rows: pl.DataFrame = msgspec.field(default_factory=schema.empty)
    faults: dict[str, list[Fault]] = msgspec.field(default_factory=dict)
    dates: pl.LazyFrame | None = None


def read_folder(
    folder: Folder,
    reading: Reading,
    readers: Readers,
    *,
    known: KnownFiles | None = None,
    progress: Progress | None = None,
) -> Iterator[Batch]:
    """All pages of a folder, in batches.

    Files that are as they were when `known` was read are taken from there. `progress` is called
    with pages read and pages in all.
    """
    files, faults = readers.listed(folder, reading)
    fresh, kept = _sift(files, known or KnownFiles())
    yield Batch(
        kept.rows, [*faults, *(one for page_faults in kept.faults.values() for one in page_faults)]
    )
    pages = pages_among(fresh, folder)
    others = [file for file in fresh if not file.path.lower().endswith(folder.endings)]
    yield Batch(schema.table([_document(file, reading) for file in others]))
    dated = known.dates if known else None
    before = KeptDates(dated, by_content="fingerprint" in reading.trust)
    done = len(files) - len(pages)
    waiting: list[list[PageRow] | bytes] = []
    faults = []
    for some, page_faults in readers.read(folder, reading, pages):
        done = min(done + readers.chunk, len(files))
        if progress:
            progress(done, len(files))
        waiting.append(some)
        faults += page_faults
        if len(waiting) * readers.chunk >= _BATCH:
            yield Batch(before.kept(_table_of(waiting, reading)), faults)
            waiting, faults = [], []
    yield Batch(before.kept(_table_of(waiting, reading)), faults)


def _table_of(waiting: Sequence[list[PageRow] | bytes], reading: Reading) -> pl.DataFrame:
    """What chunks of pages say, as one table: rows, or tables as octets (Arrow's stream)."""
    tables = [pl.read_ipc_stream(some) for some in waiting if isinstance(some, bytes)]
    if tables:
        fields = schema.extra_fields(tables)
        return pl.concat([schema.with_extra(table, fields) for table in tables])
    rows = [row for some in waiting if isinstance(some, list) for row in some]
    return pages_of(rows) if reading.fields else schema.table(rows)


def _sift(files: Sequence[PageFile], known: KnownFiles) -> tuple[list[PageFile], KnownFiles]:
    """Files to read, and what is known of the others. A file with another time but the same
    bytes counts as known."""
    rows = known.rows.select("path", "bytes", "mtime", "digest").iter_rows()
    had = {path: (size, mtime, digest) for path, size, mtime, digest in rows if path}
    if not had:
        return list(files), KnownFiles(known.rows.clear())
    fresh: list[PageFile] = []
    times: dict[str, int] = {}
    for file in files:
        before = had.get(file.path)
        try:
            about = os.stat(file.place)  # noqa: PTH116 - paths are text here: objects cost more
        except OSError:
            before = None
        if before is None or before[0] != about.st_size:
            fresh.append(file)
        elif before[1] == about.st_mtime_ns or _same_bytes(file.place, before[2]):
            times[file.path] = about.st_mtime_ns
        else:
            fresh.append(file)
    moved = pl.DataFrame(
        {"path": list(times), "now": list(times.values())},
        schema={"path": pl.String, "now": pl.Int64},
    )
    rows_kept = known.rows.join(moved, on="path", how="inner").with_columns(mtime="now").drop("now")
    faults = {path: found for path, found in known.faults.items() if path in times}
    return fresh, KnownFiles(rows_kept, faults)


def _same_bytes(path: str | Path, digest: str | None) -> bool:
    try:
        return digest is not None and digest_of_page(path) == digest
    except OSError:
        return False


def _document(file: PageFile, reading: Reading) -> PageRow:
    """A file that is served and is no HTML: a page without a head of its own."""
    about = Path(file.place).stat()
    changed = dates.from_timestamp(about.st_mtime)
    return {
        "loc": file.loc, "source": reading.source, "path": file.path, "status": 200,
        "kind": "document", "bytes": about.st_size, "mtime": about.st_mtime_ns,
        "digest": digest_of_page(file.place), "images": [], "videos": [], "links": [],
        "lastmod": file.committed or changed,
        "lastmod_from": "git" if file.committed else "file",
    }  # fmt: skip
