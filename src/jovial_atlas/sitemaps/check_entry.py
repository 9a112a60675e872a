"""One entry of a sitemap against the protocol: its elements, and those of extensions."""

from __future__ import annotations

import re

from jovial_atlas import dates
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.extensions import ELEMENTS, EXTENSIONS, NAMESPACES
from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.notes import EntryNotes, Notes
from jovial_atlas.sitemaps.read import Entry, FileKind

_ENTRY_RULES = {FileKind.URLSET: protocol.URL_RULES, FileKind.INDEX: protocol.SITEMAP_RULES}


def check_entry(entry: Entry, kind: FileKind, faults: Notes, now: str) -> None:
    """Note what is wrong with an entry of a file of some kind."""
    rules = _ENTRY_RULES.get(kind)
    if rules is None or entry.node is None:
        if not protocol.LOC.test(entry.loc):
            faults("sitemap-value", entry.line, f"{entry.loc[:120]!r} is not {protocol.LOC.form}.")
        return
    notes = EntryNotes(entry.loc, now, faults)
    notes.check_children(entry.node, protocol.CORE, rules)
    if entry.lastmod:
        check_lastmod(entry.lastmod, entry.line, notes)
    if kind != FileKind.URLSET:
        return
    for child in entry.node.children:
        if extension := ELEMENTS.get((child.space, child.name)):
            extension.check(child, notes)
        else:
            _check_foreign(child, notes)
    note_images(entry.count("images"), entry.line, notes)


def check_lastmod(lastmod: str, line: int, entry: EntryNotes) -> None:
    """Note a date of an entry that lies in the future."""
    if dates.is_w3c(lastmod) and (day := dates.read(lastmod)) and day > entry.now:
        entry("sitemap-lastmod-future", line, f"lastmod {lastmod} lies in the future")


def note_images(images: int, line: int, entry: EntryNotes) -> None:
    """Note where one address has more pictures than are allowed."""
    most = EXTENSIONS["images"].most
    if most is not None and images > most:
        sentence = f"{images:,} pictures at one address; {most:,} are allowed"
        entry("sitemap-images-too-many", line, sentence)


def _check_foreign(child: XmlNode, entry: EntryNotes) -> None:
    """An element in an entry that is none of a known extension."""
    meant = _NEARLY.get(_bare(child.space)) if child.space not in NAMESPACES else None
    if meant:
        sentence = (
            f"<{child.name}> is in the namespace {child.space!r}; engines know {meant!r} and "
            "pass over what is in any other"
        )
        entry("sitemap-namespace", child.line, sentence)
    elif child.space in NAMESPACES and child.space != protocol.CORE:
        sentence = f"<{NAMESPACES[child.space]}:{child.name}> may not stand in <url>"
        entry("sitemap-element-unknown", child.line, sentence)


def _bare(space: str) -> str:
    """A namespace without what is easily written otherwise: scheme, `www.`, version, end."""
    bare = re.sub(r"^https?://(?:www\.)?", "", space.strip().lower())
    return re.sub(r"/?[0-9.]*/?#?$", "", bare)


#: Namespaces without these → as they are.
_NEARLY = {_bare(space): space for space in NAMESPACES}
