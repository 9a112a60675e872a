"""The source `html`: a folder of built HTML, read on all cores, unchanged files not again.

Addresses come from file paths; a page's own canonical that spells the same page
otherwise (`/a` for `a.html`) is honoured as its address.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path
from typing import Any, Literal

import polars as pl

from jovial_atlas import addresses, dates, patterns
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.pages import schema
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sources.git import commit_dates
from jovial_atlas.sources.page import PageFile, Reading, digest_of_page, read_files
from jovial_atlas.sources.records import pages_of
from jovial_atlas.sources.worker import prepare

Style = Literal["folder", "file", "plain"]
Progress = Callable[[int, int], None]

ENDINGS = (".html", ".htm", ".xhtml")
_CHUNK = 48
#: Pages that become a table together: many small tables take longer to make and to join.
_BATCH = 2_000
# Starting a worker costs about as much as reading this many pages.
_WORTH_WORKERS = 400


@dataclass(frozen=True, slots=True)
class Folder:
    """Which files of a folder are pages, and how they become addresses.

    `documents` are endings of other files that are pages too; `include` and `exclude` are
    patterns over paths inside the folder; `written` are files to pass over.
    """

    root: Path
    site: str
    style: Style = "folder"
    mount: str = "/"
    documents: tuple[str, ...] = ()
    include: tuple[str, ...] = ()
    exclude: tuple[str, ...] = ()
    endings: tuple[str, ...] = ENDINGS
    written: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Known:
    """What the survey before knew of this source: its rows, and its faults by path."""

    rows: pl.DataFrame = field(default_factory=schema.empty)
    faults: dict[str, list[Fault]] = field(default_factory=dict)


def page_files(folder: Folder) -> tuple[list[PageFile], list[Fault]]:
    """All page files below a folder, sorted by path, with their addresses.

    Hidden files and folders are passed over; a link that leads out of the folder is a
    fault. Raises ContentError where the folder cannot be read.
    """
    root = folder.root
    if not root.is_dir():
        what = "is not a folder" if root.exists() else "does not exist"
        raise ContentError(f"The content folder {root} {what}. Correct `path` in its [[source]].")
    files: list[PageFile] = []
    faults: list[Fault] = []
    inside = root.resolve()
    beginning = len(os.path.join(root, ""))  # noqa: PTH118
    wanted = _wanted(folder)
    endings = (*folder.endings, *(ending.lower() for ending in folder.documents))

    def refuse(error: OSError) -> None:
        if Path(error.filename) == root:
            raise ContentError(
                f"The content folder {root} cannot be read ({error.strerror})."
            ) from error
        path = Path(error.filename).relative_to(root).as_posix()
        faults.append(Fault("page-unreadable", path, f"It cannot be read ({error.strerror})."))

    for entry in _files(str(root), refuse):
        name = entry.name
        if not name.lower().endswith(endings):
            continue
        path = entry.path[beginning:].replace(os.sep, "/")
        if not wanted(path):
            continue
        place = entry.path
        if place in folder.written:
            continue
        if entry.is_symlink() and not Path(place).resolve().is_relative_to(inside):
            faults.append(Fault("page-outside", path, "It is a link that leads out of the folder."))
            continue
        style = folder.style if name.lower().endswith(ENDINGS) else "file"
        loc = address_of(path, folder.site, style, folder.mount)
        shown = path.encode("utf-8", "surrogateescape").decode("utf-8", "replace")
        files.append(PageFile(place, shown, loc))
    files.sort(key=lambda file: file.path)
    return files, faults


def _files(folder: str, refuse: Callable[[OSError], None]) -> Iterator[os.DirEntry[str]]:
    """All files below a folder; hidden ones are passed over, links to folders not followed."""
    waiting = [folder]
    while waiting:
        try:
            with os.scandir(waiting.pop()) as entries:
                for entry in entries:
                    if entry.name.startswith("."):
                        continue
                    if entry.is_dir(follow_symlinks=False):
                        waiting.append(entry.path)
                    elif not entry.is_dir():
                        yield entry
        except OSError as error:
            refuse(error)


def _wanted(folder: Folder) -> Callable[[str], bool]:
    """Whether a path is asked for by the patterns of the source."""

    def compiled(given: tuple[str, ...]) -> re.Pattern[str] | None:
        rooted = [one if one.startswith(("/", "*")) else f"/{one}" for one in given]
        try:
            return re.compile(patterns.any_of(rooted)) if given else None
        except ValueError as error:
            raise ContentError(f"{folder.root}: {error}.") from None

    if not folder.include and not folder.exclude:
        return lambda _path: True
    include, exclude = compiled(folder.include), compiled(folder.exclude)

    def wanted(path: str) -> bool:
        name = addresses.escape(f"/{path}")
        return (include is None or bool(include.search(name))) and not (
            exclude and exclude.search(name)
        )

    return wanted


def address_of(path: str, site: str, style: Style, mount: str = "/") -> str:
    """The normalised address of a file: `folder` turns index files into folder addresses,
    `plain` drops endings as well, `file` leaves every name as it is."""
    folder, slash, name = path.rpartition("/")
    stem = name.rpartition(".")[0]
    if style != "file" and stem == "index":
        name = ""
    elif style == "plain":
        name = stem
    if mount == "/" and addresses.is_plain(path):
        return f"{site}/{folder}{slash}{name}"
    segments = [segment for segment in (*mount.split("/"), *folder.split("/")) if segment]
    inner = "/".join(addresses.escape(segment, "!$&'()*+,;=:@-._~") for segment in segments)
    last = addresses.escape(name, "!$&'()*+,;=:@-._~")
    return addresses.normalise(f"{site}/{inner}{'/' if inner else ''}{last}")


def read_folder(
    folder: Folder,
    reading: Reading,
    *,
    known: Known | None = None,
    workers: int | None = None,
    progress: Progress | None = None,
) -> Iterator[Batch]:
    """All pages of a folder, in batches.

    Files that are as they were when `known` was read are taken from there. `workers` None:
    one a core for a large folder, none for a small one. `progress` is called with pages
    read and pages in all.
    """
    files, faults = page_files(folder)
    if "git" in reading.trust:
        files = _with_commits(files, folder.root)
    fresh, kept = _sift(files, known or Known())
    yield Batch(kept.rows, [*faults, *(one for found in kept.faults.values() for one in found)])
    pages = [file for file in fresh if file.path.lower().endswith(folder.endings)]
    others = [file for file in fresh if not file.path.lower().endswith(folder.endings)]
    yield Batch(schema.table([_document(file, reading) for file in others]))
    before = _before(known) if known and "fingerprint" in reading.trust else {}
    chunks = [pages[start : start + _CHUNK] for start in range(0, len(pages), _CHUNK)]
    if workers is None:
        workers = (os.cpu_count() or 1) if len(pages) >= _WORTH_WORKERS else 0
    done = len(files) - len(pages)
    rows: list[dict[str, Any]] = []
    faults = []
    for some, found in _read_chunks(chunks, reading, workers):
        done = min(done + _CHUNK, len(files))
        if progress:
            progress(done, len(files))
        for row in some:
            _keep_date(row, before)
        rows += some
        faults += found
        if len(rows) >= _BATCH:
            yield Batch(pages_of(rows) if reading.fields else schema.table(rows), faults)
            rows, faults = [], []
    yield Batch(pages_of(rows) if reading.fields else schema.table(rows), faults)


def _with_commits(files: list[PageFile], root: Path) -> list[PageFile]:
    committed = commit_dates(root)
    if not committed:
        return files
    return [PageFile(f.place, f.path, f.loc, committed.get(f.path)) for f in files]


def _sift(files: Sequence[PageFile], known: Known) -> tuple[list[PageFile], Known]:
    """Files to read, and what is known of the others. A file with another time but the same
    bytes counts as known."""
    rows = known.rows.select("path", "bytes", "mtime", "digest").iter_rows()
    had = {path: (size, mtime, digest) for path, size, mtime, digest in rows if path}
    if not had:
        return list(files), Known(known.rows.clear())
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
    return fresh, Known(rows_kept, faults)


def _same_bytes(place: str | Path, digest: str | None) -> bool:
    try:
        return digest is not None and digest_of_page(place) == digest
    except OSError:
        return False


def _before(known: Known) -> dict[str, tuple[str | None, str | None, str | None]]:
    rows = known.rows.select("path", "fingerprint", "lastmod", "lastmod_from").iter_rows()
    return {path: (print_, date, where) for path, print_, date, where in rows}


def _keep_date(
    row: dict[str, Any], before: dict[str, tuple[str | None, str | None, str | None]]
) -> None:
    """A file's own date says nothing where the main content is as it was: a rebuild touches
    every file, a new footer changes every page, and neither is news."""
    had = before.get(row["path"])
    if had is None or row["lastmod_from"] != "file":
        return
    if had[0] == row["fingerprint"] and had[1]:
        row["lastmod"], row["lastmod_from"] = had[1], had[2]
    else:
        row["lastmod_from"] = "fingerprint"


def _document(file: PageFile, reading: Reading) -> dict[str, Any]:
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


def _read_chunks(
    chunks: list[list[PageFile]], reading: Reading, workers: int
) -> Iterator[tuple[list[dict[str, Any]], list[Fault]]]:
    if workers < 2:
        for chunk in chunks:
            yield read_files(chunk, reading)
        return
    # Workers are spawned, not forked: a fork of a process with threads may hang.
    with ProcessPoolExecutor(workers, get_context("spawn"), initializer=prepare) as pool:
        futures: list[Future[tuple[list[dict[str, Any]], list[Fault]]]] = [
            pool.submit(read_files, chunk, reading) for chunk in chunks
        ]
        try:
            for future in futures:
                yield future.result()
        except BaseException:
            pool.shutdown(wait=False, cancel_futures=True)
            raise
