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

from lxml import etree

from jovial_atlas.faults import Fault
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.packing import decompressed

_DOCTYPE = re.compile(rb"\s*(?:<\?[^>]*\?>\s*|<!--(?:(?!-->).)*-->\s*)*<!DOCTYPE", re.S | re.I)
_HTML = re.compile(rb"\s*(?:<\?[^>]*\?>\s*)?(?:<!doctype html|<html)", re.I)
_ATOM = "http://www.w3.org/2005/Atom"
_MAX_FAULTS = 1_000


@dataclass(frozen=True, slots=True)
class Node:
    """One element as read: namespace, local name, stripped text, attributes, children."""

    space: str
    name: str
    text: str
    line: int
    attributes: dict[str, str]
    children: tuple[Node, ...]

    def first(self, space: str, name: str) -> Node | None:
        """The first child of that name."""
        return next((c for c in self.children if c.space == space and c.name == name), None)


@dataclass(frozen=True, slots=True)
class Entry:
    """One `<url>`, `<sitemap>`, text line or feed item. `loc` is `""` where there is none."""

    loc: str
    line: int
    node: Node | None = None

    @property
    def lastmod(self) -> str | None:
        """The text of `lastmod`, where the entry has one."""
        found = self.node.first(protocol.CORE, "lastmod") if self.node else None
        return found.text if found else None


@dataclass(slots=True)
class SitemapFile:
    """A file as read. `kind` is urlset, sitemapindex, text, rss, atom, or "" for none of them;
    `size` its bytes before compression, `space` the namespace its root has. Elements of a
    wrong namespace of the root are read as if it were the right one: one fault, not many."""

    name: str
    kind: str = ""
    size: int = 0
    space: str = protocol.CORE
    entries: list[Entry] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)

    def fault(self, code: str, line: int | None, message: str) -> None:
        """Note a fault of this file; past a thousand the rest is not kept."""
        if len(self.faults) < _MAX_FAULTS:
            where = f"{self.name}:{line}" if line else self.name
            self.faults.append(Fault(code, where, message))


def read_sitemap(data: bytes, name: str) -> SitemapFile:
    """Read a sitemap of any kind from its bytes, gzip recognised by content."""
    file = SitemapFile(name)
    if data[:2] == b"\x1f\x8b":
        try:
            data = decompressed(data)
        except ValueError as error:
            file.fault("sitemap-gzip-broken", None, f"It is {error}.")
            return file
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
    body = data.removeprefix(b"\xef\xbb\xbf")
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
    elif body.lstrip()[:1] == b"<":
        _read_xml(body, file)
    else:
        _read_text(body, file)
    return file


def _read_text(data: bytes, file: SitemapFile) -> None:
    file.kind = "text"
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        file.fault("sitemap-not-utf8", line, "The file is not UTF-8.")
        text = data.decode("utf-8", "replace")
    for number, line_text in enumerate(text.splitlines(), start=1):
        if loc := line_text.strip():
            file.entries.append(Entry(loc, number))


def _read_xml(data: bytes, file: SitemapFile) -> None:
    try:
        for element in _elements(data, file):
            node = _node(element, file.space)
            loc = node.first(protocol.CORE, "loc")
            file.entries.append(Entry(loc.text if loc else _feed_loc(node), node.line, node))
    except etree.XMLSyntaxError as error:
        code = "sitemap-not-utf8" if "encoding" in str(error).lower() else "sitemap-xml-broken"
        reason = (error.msg or "no reason given").partition(", line")[0]
        file.fault(
            code,
            error.lineno,
            f"The XML breaks off here ({reason}). "
            f"{len(file.entries):,} entries before it were read; what follows was not.",
        )


def _elements(data: bytes, file: SitemapFile) -> Iterator[etree._Element]:
    """The entry elements, one at a time, each freed when the next is asked for."""
    events = etree.iterparse(
        io.BytesIO(data),
        events=("start", "end"),
        resolve_entities=False,
        load_dtd=False,
        no_network=True,
        huge_tree=False,
        remove_comments=True,
        remove_pis=True,
    )
    depth = 0
    wanted: set[str] = set()
    for event, element in events:
        if event == "start":
            depth += 1
            if depth == 1:
                wanted = _entries_of_root(element, file)
            continue
        depth -= 1
        if element.tag in wanted and depth <= 2:
            yield element
        elif depth == 1 and file.kind in ("urlset", "sitemapindex"):
            space, name = _names(element)
            file.fault(
                "sitemap-element-unknown",
                _line(element),
                f"<{name}> may not stand in <{file.kind}>"
                + ("." if space == protocol.CORE else f" (its namespace is {space or 'none'!r})."),
            )
        if depth == 1 or (element.tag in wanted and depth == 2):
            element.clear()
            while element.getprevious() is not None:
                del element.getparent()[0]


def _entries_of_root(root: etree._Element, file: SitemapFile) -> set[str]:
    space, name = _names(root)
    if name in ("urlset", "sitemapindex"):
        file.kind = name
        file.space = space
        if space != protocol.CORE:
            file.fault(
                "sitemap-namespace",
                _line(root),
                f"<{name}> is in the namespace {space or 'none'!r}; it must be {protocol.CORE!r}.",
            )
        child = "url" if name == "urlset" else "sitemap"
        return {f"{{{space}}}{child}" if space else child}
    if name == "rss":
        file.kind = "rss"
        return {"item"}
    if (space, name) == (_ATOM, "feed"):
        file.kind = "atom"
        return {f"{{{_ATOM}}}entry"}
    file.fault(
        "sitemap-not-a-sitemap",
        _line(root),
        f"The root element is <{name}>; a sitemap begins with <urlset> or <sitemapindex>.",
    )
    return set()


def _line(element: etree._Element) -> int | None:
    line = element.sourceline
    return line if isinstance(line, int) else None


def _names(element: etree._Element) -> tuple[str, str]:
    tag = element.tag if isinstance(element.tag, str) else ""
    space, _, name = tag.rpartition("}")
    return space.removeprefix("{"), name


def _node(element: etree._Element, root_space: str) -> Node:
    space, name = _names(element)
    if space == root_space:
        space = protocol.CORE
    text = element.text or ""
    # Children may be entity references that were left unresolved: they are no elements.
    children = tuple(_node(child, root_space) for child in element if isinstance(child.tag, str))
    attributes = {str(key): str(value) for key, value in element.attrib.items()}
    return Node(space, name, text.strip(), _line(element) or 0, attributes, children)


def _feed_loc(node: Node) -> str:
    for child in node.children:
        if child.name == "link" and child.space in ("", _ATOM):
            if child.space == _ATOM and child.attributes.get("rel", "alternate") != "alternate":
                continue
            return child.text or child.attributes.get("href", "")
    return ""
