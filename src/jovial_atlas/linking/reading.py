"""All that one page leads to: links with their texts and places, pictures, scripts, style sheets,
films; and the names inside it that links can lead to. Bytes in, columns out.

Loaded by processes that read pages: it loads nothing of tables. Nothing is judged here.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import unquote

import xxhash
from selectolax.lexbor import LexborHTMLParser, LexborNode

from jovial_atlas.linking.styles import loaded_by_style
from jovial_atlas.sources.html_page.context import References
from jovial_atlas.sources.html_page.fulltext import html_of_file
from jovial_atlas.sources.html_page.outline import Outline, attribute, outline, text

#: Changes with what is read, and how: pages that were read in another form are read anew.
READ_FORM = "3"
#: Signs of a link's text that are kept.
_LONGEST_TEXT = 200
#: Columns of what pages lead to. `kind` is one of `LINK_KINDS`, of a name inside the page "id"
#: (then `fragment` holds it), and "page" once for each page that was read. `place` is one of
#: `LINK_PLACES`.
READ_COLUMNS = ("page", "key", "kind", "place", "target", "fragment", "written", "text", "nofollow")
LINK_KINDS = ("link", "frame", "picture", "script", "style", "film", "file")
LINK_PLACES = ("content", "menu", "header", "footer", "beside", "trail", "layout", "head")
#: How parts of pages are called that hold links of the layout, by the place that they are.
_CALLED = (
    ("trail", re.compile(r"breadcrumb|(?:^|[\s_-])crumbs?(?:$|[\s_-])", re.I)),
    ("footer", re.compile(r"foot(?:er)?(?:$|[\s_-])", re.I)),
    ("beside", re.compile(r"sidebar|aside|(?:^|[\s_-])side(?:$|[\s_-])", re.I)),
    ("menu", re.compile(r"(?:^|[\s_-])(?:nav|menu|toc|pager|pagination)|navigation", re.I)),
    ("header", re.compile(r"(?:^|[\s_-])(?:header|masthead|banner)(?:$|[\s_-])", re.I)),
)
_TAGS = {"nav": "menu", "header": "header", "footer": "footer", "aside": "beside"}
_ROLES = {"navigation": "menu", "banner": "header", "contentinfo": "footer",
          "complementary": "beside", "menu": "menu", "menubar": "menu"}  # fmt: skip
_NOT_FOLLOWED = frozenset({"nofollow", "ugc", "sponsored"})
#: HTML §4.8.4.2.2: an address, and how wide or dense the picture is.
_CANDIDATE = re.compile(r"[\s,]*(\S*[^\s,])(?:\s+[^,]*)?(?:,|\Z)|[\s,]+")
#: Elements that show or load something, with the attribute that says what, and what it is.
_LOADED = (
    ("img", "src", "picture"), ("input", "src", "picture"), ("video", "poster", "picture"),
    ("script", "src", "script"), ("iframe", "src", "frame"), ("frame", "src", "frame"),
    ("video", "src", "film"), ("audio", "src", "film"), ("track", "src", "film"),
    ("embed", "src", "file"), ("object", "data", "file"),
)  # fmt: skip
_LOADED_QUERY = ", ".join(f"{name}[{key}]" for name, key, _ in _LOADED)
#: Meanings of `link` elements that lead to something; the others say what `head` is about.
_RELS = (
    ("stylesheet", "style"), ("icon", "picture"), ("apple-touch-icon", "picture"),
    ("mask-icon", "picture"), ("manifest", "file"), ("alternate", "file"), ("next", "link"),
    ("prev", "link"), ("search", "file"), ("license", "link"), ("help", "link"),
)  # fmt: skip


class PageToRead(NamedTuple):
    """A page and its file, or the copy that a crawl kept, and the digest of its bytes where a
    survey has it. `served` is where the site is served for now, with the origin it is known by."""

    loc: str
    path: Path
    digest: str | None
    served: tuple[str, str] | None = None

    @property
    def key(self) -> str:
        """What is known of it rests on this; empty where nobody knows."""
        if not self.digest:
            return ""
        said = "\0".join((READ_FORM, self.digest, self.loc, *(self.served or ())))
        return xxhash.xxh3_64_hexdigest(said.encode())


class LinkRow(NamedTuple):
    """One thing that a page leads to, as `READ_COLUMNS` without the page."""

    kind: str
    place: str | None = None
    target: str | None = None
    fragment: str | None = None
    written: str | None = None
    text: str | None = None
    nofollow: bool = False


def read_links(pages: Sequence[PageToRead]) -> dict[str, list[Any]]:
    """What some pages lead to, as `READ_COLUMNS`. A page that cannot be read or understood has no
    row at all."""
    columns: dict[str, list[Any]] = {name: [] for name in READ_COLUMNS}
    for page in pages:
        rows = _rows(page, html_of_file(page.path))
        if not rows:
            continue
        columns["page"] += [page.loc] * len(rows)
        columns["key"] += [page.key] * len(rows)
        for name, values in zip(LinkRow._fields, zip(*rows, strict=True), strict=True):
            columns[name] += values
    return columns


def _rows(page: PageToRead, data: bytes) -> list[LinkRow]:
    if not data:
        return []
    try:
        return [*links_of(data, page.loc, page.served), LinkRow("page")]
    except Exception:  # noqa: BLE001 - as when it is surveyed: no other page suffers
        return []


def links_of(data: bytes, loc: str, served: tuple[str, str] | None = None) -> Iterator[LinkRow]:
    """All that a page at `loc` leads to, in its order, the names inside it last. `data` is the
    page as `as_it_is_read` gives it."""
    found = outline(LexborHTMLParser(data))
    base = attribute(found.first("base"), "href")
    start = (References(loc, served)[base] if base else None) or loc
    references = References(start, served)
    names = list(_names(found))
    places = _Places()
    loaded = list(_loaded(found, references, places))
    # What stands outside the main content is asked before the page is taken apart.
    links = [(node, places.of(node), _said(node)) for node in (*found.all("a"), *found.all("area"))]
    found.take_apart()
    content = {node.mem_id for node in found.shown.get("a", ())}
    for node, place, said in links:
        given = node.attributes
        if not (href := (given.get("href") or "").strip()):
            continue
        bare, _, fragment = href.partition("#")
        target = references[bare] if bare else loc
        if target is None:
            continue
        inside = node.mem_id in content
        rel = (given.get("rel") or "").lower().split()
        yield LinkRow(
            "link", "content" if inside else place, target, unquote(fragment) or None, href, said,
            not _NOT_FOLLOWED.isdisjoint(rel),
        )  # fmt: skip
    yield from loaded
    yield from (LinkRow("id", fragment=name) for name in names)


def _said(node: LexborNode) -> str | None:
    """What a link is called: its text, else what its picture shows."""
    said = text(node)
    if not said:
        picture = node.css_first("img[alt], svg title")
        shown = attribute(picture, "alt") if picture is not None else None
        if picture is not None and picture.tag == "title":
            shown = text(picture)
        given = attribute(node, "aria-label") or shown
        said = given or attribute(node, "title") or attribute(node, "alt")
    return said[:_LONGEST_TEXT] if said else None


class _Places(dict[int, str]):
    """The part of a page's layout that each element stands in, by the element's own number."""

    def of(self, node: LexborNode) -> str:
        """Where an element stands: in the nearest part around it that says what it is."""
        asked = []
        at = node.parent
        while at is not None and at.mem_id not in self and at.tag not in ("body", "html"):
            asked.append(at)
            at = at.parent
        place = "layout" if at is None else self.get(at.mem_id, "layout")
        for one in reversed(asked):
            given = one.attributes
            own = _part(str(one.tag), given.get("role"), given.get("class"), given.get("id"))
            # The menu of a footer is the footer.
            place = own if own and not (own == "menu" and place == "footer") else place
            self[one.mem_id] = place
        return place


@lru_cache(maxsize=20_000)
def _part(tag: str, role: str | None, names: str | None, identity: str | None) -> str | None:
    """Which part of a layout an element is, by what it is called; None for any other."""
    place = _TAGS.get(tag) or _ROLES.get((role or "").lower())
    if not names and not identity:
        return place
    called = f"{names or ''} {identity or ''}"
    named = next((name for name, sign in _CALLED if sign.search(called)), None)
    # The trail is a menu by its element; what it is called says more.
    return named if named == "trail" else place or named


def _loaded(found: Outline, references: References, places: _Places) -> Iterator[LinkRow]:
    """What a page shows or loads."""
    for tag in found.head:
        if tag.name == "link":
            yield from _of_head(tag.given, tag.rel, references)
        elif tag.name == "script":
            yield from _one("script", "head", tag.given.get("src"), references)
    for node in found.tree.css(_LOADED_QUERY):
        given, place = node.attributes, _shown_in(places.of(node))
        for name, key, kind in _LOADED:
            if node.tag == name and name != "script":
                yield from _one(kind, place, given.get(key), references)
    for node in found.tree.css("source[src], source[srcset], img[srcset]"):
        given, parent, place = node.attributes, node.parent, _shown_in(places.of(node))
        films = parent is not None and parent.tag in ("video", "audio")
        if node.tag == "source":
            yield from _one("film" if films else "picture", place, given.get("src"), references)
        for candidate in _CANDIDATE.finditer(given.get("srcset") or ""):
            yield from _one("picture", place, candidate[1], references)
    for node in found.tree.css("style, [style*='url(' i]"):
        place = "head" if node.tag == "style" else _shown_in(places.of(node))
        css = node.text() if node.tag == "style" else attribute(node, "style")
        for kind, written in loaded_by_style(css or ""):
            yield from _one(kind, place, written, references)


def style_rows(css: str, loc: str, served: tuple[str, str] | None = None) -> Iterator[LinkRow]:
    """What a style sheet at `loc` loads."""
    references = References(loc, served)
    for kind, written in loaded_by_style(css):
        yield from _one(kind, "layout", written, references)


def _shown_in(place: str) -> str:
    """Where something is shown: in the content, unless it stands in what is a part of the
    layout."""
    return "content" if place == "layout" else place


def _of_head(
    given: dict[str, str | None], rel: Sequence[str], references: References
) -> Iterator[LinkRow]:
    if "alternate" in rel and "hreflang" in given and "stylesheet" not in rel:
        return
    kind = next((kind for name, kind in _RELS if name in rel), None)
    if kind:
        yield from _one(kind, "head", given.get("href"), references)


def _one(kind: str, place: str, written: str | None, references: References) -> Iterator[LinkRow]:
    written = (written or "").strip()
    if written and (target := references[written.partition("#")[0]]):
        yield LinkRow(kind, place, target, None, written)


def _names(found: Outline) -> Iterator[str]:
    """The names inside a page that a fragment can lead to (HTML §7.4.6.4). One that holds escapes
    itself is found by a fragment as it is written, and fragments are kept without escapes."""
    for node in found.tree.css("[id], a[name]"):
        given = node.attributes
        for key in ("id", "name") if node.tag == "a" else ("id",):
            if name := given.get(key):
                yield name
                if "%" in name:
                    yield unquote(name)
