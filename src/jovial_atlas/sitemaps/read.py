"""Reading sitemap files that someone else may have written, as hostile input.

No document type, no entities, no network while parsing, a ceiling on decompressed
size and on depth. The reader never raises: what is wrong becomes a fault at
`file:line`, and reading goes on with the next entry where the format allows.
"""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache
from html import unescape
from pathlib import Path

import msgspec
import polars as pl
from lxml import etree

from jovial_atlas.faults import Fault
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.extensions import ELEMENTS, Extension
from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.packing import decompressed, unpacked
from jovial_atlas.sitemaps.plain import LINKS, ROWS, keys_of_links, plain_links, read_plain

_DOCTYPE = re.compile(rb"\s*(?:<\?[^>]*\?>\s*|<!--(?:(?!-->).)*-->\s*)*<!DOCTYPE", re.S | re.I)
_HTML = re.compile(rb"\s*(?:<\?[^>]*\?>\s*)?(?:<!doctype html|<html)", re.I)
# XML 1.0 §4.3.3.
_ENCODING = re.compile(rb"<\?xml\s[^>]*?encoding\s*=\s*[\"']([A-Za-z][A-Za-z0-9._-]*)")
_ATOM = "http://www.w3.org/2005/Atom"
_MAX_FAULTS = 1_000


class Entry(msgspec.Struct, frozen=True):
    """One `<url>`, `<sitemap>`, text line or feed item. `loc` is `""` where there is none."""

    loc: str
    line: int
    node: XmlNode | None = None
    date: str | None = None

    @property
    def lastmod(self) -> str | None:
        """The text of `lastmod`, where the entry has one."""
        found = self.node.first(protocol.CORE, "lastmod") if self.node else None
        return found.text if found else self.date

    @property
    def is_companion(self) -> bool:
        """Whether it is one of a video or news file, which repeat pages by design."""
        return any(extension.companion for extension in self._extensions())

    def count(self, column: str) -> int:
        """How many elements it has of the extension whose column this is."""
        return sum(extension.column == column for extension in self._extensions())

    def _extensions(self) -> Iterator[Extension]:
        for child in self.node.children if self.node else ():
            if extension := ELEMENTS.get((child.space, child.name)):
                yield extension


class FileKind(StrEnum):
    """What a file is: a sitemap, an index of them, a list of addresses, a feed, or none."""

    URLSET = "urlset"
    INDEX = "sitemapindex"
    TEXT = "text"
    RSS = "rss"
    ATOM = "atom"
    NONE = ""


@dataclass(slots=True)
class SitemapFile:
    """A file as read. `size` its bytes before compression, `space` the namespace its root has.
    Elements of a wrong namespace of the root are read as if it were the right one: one fault, not
    many."""

    name: str
    kind: FileKind = FileKind.NONE
    size: int = 0
    space: str = protocol.CORE
    faults: list[Fault] = field(default_factory=list)
    #: The keys of its language versions, where it is plain and has any: `line, loc, href`; or where
    #: they were put aside.
    keyed: pl.DataFrame | Path | None = None
    _entries: list[Entry] = field(default_factory=list)
    _data: bytes = field(default=b"", repr=False)
    #: The entries of a plain file, or where they were put aside, and how many they are.
    _plain: pl.DataFrame | Path | None = None
    _count: int = 0

    @property
    def plain(self) -> pl.DataFrame | None:
        """The entries of a plain file, whose elements need no further check; None of others."""
        return pl.read_ipc(self._plain) if isinstance(self._plain, Path) else self._plain

    def put_aside(self, path: Path) -> None:
        """Keep the entries of a plain file in a file from now on, to be read where they are asked
        for. Raises OSError."""
        if isinstance(self._plain, pl.DataFrame):
            self._plain.write_ipc(path, compression="lz4")
            self._plain = path
        if isinstance(self.keyed, pl.DataFrame):
            keys = path.with_suffix(".keys")
            self.keyed.write_ipc(keys, compression="lz4")
            self.keyed = keys

    @property
    def entries(self) -> list[Entry]:
        """The entries one by one. Those of a plain file have no `node`."""
        if (plain := self.plain) is not None and not self._entries:
            rows = plain.select("loc", "line", "lastmod").iter_rows()
            self._entries = [Entry(loc, line, None, date) for loc, line, date in rows]
        return self._entries

    @property
    def count(self) -> int:
        """How many entries there are."""
        return len(self._entries) if self._plain is None else self._count

    @property
    def rows(self) -> pl.DataFrame:
        """The entries as a table of `plain.ROWS`."""
        if (plain := self.plain) is not None:
            return plain
        rows = [
            (entry.loc, entry.lastmod, entry.line, entry.count("images"), entry.is_companion)
            for entry in self._entries
        ]
        return pl.DataFrame(rows, schema=ROWS, orient="row")

    @property
    def link_keys(self) -> pl.DataFrame:
        """The keys of its language versions, each once an entry, as `line, loc, href`."""
        if isinstance(self.keyed, Path):
            return pl.read_ipc(self.keyed)
        return self.keyed if self.keyed is not None else keys_of_links(self.links())

    def links(self) -> pl.DataFrame:
        """Language versions of entries as `plain.LINKS`; a plain file is read again."""
        if self.keyed is not None:
            packed = self._data[:2] == b"\x1f\x8b"
            return plain_links(_body(unpacked(self._data).data if packed else self._data))
        links = [
            (entry.line, entry.loc, child.attributes.get("hreflang", ""),
             child.attributes.get("href", ""))
            for entry in (self._entries if self.kind == FileKind.URLSET else ())
            for child in (entry.node.children if entry.node else ())
            if child.space == protocol.XHTML and child.name == "link"
        ]  # fmt: skip
        return pl.DataFrame(links, schema=LINKS, orient="row")

    def fault(self, code: str, line: int | None, message: str) -> None:
        """Note a fault of this file; past a thousand the rest is not kept."""
        if len(self.faults) < _MAX_FAULTS:
            where = f"{self.name}:{line}" if line else self.name
            self.faults.append(Fault(code, where, message))


