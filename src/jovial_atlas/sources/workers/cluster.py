"""Reading pages on other machines: a Dask cluster (`dask.distributed`), whose workers all see the
files of the folder at the same place.

Pages go out in chunks, a few for each worker at a time, and what they say comes back in their
order: rows are those that one machine would give. A worker that is lost costs its chunks once more.
"""

from __future__ import annotations

import io
import logging
import os
import pickle
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import CancelledError
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jovial_atlas import __version__
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.pages.row import PageRow
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_files
from jovial_atlas.sources.workers.worker import spare_memory

if TYPE_CHECKING:
    from distributed import Client, Future

#: Files that are read together: enough that handing them out costs little beside.
CLUSTER_CHUNK = 200
#: Chunks that each thread of the cluster has to do, or has done and not given back yet.
_AHEAD = 4
#: Seconds to wait for the scheduler, and for a worker where none is left.
_PATIENCE = 15.0
#: How often a chunk is given to another worker where one does not see the folder.
_TRIES = 5

#: What a chunk gives: its part of the page table as octets (Arrow's stream), and faults. Workers
#: make the tables, so that who gathers them has little to do.
PackedRows = tuple[bytes, list[Fault]]


class UnseenError(Exception):
    """A worker does not see the folder that it is to read."""


class Cluster:
    """Workers of a cluster, by the address of its scheduler. To be closed."""

    def __init__(self, address: str) -> None:
        self.address = address
        self._client: Client | None = None
        self._due: deque[tuple[list[PageFile], Future]] = deque()

    def close(self) -> None:
        """Take back what workers have not begun, and leave the cluster."""
        client, self._client = self._client, None
        if client:
            with suppress(OSError, RuntimeError):
                client.cancel([future for _, future in self._due])
                client.close(timeout=_PATIENCE)
        self._due.clear()

    def read(self, root: Path, reading: Reading, pages: Sequence[PageFile]) -> Iterator[PackedRows]:
        """What pages below a folder say, chunk by chunk in their order. Raises ContentError where
        the cluster cannot be reached, is not fit for it, or is lost."""
        client = self._connected()
        here, folder = str(Path.cwd()), str(root.absolute())
        threads = self._check_workers(folder)
        chunks = (
            # Workers may run in any folder.
            [page._replace(place=os.path.join(here, page.place)) for page in some]  # noqa: PTH118
            for start in range(0, len(pages), CLUSTER_CHUNK)
            for some in [pages[start : start + CLUSTER_CHUNK]]
        )
        for chunk in chunks:
            self._due.append((chunk, _submit(client, chunk, reading, folder)))
            if len(self._due) >= _AHEAD * threads:
                yield from self._next(reading, folder)
        while self._due:
            yield from self._next(reading, folder)

    def _next(self, reading: Reading, folder: str) -> Iterator[PackedRows]:
        """What the chunk that was given out first says."""
        chunk, future = self._due.popleft()
        yield from self._taken(chunk, future, reading, folder)

    def _taken(
        self, chunk: list[PageFile], future: Future, reading: Reading, folder: str
    ) -> Iterator[PackedRows]:
        from distributed import KilledWorker

        client = self._connected()
        for _ in range(_TRIES):
            try:
                yield self._waited(future)
                return
            except UnseenError:
                future = _submit(client, chunk, reading, folder)
            except KilledWorker:
                yield from self._halved(chunk, reading, folder)
                return
        raise ContentError(
            f"Workers of the cluster {self.address} do not see {folder}. It must be at the same "
            "place on all of them."
        )

    def _halved(self, chunk: list[PageFile], reading: Reading, folder: str) -> Iterator[PackedRows]:
        """What a chunk says that ended worker after worker: the page that does so is a fault."""
        if len(chunk) == 1:
            said = "Reading it ended one worker of the cluster after another."
            fault = Fault("page-not-understood", chunk[0].path, f"{said} The page is left out.")
            yield _packed([], reading), [fault]
            return
        half = len(chunk) // 2
        for some in (chunk[:half], chunk[half:]):
            future = _submit(self._connected(), some, reading, folder)
            yield from self._taken(some, future, reading, folder)

    def _waited(self, future: Future) -> PackedRows:
        from distributed import TimeoutError as TooLateError

        while True:
            try:
                rows: PackedRows = future.result(timeout=_PATIENCE)
            except TooLateError:
                if not self._connected().nthreads():
                    said = f"The cluster {self.address} has no worker left."
                    raise ContentError(f"{said} Start some, and run it again.") from None
            except (OSError, CancelledError) as error:
                said = f"The cluster {self.address} was lost while it read pages"
                raise ContentError(f"{said} ({error or type(error).__name__}).") from None
            else:
                return rows

    def _connected(self) -> Client:
        if self._client is None:
            self._client = _client(self.address)
        return self._client

    def _check_workers(self, root: str) -> int:
        """See that workers can do what they are asked for; gives how many threads there are."""
        client = self._connected()
        threads = int(sum(client.nthreads().values()))
        if not threads:
            raise ContentError(
                f"The cluster {self.address} has no worker. Start some: "
                f"dask worker {self.address} --nthreads 1"
            )
        found = client.run(_looking(root), on_error="return")
        for worker, said in sorted(found.items()):
            if isinstance(said, BaseException):
                raise ContentError(f"The worker {worker} cannot be asked anything ({said}).")
            version, sees = said
            if version != __version__:
                has = f"has jovial-atlas {version}" if version else "does not have jovial-atlas"
                raise ContentError(
                    f"The worker {worker} {has}; it needs {__version__}, which runs here."
                )
            if not sees:
                raise ContentError(
                    f"The worker {worker} does not see {root}. The folder must be at the same "
                    "place on all workers, as on storage that they share."
                )
        return threads


