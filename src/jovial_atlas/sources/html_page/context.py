"""A page while it is read: where it comes from, how it is read, and its row as it fills."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import msgspec
from selectolax.lexbor import LexborNode

from jovial_atlas import addresses
from jovial_atlas.faults import Fault
from jovial_atlas.media.services import Service, is_media
from jovial_atlas.pages.row import PageRow
from jovial_atlas.sources.html_page.outline import Outline
from jovial_atlas.structured.read import FoundNode

#: Bylines and tags stand at the beginning or the end of a page: of long ones so much is looked at.
_BEGINNING, _END = 48_000, 16_000
#: References that are kept together at most.
_MOST = 50_000


class Reading(msgspec.Struct, frozen=True):
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
    #: Whether the page is read as engines do, with the head data that this tool put in.
    as_served: bool = False
    trust: tuple[str, ...] = (
        "meta", "json-ld", "microdata", "rdfa", "time", "words", "published", "git", "fingerprint",
        "file",
    )  # fmt: skip
    #: Places that name authors and tags, most trusted first.
    authors: tuple[str, ...] = ("json-ld", "microdata", "rdfa", "byline", "meta")
    tags: tuple[str, ...] = ("meta", "json-ld", "microdata", "rdfa", "links", "keywords")


#: How files of Markdown end; those of the last kind have statements of a program in them.
TEXT_ENDINGS = (".md", ".markdown", ".mdx")


class PageFile(NamedTuple):
    """A file to read: its place, its path inside the source, the address it is served under,
    and the date of its last commit, where there is one. A tuple as `Fault` is, and for the same
    reason."""

    place: str | Path
    path: str
    loc: str
    committed: str | None = None


class References(dict[str | None, str | None]):
    """Addresses that references lead to, None where they lead to no page. Those of one folder
    (`folder`, a normalised address up to its last slash) mostly name the same: each is worked
    out once. `base` is the address that they start from, and `served` is where the site is
    served for now, with the origin it is known by.
    """

    __slots__ = ("base", "folder", "media", "served")

    def __init__(self, base: str, served: tuple[str, str] | None = None) -> None:
        super().__init__({None: None, "": None})
        self.base, self.folder, self.served = base, addresses.folder(base), served
        #: Addresses that lead to media files.
        self.media: set[str] = set()

    def of(self, base: str, served: tuple[str, str] | None) -> References:
        """These, where they hold for pages at `base` too, or else new ones."""
        if served != self.served or len(self) > _MOST or addresses.folder(base) != self.folder:
            return References(base, served)
        self.base = base
        return self

    def all_of(self, references: Iterable[str | None]) -> set[str | None]:
        """The addresses that references lead to. Many are said again, and many differ in their
        fragments alone."""
        bare = {said.partition("#")[0] for said in set(references) if said}
        return set(map(self.__getitem__, bare))

    def __missing__(self, reference: str) -> str | None:
        bare, fragment, _ = reference.partition("#")
        if fragment:
            return self[bare]
        bare = bare.strip()
        plain = addresses.join_plain(self.folder, bare)
        address = plain or self._public(_resolve(self.base, bare))
        if address and is_media(bare):
            self.media.add(address)
        if not bare.startswith("?"):  # that leads elsewhere from another page
            self[reference] = address
        return address

    def _public(self, address: str | None) -> str | None:
        if address and self.served:
            here, public = self.served
            if addresses.origin(address) == here:
                return public + addresses.path_and_query(address)
        return address


@dataclass(slots=True)
class OpenPage:
    """A page while it is read."""

    file: PageFile
    reading: Reading
    outline: Outline
    row: PageRow
    faults: list[Fault]
    references: References
    #: The page as it was read.
    octets: bytes = b""
    #: Where signs of what a page says of itself are looked for, before anything is searched for.
    near: bytes = b""
    metas: list[dict[str, str | None]] = field(default_factory=list)
    #: Structured data of the page, in any syntax.
    nodes: list[FoundNode] = field(default_factory=list)
    #: The element with the heading.
    heading: LexborNode | None = None
    #: Which place names the language.
    language_from: str | None = None
    #: Short texts beside the heading, each also without its links; None until they are asked for.
    lines: list[tuple[str, LexborNode]] | None = None
    #: Element name → words of the main content before each of its elements.
    words_before: dict[str, list[int]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        whole = len(self.octets) <= _BEGINNING + _END
        self.near = self.octets if whole else self.octets[:_BEGINNING] + self.octets[-_END:]

    def fault(self, code: str, message: str) -> None:
        self.faults.append(Fault(code, self.file.path, message))

    def resolve(self, reference: str | None) -> str | None:
        """The address a reference leads to."""
        return self.references[reference]


def _resolve(base: str, reference: str) -> str | None:
    # An absolute reference leads to the same place from every page, and most are on many.
    if reference.startswith(("https://", "http://")):
        return _absolute(reference)
    return addresses.resolve(base, reference)


@lru_cache(maxsize=20_000)
def _absolute(reference: str) -> str | None:
    return addresses.resolve(reference, reference)
