"""Reading one HTML page: bytes in, one row of the page table and faults out.

Kept free of heavy imports, since worker processes load it. Nothing is fetched; only
`read_files` opens files.
"""

from __future__ import annotations

import os
import re
import threading
from collections.abc import Sequence
from itertools import islice
from pathlib import Path

import xxhash
from selectolax.lexbor import LexborDocumentOptions, LexborHTMLParser

from jovial_atlas import foreign
from jovial_atlas.faults import Fault
from jovial_atlas.markup import MARK, ChangedError, block_mark, restore, without_block
from jovial_atlas.pages.row import PageRow
from jovial_atlas.sources.html_page.body import read_body
from jovial_atlas.sources.html_page.context import OpenPage, PageFile, Reading, References
from jovial_atlas.sources.html_page.data import read_data
from jovial_atlas.sources.html_page.head import read_head
from jovial_atlas.sources.html_page.outline import outline

__all__ = ["PageFile", "Reading", "as_it_is_read", "digest_of_page", "read_files", "read_page"]

_META_CHARSET = re.compile(rb"<meta[^>]+charset\s*=\s*[\"']?\s*([A-Za-z0-9_.:-]+)", re.I)
_XML_ENCODING = re.compile(rb"\A<\?xml[^>]+encoding\s*=\s*[\"']([A-Za-z0-9_.:-]+)", re.I)
_BOMS = ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"))
#: HTML §4.2.5.4: the declaration lies wholly within the first 1,024 bytes.
_CHARSET_WITHIN = 1_000
_NUMBER = r"(?:40[0-9]|5[0-9x][0-9x])(?:/index)?\.x?html?$"
#: Where servers are told to look for error pages: at the root, in the folder of a language, in one
#: that is called after errors.
_ERROR_PAGE = re.compile(
    r"^(?:[a-z]{2}(?:-[a-z]{2})?/)?(?:404|50x)(?:/index)?\.x?html?$"
    rf"|(?:^|/)_?(?:http-?)?errors?(?:-?(?:pages?|docs?))?/{_NUMBER}",
    re.I,
)
#: A page may be called so and be about errors, or be one of many: what it says decides.
_MAYBE_ERROR = re.compile(
    rf"(?:^|/)(?:(?:error|not-?found)(?:/index)?\.x?html?$|(?P<number>{_NUMBER}))", re.I
)
_NOT_FOUND = (
    r"not (?:be )?found|nicht gefunden|introuvable|no encontrad|non trovat|niet gevonden"
    r"|n[ãa]o encontrad|не найден|nie znalezion|hittades inte|ikke (?:fundet|funnet)|ei löydy"
    r"|見つかりません|找不到"
)
#: What tells an error beside the name of a file, and beside its number.
_ERROR_NAMED = re.compile(rf"{_NOT_FOUND}|\b[45]\d\d\b", re.I)
_ERROR_NUMBERED = re.compile(
    rf"{_NOT_FOUND}|\berrore?\b|fehler|\berreur\b|\berro\b|ошибк|forbidden|unauthori[sz]ed"
    r"|bad (?:request|gateway)|unavailable|interdit",
    re.I,
)


class _Kept(threading.local):
    """What is known of references, by thread: those of one folder are read one after another."""

    def __init__(self) -> None:
        self.references = References("")


_kept = _Kept()


def digest_of_page(path: str | Path) -> str:
    """The name of a file's bytes, by which a later survey knows them again: XXH3, 32
    hexadecimal digits."""
    name = xxhash.xxh3_128()
    with Path(path).open("rb") as stream:
        while piece := stream.read(1 << 20):
            name.update(piece)
    return name.hexdigest()