def read_sitemap(data: bytes, name: str, *, nodes: bool = False) -> SitemapFile:
    """Read a sitemap of any kind from its bytes, gzip recognised by content. With `nodes`, every
    entry of XML has its `node`, however plain the file is."""
    file = SitemapFile(name, _data=data)
    if data[:2] == b"\x1f\x8b":
        try:
            contents = unpacked(data)
        except ValueError as error:
            file.fault("sitemap-gzip-broken", None, f"It is {error}.")
            return file
        if contents.junk:
            file.fault("sitemap-gzip-junk", None, "Something that is no gzip stands behind it.")
        data = contents.data
    file.size = len(data)
    if file.size > protocol.MAX_BYTES:
        file.fault(
            "sitemap-too-large",
            None,
            f"It has more than {protocol.MAX_BYTES:,} bytes before compression.",
        )
        data = data[: protocol.MAX_BYTES]
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        file.fault("sitemap-not-utf8", 1, "The file is in UTF-16; a sitemap is UTF-8.")
        return file
    body = _body(data)
    declared = _ENCODING.match(body)
    if declared and declared[1].lower() != b"utf-8":
        said = declared[1].decode("ascii", "replace")
        file.fault("sitemap-not-utf8", 1, f"The file declares {said}; a sitemap is UTF-8.")
    if not body.strip():
        file.fault("sitemap-empty", None, "The file is empty.")
    elif _HTML.match(body):
        file.fault("sitemap-not-a-sitemap", 1, "The file is an HTML page, not a sitemap.")
    elif _DOCTYPE.match(body):
        file.fault(
            "sitemap-doctype",
            1,
            "The file has a document type declaration; it is refused unread, "
            "since entities can be made to fill the memory.",
        )
    elif body.lstrip()[:1] != b"<":
        _read_text(body, file)
    elif nodes or (plain := read_plain(body)) is None:
        _read_xml(body, file)
    else:
        file.kind, file._plain, file._count = FileKind.URLSET, plain.rows, plain.rows.height
        file.keyed = plain.keyed
    return file


def _body(data: bytes) -> bytes:
    return data.removeprefix(b"\xef\xbb\xbf")


_MEDIA = re.compile(
    rb"<image:loc>\s*([^<]+?)\s*</image:loc>|"
    rb"<video:thumbnail_loc>\s*([^<]+?)\s*</video:thumbnail_loc>"
)


def media_of(data: bytes) -> Iterator[str]:
    """Addresses of pictures and thumbnails in a file, under the usual prefixes."""
    try:
        plain = decompressed(data) if data[:2] == b"\x1f\x8b" else data
    except ValueError:
        return
    for picture, thumbnail in _MEDIA.findall(plain):
        yield unescape((picture or thumbnail).decode("utf-8", "replace"))


def _read_text(data: bytes, file: SitemapFile) -> None:
    file.kind = FileKind.TEXT
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        file.fault("sitemap-not-utf8", line, "The file is not UTF-8.")
        text = data.decode("utf-8", "replace")
    for number, line_text in enumerate(text.splitlines(), start=1):
        if loc := line_text.strip():
            file._entries.append(Entry(loc, number))