def _looking(root: str) -> Callable[[], tuple[str, bool]]:
    """What finds out on a worker, which may not have this package, its version there, and whether
    the folder is."""

    def look() -> tuple[str, bool]:
        import importlib.metadata
        import os.path

        try:
            version = importlib.metadata.version("jovial-atlas")
        except importlib.metadata.PackageNotFoundError:
            version = ""
        return version, os.path.isdir(root)  # noqa: PTH112 - it stands alone there

    return look


def _submit(client: Client, chunk: list[PageFile], reading: Reading, folder: str) -> Future:
    # As octets: the cluster would look at each value of a list.
    asked = pickle.dumps((chunk, reading), pickle.HIGHEST_PROTOCOL)
    return client.submit(read_on_worker, asked, folder, pure=False)


def read_on_worker(asked: bytes, folder: str) -> PackedRows:
    """Rows and faults of some files, on a worker: those of a pickled list of files and how they are
    read. Raises UnseenError where it does not see them."""
    _get_ready()
    chunk, reading = pickle.loads(asked)  # noqa: S301 - from who may run anything here
    rows, faults = read_files(chunk, reading)
    if faults and not os.path.isdir(folder):  # noqa: PTH112 - as text it came
        raise UnseenError(folder)
    return _packed(rows, reading), faults


def _packed(rows: list[PageRow], reading: Reading) -> bytes:
    from jovial_atlas.pages import schema
    from jovial_atlas.sources.records.records import pages_of

    octets = io.BytesIO()
    table = pages_of(rows) if reading.fields else schema.table(rows)
    table.write_ipc_stream(octets, compression="lz4")
    return octets.getvalue()


@cache
def _get_ready() -> None:
    spare_memory()


def _client(address: str) -> Any:
    try:
        from distributed import Client
    except ImportError:
        raise ContentError(
            "Reading on a cluster needs more packages: pip install 'jovial-atlas[cluster]'"
        ) from None
    # What goes wrong is told here, in other words.
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    try:
        return Client(address, timeout=_PATIENCE, set_as_default=False, name="jovial-atlas")
    except (OSError, ValueError, TypeError) as error:
        raise ContentError(
            f"The cluster {address} does not answer ({error}). Give the address of its scheduler, "
            "like tcp://reader:8786"
        ) from None
