"""Reading one HTML page: bytes in, one row of the page table and faults out.

Kept free of heavy imports, since worker processes load it. Nothing is fetched; only
`read_files` opens files.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from selectolax.lexbor import LexborHTMLParser, LexborNode

from jovial_atlas import addresses, dates
from jovial_atlas.faults import Fault
from jovial_atlas.robots.directives import read_directives

_META_CHARSET = re.compile(rb"<meta[^>]+charset\s*=\s*[\"']?\s*([A-Za-z0-9_.:-]+)", re.I)
_XML_ENCODING = re.compile(rb"\A<\?xml[^>]+encoding\s*=\s*[\"']([A-Za-z0-9_.:-]+)", re.I)
_BOMS = ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"))
# WHATWG Encoding: these labels mean windows-1252.
_LATIN = frozenset({"iso-8859-1", "iso8859-1", "latin1", "latin-1", "us-ascii", "ascii"})
_REFRESH = re.compile(r"\s*(\d+)\s*[;,]\s*(?:url\s*=)?\s*[\"']?([^\"']+)", re.I)
_ERROR_PAGE = re.compile(r"(?:^|/)(?:40[0-9]|5[0-9x][0-9x]|error)(?:/index)?\.x?html?$", re.I)
_NOT_CONTENT = "script, style, noscript, template, nav, aside, form, footer, [role=navigation]"
# Where a page marks no main content, its frame is guessed from how frames are usually named.
_FRAME = (
    "body > header, [role=banner], [role=contentinfo], [class^=nav], [class*=' nav'], "
    "[class*=breadcrumb], [class*=sidebar], [class*=footer]"
)
# Everything that is looked at, found in one walk through the page, and sorted by tag. Other
# tags than these are there for their role.
_TAGS = (
    "title", "base", "meta", "link", "script", "h1", "time", "frameset", "video", "main",
    "article", "a", "area", "frame", "iframe",
)  # fmt: skip
_WANTED = (
    "title, base[href], meta[content], link[rel][href], script[type], h1, time[datetime], "
    "frameset, video, main, [role=main], article, a[href], area[href], frame[src], iframe[src]"
)
_SENTENCES = re.compile(r".{40,280}[.!?…](?=\s|$)", re.S)
_MODIFIED = frozenset(
    {"article:modified_time", "og:updated_time", "last-modified", "dcterms.modified",
     "dc.date.modified", "datemodified", "modified"}
)  # fmt: skip
_PUBLISHED = frozenset(
    {"article:published_time", "dcterms.created", "dcterms.issued", "dc.date", "dc.date.issued",
     "datepublished", "date", "pubdate"}
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Reading:
    """How the pages of one source are read."""

    source: str
    now: datetime
    honour_canonical: bool = True
    #: Where the site is served for now → the origin it is known by.
    served: tuple[str, str] | None = None
    trust: tuple[str, ...] = ("meta", "json-ld", "time", "published", "git", "fingerprint", "file")


@dataclass(frozen=True, slots=True)
class PageFile:
    """A file to read: its place, its path inside the source, the address it is served under,
    and the date of its last commit, where there is one."""

    place: Path
    path: str
    loc: str
    committed: str | None = None


@dataclass(slots=True)
class _Page:
    """A page while it is read."""

    file: PageFile
    reading: Reading
    row: dict[str, Any]
    base: str
    folder: str = ""
    nodes: dict[str, list[LexborNode]] = field(default_factory=dict)
    metas: list[dict[str, str | None]] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    resolved: dict[str, str | None] = field(default_factory=dict)

    def fault(self, code: str, message: str) -> None:
        self.faults.append(Fault(code, self.file.path, message))

    def _public(self, address: str | None) -> str | None:
        if address and self.reading.served:
            here, public = self.reading.served
            if addresses.origin(address) == here:
                return public + addresses.path_and_query(address)
        return address

    def resolve(self, reference: str | None) -> str | None:
        """The address a reference leads to. Pages name few addresses often: each is
        worked out once."""
        bare = reference.partition("#")[0] if reference else ""
        if not bare:
            return None
        if bare not in self.resolved:
            plain = addresses.join_plain(self.folder, bare)
            self.resolved[bare] = plain or self._public(addresses.resolve(self.base, bare))
        return self.resolved[bare]


def read_files(
    files: Sequence[PageFile], reading: Reading
) -> tuple[list[dict[str, Any]], list[Fault]]:
    """Rows and faults of some files. A file that cannot be read is a fault."""
    rows: list[dict[str, Any]] = []
    faults: list[Fault] = []
    for file in files:
        try:
            data = file.place.read_bytes()
            about = file.place.stat()
        except OSError as error:
            faults.append(
                Fault("page-unreadable", file.path, f"The file cannot be read ({error.strerror}).")
            )
            continue
        row, found = read_page(data, file, reading, about.st_mtime)
        if row is not None:
            row["mtime"] = about.st_mtime_ns
            row["digest"] = hashlib.blake2b(data, digest_size=16).hexdigest()
            rows.append(row)
        faults += found
    return rows, faults


def read_page(
    data: bytes, file: PageFile, reading: Reading, modified: float | None = None
) -> tuple[dict[str, Any] | None, list[Fault]]:
    """One page as a row of the page table, or None where there is no page in the bytes.

    `modified` is the file's time in seconds since 1970, the last resort for `lastmod`.
    """
    row: dict[str, Any] = {
        "loc": file.loc, "source": reading.source, "path": file.path, "status": 200,
        "kind": "error" if _ERROR_PAGE.search(file.path) else "page", "bytes": len(data),
        "redirect": None, "canonical": None, "excerpt": None, "fingerprint": None,
    }  # fmt: skip
    page = _Page(file, reading, row, file.loc, addresses.folder(file.loc))
    text = _decode(data, page)
    if text is None:
        return None, page.faults
    tree = LexborHTMLParser(text)
    for node in tree.css(_WANTED):
        page.nodes.setdefault(str(node.tag), []).append(node)
    page.metas = [node.attributes for node in page.nodes.get("meta", ())]
    _read_base(page)
    metas = _metas(page)
    _read_head(tree, metas, page)
    data_nodes = list(_json_ld(page))
    _read_dates(metas, data_nodes, modified, page)
    row["author"] = metas.get("author") or _json_author(data_nodes)
    _read_body(tree, page)
    return row, page.faults


def _decode(data: bytes, page: _Page) -> str | None:
    if not data.strip():
        page.fault("page-empty", "The file is empty.")
        return None
    for mark, encoding in _BOMS:
        if data.startswith(mark):
            return data[len(mark) :].decode(encoding, "replace")
    if b"\x00" in data[:1024]:
        page.fault("page-not-html", "The file holds binary data, not HTML.")
        return None
    head = data[:4096]
    declared = _META_CHARSET.search(head) or _XML_ENCODING.search(head)
    label = declared[1].decode("ascii").lower() if declared else ""
    encoding = "windows-1252" if label in _LATIN else label or "utf-8"
    try:
        return data.decode(encoding)
    except LookupError:
        page.fault("encoding-unknown", f"The page declares an unknown encoding, {label!r}.")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        said = f"The page declares {label}" if label else "The page declares no encoding"
        page.fault(
            "encoding-broken",
            f"{said}, but line {line} is not valid {encoding}; some letters may be wrong.",
        )
        if not label:
            return data.decode("windows-1252", "replace")
        return data.decode(encoding, "replace")
    return data.decode("utf-8", "replace")


def _read_base(page: _Page) -> None:
    node = next(iter(page.nodes.get("base", ())), None)
    href = _attribute(node, "href") if node else None
    base = addresses.resolve(page.file.loc, href) if href else None
    if not base:
        return
    page.base, page.folder = base, addresses.folder(base)
    if addresses.origin(base) != addresses.origin(page.file.loc):
        page.fault(
            "base-elsewhere",
            f"The base element sends all relative links to another host: {base}.",
        )


def _metas(page: _Page) -> dict[str, str]:
    """Contents of meta elements by lower-cased name or property; the first of each counts."""
    found: dict[str, str] = {}
    for attributes in page.metas:
        key = attributes.get("name") or attributes.get("property") or ""
        content = (attributes.get("content") or "").strip()
        if key and content:
            found.setdefault(key.strip().lower(), content)
    return found


def _named(page: _Page, key: str, value: str) -> list[str]:
    """Contents of the meta elements whose `key` (name, http-equiv) is `value`."""
    return [
        attributes.get("content") or ""
        for attributes in page.metas
        if (attributes.get(key) or "").strip().lower() == value
    ]


def _read_head(tree: LexborHTMLParser, metas: dict[str, str], page: _Page) -> None:
    row = page.row
    titles = [node for node in page.nodes.get("title", ()) if not _inside(node, "svg")]
    row["title"] = next((text for node in titles if (text := _text(node))), None)
    if len(titles) > 1:
        page.fault("title-repeated", f"The page has {len(titles)} title elements.")
    heading = next(iter(page.nodes.get("h1", ())), None)
    row["heading"] = _text(heading) if heading else None
    row["description"] = metas.get("description")
    described = _named(page, "name", "description")
    if len(described) > 1:
        page.fault(
            "description-repeated",
            f"The page has {len(described)} descriptions; the first is used.",
        )
    root = tree.root
    language = (root.attributes.get("lang") or root.attributes.get("xml:lang")) if root else None
    row["language"] = (language or "").strip() or None
    _read_directives(page)
    _read_canonical(page)
    _read_refresh(page)


def _read_directives(page: _Page) -> None:
    directives = read_directives(_named(page, "name", "robots"))
    page.row["directives"] = directives.words or None
    if directives.unknown:
        page.fault(
            "directive-unknown",
            f"The robots meta tag says {', '.join(map(repr, directives.unknown))}, "
            "which no crawler knows.",
        )


def _read_canonical(page: _Page) -> None:
    named = []
    for node in page.nodes.get("link", ()):
        if "canonical" in (node.attributes.get("rel") or "").lower().split():
            href = _attribute(node, "href") or ""
            if target := page.resolve(href):
                named.append(target)
            else:
                page.fault("canonical-unusable", f"The canonical {href!r} is no page address.")
    if len(set(named)) > 1:
        page.fault(
            "canonical-repeated",
            f"The page names {len(set(named))} canonicals; crawlers then trust none. "
            f"The first, {named[0]}, is used.",
        )
    if not named or not page.reading.honour_canonical:
        return
    canonical = page.row["canonical"] = named[0]
    own = page.file.loc
    if addresses.origin(canonical) == addresses.origin(own) and addresses.ending_free(
        canonical
    ) == addresses.ending_free(own):
        page.row["loc"] = canonical


def _read_refresh(page: _Page) -> None:
    content = next(iter(_named(page, "http-equiv", "refresh")), "")
    match = _REFRESH.match(content)
    if not match or int(match[1]) > 1:
        return
    target = page.resolve(match[2])
    if target and target != page.row["loc"]:
        page.row["redirect"] = target


def _json_ld(page: _Page) -> Iterator[dict[str, Any]]:
    number = 0
    for node in page.nodes.get("script", ()):
        if (node.attributes.get("type") or "").strip().lower() != "application/ld+json":
            continue
        number += 1
        try:
            value = json.loads(node.text(strip=False))
        except (ValueError, RecursionError) as error:
            page.fault("json-ld-broken", f"JSON-LD block {number} is not JSON: {error}.")
            continue
        yield from _nodes(value)


def _nodes(value: Any, depth: int = 0) -> Iterator[dict[str, Any]]:
    if isinstance(value, list):
        for item in value:
            yield from _nodes(item, depth)
    elif isinstance(value, dict):
        yield value
        if depth < 2 and "@graph" in value:
            yield from _nodes(value["@graph"], depth + 1)


def _json_author(nodes: list[dict[str, Any]]) -> str | None:
    for node in nodes:
        author = node.get("author")
        author = author[0] if isinstance(author, list) and author else author
        name = author.get("name") if isinstance(author, dict) else author
        if isinstance(name, str) and name.strip():
            return name.strip()
    return None


def _read_dates(
    metas: dict[str, str],
    nodes: list[dict[str, Any]],
    modified: float | None,
    page: _Page,
) -> None:
    """Published, and the last change from the most trusted place that has it."""
    published = _first_date(
        page,
        ("meta", (metas[key] for key in metas if key in _PUBLISHED)),
        ("json-ld", _strings(nodes, "datePublished")),
        ("time", _times(page, "datepublished", "published")),
    )
    page.row["published"], page.row["published_from"] = published
    places: dict[str, Iterator[str]] = {
        "meta": (metas[key] for key in metas if key in _MODIFIED),
        "json-ld": _strings(nodes, "dateModified"),
        "time": _times(page, "datemodified", "updated", "modified"),
        "published": iter([published[0]] if published[0] else []),
        "git": iter([page.file.committed] if page.file.committed else []),
        "file": iter([dates.from_timestamp(modified)] if modified is not None else []),
    }
    trusted = [(place, places[place]) for place in page.reading.trust if place in places]
    page.row["lastmod"], page.row["lastmod_from"] = _first_date(page, *trusted)


def _first_date(page: _Page, *places: tuple[str, Iterator[str]]) -> tuple[str | None, str | None]:
    for place, texts in places:
        for text in texts:
            read = dates.read(text)
            if read is None:
                page.fault("date-unreadable", f"The {place} date {text[:60]!r} is no date.")
            elif not dates.plausible(read, page.reading.now):
                page.fault(
                    "date-implausible",
                    f"The {place} date {text[:60]!r} lies in the future or before 1990; "
                    "it is not used.",
                )
            else:
                return read, place
    return None, None


def _strings(nodes: list[dict[str, Any]], key: str) -> Iterator[str]:
    for node in nodes:
        value = node.get(key)
        if isinstance(value, str) and value.strip():
            yield value


def _times(page: _Page, prop: str, *classes: str) -> Iterator[str]:
    """Values of time elements that say by `itemprop` or class what they date; any other
    time element may be the date of an event."""
    for node in page.nodes.get("time", ()):
        words = (
            " ".join((node.attributes.get(name) or "") for name in ("itemprop", "class"))
            .lower()
            .split()
        )
        if prop in words or any(name in words for name in classes):
            yield _attribute(node, "datetime") or ""


def _read_body(tree: LexborHTMLParser, page: _Page) -> None:
    row = page.row
    if "frameset" in page.nodes:
        row["kind"] = "frames"
        page.fault("page-frames", "The page is a frameset: its content is in other files.")
    site = addresses.origin(page.file.loc) + "/"
    links: dict[str, None] = {}
    outside: set[str] = set()
    for tag, name in (("a", "href"), ("area", "href"), ("frame", "src"), ("iframe", "src")):
        for target in _targets(page.nodes.get(tag, ()), name, page):
            if target.startswith(site):
                links[target] = None
            else:
                outside.add(target)
    row["links"], row["links_out"] = list(links), len(outside)
    row["videos"] = list(_videos(page))
    main = _main_content(tree, page)
    row["images"], row["entries"], row["words"] = [], 0, 0
    if main is None:
        return
    shown: dict[str, list[LexborNode]] = {"a": [], "img": []}
    for node in main.css("a[href], img"):
        shown[str(node.tag)].append(node)
    row["images"] = list(_images(shown["img"], page))
    entries = {one for one in _targets(shown["a"], "href", page) if one.startswith(site)}
    row["entries"] = len(entries - {row["loc"]})
    words = main.text(separator=" ").split()
    row["words"] = len(words)
    row["excerpt"] = _excerpt(main)
    if words:
        content = " ".join(words).encode("utf-8", "replace")
        row["fingerprint"] = hashlib.blake2b(content, digest_size=16).hexdigest()


def _targets(nodes: Iterable[LexborNode], name: str, page: _Page) -> dict[str, None]:
    """Addresses that the elements lead to, each once, in the order of the alphabet."""
    # Many links differ in their fragment alone, so that is cut off before they are told apart.
    given = {(node.attrs[name] or "").partition("#")[0] for node in nodes}
    found = sorted(one for one in given if one and not one.isspace())
    return {target: None for one in found if (target := page.resolve(one.strip()))}


def _main_content(tree: LexborHTMLParser, page: _Page) -> LexborNode | None:
    """The element that holds the main content, with all that is no content taken out."""
    roles = [node for tag, found in page.nodes.items() if tag not in _TAGS for node in found]
    candidates: list[LexborNode] = [
        *page.nodes.get("main", ()),
        *roles,
        *page.nodes.get("article", ()),
    ]
    if candidates:
        _drop(candidates[0], _NOT_CONTENT)
        return candidates[0]
    body: LexborNode | None = tree.body
    if body is not None:
        _drop(body, f"{_NOT_CONTENT}, {_FRAME}")
    return body


def _drop(node: LexborNode, selector: str) -> None:
    """Take out all that matches. In reverse document order, so that what stands inside
    another match is gone before its parent."""
    for found in reversed(node.css(selector)):
        if found != node:
            # Taken out of the tree, but not apart: the whole tree is freed at once anyway.
            found.decompose(recursive=False)


def _images(nodes: Iterable[LexborNode], page: _Page) -> Iterator[dict[str, str | None]]:
    seen: set[str] = set()
    for node in nodes:
        loc = page.resolve(_attribute(node, "src") or _attribute(node, "data-src"))
        if loc and loc not in seen and not _is_pixel(node):
            seen.add(loc)
            yield {"loc": loc, "alt": node.attributes.get("alt")}


def _is_pixel(node: LexborNode) -> bool:
    return node.attributes.get("width") in ("0", "1") or node.attributes.get("height") in ("0", "1")


def _videos(page: _Page) -> Iterator[dict[str, str | None]]:
    for number, node in enumerate(page.nodes.get("video", ()), start=1):
        source = node.css_first("source[src]")
        content = page.resolve(
            _attribute(node, "src") or (_attribute(source, "src") if source else None)
        )
        if not content:
            page.fault("video-no-source", f"Video element {number} names no media file.")
            continue
        figure = _ancestor(node, "figure")
        caption = figure.css_first("figcaption") if figure else None
        yield {
            "content": content,
            "thumbnail": page.resolve(_attribute(node, "poster")),
            "title": _attribute(node, "title") or _attribute(node, "aria-label"),
            "description": _text(caption) if caption else None,
        }


def _excerpt(main: LexborNode) -> str | None:
    """The first whole sentences of the first paragraphs, up to about 280 characters."""
    text = ""
    for node in main.css("p"):
        text = f"{text} {_text(node) or ''}".strip()
        if len(text) >= 280:
            break
    if not text:
        return None
    if len(text) <= 280:
        return text
    whole = _SENTENCES.match(text)
    return whole[0].strip() if whole else text[:280].rsplit(" ", 1)[0] + "…"


def _text(node: LexborNode) -> str | None:
    # Documentation generators end a heading with a link to itself, shown as a pilcrow.
    return " ".join(node.text(separator="").split()).removesuffix("¶").rstrip() or None


def _attribute(node: LexborNode, name: str) -> str | None:
    value = node.attributes.get(name)
    return value.strip() if value and value.strip() else None


def _ancestor(node: LexborNode, tag: str) -> LexborNode | None:
    parent = node.parent
    while parent is not None and parent.tag != tag:
        parent = parent.parent
    return parent


def _inside(node: LexborNode, tag: str) -> bool:
    return _ancestor(node, tag) is not None
