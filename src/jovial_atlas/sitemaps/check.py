"""Checking sitemap files that were read: every rule of `protocol`, entry by entry.

Each function takes values and gives faults; nothing is fetched or opened here. The
rules of place need the address under which a file is, or will be, served.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass

from jovial_atlas import addresses, dates
from jovial_atlas.faults import Fault
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.read import Entry, Node, SitemapFile

_ENTRY_RULES = {"urlset": protocol.URL, "sitemapindex": protocol.SITEMAP}


@dataclass(frozen=True, slots=True)
class Place:
    """Where a file is served. `address` None: unknown, so rules of place are left out.

    `proven` holds origins whose own robots.txt names this file: for them host and
    folder are free (sitemaps.org, "cross submits").
    """

    address: str | None = None
    proven: Collection[str] = ()


def check_file(file: SitemapFile, place: Place, now: str) -> list[Fault]:
    """All faults of one file. `now` is a date in the product's form."""
    faults = list(file.faults)
    noted = _Notes(file.name, faults)
    if file.kind in ("urlset", "sitemapindex", "text") and not file.entries and not faults:
        noted("sitemap-empty", None, "The file lists no address.")
    if len(file.entries) > protocol.MAX_ENTRIES:
        noted(
            "sitemap-too-many",
            None,
            f"It lists {len(file.entries):,} entries; {protocol.MAX_ENTRIES:,} are allowed.",
        )
    for entry in file.entries:
        _check_entry(entry, file.kind, noted, now)
        if entry.loc and place.address:
            _check_place(entry, file.kind, place, noted)
    return faults


class _Notes:
    def __init__(self, name: str, faults: list[Fault]) -> None:
        self.name = name
        self.faults = faults

    def __call__(self, code: str, line: int | None, message: str) -> None:
        self.faults.append(Fault(code, f"{self.name}:{line}" if line else self.name, message))


def _check_entry(entry: Entry, kind: str, noted: _Notes, now: str) -> None:
    rules = _ENTRY_RULES.get(kind)
    if rules is None or entry.node is None:
        if not protocol.LOC.test(entry.loc):
            noted("sitemap-value", entry.line, f"{entry.loc[:120]!r} is not {protocol.LOC.form}.")
        return
    about = f" (entry {entry.loc[:120]})" if entry.loc else ""
    _check_children(entry.node, protocol.CORE, rules, about, noted)
    last = entry.lastmod
    if last and dates.is_w3c(last) and (read := dates.read(last)) and read > now:
        noted("sitemap-lastmod-future", entry.line, f"lastmod {last} lies in the future{about}.")
    if kind != "urlset":
        return
    images = 0
    for child in entry.node.children:
        if child.space == protocol.IMAGE and child.name == "image":
            images += 1
            _check_children(child, protocol.IMAGE, protocol.IMAGE_RULES, about, noted)
        elif child.space == protocol.VIDEO and child.name == "video":
            _check_video(child, entry.loc, about, noted)
        elif child.space == protocol.NEWS and child.name == "news":
            _check_children(child, protocol.NEWS, protocol.NEWS_RULES, about, noted)
            publication = child.first(protocol.NEWS, "publication")
            if publication:
                _check_children(
                    publication, protocol.NEWS, protocol.PUBLICATION_RULES, about, noted
                )
        elif child.space == protocol.XHTML and child.name == "link":
            _check_alternate(child, about, noted)
        elif child.space in protocol.PREFIXES and child.space != protocol.CORE:
            noted(
                "sitemap-element-unknown",
                child.line,
                f"<{protocol.PREFIXES[child.space]}:{child.name}> may not stand in <url>{about}.",
            )
    if images > protocol.MAX_IMAGES:
        noted(
            "sitemap-images-too-many",
            entry.line,
            f"{images:,} pictures at one address; {protocol.MAX_IMAGES:,} are allowed{about}.",
        )