def _read_xml(data: bytes, file: SitemapFile) -> None:
    try:
        for element in _elements(data, file):
            node = _node(element, file.space)
            loc = node.first(protocol.CORE, "loc")
            file._entries.append(Entry(loc.text if loc else _feed_loc(node), node.line, node))
    except etree.XMLSyntaxError as error:
        code = "sitemap-not-utf8" if "encoding" in str(error).lower() else "sitemap-xml-broken"
        reason = (error.msg or "no reason given").partition(", line")[0]
        file.fault(
            code,
            error.lineno,
            f"The XML breaks off here ({reason}). "
            f"{len(file._entries):,} entries before it were read; what follows was not.",
        )


def _elements(data: bytes, file: SitemapFile) -> Iterator[etree._Element]:
    """The entry elements, one at a time, each freed when the next is asked for."""
    root = _root(data)
    wanted = _entries_of_root(root, file)
    if not wanted:
        # Read to the end all the same: broken XML is the worse fault.
        for _, element in events(data, "end"):
            element.clear()
        return
    parser = events(data, "end", wanted)
    for _, element in parser:
        parent = element.getparent()
        if parent is None or (
            file.kind not in (FileKind.RSS, FileKind.ATOM) and parent.getparent() is not None
        ):
            continue
        yield element
        _others(parent, wanted, file, element)
    if parser.root is not None:
        _others(parser.root, wanted, file, None)


def events(data: bytes, event: str, tag: str | None = None) -> etree.iterparse:
    """The elements of a file as they are parsed, safely: no entities, no DTD, no network."""
    return etree.iterparse(
        io.BytesIO(data),
        events=(event,),
        tag=tag,
        resolve_entities=False,
        load_dtd=False,
        no_network=True,
        huge_tree=False,
        remove_comments=True,
        remove_pis=True,
    )


def _root(data: bytes) -> etree._Element:
    _, root = next(iter(events(data, "start")))
    assert isinstance(root, etree._Element)
    return root


def _others(
    parent: etree._Element, wanted: str, file: SitemapFile, upto: etree._Element | None
) -> None:
    """Tell of elements between the entries that may not stand there, and free all of them."""
    if upto is not None:
        upto.clear()
    for child in list(parent) if upto is None else list(upto.itersiblings(preceding=True)):
        if file.kind in (FileKind.URLSET, FileKind.INDEX) and child.tag != wanted:
            space, name = _names(child.tag)
            file.fault(
                "sitemap-element-unknown",
                _line(child),
                f"<{name}> may not stand in <{file.kind}>"
                + ("." if space == protocol.CORE else f" (its namespace is {space or 'none'!r})."),
            )
        parent.remove(child)


def _entries_of_root(root: etree._Element, file: SitemapFile) -> str | None:
    """The tag of entries below a root; None where it is no root of a sitemap."""
    space, name = _names(root.tag)
    if name in ("urlset", "sitemapindex"):
        file.kind = FileKind(name)
        file.space = space
        if space != protocol.CORE:
            file.fault(
                "sitemap-namespace",
                _line(root),
                f"<{name}> is in the namespace {space or 'none'!r}; it must be {protocol.CORE!r}.",
            )
        child = "url" if name == "urlset" else "sitemap"
        return f"{{{space}}}{child}" if space else child
    if name == "rss":
        file.kind = FileKind.RSS
        return "item"
    if (space, name) == (_ATOM, "feed"):
        file.kind = FileKind.ATOM
        return f"{{{_ATOM}}}entry"
    file.fault(
        "sitemap-not-a-sitemap",
        _line(root),
        f"The root element is <{name}>; a sitemap begins with <urlset> or <sitemapindex>.",
    )
    return None


def _line(element: etree._Element) -> int | None:
    line = element.sourceline
    return line if isinstance(line, int) else None


@lru_cache(maxsize=1_000)
def _names(tag: object) -> tuple[str, str]:
    space, _, name = (tag if isinstance(tag, str) else "").rpartition("}")
    return space.removeprefix("{"), name


def _node(element: etree._Element, root_space: str) -> XmlNode:
    space, name = _names(element.tag)
    if space == root_space:
        space = protocol.CORE
    text = element.text or ""
    # Children may be entity references that were left unresolved: they are no elements.
    children = tuple(_node(child, root_space) for child in element if isinstance(child.tag, str))
    given = element.attrib
    attributes = {str(key): str(value) for key, value in given.items()} if given else {}
    return XmlNode(space, name, text.strip(), _line(element) or 0, attributes, children)


def _feed_loc(node: XmlNode) -> str:
    for child in node.children:
        if child.name == "link" and child.space in ("", _ATOM):
            if child.space == _ATOM and child.attributes.get("rel", "alternate") != "alternate":
                continue
            return child.text or child.attributes.get("href", "")
    return ""
