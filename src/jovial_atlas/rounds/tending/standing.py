"""The build that stands, kept while a new one is checked: where that must not stay, it comes back.

Files are kept as further names of the same bytes, which costs neither time nor room; where a disk
knows no such names, they are copied.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from pathlib import Path

from jovial_atlas.files import (
    FileSet,
    move_into_place,
    name_again,
    remove,
    temporary_name,
    writing,
)
from jovial_atlas.rounds.state import names
from jovial_atlas.sitefile import SiteFile

_KEPT = "standing"
#: What a build remembers in the state folder of a host, as patterns of names.
_REMEMBERED = (
    names.MANIFEST, f"{names.PLACED}*", f"{names.LISTED_IN}*", names.NOINDEXED,
    names.DECIDED_BLOCKS, names.HEAD_DATA, f"{names.HEAD_DATA}.json", names.HEAD_FRAGMENTS,
    f"{names.HEAD_FRAGMENTS}.json", names.SERVERS, f"{names.SERVERS}.json",
)  # fmt: skip


class KeptBuild:
    """The build of a site as it stands, for all of its hosts."""

    def __init__(self, site: SiteFile) -> None:
        self._site = site
        self._folder = site.shared_state / _KEPT

    @property
    def is_kept(self) -> bool:
        """Whether a build was being checked when a round broke off."""
        return self._folder.is_dir()

    def keep(self) -> None:
        """Keep what stands now. Raises OutputError."""
        self.forget()
        beside = temporary_name(self._folder.parent)
        for number, host in enumerate(self._site.hosts):
            own = FileSet(host.output, host.state / names.MANIFEST)
            for path in own.known_paths():
                name_again(host.output / path, beside / str(number) / "output" / path)
            for file in _remembered(host):
                place = file.relative_to(host.state)
                name_again(file, beside / str(number) / "state" / place)
        with writing(beside):
            beside.mkdir(parents=True, exist_ok=True)
        os.replace(beside, self._folder)  # noqa: PTH105 - a folder, not over another

    def bring_back(self) -> None:
        """Put back what stood; what a build wrote since is gone. Raises OutputError."""
        for number, host in enumerate(self._site.hosts):
            kept = self._folder / str(number)
            own = FileSet(host.output, host.state / names.MANIFEST)
            now = [path for path in own.known_paths() if own.owns(path)]
            for path in now:
                if not (kept / "output" / path).exists():
                    remove(host.output / path)
            for file in _remembered(host):
                if not (kept / "state" / file.relative_to(host.state)).exists():
                    remove(file)
            for part, target in (("output", host.output), ("state", host.state)):
                for file in _files(kept / part):
                    below = file.relative_to(kept / part)
                    place = target / below
                    if part == "output" and place.exists() and below.as_posix() not in now:
                        continue  # somebody else wrote there since
                    if place.exists() and place.samefile(file):
                        continue  # to rename one name of a file to another does nothing
                    beside = temporary_name(place.parent)
                    name_again(file, beside)
                    move_into_place(beside, place)
        self.forget()

    def forget(self) -> None:
        """What was built since is right: keep nothing."""
        with writing(self._folder):
            shutil.rmtree(self._folder, ignore_errors=True)


def _remembered(host: SiteFile) -> Iterator[Path]:
    """The files in which a build of a host is remembered."""
    for pattern in _REMEMBERED:
        for place in sorted(host.state.glob(pattern)):
            yield from _files(place)


def _files(place: Path) -> Iterator[Path]:
    """A file, or all files of a folder."""
    if place.is_file():
        yield place
    elif place.is_dir():
        yield from (one for one in sorted(place.rglob("*")) if one.is_file())
