"""Writing one file: beside its place, then renamed there, so that nobody ever sees half of it.

What a process that was killed left beside is known by its name, and goes with the next write into
that folder (`sweep`).
"""

from __future__ import annotations

import errno
import hashlib
import os
import re
import secrets
import shutil
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from jovial_atlas.errors import OutputError

#: Names of files on their way, with the process that writes them. They do not depend on the name
#: of the file, which may be as long as a file system takes.
_TEMPORARY = re.compile(r"\.atlas-(\d+)-[0-9a-f]{8}\.new\Z")
#: What to do about the reasons that a system gives.
_REMEDY = {
    errno.ENOSPC: "Make room on the disk, then run the command again.",
    errno.EDQUOT: "Your quota on this disk is used up. Make room, then run the command again.",
    errno.EROFS: "The file system can only be read. Name a folder that can be written.",
    errno.ENAMETOOLONG: "The name is longer than the file system takes. Name a shorter one.",
}


def digest(data: bytes) -> str:
    """The name of some bytes: BLAKE2b, 32 hexadecimal digits."""
    return hashlib.blake2b(data, digest_size=16).hexdigest()


def digest_of_file(path: Path) -> str:
    """As `digest`, reading the file in pieces."""
    name = hashlib.blake2b(digest_size=16)
    with path.open("rb") as stream:
        while piece := stream.read(1 << 20):
            name.update(piece)
    return name.hexdigest()


class Digested:
    """Bytes that come in pieces; their `digest` and `size`, once all were taken."""

    def __init__(self, pieces: Iterable[bytes]) -> None:
        self._pieces = pieces
        self._name = hashlib.blake2b(digest_size=16)
        self.size = 0

    def __iter__(self) -> Iterator[bytes]:
        """The pieces, as they come."""
        for piece in self._pieces:
            self._name.update(piece)
            self.size += len(piece)
            yield piece

    @property
    def digest(self) -> str:
        """As `digest` of all of them together."""
        return self._name.hexdigest()


def is_file(path: Path) -> bool:
    """Whether a file is there; a name that no file system takes is none."""
    try:
        return path.is_file()
    except (OSError, ValueError):
        return False


def cannot_write(path: Path, error: OSError) -> OutputError:
    """What a failed write comes to, in one sentence with its remedy."""
    why = error.strerror or str(error)
    remedy = _REMEDY.get(
        error.errno or 0, "Check that its folder exists and that you may write there."
    )
    return OutputError(f"{path} cannot be written ({why}). {remedy}")


@contextmanager
def writing(path: Path) -> Iterator[None]:
    """Whatever the system refuses while something is written at `path` raises OutputError."""
    try:
        yield
    except OSError as error:
        raise cannot_write(path, error) from error


def temporary_name(folder: Path) -> Path:
    """A new name in a folder for a file that is on its way."""
    return folder / f".atlas-{os.getpid()}-{secrets.token_hex(4)}.new"


def is_temporary(name: str) -> bool:
    """Whether a name is that of a file on its way."""
    return _TEMPORARY.match(name) is not None


def sweep(folder: Path) -> None:
    """Remove what processes that have ended left on its way into a folder."""
    try:
        with os.scandir(folder) as entries:
            left = [one.path for one in entries if _is_left(one.name)]
    except OSError:
        return
    for path in left:
        with suppress(OSError):
            if os.path.isdir(path):  # noqa: PTH112 - paths are text here
                shutil.rmtree(path)
            else:
                os.unlink(path)  # noqa: PTH108


def _is_left(name: str) -> bool:
    match = _TEMPORARY.match(name)
    return match is not None and not _is_alive(int(match[1]))


def _is_alive(process: int) -> bool:
    if process == os.getpid():
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def make_folder(folder: Path) -> None:
    """Make a folder and those above it. Raises OutputError."""
    with writing(folder):
        folder.mkdir(parents=True, exist_ok=True)


def write_whole(path: Path, data: bytes, *, durable: bool = False, tidy: bool = True) -> None:
    """Write a file beside its place, then rename it there. Raises OutputError.

    `durable` files are on the disk when this returns, whatever happens to the machine; `tidy`
    takes away what a killed process left in the folder.
    """
    write_pieces(path, (data,), durable=durable, tidy=tidy)


def write_over(path: Path, before: bytes | None, data: bytes) -> None:
    """Write a file anew that was read as `before` (None: it was not there), durably; refused where
    somebody changed it since. Raises OutputError."""
    with writing(path):
        now = path.read_bytes() if path.exists() else None
    if now != before:
        raise OutputError(
            f"{path} was changed by another program since it was read, so nothing was written. "
            "Run the command again."
        )
    write_whole(path, data, durable=True)


def write_lines(path: Path, lines: Iterable[str]) -> int:
    """As `write_whole`, a line at a time (UTF-8); gives back their number. Raises OutputError."""
    count = 0

    def encoded() -> Iterator[bytes]:
        nonlocal count
        for count, line in enumerate(lines, start=1):  # noqa: B007 - the last one is the number
            yield line.encode() + b"\n"

    write_pieces(path, encoded())
    return count


def write_pieces(
    path: Path, pieces: Iterable[bytes], *, durable: bool = False, tidy: bool = True
) -> None:
    """As `write_whole`, piece by piece."""
    if tidy:
        sweep(path.parent)
    temporary = temporary_name(path.parent)
    with writing(path):
        try:
            with _opened(temporary) as stream:
                stream.writelines(pieces)
                if durable:
                    stream.flush()
                    os.fsync(stream.fileno())
            temporary.replace(path)
        except BaseException:
            forget(temporary)
            raise


def move_into_place(staged: Path, path: Path) -> None:
    """Rename a finished file to where it belongs. Raises OutputError."""
    with writing(path):
        try:
            staged.replace(path)
        except FileNotFoundError:
            path.parent.mkdir(parents=True, exist_ok=True)
            staged.replace(path)
        except OSError as error:
            if error.errno != errno.EXDEV:
                raise
            # A folder within the set lies on another file system.
            write_whole(path, staged.read_bytes())
            staged.unlink()


def add_line(path: Path, line: str) -> None:
    """Add one line (UTF-8) to a file that grows. Raises OutputError."""
    with writing(path):
        try:
            stream = path.open("a", encoding="utf-8", errors="replace")
        except FileNotFoundError:
            path.parent.mkdir(parents=True, exist_ok=True)
            stream = path.open("a", encoding="utf-8", errors="replace")
        with stream:
            stream.write(line + "\n")


def name_again(file: Path, to: Path) -> None:
    """Give a file a second name, which costs neither time nor room; where a disk knows no such
    names it is copied. A file that is not there is left out. Raises OutputError."""
    if not file.is_file():
        return
    with writing(to):
        to.parent.mkdir(parents=True, exist_ok=True)
        try:
            os.link(file, to)
        except OSError:
            shutil.copy2(file, to)


def remove(path: Path) -> None:
    """Remove a file, if it is there. Raises OutputError."""
    try:
        path.unlink(missing_ok=True)
    except OSError as error:
        raise OutputError(
            f"{path} cannot be removed ({error.strerror}). Check that you may write in its folder."
        ) from error


def forget(path: Path) -> None:
    """Remove what is of no use any more, as far as that goes: a failure has been told already."""
    with suppress(OSError):
        path.unlink(missing_ok=True)


def _opened(path: Path) -> BinaryIO:
    try:
        return path.open("xb")
    except FileNotFoundError:
        path.parent.mkdir(parents=True, exist_ok=True)
        return path.open("xb")
