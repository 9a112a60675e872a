"""A block of tags in the head of an HTML file: put in, renewed, taken out.

The block stands between two comments. Tags of the same meaning that stood in the file are taken
out, and kept, packed, in the second comment: so `restore` gives the file back as it was, octet
for octet, wherever it was copied to, and putting the same block in twice changes nothing.
"""

from __future__ import annotations

import base64
import binascii
import json
import re
import zlib
from collections.abc import Sequence
from dataclasses import dataclass

from jovial_atlas.markup.dress import Dress, dress, undress
from jovial_atlas.markup.scan import Found, Head, scan_head

MARK = b"<!-- head data: jovial-atlas -->"
_END = re.compile(rb"<!-- /head data ([A-Za-z0-9+/=]*) -->")
#: Encodings whose markup is not ASCII.
_BOMS = (b"\xff\xfe", b"\xfe\xff")


@dataclass(frozen=True, slots=True)
class Tag:
    """One tag of a block as HTML ("" for none), and its meaning: tags of a file with one of
    `replaces` go. Meanings are those of `meaning`, and `json-ld:Type` of structured data."""

    html: str
    replaces: tuple[str, ...]


def meaning(found: Found) -> str:
    """What an element of a head says, "" where it is nothing that a block could say."""
    given = found.attributes
    if found.name == "title":
        return "title"
    if found.name == "meta":
        return (given.get("name") or given.get("property") or "").strip().lower()
    if found.name == "link":
        rel = given.get("rel", "").lower().split()
        if "canonical" in rel:
            return "canonical"
        if "alternate" in rel and "hreflang" in given:
            return "hreflang"
        if "alternate" in rel and "rss+xml" in given.get("type", "").lower():
            return "feed-rss"
        if "alternate" in rel and "atom+xml" in given.get("type", "").lower():
            return "feed-atom"
    if found.name == "script" and given.get("type", "").strip().lower() == "application/ld+json":
        return "json-ld"
    return ""


def restore(data: bytes) -> bytes:
    """The file as it was before anything was put in; a file without a block as it is. Where a
    block was changed by hand, it is taken out, and what it replaced is lost."""
    if MARK in data:
        data = undress(data)
    while (found := _block(data)) is not None:
        data = _taken_out(data, *found)
    return data


def _block(data: bytes) -> tuple[int, re.Match[bytes]] | None:
    """Where the last block of a file begins, and the comment that ends it."""
    start = len(data)
    while (start := data.rfind(MARK, 0, start)) >= 0:
        if end := _END.search(data, start):
            return start, end
    return None


def _taken_out(data: bytes, start: int, end: re.Match[bytes]) -> bytes:
    rest = data[:start] + data[end.end() :]
    try:
        # The block stands on lines of its own where the file has lines.
        before, after, pieces = json.loads(zlib.decompress(base64.b64decode(end[1])))
        rest = data[: start - before] + data[end.end() + after :]
        for place, piece in pieces:
            rest = rest[:place] + base64.b64decode(piece) + rest[place:]
    except (ValueError, TypeError, binascii.Error, zlib.error):
        return rest
    return rest


def inject(
    data: bytes, tags: Sequence[Tag], encoding: str = "utf-8", also: Dress | None = None
) -> bytes | None:
    """The file with a block of these tags right after charset and viewport, in place of a block
    that is there and of tags with the same meaning. None where the file has no head that could
    take one. Letters that the encoding of the file does not have become character references.
    `also` says what is added elsewhere in the file."""
    new = _with_block(data, tags, encoding)
    return new if new is None or also is None or not tags else dress(new, also, encoding)


def _with_block(data: bytes, tags: Sequence[Tag], encoding: str) -> bytes | None:
    whole = restore(data)
    if whole.startswith(_BOMS):
        return None
    head = scan_head(whole)
    if head is None or not tags:
        return whole if head is not None else None
    wanted = {name for tag in tags for name in tag.replaces}
    gone = [_line(whole, one) for one in head.elements if _replaced(one, wanted)]
    pieces, rest, place = _without(whole, gone, _place(head))
    indent, newline = _manner(rest, place)
    joined = f"{newline}{indent}".join(tag.html for tag in tags if tag.html)
    kept = [[at, base64.b64encode(piece).decode()] for at, piece in pieces]
    before = f"{newline}{indent}".encode()
    packed = base64.b64encode(zlib.compress(json.dumps([len(before), 0, kept]).encode(), 9))
    block = b"".join(
        (
            before, MARK, before, joined.encode(encoding, "xmlcharrefreplace"), before,
            b"<!-- /head data ", packed, b" -->",
        )
    )  # fmt: skip
    return rest[:place] + block + rest[place:]


def _replaced(one: Found, wanted: set[str]) -> bool:
    said = meaning(one)
    if said == "json-ld":
        return "json-ld" in wanted and _all_ours(one.inner, wanted)
    # The details of a picture or a film go with it.
    return bool(said) and (said in wanted or ":".join(said.split(":")[:2]) in wanted)


def _all_ours(text: bytes, wanted: set[str]) -> bool:
    """Whether structured data says nothing but of types that the block says, given as
    `json-ld:Type`; what cannot be read says nothing at all."""
    try:
        value = json.loads(text)
    except ValueError:
        return False
    nodes = value.get("@graph", [value]) if isinstance(value, dict) else value
    if not isinstance(nodes, list):
        return False
    kinds = [node.get("@type") if isinstance(node, dict) else None for node in nodes]
    return bool(kinds) and all(isinstance(k, str) and f"json-ld:{k}" in wanted for k in kinds)


def _line(data: bytes, one: Found) -> tuple[int, int]:
    """The bytes of an element, with its line where nothing else stands on it."""
    start = one.start
    while start > 0 and data[start - 1 : start] in (b" ", b"\t"):
        start -= 1
    end = one.end
    while data[end : end + 1] in (b" ", b"\t", b"\r"):
        end += 1
    alone = (start == 0 or data[start - 1 : start] == b"\n") and data[end : end + 1] == b"\n"
    return (start, end + 1) if alone else (one.start, one.end)


def _without(
    data: bytes, gone: Sequence[tuple[int, int]], place: int
) -> tuple[list[tuple[int, bytes]], bytes, int]:
    """The data without some stretches; what they were, by where they are put back one after
    another; and where `place` is then."""
    pieces: list[tuple[int, bytes]] = []
    rest, at, moved = b"", 0, place
    for start, end in gone:
        rest += data[at:start]
        pieces.append((start, data[start:end]))
        if end <= place:
            moved -= end - start
        at = end
    return pieces, rest + data[at:], moved


def _place(head: Head) -> int:
    """After charset and viewport, else where the head begins."""
    place = head.start
    for one in head.elements:
        equiv = one.attributes.get("http-equiv", "").lower() == "content-type"
        if one.name == "meta" and (
            "charset" in one.attributes or equiv or meaning(one) == "viewport"
        ):
            place = one.end
    return place


def _manner(data: bytes, place: int) -> tuple[str, str]:
    """How the file writes its head: the white space before a tag, and its ends of lines."""
    line = data.rfind(b"\n", 0, place) + 1
    match = re.match(rb"[ \t]*", data[line:place])
    indent = match[0].decode("ascii") if match else ""
    newline = "\r\n" if b"\r\n" in data[: place + 200] else "\n"
    return indent, newline
