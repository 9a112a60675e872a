"""Writing sets of files whole, and knowing which files are ours.

`FileSet` is the only way the product writes into an output folder: every file is
written beside its place, all are renamed at the end, and a manifest in the state
folder remembers the bytes. A file whose bytes would be the same is not touched; a
file that stands there with bytes the tool did not write is never overwritten.
"""

from __future__ import annotations

import hashlib
import json
import secrets
import signal
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO

from jovial_atlas.errors import OutputError


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


def is_file(path: Path) -> bool:
    """Whether a file is there; a name that no file system takes is none."""
    try:
        return path.is_file()
    except (OSError, ValueError):
        return False


def write_whole(path: Path, data: bytes) -> None:
    """Write a file beside its place, then rename it there. Raises OutputError."""
    temporary = _beside(path, data)
    try:
        temporary.replace(path)
    except OSError as error:
        temporary.unlink(missing_ok=True)
        raise _cannot_write(path, error) from error


def write_lines(path: Path, lines: Iterable[str]) -> int:
    """As `write_whole`, a line at a time (UTF-8); gives back their number. Raises OutputError."""
    count = 0

    def encoded() -> Iterator[bytes]:
        nonlocal count
        for count, line in enumerate(lines, start=1):  # noqa: B007 - the last one is the number
            yield line.encode() + b"\n"

    temporary = _beside(path, encoded())
    temporary.replace(path)
    return count


def _cannot_write(path: Path, error: OSError) -> OutputError:
    return OutputError(
        f"{path} cannot be written ({error.strerror}). "
        "Check that its folder exists and that you may write there."
    )


def _beside(path: Path, data: bytes | Iterator[bytes]) -> Path:
    temporary = path.with_name(f".{path.name}.{secrets.token_hex(4)}.new")
    try:
        with _opened(temporary) as stream:
            stream.writelines((data,) if isinstance(data, bytes) else data)
    except OSError as error:
        temporary.unlink(missing_ok=True)
        raise _cannot_write(path, error) from error
    return temporary


def _opened(path: Path) -> BinaryIO:
    try:
        return path.open("xb")
    except FileNotFoundError:
        path.parent.mkdir(parents=True, exist_ok=True)
        return path.open("xb")


@dataclass(frozen=True, slots=True)
class FileChange:
    """What a build does to one file. `path` is relative to the folder, with `/`.

    `state` is one of new, changed, same, removed, kept; `kept` is a file of the same
    name that the tool did not write, so it stays as it is.
    """

    path: str
    bytes: int
    state: str


@dataclass(frozen=True, slots=True)
class _Due:
    name: str
    change: FileChange
    staged: Path | None
    #: The bytes of a file that is new or changed in a dry run; nowhere else are they kept.
    data: bytes | None = None


