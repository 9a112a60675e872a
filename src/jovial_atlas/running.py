"""Running a command of the owner's: without a shell unless asked for, within a limit of time, with
what it says kept as far as somebody will read it."""

from __future__ import annotations

import os
import signal
import subprocess
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

#: So many characters of what a command says are kept: the end of it.
_KEPT = 4_000
#: Seconds that a command gets to end after it was told to.
_GRACE = 5.0


@dataclass(frozen=True, slots=True)
class Command:
    """What is run: the words, or one line for a `shell`; in which folder, with what in its
    environment, what on its standard input, and for how many seconds at most."""

    words: tuple[str, ...]
    folder: Path
    environment: Mapping[str, str] = field(default_factory=dict)
    given: bytes = b""
    limit: float = 600.0
    shell: bool = False


@dataclass(frozen=True, slots=True)
class RanCommand:
    """What came of it: the exit code, None where it could not be started or did not end in time;
    and the end of what it said."""

    code: int | None
    said: str

    @property
    def trouble(self) -> str:
        """What is wrong, as the end of a sentence; "" where nothing is."""
        if self.code == 0:
            return ""
        last = next((line for line in reversed(self.said.splitlines()) if line.strip()), "")
        if self.code is None:
            return last or "it did not run"
        return f"exit code {self.code}{f': {last.strip()[:200]}' if last else ''}"


#: Runs a command.
RunCommand = Callable[[Command], RanCommand]


def run_command(command: Command) -> RanCommand:
    """Run a command to its end, or to the end of its time: then it and all that it started are
    ended."""
    words: Sequence[str] | str = command.words[0] if command.shell else command.words
    try:
        process = subprocess.Popen(  # noqa: S603 - what the owner's site file says
            words,
            cwd=command.folder,
            env=dict(command.environment),
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            shell=command.shell,
            start_new_session=True,
        )
    except (OSError, ValueError) as error:
        said = getattr(error, "strerror", None) or str(error)
        return RanCommand(None, f"{command.words[0]} cannot be run ({said})")
    try:
        said_bytes, _ = process.communicate(command.given, timeout=command.limit)
    except subprocess.TimeoutExpired:
        said_bytes = _ended(process)
        late = f"it was ended after {command.limit:.0f} seconds"
        return RanCommand(None, f"{_shown(said_bytes)}\n{late}".strip())
    return RanCommand(process.returncode, _shown(said_bytes))


def _ended(process: subprocess.Popen[bytes]) -> bytes:
    """End a command and all that it started, and give what it said."""
    for how in (signal.SIGTERM, signal.SIGKILL):
        try:
            os.killpg(process.pid, how)
        except (OSError, AttributeError):
            process.kill()
        try:
            return process.communicate(timeout=_GRACE)[0] or b""
        except subprocess.TimeoutExpired:
            continue
    return b""


def _shown(said: bytes) -> str:
    return said[-_KEPT * 4 :].decode("utf-8", "replace")[-_KEPT:].strip()
