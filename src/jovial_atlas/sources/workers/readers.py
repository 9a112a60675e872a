"""Reading the pages of folders: by worker processes where there are many.

Loads nothing of tables, so that workers can begin before those are loaded.
"""

from __future__ import annotations

import os
import signal
import sys
import time
from collections.abc import Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from contextlib import contextmanager
from multiprocessing import active_children, get_context
from multiprocessing.process import BaseProcess
from pathlib import Path
from types import TracebackType

from jovial_atlas.faults import Fault
from jovial_atlas.pages.row import PageRow
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_files
from jovial_atlas.sources.workers.cluster import CLUSTER_CHUNK, Cluster, PackedRows
from jovial_atlas.sources.workers.folder import Folder, page_files, with_commits
from jovial_atlas.sources.workers.worker import prepare

#: Files that are read together, and told of together.
CHUNK = 48
#: Starting a worker costs about as much as reading this many pages.
_WORTH_WORKERS = 400

#: What a chunk of files gives.
Rows = tuple[list[PageRow], list[Fault]]
_Listed = tuple[list[PageFile], list[Fault]]


class Readers:
    """Use as a context: leaving it ends the workers. `workers` None: one a core where there are
    many files, none where there are few. `cluster` is the address of a cluster that reads instead.
    """

    def __init__(self, workers: int | None = None, cluster: str = "") -> None:
        self._workers = workers
        self._cluster = Cluster(cluster) if cluster else None
        self._pool: ProcessPoolExecutor | None = None
        self._others: list[BaseProcess] = []
        self._due: list[Future[Rows]] = []
        self._begun: dict[tuple[Folder, Reading], tuple[_Listed, list[Future[Rows]]]] = {}

    def __enter__(self) -> Readers:
        return self

    def __exit__(
        self,
        _kind: type[BaseException] | None,
        _error: BaseException | None,
        _trace: TracebackType | None,
    ) -> None:
        if self._cluster:
            self._cluster.close()
        # Each is cancelled here: a pool that is gone by then forgets to do it, and reads on.
        for future in self._due:
            future.cancel()
        if self._pool:
            self._pool.shutdown(wait=False, cancel_futures=True)
            _end(self._workers_of_pool(), _PATIENCE)

    def _workers_of_pool(self) -> list[BaseProcess]:
        """The processes that this pool started and that have not ended yet."""
        return [one for one in active_children() if one not in self._others]

    def begin(self, folder: Folder, reading: Reading) -> None:
        """Have workers read all pages of a folder already, where there are many. Raises
        ContentError where it cannot be read."""
        listed = self._list(folder, reading)
        pages = pages_among(listed[0], folder)
        self._begun[folder, reading] = (listed, self._submit(pages, reading))

    def listed(self, folder: Folder, reading: Reading) -> _Listed:
        """All files of a folder that are pages, with faults met. Raises ContentError."""
        begun = self._begun.get((folder, reading))
        return begun[0] if begun else self._list(folder, reading)

    @property
    def chunk(self) -> int:
        """How many pages are read together."""
        return CLUSTER_CHUNK if self._cluster else CHUNK

    def read(
        self, folder: Folder, reading: Reading, pages: list[PageFile]
    ) -> Iterator[Rows | PackedRows]:
        """What pages of a folder say, chunk by chunk in their order. Raises ContentError where a
        cluster cannot read them."""
        if self._cluster:
            yield from self._cluster.read(folder.root, reading, pages)
            return
        listed, futures = self._begun.pop((folder, reading), (None, []))
        if listed is None or pages != pages_among(listed[0], folder):
            for future in futures:
                future.cancel()
            futures = self._submit(pages, reading)
        if not futures:
            yield from (read_files(chunk, reading) for chunk in _chunks(pages))
        for future in futures:
            yield future.result()

    @staticmethod
    def _list(folder: Folder, reading: Reading) -> _Listed:
        files, faults = page_files(folder)
        return with_commits(files, folder.root) if "git" in reading.trust else files, faults

    def _submit(self, pages: list[PageFile], reading: Reading) -> list[Future[Rows]]:
        """Give pages to the workers; to none where there are few."""
        if self._cluster:
            return []
        many = len(pages) >= _WORTH_WORKERS
        workers = ((os.cpu_count() or 1) if many else 0) if self._workers is None else self._workers
        if workers < 2 or not pages:
            return []
        if self._pool is None:
            way = get_context("fork" if _is_alone() else "spawn")
            self._others = active_children()
            self._pool = ProcessPoolExecutor(workers, way, initializer=prepare)
        with _interrupts_held():
            futures = [self._pool.submit(read_files, chunk, reading) for chunk in _chunks(pages)]
        self._due += futures
        return futures


#: Seconds that workers have to end by themselves when the work is over or broken off.
_PATIENCE = 5.0


def _end(workers: list[BaseProcess], patience: float) -> None:
    """Wait for workers to end, but never longer than that: on a machine that is overloaded one may
    hang in what it is at, and it must not live on."""
    deadline = time.monotonic() + patience
    for worker in workers:
        worker.join(max(0.0, deadline - time.monotonic()))
    for worker in workers:
        if worker.is_alive():
            worker.kill()
            worker.join(1.0)


def _is_alone() -> bool:
    """Whether this process has one thread, those of libraries too, where that can be told. It may
    fork then: its workers have all that it has loaded. With more threads a fork may hang."""
    try:
        return sys.platform == "linux" and len([*Path("/proc/self/task").iterdir()]) == 1
    except OSError:
        return False


@contextmanager
def _interrupts_held() -> Iterator[None]:
    """Hold Ctrl-C back while workers are started: they inherit that, and until they are ready to
    pass over interrupts they would say that they were interrupted."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


def pages_among(files: list[PageFile], folder: Folder) -> list[PageFile]:
    """The files that are pages of HTML; the others are documents."""
    return [file for file in files if file.path.lower().endswith(folder.endings)]


def _chunks(pages: list[PageFile]) -> Iterator[list[PageFile]]:
    return (pages[start : start + CHUNK] for start in range(0, len(pages), CHUNK))
