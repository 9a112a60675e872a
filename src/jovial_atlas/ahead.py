"""Reading ahead: what is to be worked on next is made in a thread, while one works on what is
there."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Generator, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

PieceT = TypeVar("PieceT")


def read_ahead(
    pieces: Generator[PieceT], most: int = 2, stop: Callable[[], None] | None = None
) -> Iterator[PieceT]:
    """The pieces in their order; up to so many of them are made before they are asked for, all in
    one thread. An error comes out where the piece would. Where nobody asks on, the generator is
    closed, in its thread; `stop` ends what it may be waiting for."""
    end = object()
    with ThreadPoolExecutor(1) as thread:
        waiting = deque(thread.submit(next, pieces, end) for _ in range(most))
        try:
            while (piece := waiting.popleft().result()) is not end:
                waiting.append(thread.submit(next, pieces, end))
                yield piece  # type: ignore[misc]
        except BaseException:
            if stop is not None:
                stop()
            raise
        finally:
            for one in waiting:
                one.cancel()
            thread.submit(pieces.close).result()
