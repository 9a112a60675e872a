"""A page while it is read: where it comes from, how it is read, and its row as it fills."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

from jovial_atlas import addresses
from jovial_atlas.faults import Fault
from jovial_atlas.media.services import Service
from jovial_atlas.sources.outline import Outline


@dataclass(frozen=True, slots=True)
class Reading:
    """How the pages of one source are read."""

    source: str
    now: datetime
    honour_canonical: bool = True
    #: Where the site is served for now → the origin it is known by.
    served: tuple[str, str] | None = None
    #: Hosting services whose players are recognised.
    services: tuple[Service, ...] = ()
    #: Crawlers whose own robots tags are read, by product token.
    crawlers: tuple[str, ...] = ()
    #: Extra field → CSS selector, with @attribute, of what holds it.
    fields: tuple[tuple[str, str], ...] = ()
    #: Whether questions, steps and items of lists are noted.
    outline: bool = False
    trust: tuple[str, ...] = ("meta", "json-ld", "time", "published", "git", "fingerprint", "file")


@dataclass(frozen=True, slots=True)
class PageFile:
    """A file to read: its place, its path inside the source, the address it is served under,
    and the date of its last commit, where there is one."""

    place: str | Path
    path: str
    loc: str
    committed: str | None = None


@dataclass(slots=True)
class OpenPage:
    """A page while it is read. `base` is the address that its references start from."""

    file: PageFile
    reading: Reading
    outline: Outline
    row: dict[str, Any]
    faults: list[Fault]
    base: str
    folder: str = ""
    metas: list[dict[str, str | None]] = field(default_factory=list)
    #: Structured data of the page: nodes of JSON-LD.
    data: list[dict[str, Any]] = field(default_factory=list)
    resolved: dict[str, str | None] = field(default_factory=dict)

    def fault(self, code: str, message: str) -> None:
        self.faults.append(Fault(code, self.file.path, message))

    def resolve(self, reference: str | None) -> str | None:
        """The address a reference leads to. Pages name few addresses often: each is
        worked out once."""
        bare = reference.partition("#")[0] if reference else ""
        if not bare:
            return None
        if bare not in self.resolved:
            plain = addresses.join_plain(self.folder, bare)
            self.resolved[bare] = plain or self._public(_resolve(self.base, bare))
        return self.resolved[bare]

    def _public(self, address: str | None) -> str | None:
        if address and self.reading.served:
            here, public = self.reading.served
            if addresses.origin(address) == here:
                return public + addresses.path_and_query(address)
        return address


def _resolve(base: str, reference: str) -> str | None:
    # An absolute reference leads to the same place from every page, and most are on many.
    if reference.startswith(("https://", "http://")):
        return _absolute(reference)
    return addresses.resolve(base, reference)


@lru_cache(maxsize=20_000)
def _absolute(reference: str) -> str | None:
    return addresses.resolve(reference, reference)
