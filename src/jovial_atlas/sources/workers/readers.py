"""Reading the pages of folders: by worker processes where there are many.

Loads nothing of tables, so that workers can begin before those are loaded.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from types import TracebackType
from typing import Any

from jovial_atlas.faults import Fault
from jovial_atlas.pages.row import PageRow
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_files
from jovial_atlas.sources.workers.cluster import CLUSTER_CHUNK, Cluster, PackedRows
from jovial_atlas.sources.workers.folder import Folder, page_files, with_commits
from jovial_atlas.sources.workers.pool import ResultT, WorkerPool, result_of

#: Files that are read together, and told of together.
CHUNK = 48
#: What a chunk of files gives.
Rows = tuple[list[PageRow], list[Fault]]
_Listed = tuple[list[PageFile], list[Fault]]


class Readers:
    """Use as a context: leaving it ends the workers. `workers` None: one a core where there are
    many files, none where there are few. `cluster` is the address of a cluster that reads instead.
    """

    def __init__(self, workers: int | None = None, cluster: str = "") -> None:
        self._cluster = Cluster(cluster) if cluster else None
        self._pool = WorkerPool(workers)
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
        self._pool.close()

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
        """What pages of a folder say, chunk by chunk in their order. Raises AtlasError where a
        worker is lost, ContentError where a cluster cannot read them."""
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
        # What was taken is let go of: together it may be more than fits into memory.
        futures.reverse()
        while futures:
            yield result_of(futures.pop())

    def each(
        self, work: Callable[..., ResultT], pages: Sequence[Any], *given: object
    ) -> Iterator[ResultT]:
        """What this gives for pages, chunk by chunk in their order, and what else is `given` to it:
        done by workers where there are many pages. Raises AtlasError where a worker is lost."""
        chunks = [pages[start : start + CHUNK] for start in range(0, len(pages), CHUNK)]
        futures = self._pool.submit(work, chunks, *given, many=len(pages))
        if not futures:
            yield from (work(chunk, *given) for chunk in chunks)
        futures.reverse()
        while futures:
            yield result_of(futures.pop())

    @staticmethod
    def _list(folder: Folder, reading: Reading) -> _Listed:
        files, faults = page_files(folder)
        return with_commits(files, folder.root) if "git" in reading.trust else files, faults

    def _submit(self, pages: list[PageFile], reading: Reading) -> list[Future[Rows]]:
        """Give pages to the workers; to none where there are few."""
        if self._cluster:
            return []
        return self._pool.submit(read_files, _chunks(pages), reading, many=len(pages))


def pages_among(files: list[PageFile], folder: Folder) -> list[PageFile]:
    """The files that are pages of HTML; the others are documents."""
    return [file for file in files if file.path.lower().endswith(folder.endings)]


def _chunks(pages: list[PageFile]) -> Iterator[list[PageFile]]:
    return (pages[start : start + CHUNK] for start in range(0, len(pages), CHUNK))
