"""What entries of a sitemap say beside their address: how often pages change, their priority, and
the publication that they are news of."""

from __future__ import annotations

from collections.abc import Iterator

from lxml import etree

from jovial_atlas.sitemaps.packing import decompressed
from jovial_atlas.sitemaps.read import events

#: What an entry of a sitemap may say beside its address, and what a news entry names.
_SAID = ("changefreq", "priority")


def said_of_entries(data: bytes) -> Iterator[tuple[str, dict[str, str]]]:
    """The address of each entry, with its `changefreq` and `priority`, and the publication it is
    news of (`news`), where it says so. A file that breaks off ends there."""
    try:
        plain = decompressed(data) if data[:2] == b"\x1f\x8b" else data
        for _, element in events(plain, "end", "{*}url"):
            loc, said = "", {}
            for child in element.iter("{*}*"):
                name, text = etree.QName(child).localname, (child.text or "").strip()
                space = etree.QName(child).namespace or ""
                if name == "loc" and not loc:
                    loc = text
                elif name in _SAID and text:
                    said[name] = text
                elif name == "name" and "news" in space and text:
                    said["news"] = text
            element.clear()
            yield loc, said
    except (ValueError, etree.XMLSyntaxError):
        return


def hints_of_entries(data: bytes) -> Iterator[tuple[str, dict[str, str]]]:
    """The address of each entry with its `changefreq` and `priority`, where any entry has one; all
    else as `said_of_entries`."""
    try:
        plain = decompressed(data) if data[:2] == b"\x1f\x8b" else data
    except ValueError:
        return
    if any(f"<{name}".encode() in plain for name in _SAID):
        for loc, said in said_of_entries(plain):
            yield loc, {name: said[name] for name in _SAID if name in said}
