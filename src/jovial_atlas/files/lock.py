"""One process at a time: locks on files of the state folder, free as soon as their holder ends.

    with locks.writing("survey"):        # no other command that writes runs
        …                                # others may read meanwhile
        with locks.swapping():           # nobody reads while files are put in place
            …
    with locks.reading("pages"):         # what is read stays as it is

POSIX record locks (fcntl): the system gives them up when the process ends, however it ends; a
process that was forked from the holder does not hold them, and the system knows who does.
"""

from __future__ import annotations

import os
import struct
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from jovial_atlas.errors import OutputError
from jovial_atlas.files.whole import sweep, writing

try:
    import fcntl
except ImportError:  # pragma: no cover - Windows has no record locks
    fcntl = None  # type: ignore[assignment]

#: How often it is asked whether a lock is free, and how long at most, in seconds.
_AGAIN = 0.05
LONGEST_LOCK_WAIT = 600.0
#: After this time it is said that a command waits, and for whom.
_QUIET = 0.5
#: The bytes of the lock file that stand for each kind of lock.
_WRITES, _FILES, _EDITS, _ASKS, _COUNTS = 0, 1, 2, 3, 4

#: Is told for whom a command waits.
Told = Callable[[str], None]


class Lock:
    """One byte of a lock file, held by one process for writing or by many for reading."""

    def __init__(self, number: int, place: int, shown: Path, told: Told, wait: float) -> None:
        self._number, self._place, self._shown = number, place, shown
        self._told, self._wait = told, wait

    @contextmanager
    def held(self, *, shared: bool = False) -> Iterator[None]:
        """Hold it while the block runs. Raises OutputError where it does not become free."""
        self._acquire(shared)
        try:
            yield
        finally:
            fcntl.lockf(self._number, fcntl.LOCK_UN, 1, self._place)

    def _acquire(self, shared: bool) -> None:
        kind = (fcntl.LOCK_SH if shared else fcntl.LOCK_EX) | fcntl.LOCK_NB
        begun = time.monotonic()
        has_told = False
        while True:
            try:
                fcntl.lockf(self._number, kind, 1, self._place)
            except (BlockingIOError, PermissionError):
                waited = time.monotonic() - begun
            else:
                return
            if waited >= self._wait:
                raise OutputError(
                    f"{self._holder()} has been working on {self._shown.parent} for "
                    f"{self._wait:.0f} seconds and more. Wait until it is done, then run this "
                    "again."
                )
            if not has_told and waited >= _QUIET:
                self._told(f"Waiting for {self._holder()} …")
                has_told = True
            time.sleep(_AGAIN)

    def _holder(self) -> str:
        """Who holds it, as far as the system tells."""
        if not sys.platform.startswith("linux"):
            return "another command"
        asked = struct.pack("hhqqi", fcntl.F_WRLCK, os.SEEK_SET, self._place, 1, 0)
        process = struct.unpack("hhqqi", fcntl.fcntl(self._number, fcntl.F_GETLK, asked))[4]
        try:
            words = Path(f"/proc/{process}/cmdline").read_bytes().split(b"\0")
        except OSError:
            return f"another command (process {process})" if process > 0 else "another command"
        said = [word.decode("utf-8", "replace") for word in words if word]
        at = next((n for n, word in enumerate(said) if word.endswith("jovial-atlas")), None)
        name = " ".join(["jovial-atlas", *said[at + 1 :][:1]]) if at is not None else "another one"
        return f"`{name}` (process {process})"


class Locks:
    """The locks of one state folder. Where the folder cannot be written to, nobody here writes
    there, so reading needs none; nor is there anything to hold before the folder is made."""

    def __init__(
        self, state: Path, told: Told = lambda _text: None, wait: float = LONGEST_LOCK_WAIT
    ) -> None:
        self.state = state
        self._told, self._wait = told, wait
        self._number: int | None = None
        #: Kinds of lock that this process holds, each once however often it is asked for.
        self._held: set[int] = set()

    @contextmanager
    def writing(self) -> Iterator[None]:
        """Be the only command that writes into the state folder or the output. What a killed one
        left on its way is removed first. Raises OutputError."""
        self._make_folder()
        with self._lock(_WRITES):
            sweep(self.state)
            for folder in self.state.iterdir():
                if folder.is_dir():
                    sweep(folder)
            yield

    @contextmanager
    def swapping(self) -> Iterator[None]:
        """Put files in the place of others: until then, whoever reads them reads on."""
        with self._lock(_FILES):
            yield

    @contextmanager
    def reading(self) -> Iterator[None]:
        """Read what belongs together: nothing is replaced meanwhile."""
        if not self.state.is_dir():
            yield
            return
        with self._lock(_FILES, shared=True):
            yield

    @contextmanager
    def asking(self) -> Iterator[None]:
        """Be the only command that asks servers for long; others may read and write meanwhile."""
        if not self.state.is_dir():
            yield
            return
        with self._lock(_ASKS):
            yield

    @contextmanager
    def counting(self, folder: Path) -> Iterator[None]:
        """Be the only command that adds to what is known of clicks and visits, also where several
        machines do so in a `folder` of their own; others may read and write meanwhile. Raises
        OutputError."""
        where = self if folder == self.state else Locks(folder, self._told, self._wait)
        where._make_folder()
        with where._lock(_COUNTS):
            yield

    @contextmanager
    def editing(self) -> Iterator[None]:
        """Read, change and write the site file or a file beside it. Raises OutputError."""
        self._make_folder()
        with self._lock(_EDITS):
            yield

    def _make_folder(self) -> None:
        with writing(self.state):
            self.state.mkdir(parents=True, exist_ok=True)

    @contextmanager
    def _lock(self, place: int, *, shared: bool = False) -> Iterator[None]:
        number = None if place in self._held else self._opened(shared)
        if number is None:
            yield
            return
        self._held.add(place)
        try:
            with Lock(number, place, self.state / "lock", self._told, self._wait).held(
                shared=shared
            ):
                yield
        finally:
            self._held.discard(place)

    def _opened(self, shared: bool) -> int | None:
        """The lock file; None where there can be none, which is only good for reading. It is
        opened once: closing any handle of it would give up all locks of this process."""
        if fcntl is None:
            return None
        if self._number is None:
            place = self.state / "lock"
            try:
                self._number = os.open(place, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
            except OSError as error:
                if shared:
                    return None
                with writing(place):
                    raise error
        return self._number
