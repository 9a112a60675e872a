"""The source `html`: a folder of built HTML, read on all cores.

Addresses come from file paths; a page's own canonical that spells the same page
otherwise (`/a` for `a.html`) is honoured as its address.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from typing import Literal

from jovial_atlas import addresses
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.pages.survey import Batch
from jovial_atlas.sources.page import PageFile, Reading, read_files

Style = Literal["folder", "file", "plain"]
Progress = Callable[[int, int], None]

_ENDINGS = (".html", ".htm", ".xhtml")
_CHUNK = 48
# Starting a worker costs about as much as reading this many pages.
_WORTH_WORKERS = 400


def page_files(
    root: Path, site: str, *, style: Style = "folder", mount: str = "/"
) -> tuple[list[PageFile], list[Fault]]:
    """All HTML files below a folder, sorted by path, with their addresses.

    Hidden files and folders are passed over; a link that leads out of the folder is a
    fault. Raises ContentError where the folder cannot be read.
    """
    if not root.is_dir():
        what = "is not a folder" if root.exists() else "does not exist"
        raise ContentError(f"The content folder {root} {what}. Correct `path` in its [[source]].")
    files: list[PageFile] = []
    faults: list[Fault] = []
    inside = root.resolve()

    def refuse(error: OSError) -> None:
        if Path(error.filename) == root:
            raise ContentError(f"The content folder {root} cannot be read ({error.strerror}).")
        path = Path(error.filename).relative_to(root).as_posix()
        faults.append(Fault("page-unreadable", path, f"It cannot be read ({error.strerror})."))

    for folder, names, found in os.walk(root, onerror=refuse):
        names[:] = sorted(name for name in names if not name.startswith("."))
        for name in sorted(found):
            if name.startswith(".") or not name.lower().endswith(_ENDINGS):
                continue
            place = Path(folder, name)
            path = place.relative_to(root).as_posix()
            if place.is_symlink() and not place.resolve().is_relative_to(inside):
                faults.append(
                    Fault("page-outside", path, "It is a link that leads out of the folder.")
                )
                continue
            files.append(PageFile(place, path, address_of(path, site, style, mount)))
    files.sort(key=lambda file: file.path)
    return files, faults


def address_of(path: str, site: str, style: Style, mount: str = "/") -> str:
    """The normalised address of a file: `folder` turns index files into folder addresses,
    `plain` drops endings as well, `file` leaves every name as it is."""
    folder, _, name = path.rpartition("/")
    stem = name.rpartition(".")[0]
    if style != "file" and stem == "index":
        name = ""
    elif style == "plain":
        name = stem
    segments = [segment for segment in (*mount.split("/"), *folder.split("/")) if segment]
    inner = "/".join(addresses.escape(segment, "!$&'()*+,;=:@-._~") for segment in segments)
    last = addresses.escape(name, "!$&'()*+,;=:@-._~")
    return addresses.normalise(f"{site}/{inner}{'/' if inner else ''}{last}")


def read_folder(
    root: Path,
    site: str,
    reading: Reading,
    *,
    style: Style = "folder",
    mount: str = "/",
    workers: int | None = None,
    progress: Progress | None = None,
) -> Iterator[Batch]:
    """All pages of a folder, in batches, in path order.

    `workers` None: one a core for a large folder, none for a small one. `progress` is
    called with pages read and pages in all.
    """
    files, faults = page_files(root, site, style=style, mount=mount)
    yield Batch([], faults)
    chunks = [files[start : start + _CHUNK] for start in range(0, len(files), _CHUNK)]
    if workers is None:
        workers = (os.cpu_count() or 1) if len(files) >= _WORTH_WORKERS else 0
    done = 0
    for rows, found in _read_chunks(chunks, reading, workers):
        done = min(done + _CHUNK, len(files))
        if progress:
            progress(done, len(files))
        yield Batch(rows, found)


def _read_chunks(
    chunks: list[list[PageFile]], reading: Reading, workers: int
) -> Iterator[tuple[list[dict[str, object]], list[Fault]]]:
    if workers < 2:
        for chunk in chunks:
            yield read_files(chunk, reading)
        return
    # Workers are spawned, not forked: a fork of a process with threads may hang.
    with ProcessPoolExecutor(workers, mp_context=get_context("spawn")) as pool:
        futures: list[Future[tuple[list[dict[str, object]], list[Fault]]]] = [
            pool.submit(read_files, chunk, reading) for chunk in chunks
        ]
        try:
            for future in futures:
                yield future.result()
        except BaseException:
            pool.shutdown(wait=False, cancel_futures=True)
            raise