def _check_children(
    node: Node,
    space: str,
    rules: Mapping[str, protocol.Element],
    about: str,
    noted: _Notes,
) -> None:
    seen: dict[str, int] = {}
    for child in node.children:
        if child.space != space:
            continue
        rule = rules.get(child.name)
        if rule is None:
            noted(
                "sitemap-element-unknown",
                child.line,
                f"<{child.name}> may not stand in <{node.name}>{about}.",
            )
            continue
        seen[child.name] = seen.get(child.name, 0) + 1
        if rule.retired:
            noted(
                "sitemap-element-retired",
                child.line,
                f"<{child.name}> in <{node.name}> is retired; engines ignore it{about}.",
            )
        elif not rule.test(child.text):
            shown = child.text if len(child.text) <= 80 else child.text[:77] + "…"
            noted(
                "sitemap-value",
                child.line,
                f"<{child.name}> {shown!r} is not {rule.form}{about}.",
            )
    for name, rule in rules.items():
        count = seen.get(name, 0)
        if rule.required and not count:
            noted(
                "sitemap-element-missing",
                node.line,
                f"<{node.name}> has no <{name}>, which is required{about}.",
            )
        elif count > rule.most:
            noted(
                "sitemap-element-repeated",
                node.line,
                f"<{node.name}> has <{name}> {count} times; {rule.most} is the most{about}.",
            )


def _check_video(video: Node, page: str, about: str, noted: _Notes) -> None:
    _check_children(video, protocol.VIDEO, protocol.VIDEO_RULES, about, noted)
    found = [video.first(protocol.VIDEO, name) for name in ("content_loc", "player_loc")]
    media = [node for node in found if node is not None]
    if not media:
        noted(
            "video-no-media",
            video.line,
            f"<video> has neither <content_loc> nor <player_loc>; one is required{about}.",
        )
    for node in media:
        if node.text == page:
            noted(
                "video-same-as-page",
                node.line,
                f"<{node.name}> is the address of the page itself{about}.",
            )


def _check_alternate(link: Node, about: str, noted: _Notes) -> None:
    if link.attributes.get("rel") != "alternate":
        return
    if not link.attributes.get("hreflang"):
        noted("sitemap-value", link.line, f"<xhtml:link> has no hreflang{about}.")
    href = link.attributes.get("href", "")
    if not href.startswith(("http://", "https://")):
        noted("sitemap-value", link.line, f"<xhtml:link> href {href!r} is not absolute{about}.")


def _check_place(entry: Entry, kind: str, place: Place, noted: _Notes) -> None:
    assert place.address is not None
    try:
        loc = addresses.normalise(entry.loc)
    except ValueError:
        return
    host = addresses.origin(loc)
    if host in place.proven:
        return
    if host != addresses.origin(place.address):
        noted(
            "sitemap-loc-host",
            entry.line,
            f"{entry.loc} is on another host than the file, which is served from "
            f"{addresses.origin(place.address)}.",
        )
    elif kind != "" and not loc.startswith(addresses.folder(place.address)):
        noted(
            "sitemap-loc-folder",
            entry.line,
            f"{entry.loc} lies outside {addresses.folder(place.address)}, the folder of the file.",
        )


def check_duplicates(files: Iterable[SitemapFile]) -> Iterator[Fault]:
    """An address stands once in the whole set (feeds and indexes apart, and the entries of
    a video or news file, which repeat pages of the plain one by design)."""
    seen: dict[tuple[bool, str], str] = {}
    for file in files:
        if file.kind not in ("urlset", "text"):
            continue
        for entry in file.entries:
            where = f"{file.name}:{entry.line}"
            key = (_is_companion(entry), entry.loc)
            first = seen.setdefault(key, where)
            if first != where and entry.loc:
                yield Fault(
                    "sitemap-loc-twice", where, f"{entry.loc} is already listed at {first}."
                )


def _is_companion(entry: Entry) -> bool:
    spaces = {child.space for child in entry.node.children} if entry.node else set()
    return bool(spaces & {protocol.VIDEO, protocol.NEWS})


def check_nesting(index: SitemapFile, listed: Mapping[str, SitemapFile]) -> Iterator[Fault]:
    """An index may not list an index. `listed` maps an entry's loc to the file it leads to."""
    for entry in index.entries:
        child = listed.get(entry.loc)
        if child is not None and child.kind == "sitemapindex":
            yield Fault(
                "sitemap-index-nested",
                f"{index.name}:{entry.line}",
                f"{entry.loc} is itself an index; an index may list sitemaps only.",
            )
