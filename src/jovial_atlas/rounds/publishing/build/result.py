"""What a build gives back: its files, what is listed, and why the rest is not."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

import msgspec

from jovial_atlas.files.sets import FileState
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.values import replace


class BuiltFile(msgspec.Struct, frozen=True):
    """One file of the set: what stands in it, and what the build did to it."""

    path: str
    urls: int
    images: int
    videos: int
    bytes: int
    state: FileState


class AddressChange(StrEnum):
    """What a build does with an address."""

    ADDED = "added"
    REMOVED = "removed"
    CHANGED = "changed"
    MOVED = "moved"


class Difference(msgspec.Struct, frozen=True):
    """One address that a build adds, removes, or lists with other data; `file` is where it
    stands, or stood."""

    loc: str
    change: AddressChange
    file: str


class Build(msgspec.Struct, frozen=True):
    """A build: its files, how many pages are listed, why others are not, and what an owner
    should know of it. `differences` is filled where it was asked for."""

    files: list[BuiltFile]
    listed: int
    not_listed: dict[str, int]
    #: What hides the whole site, to be said before anything else; empty where nothing does.
    hidden: str
    notes: list[str]
    differences: list[Difference]
    #: Of a dry run that would be refused: why; empty where it would not.
    refused: str = ""


def joined(hosts: Sequence[SiteFile], built: Sequence[Build]) -> Build:
    """The builds of several hosts as one; files of others than the main one have its name."""
    files = [
        replace(file, path=f"{host.host}/{file.path}") if host.host else file
        for host, one in zip(hosts, built, strict=True)
        for file in one.files
    ]
    reasons: dict[str, int] = {}
    for one in built:
        for reason, count in one.not_listed.items():
            reasons[reason] = reasons.get(reason, 0) + count
    return Build(
        files,
        sum(one.listed for one in built),
        dict(sorted(reasons.items(), key=lambda item: (-item[1], item[0]))),
        next((one.hidden for one in built if one.hidden), ""),
        [note for one in built for note in one.notes],
        [difference for one in built for difference in one.differences],
        next((one.refused for one in built if one.refused), ""),
    )
