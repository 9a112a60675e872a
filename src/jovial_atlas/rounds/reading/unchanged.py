"""A survey in which nothing changed, known by the sizes and times of all files: it is told
before anything is loaded that reads pages.

Only folders of HTML are known so, and only where no verdict rests on the time.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

import msgspec
import xxhash

from jovial_atlas import __version__, dates
from jovial_atlas.files import write_whole
from jovial_atlas.pages.changes import Changes
from jovial_atlas.place import STATE
from jovial_atlas.rounds.state.names import OWN_WRITES, PAGE_TABLE
from jovial_atlas.rounds.state.survey_record import Unchanged, read_survey_record
from jovial_atlas.rounds.state.survey_result import SectionCount, Survey
from jovial_atlas.values import astuple

#: What tells that dates of commits may be others: files of the folder `.git`.
_GIT = ("HEAD", "index", "logs/HEAD")


class Inputs(msgspec.Struct, frozen=True):
    """What a survey rests on: files that are read whole, and folders (relative to the site
    file) with the endings of the files in them that are pages."""

    files: tuple[str, ...]
    folders: tuple[tuple[str, tuple[str, ...]], ...]

    def mark(self, home: Path) -> str | None:
        """A digest of all of it; None where it cannot be told."""
        name = xxhash.xxh3_128(__version__.encode())
        try:
            for file in self.files:
                path = home / file
                name.update(f"{file}\0".encode())
                name.update(path.read_bytes() if path.exists() else b"\0")
            for folder, endings in self.folders:
                # Paths are text here, and joined by hand: objects cost more than the walk.
                root = os.path.join(home, folder)  # noqa: PTH118
                found = "".join(sorted(_files(root, tuple(endings))))
                name.update(found.encode("utf-8", "surrogateescape"))
                name.update("".join(_commits(Path(root).resolve())).encode())
        except OSError:
            return None
        return name.hexdigest()


def _files(root: str, endings: tuple[str, ...]) -> Iterator[str]:
    """Path, size and time of each page file, hidden ones left out."""
    waiting = [root]
    while waiting:
        with os.scandir(waiting.pop()) as entries:
            for entry in entries:
                name = entry.name
                if name.startswith("."):
                    continue
                if entry.is_dir(follow_symlinks=False):
                    waiting.append(entry.path)
                elif name.lower().endswith(endings):
                    about = entry.stat()
                    yield f"{entry.path}\0{about.st_size} {about.st_mtime_ns}\0"


def _commits(root: Path) -> Iterator[str]:
    """The state of the git repository around a folder. Raises OSError where it cannot be told."""
    for folder in (root, *root.parents):
        path = folder / ".git"
        if path.is_file():
            raise OSError("the repository lies elsewhere")
        for name in _GIT if path.is_dir() else ():
            if (path / name).exists():
                about = (path / name).stat()
                yield f"{path / name}\0{about.st_size} {about.st_mtime_ns}\0"


def noted(
    inputs: Inputs, mark: str | None, table: Path, sections: Sequence[SectionCount], hidden: str
) -> Unchanged | None:
    """What to keep of a survey, whose page table lies at `table`, for `as_before`. `mark` was
    taken before anything was read."""
    if mark is None:
        return None
    about = table.stat()
    return Unchanged(
        files=inputs.files,
        folders=inputs.folders,
        mark=mark,
        table=(about.st_size, about.st_mtime_ns),
        sections=[astuple(section) for section in sections],
        hidden=hidden,
    )


#: Pages up to which it is told whether content changed, where that is a matter of comfort.
MODERATE = 3_000


def changed_since(site_file: Path) -> bool | None:
    """Whether what the last survey of a site of moderate size rests on is another now, but for what
    was written by ourselves; None where that cannot be told without reading it."""
    home = site_file.parent
    try:
        known = read_survey_record(home / STATE).unchanged
        if known is None or sum(counts[1] for counts in known.sections) > MODERATE:
            return None
        own = home / STATE / OWN_WRITES
        ours = own.read_text("utf-8") if own.exists() else ""
    except (OSError, ValueError):
        return None
    mark = Inputs(known.files, known.folders).mark(home)
    return None if mark is None else mark not in (known.mark, ours)


@contextmanager
def own_writes(site_file: Path) -> Iterator[None]:
    """What the block writes into the content is no change of it, for `changed_since`; a survey
    looks at it all the same. Raises OutputError."""
    home = site_file.parent
    as_known = changed_since(site_file) is False
    yield
    if as_known and (known := read_survey_record(home / STATE).unchanged):
        mark = Inputs(known.files, known.folders).mark(home)
        write_whole(home / STATE / OWN_WRITES, (mark or "").encode())


def as_before(site_file: Path, now: datetime) -> Survey | None:
    """The survey of now, where all is as it was at the last one; else None. Raises OutputError
    where its time cannot be kept."""
    home = site_file.parent
    state = home / STATE
    try:
        record = read_survey_record(state)
        known = record.unchanged
        about = (state / PAGE_TABLE).stat()
        if known is None or (about.st_size, about.st_mtime_ns) != known.table:
            return None
        inputs = Inputs(known.files, known.folders)
        if site_file.name not in inputs.files or inputs.mark(home) != known.mark:
            return None
    except (OSError, ValueError):
        return None
    record.at, record.renamed = dates.write(now), []
    record.keep(state)
    sections = [SectionCount(*counts) for counts in known.sections]
    pages = sum(section.pages for section in sections)
    return Survey(
        record.at, pages, sections, Changes(), record.faults, known.hidden, record.layout,
        record.doubts,
    )  # fmt: skip