@dataclass
class FileSet:
    """The files of one output folder that this tool owns.

    Use: `put` every file that is due, then `commit`. Until `commit` nothing that a
    visitor could see has changed; `discard` forgets what was put. A `dry` set only
    compares: it can tell its `changes`, and has nothing to commit.
    """

    folder: Path
    manifest: Path
    dry: bool = False
    _due: dict[str, _Due] = field(default_factory=dict, init=False)

    def __post_init__(self) -> None:
        record = _read_manifest(self.manifest)
        self._owned: dict[str, str] = record.get("files", {})
        self._pending: dict[str, str] = record.get("pending", {})
        self._stats: dict[str, list[int]] = record.get("stats", {})

    def owns(self, path: str) -> bool:
        """Whether the file that now stands at `path` has the bytes the tool wrote there."""
        known = {self._owned.get(path), self._pending.get(path)} - {None}
        place = self.folder / path
        return bool(known) and place.is_file() and digest_of_file(place) in known

    def own_files(self, ending: str) -> list[Path]:
        """The files with this ending that stand there as the tool wrote them."""
        return [
            self.folder / path for path in self._owned if path.endswith(ending) and self.owns(path)
        ]

    def is_foreign(self, path: str) -> bool:
        """Whether a file stands at `path` that the tool did not write or that was edited since."""
        return (self.folder / path).exists() and not self.owns(path)

    def adopt(self, path: str) -> None:
        """Take a hand-written file as ours, since what it says is now in the site file."""
        self._owned[path] = digest_of_file(self.folder / path)
        self._save(self._owned, {})

    def keep(self, path: str) -> bool:
        """Say that `path` is due as it stands there, without making its bytes again. False,
        and nothing said, where it is not as the tool wrote it."""
        place = self.folder / path
        name = self._owned.get(path)
        if name is None or not place.is_file():
            return False
        if self._stats.get(path) != _stat(place) and digest_of_file(place) != name:
            return False
        self._due[path] = _Due(name, FileChange(path, place.stat().st_size, "same"), None)
        return True

    def put(self, path: str, data: bytes, name: str | None = None) -> None:
        """Say that `path` is due with these bytes; `name` is their digest, where it is known.
        Raises OutputError."""
        if Path(path).is_absolute() or ".." in Path(path).parts:
            raise OutputError(f"{path} leaves the output folder {self.folder}.")
        name = name or digest(data)
        unchanged = self._owned.get(path) == name and self.owns(path)
        foreign = not unchanged and self.is_foreign(path)
        state = "same" if unchanged else "kept" if foreign else "new"
        if state == "new" and (self.folder / path).exists():
            state = "changed"
        writes = state in ("new", "changed") and not self.dry
        staged = _beside(self.folder / path, data) if writes else None
        kept = data if self.dry and staged is None and state != "same" else None
        self._due[path] = _Due(name, FileChange(path, len(data), state), staged, kept)

    def has(self, path: str) -> bool:
        """Whether a file is due."""
        return path in self._due

    def read(self, path: str) -> bytes:
        """The bytes of a file that is due: those that were put, or those that stay."""
        due = self._due[path]
        if due.data is not None:
            return due.data
        return (due.staged or self.folder / path).read_bytes()

    def digest(self, path: str) -> str:
        """The digest of a file that is due."""
        return self._due[path].name

    def changes(self) -> list[FileChange]:
        """What `commit` will do, sorted by path."""
        changes = [due.change for due in self._due.values()]
        changes += [
            FileChange(path, (self.folder / path).stat().st_size, "removed")
            for path in self._stale()
        ]
        return sorted(changes, key=lambda change: change.path)

    def _stale(self) -> list[str]:
        known = {*self._owned, *self._pending}
        return [path for path in known if path not in self._due and self.owns(path)]

    def commit(self, last: tuple[str, ...] = ()) -> list[FileChange]:
        """Put all that is due in place, remove what is no longer due. Raises OutputError.

        The paths in `last` go in after all others (an index after what it lists). An
        interrupt waits until the set is complete; after a crash in between, the manifest
        still knows the new bytes as ours.
        """
        changes = self.changes()
        due = {p: due.name for p, due in self._due.items() if due.change.state != "kept"}
        order = sorted(self._due, key=lambda path: (path in last, path))
        with _uninterrupted():
            self._save(self._owned, due)
            for path in order:
                if staged := self._due[path].staged:
                    try:
                        staged.replace(self.folder / path)
                    except OSError as error:
                        self.discard()
                        raise _cannot_write(self.folder / path, error) from error
            for change in changes:
                if change.state == "removed":
                    (self.folder / change.path).unlink(missing_ok=True)
            self._save(due, {})
        return changes

    def discard(self) -> None:
        """Forget what was put; the folder stays as it was."""
        for due in self._due.values():
            if due.staged:
                due.staged.unlink(missing_ok=True)
        self._due.clear()

    def _save(self, files: dict[str, str], pending: dict[str, str]) -> None:
        # Size and time tell that a file is as it was left, without reading it.
        there = [path for path in files if not pending and (self.folder / path).is_file()]
        stats = {path: _stat(self.folder / path) for path in there}
        record = {"files": files, "pending": pending, "stats": stats}
        text = json.dumps(record, indent=1, sort_keys=True) + "\n"
        write_whole(self.manifest, text.encode())


def _stat(place: Path) -> list[int]:
    about = place.stat()
    return [about.st_size, about.st_mtime_ns]


def _read_manifest(path: Path) -> dict[str, Any]:
    try:
        record = json.loads(path.read_bytes())
    except FileNotFoundError:
        return {}
    except (OSError, ValueError) as error:
        raise OutputError(
            f"{path} cannot be read ({error}). It remembers which files this tool wrote; "
            "restore it from a backup, or delete it and remove the written files by hand."
        ) from error
    return record if isinstance(record, dict) else {}


@contextmanager
def _uninterrupted() -> Iterator[None]:
    """Hold Ctrl-C back for the few renames that must happen together."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT, signal.SIGTERM})
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
