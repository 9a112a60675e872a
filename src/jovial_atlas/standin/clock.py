"""Time as a stand-in has it: the real one, or put forward, so that a month passes in seconds."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta


class Clock:
    """The time, put forward by what was added up."""

    def __init__(self, real: Callable[[], datetime] = lambda: datetime.now(UTC)) -> None:
        self._real = real
        self._ahead = timedelta()
        self._at: datetime | None = None
        self._one_at_a_time = threading.Lock()

    def now(self) -> datetime:
        """The moment of what is being played, or the time that it is here."""
        return self._at or self.present()

    def present(self) -> datetime:
        """The time that it is here, whatever is being played."""
        return self._real() + self._ahead

    @contextmanager
    def playing(self, at: datetime) -> Iterator[None]:
        """Be at a moment of the past while something is played; one thing at a time."""
        with self._one_at_a_time:
            self._at = at
            try:
                yield
            finally:
                self._at = None

    def forward(self, hours: float) -> datetime:
        """Put it forward; gives back the new time."""
        self._ahead += timedelta(hours=hours)
        return self.present()
