"""Processes that work on chunks of pages: started where there are many, ended with the work."""

from __future__ import annotations

import os
import signal
import sys
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import CancelledError, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from multiprocessing import active_children, get_context
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Any, TypeVar
from weakref import WeakSet

from jovial_atlas.errors import AtlasError
from jovial_atlas.sources.workers.worker import prepare

#: Starting a worker costs about as much as reading this many pages.
_WORTH_WORKERS = 400

ResultT = TypeVar("ResultT")


class WorkerPool:
    """Workers, one a core where there is much to do and none where there is little, unless their
    number is given. `close` ends them."""

    def __init__(self, workers: int | None = None) -> None:
        self._workers = workers
        self._pool: ProcessPoolExecutor | None = None
        self._others: list[BaseProcess] = []
        #: What is not done yet; of what is, others may want the results, but not for long.
        self._due: WeakSet[Future[Any]] = WeakSet()

    def submit(
        self,
        work: Callable[..., ResultT],
        chunks: Iterable[Any],
        *given: object,
        many: int,
    ) -> list[Future[ResultT]]:
        """Have workers do this with each chunk, and what else is `given` to it; `many` pages are
        in all chunks together. Gives nothing where they are too few, or where the system lets
        nobody start processes: then nobody is at it. Raises AtlasError where a worker is lost."""
        usual = cores() if many >= _WORTH_WORKERS else 0
        workers = usual if self._workers is None else self._workers
        if workers < 2 or not many:
            return []
        due = list(chunks)
        try:
            pool = self._pool or self._started(workers)
            with _interrupts_held():
                futures = [pool.submit(work, chunk, *given) for chunk in due]
        except BrokenProcessPool:
            raise _lost() from None
        except (OSError, NotImplementedError, ImportError):
            # No shared memory, no semaphores, or too many processes already: one has to do.
            self.close()
            self._pool, self._workers = None, 1
            return []
        self._due.update(futures)
        return futures

    def _started(self, workers: int) -> ProcessPoolExecutor:
        way = get_context("fork" if _is_alone() else "spawn")
        self._others = active_children()
        self._pool = ProcessPoolExecutor(workers, way, initializer=prepare)
        return self._pool

    def in_turn(
        self, work: Callable[..., ResultT], chunks: Iterable[Sequence[Any]], *, many: int
    ) -> Iterator[ResultT]:
        """What this gives for chunks, each the arguments of one call, in their order; a few of them
        are under way or done before they are taken, never all. `many` as for `submit`. Raises
        AtlasError where a worker is lost."""
        waiting: deque[tuple[Sequence[Any], Future[ResultT] | None]] = deque()

        def first() -> ResultT:
            chunk, future = waiting.popleft()
            try:
                return result_of(future) if future else work(*chunk)
            except CancelledError:  # the workers had to be given up meanwhile
                return work(*chunk)

        for chunk in chunks:
            futures = self.submit(_call, [chunk], work, many=many)
            waiting.append((chunk, futures[0] if futures else None))
            while waiting and (not futures or len(waiting) > _AHEAD * cores()):
                yield first()
        while waiting:
            yield first()

    def close(self) -> None:
        """End the workers, whatever they are at."""
        # Each is cancelled here: a pool that is gone by then forgets to do it, and reads on.
        for future in list(self._due):
            future.cancel()
        if self._pool:
            self._pool.shutdown(wait=False, cancel_futures=True)
            _end([one for one in active_children() if one not in self._others], _PATIENCE)


def result_of(future: Future[ResultT]) -> ResultT:
    """What a worker made. Raises AtlasError where a worker was ended from outside."""
    try:
        return future.result()
    except BrokenProcessPool:
        raise _lost() from None


def _lost() -> AtlasError:
    return AtlasError(
        "A process that worked on pages was ended by the system, perhaps since there was too "
        "little memory for all of them. Nothing was changed. Run it again; `survey --workers 1` "
        "reads with one process."
    )


def _call(given: Sequence[Any], work: Callable[..., ResultT]) -> ResultT:
    return work(*given)


def cores() -> int:
    """How many processors this process may use."""
    if hasattr(os, "sched_getaffinity"):
        return len(os.sched_getaffinity(0))
    return os.cpu_count() or 1


#: Chunks that are given out beyond what was taken, for each core.
_AHEAD = 3
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
