"""A block of tags in the head of an HTML file: put in, renewed, taken out.

The block stands between two comments. A tag of the same meaning that stood in the file gives way to
a comment that holds it, packed, in the very place where it stood; so `restore` needs no positions,
and gives the file back octet for octet, wherever it was copied to and whatever was changed around
the pieces since. The comment that ends the block holds a digest of all that was put in: where a
piece itself was changed, `restore` refuses instead of guessing.

    [held title]<meta charset><!-- head data: jovial-atlas --> … <!-- /head data 3 DIGEST MARK -->
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import json
import re
import zlib
from collections.abc import Iterator, Sequence

import msgspec

from jovial_atlas import foreign
from jovial_atlas.markup.additions import Additions, additions, put_in, take_out
from jovial_atlas.markup.scan import HeadSpan, ScannedTag, scan_head

MARK = b"<!-- head data: jovial-atlas -->"
#: What ends a block: how many octets of white space are before it, the digest of all that was put
#: into the file, and what tells which tags it holds.
_END = re.compile(rb"<!-- /head data (\d{1,4}) ([0-9a-f]{32}) ([0-9a-f]{16}) -->")
_HELD = re.compile(rb"<!-- held: jovial-atlas ([A-Za-z0-9+/=]*) -->")
#: What ended a block of older versions: where its tags stood, packed.
_OLD_END = re.compile(rb"<!-- /head data ([A-Za-z0-9+/=]+) -->")
_NO_DIGEST = "0" * 32
#: Encodings whose markup is not ASCII.
_BOMS = (b"\xff\xfe", b"\xfe\xff")
# XHTML 1.0, or any XML: elements without content are closed.
_XML = re.compile(
    rb"(?:\xef\xbb\xbf)?\s*<\?xml\s|\s*(?:<!--.*?-->\s*)*<!DOCTYPE[^>]*\bXHTML\b", re.S | re.I
)


class ChangedError(ValueError):
    """What was put into a file was changed since, so that the file as it was cannot be told from
    it. `str()` is the end of a sentence."""


class Tag(msgspec.Struct, frozen=True):
    """One tag of a block as HTML ("" for none), and its meaning: tags of a file with one of
    `replaces` go. Meanings are those of `meaning`, and `json-ld:Type` of structured data."""

    html: str
    replaces: tuple[str, ...]


def meaning(tag: ScannedTag) -> str:
    """What an element of a head says, "" where it is nothing that a block could say."""
    given = tag.attributes
    if tag.name == "title":
        return "title"
    if tag.name == "meta":
        return (given.get("name") or given.get("property") or "").strip().lower()
    if tag.name == "link":
        rel = given.get("rel", "").lower().split()
        if "canonical" in rel:
            return "canonical"
        if "alternate" in rel and "hreflang" in given:
            return "hreflang"
        if "alternate" in rel and "rss+xml" in given.get("type", "").lower():
            return "feed-rss"
        if "alternate" in rel and "atom+xml" in given.get("type", "").lower():
            return "feed-atom"
    if tag.name == "script" and given.get("type", "").strip().lower() == "application/ld+json":
        return "json-ld"
    return ""


def restore(data: bytes) -> bytes:
    """The file as it was before anything was put in; a file without a block as it is. What was
    changed outside the pieces that were put in stays changed. Raises ChangedError where one of
    these was changed itself, or something only looks like one."""
    marks = data.count(MARK)
    if not marks:
        if _HELD.search(data):
            raise ChangedError("its block of head data is gone, but what it replaced is not back")
        return data
    if marks > 1:
        raise ChangedError("it has more than one block of head data")
    start = data.index(MARK)
    end = _END.search(data, start)
    if end is None:
        old = _OLD_END.search(data, start)
        if old is None:
            raise ChangedError("its block of head data has no end")
        return _of_older_versions(data, start, old)
    start -= int(end[1])
    if start < 0 or end[2].decode() != _digest(data, start, end):
        raise ChangedError("what `inject` put in was changed since")
    rest = take_out(data[:start] + data[end.end() :])
    return _HELD.sub(lambda match: _unpacked(match[1]), rest)


def without_block(data: bytes) -> bytes:
    """As `restore`, also where pieces were changed: then as near as can be. To read a file, not to
    write it."""
    try:
        return restore(data)
    except ChangedError:
        data = take_out(data)
    while (start := data.find(MARK)) >= 0:
        end = _END.search(data, start) or _OLD_END.search(data, start)
        data = data[:start] + data[end.end() if end else start + len(MARK) :]
    return _HELD.sub(lambda match: _unpacked(match[1], strict=False), data)


def block_mark(data: bytes) -> str | None:
    """By which tags the block of a file is known (`mark_of`), "" for one of older versions, None
    where there is none."""
    start = data.find(MARK)
    if start < 0:
        return None
    end = _END.search(data, start)
    return end[3].decode() if end else ""


def mark_of(tags: Sequence[Tag]) -> str:
    """What tells some tags from all others, 16 hexadecimal digits."""
    text = "\n".join(tag.html for tag in tags if tag.html)
    return hashlib.blake2b(text.encode("utf-8", "replace"), digest_size=8).hexdigest()


def _digest(data: bytes, start: int, end: re.Match[bytes]) -> str:
    """The digest of all that was put into a file. Pieces may have moved, with what is around
    them; so they count in whatever order."""
    block = data[start : end.start(2)] + data[end.end(2) : end.end()]
    rest = data[:start] + data[end.end() :]
    pieces = [block, *(match[0] for match in _HELD.finditer(rest)), *additions(rest)]
    name = hashlib.blake2b(digest_size=16)
    for piece in sorted(pieces):
        name.update(b"%d:" % len(piece) + piece)
    return name.hexdigest()


def _packed(piece: bytes) -> bytes:
    return b"<!-- held: jovial-atlas " + base64.b64encode(zlib.compress(piece, 9)) + b" -->"


def _unpacked(text: bytes, *, strict: bool = True) -> bytes:
    try:
        worker = zlib.decompressobj()
        return worker.decompress(base64.b64decode(text, validate=True), _LARGEST)
    except (ValueError, binascii.Error, zlib.error) as error:
        if strict:
            raise ChangedError("what `inject` put in was changed since") from error
        return b""


#: Octets of one tag that is held, at most: one that says more was made to.
_LARGEST = 1 << 24


def _of_older_versions(data: bytes, start: int, end: re.Match[bytes]) -> bytes:
    """Take out a block that keeps what it replaced by positions: only as long as each piece comes
    to stand where an element of a head stands. Raises ChangedError."""
    changed = ChangedError(
        "it was changed since an older version of `inject` wrote into it; build the page anew, or "
        "take the block of head data out by hand"
    )
    rest = take_out(data)
    if rest != data:
        start = rest.index(MARK)
        old_end = _OLD_END.search(rest, start)
        if old_end is None:
            raise changed
        end = old_end
    try:
        worker = zlib.decompressobj()
        before, after, pieces = json.loads(
            worker.decompress(base64.b64decode(end[1], validate=True), _LARGEST)
        )
        whole = rest[: start - before] + rest[end.end() + after :]
        spans = []
        for place, packed in pieces:
            piece = base64.b64decode(packed)
            whole = whole[:place] + piece + whole[place:]
            spans.append((place, place + len(piece)))
    except (ValueError, TypeError, binascii.Error, zlib.error, RecursionError):
        raise changed from None
    head = scan_head(whole)
    there = {one for old_end in head.elements for one in _spans(whole, old_end)} if head else set()
    white = rest[start - before : start].strip() == b""
    if not white or not there.issuperset(spans):
        raise changed
    return whole


def _spans(data: bytes, one: ScannedTag) -> Iterator[tuple[int, int]]:
    yield one.start, one.end
    yield _line(data, one)


def inject(
    data: bytes, tags: Sequence[Tag], encoding: str = "utf-8", also: Additions | None = None
) -> bytes | None:
    """The file with a block of these tags right after charset and viewport, in place of a block
    that is there and of tags with the same meaning. None where the file has no head that could
    take one. Letters that the encoding of the file does not have become character references.
    `also` says what is added elsewhere in the file. Raises ChangedError as `restore`, and where the
    file holds what looks like a piece of ours without a block."""
    whole = restore(data)
    if whole.startswith(_BOMS):
        return None
    head = scan_head(whole)
    if head is None:
        return None
    if not tags:
        return whole
    if take_out(whole) != whole or _HELD.search(whole):
        raise ChangedError("it holds what looks like a piece that `inject` wrote elsewhere")
    new = _with_block(whole, head, tags, encoding)
    if also is not None:
        new = put_in(new, also, encoding)
    sealed = _sealed(new)
    if is_xml(whole) and _is_well_formed(whole) and not _is_well_formed(sealed):
        raise ChangedError("with what is to be put in it would be no well-formed XML any more")
    return sealed


def _with_block(whole: bytes, head: HeadSpan, tags: Sequence[Tag], encoding: str) -> bytes:
    wanted = {name for tag in tags for name in tag.replaces}
    place = _place(head)
    indent, newline = _manner(whole, place)
    before = f"{newline}{indent}"
    texts = [_closed(tag.html) if is_xml(whole) else tag.html for tag in tags if tag.html]
    block = b"".join(
        (
            before.encode(), MARK, before.encode(),
            before.join(texts).encode(encoding, "xmlcharrefreplace"), before.encode(),
            f"<!-- /head data {len(before)} {_NO_DIGEST} {mark_of(tags)} -->".encode(),
        )
    )  # fmt: skip
    pieces, at = [], 0
    for one in head.elements:
        if one.start >= place and at <= place:
            pieces += [whole[at:place], block]
            at, block = place, b""
        if _replaced(one, wanted):
            pieces += [whole[at : one.start], _packed(whole[one.start : one.end])]
            at = one.end
    if block:
        pieces += [whole[at:place], block]
        at = place
    return b"".join([*pieces, whole[at:]])


def _sealed(data: bytes) -> bytes:
    """The file with the digest of all that was put in."""
    start = data.index(MARK)
    end = _END.search(data, start)
    assert end is not None
    digest = _digest(data, start - int(end[1]), end)
    return data[: end.start(2)] + digest.encode() + data[end.end(2) :]


def is_xml(data: bytes) -> bool:
    """Whether a file says that it is XML: by its declaration, or as XHTML by its document type."""
    return _XML.match(data[:2048]) is not None


def _is_well_formed(data: bytes) -> bool:
    # Only files that say so are looked at, so few need the parser.
    from lxml import etree

    parser = etree.XMLParser(
        resolve_entities=False, load_dtd=False, no_network=True, huge_tree=False
    )
    try:
        etree.fromstring(data, parser)
    except (etree.XMLSyntaxError, ValueError):
        return False
    return True


_SCRIPT = re.compile(r"(<script[^>]*>)(.*)(</script>)", re.S)


def _closed(html: str) -> str:
    """A tag as XML wants it: an element without content is closed, and what is JSON has no sign
    that means anything in markup."""
    if html.startswith(("<meta ", "<link ")) and not html.endswith("/>"):
        return f"{html[:-1]} />"
    if match := _SCRIPT.fullmatch(html):
        text = match[2].replace("&", "\\u0026").replace("<", "\\u003c").replace(">", "\\u003e")
        return match[1] + text + match[3]
    return html


def _replaced(one: ScannedTag, wanted: set[str]) -> bool:
    said = meaning(one)
    if said == "json-ld":
        return "json-ld" in wanted and _all_ours(one.inner, wanted)
    # The details of a picture or a film go with it.
    return bool(said) and (said in wanted or ":".join(said.split(":")[:2]) in wanted)


def _all_ours(text: bytes, wanted: set[str]) -> bool:
    """Whether structured data says nothing but of types that the block says, given as
    `json-ld:Type`; what cannot be read says nothing at all."""
    try:
        value = foreign.read_json(text)
    except (ValueError, RecursionError):
        return False
    nodes = value.get("@graph", [value]) if isinstance(value, dict) else value
    if not isinstance(nodes, list):
        return False
    kinds = [node.get("@type") if isinstance(node, dict) else None for node in nodes]
    return bool(kinds) and all(isinstance(k, str) and f"json-ld:{k}" in wanted for k in kinds)


def _line(data: bytes, tag: ScannedTag) -> tuple[int, int]:
    """The bytes of an element, with its line where nothing else stands on it."""
    start = tag.start
    while start > 0 and data[start - 1 : start] in (b" ", b"\t"):
        start -= 1
    end = tag.end
    while data[end : end + 1] in (b" ", b"\t", b"\r"):
        end += 1
    alone = (start == 0 or data[start - 1 : start] == b"\n") and data[end : end + 1] == b"\n"
    return (start, end + 1) if alone else (tag.start, tag.end)


def _place(head: HeadSpan) -> int:
    """After charset and viewport, else where the head begins."""
    place = head.start
    for element in head.elements:
        equiv = element.attributes.get("http-equiv", "").lower() == "content-type"
        if element.name == "meta" and (
            "charset" in element.attributes or equiv or meaning(element) == "viewport"
        ):
            place = element.end
    return place


def _manner(data: bytes, place: int) -> tuple[str, str]:
    """How the file writes its head: the white space before a tag, and its ends of lines."""
    line = data.rfind(b"\n", 0, place) + 1
    match = re.match(rb"[ \t]*", data[line:place])
    indent = match[0].decode("ascii") if match else ""
    newline = "\r\n" if b"\r\n" in data[: place + 200] else "\n"
    return indent, newline
