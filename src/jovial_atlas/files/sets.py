"""Writing sets of files whole, and knowing which files are ours.

`FileSet` is the only way the product writes into an output folder: every file is
written into a hidden folder there, all are renamed at the end, and a manifest in the state
folder remembers the bytes. A file whose bytes would be the same is not touched; a
file that stands there with bytes the tool did not write is never overwritten.
"""

from __future__ import annotations

import json
import shutil
import signal
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Any

import msgspec

from jovial_atlas.errors import OutputError
from jovial_atlas.files.whole import (
    Digested,
    digest,
    digest_of_file,
    is_file,
    move_into_place,
    remove,
    sweep,
    temporary_name,
    write_pieces,
    write_whole,
    writing,
)


class FileState(StrEnum):
    """What becomes of a file. `kept` is one of the same name that the tool did not write, so it
    stays as it is."""

    NEW = "new"
    CHANGED = "changed"
    SAME = "same"
    REMOVED = "removed"
    KEPT = "kept"


#: States in which a file is written.
_WRITTEN = (FileState.NEW, FileState.CHANGED)


class FileChange(msgspec.Struct, frozen=True):
    """What a build does to one file. `path` is relative to the folder, with `/`."""

    path: str
    bytes: int
    state: FileState


class _Due(msgspec.Struct, frozen=True):
    name: str
    change: FileChange
    staged: Path | None = None
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
    _staging: Path | None = field(default=None, init=False)

    def __post_init__(self) -> None:
        record = _read_manifest(self.manifest)
        self._owned: dict[str, str] = record["files"]
        #: What an interrupted build may have put in place, beside what it found there.
        self._pending: dict[str, list[str]] = record["pending"]
        self._stats: dict[str, list[int]] = record["stats"]

    @property
    def is_known(self) -> bool:
        """Whether it is known which files are ours: not before the first build, nor after the
        manifest was lost."""
        return self.manifest.exists()

    def claim(self, paths: Iterable[str]) -> None:
        """Take files that are known to be ours by what they hold."""
        for path in paths:
            if path not in self._owned and is_file(self.folder / path):
                self._owned[path] = digest_of_file(self.folder / path)

    def known_paths(self) -> list[str]:
        """The files that the tool wrote, as far as it knows, whether they still stand there."""
        return sorted(self._owned)

    def digests(self) -> dict[str, str]:
        """File that the tool wrote → digest of what it wrote."""
        return dict(self._owned)

    def _names(self, path: str) -> set[str]:
        """The digests that a file of ours may have at `path`."""
        return {*self._pending.get(path, ()), *filter(None, [self._owned.get(path)])}

    def owns(self, path: str) -> bool:
        """Whether the file that now stands at `path` has the bytes the tool wrote there."""
        known = self._names(path)
        file = self.folder / path
        return bool(known) and is_file(file) and digest_of_file(file) in known

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
        file = self.folder / path
        name = self._owned.get(path)
        if name is None or not file.is_file():
            return False
        if self._stats.get(path) != _stat(file) and digest_of_file(file) != name:
            return False
        self._due[path] = _Due(name, FileChange(path, file.stat().st_size, FileState.SAME), None)
        return True

    def put(self, path: str, data: bytes, name: str | None = None) -> None:
        """Say that `path` is due with these bytes; `name` is their digest, where it is known.
        Raises OutputError."""
        self._within(path)
        name = name or digest(data)
        state = self._state(path, name)
        staged = None
        if state in _WRITTEN and not self.dry:
            staged = self._place()
            with writing(staged):
                staged.write_bytes(data)
        kept = data if self.dry and state != FileState.SAME else None
        self._due[path] = _Due(name, FileChange(path, len(data), state), staged, kept)

    def put_pieces(self, path: str, pieces: Iterable[bytes]) -> None:
        """As `put`, of bytes that come some at a time and need not be held together."""
        if self.dry:
            self.put(path, b"".join(pieces))
            return
        self._within(path)
        staged: Path | None = self._place()
        assert staged is not None
        digested = Digested(pieces)
        write_pieces(staged, digested, tidy=False)
        state = self._state(path, digested.digest)
        if state not in _WRITTEN:
            remove(staged)
            staged = None
        change = FileChange(path, digested.size, state)
        self._due[path] = _Due(digested.digest, change, staged)

    def _within(self, path: str) -> None:
        if Path(path).is_absolute() or ".." in Path(path).parts:
            raise OutputError(f"{path} leaves the output folder {self.folder}.")

    def _state(self, path: str, name: str) -> FileState:
        """What putting the bytes of this name at a path comes to."""
        file = self.folder / path
        with writing(file):
            if not file.exists():
                return FileState.NEW
            there = digest_of_file(file) if file.is_file() else ""
        if there == name:
            # Also where the manifest does not know it: there is nothing in it to lose.
            return FileState.SAME
        return FileState.CHANGED if there in self._names(path) else FileState.KEPT

    def _place(self) -> Path:
        """A place for a file that is on its way, in the hidden folder for these."""
        if self._staging is None:
            sweep(self.folder)
            staging = temporary_name(self.folder)
            with writing(staging):
                staging.mkdir(parents=True)
            self._staging = staging
        return self._staging / f"{len(self._due)}"

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
            FileChange(path, (self.folder / path).stat().st_size, FileState.REMOVED)
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
        due = {p: due.name for p, due in self._due.items() if due.change.state != FileState.KEPT}
        order = sorted(self._due, key=lambda path: (path in last, path))
        # Until the end a file may have any of these bytes, and is ours with each of them.
        known = {*due, *self._owned, *self._pending}
        pending = {p: sorted({*self._names(p), *filter(None, [due.get(p)])}) for p in known}
        try:
            with _uninterrupted():
                self._save(self._owned, pending)
                self._pending = pending
                for path in order:
                    if staged := self._due[path].staged:
                        move_into_place(staged, self.folder / path)
                for change in changes:
                    if change.state == FileState.REMOVED:
                        remove(self.folder / change.path)
                self._save(due, {})
        finally:
            self._clear_away()
        sweep(self.folder)
        return changes

    def discard(self) -> None:
        """Forget what was put; the folder stays as it was."""
        self._clear_away()
        self._due.clear()

    def _clear_away(self) -> None:
        """Remove the hidden folder with all that is still in it."""
        if self._staging is not None:
            shutil.rmtree(self._staging, ignore_errors=True)
            self._staging = None

    def _save(self, files: dict[str, str], pending: dict[str, list[str]]) -> None:
        # Size and time tell that a file is as it was left, without reading it.
        there = [path for path in files if not pending and (self.folder / path).is_file()]
        stats = {path: _stat(self.folder / path) for path in there}
        record = {"files": files, "pending": pending, "stats": stats}
        text = json.dumps(record, indent=1, sort_keys=True) + "\n"
        write_whole(self.manifest, text.encode())


def _stat(path: Path) -> list[int]:
    about = path.stat()
    return [about.st_size, about.st_mtime_ns]


def _read_manifest(path: Path) -> dict[str, Any]:
    """The record of a manifest: names by path, under `files`, `pending` and `stats`. Raises
    OutputError for one that is damaged."""
    try:
        record = json.loads(path.read_bytes())
        files, pending = record["files"], record.get("pending", {})
        return {
            "files": {str(one): str(name) for one, name in files.items()},
            # Older versions kept one name each.
            "pending": {p: [n] if isinstance(n, str) else list(n) for p, n in pending.items()},
            "stats": dict(record.get("stats", {})),
        }
    except FileNotFoundError:
        return {"files": {}, "pending": {}, "stats": {}}
    except (OSError, ValueError, KeyError, TypeError, AttributeError) as error:
        raise OutputError(
            f"{path} cannot be read ({error}). It remembers which files this tool wrote; "
            "restore it from a backup, or delete it: the next build then knows its own files by "
            "what is in them."
        ) from error


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