def read_files(files: Sequence[PageFile], reading: Reading) -> tuple[list[PageRow], list[Fault]]:
    """Rows and faults of some files. A file that cannot be read is a fault."""
    rows: list[PageRow] = []
    faults: list[Fault] = []
    for file in files:
        references = _kept.references = _kept.references.of(file.loc, reading.served)
        try:
            data, about = _whole(file.place)
        except OSError as error:
            faults.append(
                Fault("page-unreadable", file.path, f"The file cannot be read ({error.strerror}).")
            )
            continue
        row, page_faults = read_page(data, file, reading, about.st_mtime, references)
        if row is not None:
            row["mtime"] = about.st_mtime_ns
            row["digest"] = xxhash.xxh3_128_hexdigest(data)
            rows.append(row)
        faults += page_faults
    return rows, faults


def _whole(path: str | Path) -> tuple[bytes, os.stat_result]:
    """The bytes of a file, in as few calls as can be. Raises OSError."""
    number = os.open(path, os.O_RDONLY)
    try:
        about = os.fstat(number)
        data = os.read(number, about.st_size + 1)
        while more := os.read(number, 1 << 20) if len(data) != about.st_size else b"":
            data += more
        return data, about
    finally:
        os.close(number)


def read_page(
    data: bytes,
    file: PageFile,
    reading: Reading,
    modified: float | None = None,
    references: References | None = None,
) -> tuple[PageRow | None, list[Fault]]:
    """One page as a row of the page table, or None where there is no page in the bytes. Whatever
    goes wrong with it is a fault, and no other page suffers.

    `modified` is the file's time in seconds since 1970, the last resort for `lastmod`;
    `references` are those of the pages beside it, where these have been read.
    """
    faults: list[Fault] = []
    try:
        return _read(data, file, reading, modified, references, faults), faults
    except Exception as error:  # noqa: BLE001 - the rest of the site is read all the same
        what = f"{type(error).__name__}: {error}"[:200]
        message = f"Something in it could not be understood ({what}); the page is left out."
        return None, [*faults, Fault("page-not-understood", file.path, message)]


def _read(
    data: bytes,
    file: PageFile,
    reading: Reading,
    modified: float | None,
    references: References | None,
    faults: list[Fault],
) -> PageRow | None:
    injected = None
    if MARK in data and not reading.as_served:
        # What the tool itself put in says nothing of the page.
        injected = block_mark(data)
        data = _without_ours(data, file.path, faults)
    text = _decode(_cut(data, file.path, faults), file.path, faults)
    if text is None:
        return None
    row: PageRow = {
        "loc": file.loc, "source": reading.source, "path": file.path, "status": 200,
        "kind": "error" if _ERROR_PAGE.search(file.path) else "page", "bytes": len(data),
        "redirect": None, "canonical": None, "excerpt": None, "fingerprint": None,
        "text_digest": None, "injected": injected,
    }  # fmt: skip
    found = outline(LexborHTMLParser(text, options=LexborDocumentOptions.WO_EVENTS))
    if references is None:
        references = References(file.loc, reading.served)
    page = OpenPage(file, reading, found, row, faults, references, data)
    read_head(page, modified)
    if row["kind"] == "page" and (named := _MAYBE_ERROR.search(file.path)):
        sign = _ERROR_NUMBERED if named["number"] else _ERROR_NAMED
        said = (row["title"], row["heading"])
        row["kind"] = "error" if any(one and sign.search(one) for one in said) else "page"
    read_data(page)
    read_body(page)
    return row


#: Only pages with so many tags, or so long a tag, are looked at more closely.
_MANY_TAGS, _LONG_TAG = 20_000, 50_000
#: Elements that may stand in each other, and attributes of one: more of them take a parser time
#: that grows with their square. (Browsers stop nesting at 512.)
_DEEPEST, _MOST_ATTRIBUTES = 3_000, 3_000
_ANY_TAG = re.compile(rb"<(/?)([A-Za-z][A-Za-z0-9-]*)")
_GIANT_TAG = re.compile(rb"<[A-Za-z][^<>]{%d,}" % _LONG_TAG)
_ANY_ATTRIBUTE = re.compile(rb"[^\s\"'>/=]+(?:\s*=\s*(?:\"[^\"]*\"?|'[^']*'?|[^\s\"'=<>`]+))?")
#: Elements that hold nothing, or that end by themselves where another of their kind begins.
_SHALLOW = frozenset(
    b"area base br col embed hr img input link meta source track wbr li p dt dd td th tr thead "
    b"tbody tfoot option optgroup rp rt colgroup html head body a form button h1 h2 h3 h4 h5 h6 "
    b"nobr select".split()
)


def _cut(data: bytes, path: str, faults: list[Fault]) -> bytes:
    """The page up to where it is built so that a parser would take for ever; told as a fault."""
    at = _too_deep(data) if data.count(b"<") > _MANY_TAGS else None
    excess = f"more than {_DEEPEST:,} elements in each other"
    if at is None and len(data) > _LONG_TAG:
        at, excess = _too_wide(data), f"a tag with more than {_MOST_ATTRIBUTES:,} attributes"
    if at is None:
        return data
    line = data.count(b"\n", 0, at) + 1
    message = f"It has {excess} in line {line:,}; what follows there is not read."
    faults.append(Fault("page-cut", path, message))
    return data[:at]


def _too_deep(data: bytes) -> int | None:
    depth = 0
    for match in _ANY_TAG.finditer(data):
        if match[2].lower() in _SHALLOW:
            continue
        depth = max(0, depth - 1) if match[1] else depth + 1
        if depth > _DEEPEST:
            return match.start()
    return None


def _too_wide(data: bytes) -> int | None:
    for match in _GIANT_TAG.finditer(data):
        attributes = _ANY_ATTRIBUTE.finditer(match[0])
        if next(islice(attributes, _MOST_ATTRIBUTES, None), None) is not None:
            return match.start()
    return None


def as_it_is_read(data: bytes) -> bytes:
    """A page in UTF-8, up to where it is read, without what this tool put in; empty where it is no
    page. What is wrong with it is told by `read_page`."""
    faults: list[Fault] = []
    text = _decode(_cut(without_block(data), "", faults), "", faults)
    return text.encode("utf-8", "replace") if isinstance(text, str) else text or b""


def _without_ours(data: bytes, path: str, faults: list[Fault]) -> bytes:
    """The page without what `inject` put in; as near as can be where that was changed."""
    try:
        return restore(data)
    except ChangedError as error:
        faults.append(Fault("inject-changed", path, f"In the file, {error}."))
        return without_block(data)


def _decode(data: bytes, path: str, faults: list[Fault]) -> str | bytes | None:
    """The page as text; valid UTF-8 is left as it is. None where it is no page."""
    if not data or data.isspace():
        faults.append(Fault("page-empty", path, "The file is empty."))
        return None
    for mark, unicode in _BOMS:
        if data.startswith(mark):
            return data[len(mark) :].decode(unicode, "replace")
    head = data[:4096]
    if b"\x00" in head[:1024]:
        faults.append(Fault("page-not-html", path, "The file holds binary data, not HTML."))
        return None
    declared = _META_CHARSET.search(head)
    if declared and declared.start() > _CHARSET_WITHIN:
        message = f"The encoding is declared at byte {declared.start():,}."
        faults.append(Fault("charset-late", path, message))
    declared = declared or _XML_ENCODING.search(head)
    label = declared[1].decode("ascii").lower() if declared else ""
    encoding = foreign.codec_of(label) if label else "utf-8"
    if encoding is None:
        message = f"The page declares an unknown encoding, {label!r}."
        faults.append(Fault("encoding-unknown", path, message))
        return data.decode("utf-8", "replace")
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        said = f"The page declares {label}" if label else "The page declares no encoding"
        message = f"{said}, but line {line} is not valid {encoding}; some letters may be wrong."
        faults.append(Fault("encoding-broken", path, message))
        return data.decode("windows-1252" if not label else encoding, "replace")
    return data if encoding == "utf-8" else text
