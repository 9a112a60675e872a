"""Links put around words of a page's text: found in its bytes, never inside headings, links, code
or what is no content.

Each is marked, so that `additions.take_out` takes it out again. A page that links to a target by
itself gets no other link to it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from html import escape, unescape

import msgspec

from jovial_atlas.markup.scan import RAW, TAG

#: Elements in which no link is put: other links and controls, headings, code, and what stands
#: beside the content.
_CLOSED = frozenset(
    b"a button label select textarea option summary h1 h2 h3 h4 h5 h6 pre code kbd samp var cite "
    b"th dt nav aside form footer head script style noscript template title svg math "
    b"iframe object video audio canvas".split()
)
#: Elements without an end.
_VOID = frozenset(b"area base br col embed hr img input link meta source track wbr".split())
#: How parts of a frame are called where a page marks no main content.
_FRAME = re.compile(
    rb"\b(?:class|id|role)\s*=\s*[\"']?[^\"'>]*(?:nav|breadcrumb|sidebar|footer)", re.I
)
#: How XML ends an element at once; the slash of an address without quotes is none.
_EMPTY = re.compile(rb"(?:\A|[\s\"'])/\Z")
_MAIN = re.compile(rb"\brole\s*=\s*[\"']?main\b", re.I)
_HREF = re.compile(rb"\bhref\s*=\s*(\"[^\"]*\"|'[^']*'|[^\s\"'>]+)", re.I)
_PIECE = re.compile(r"&#?\w+;|\w+")
#: What may stand between two words of a name.
_GAP = re.compile(r"(?:\s|&nbsp;|&#160;|&#xa0;|[-\u2010\u2011])+\Z", re.I)
ADDED = re.compile(rb'<a href="[^"]*" data-link="added">([^<]*)</a>')


class LinkWish(msgspec.Struct, frozen=True):
    """Words that shall lead to `href`, as one or several names, each the stems of its words; on
    one page so often at most. `resolved` is the address that it leads to."""

    names: tuple[tuple[str, ...], ...]
    href: str
    resolved: str
    per_page: int = 1


class PutLink(msgspec.Struct, frozen=True):
    """A link that was put in: the wish, the words as they stand, and their bytes from `start` to
    `end`."""

    wish: LinkWish
    words: str
    start: int
    end: int

    def edit(self, data: bytes, encoding: str) -> tuple[int, int, bytes]:
        """From, to, and what stands there instead."""
        href = escape(self.wish.href).encode(encoding, "xmlcharrefreplace")
        inner = data[self.start : self.end]
        return self.start, self.end, b'<a href="' + href + b'" data-link="added">' + inner + b"</a>"


def put_links(
    data: bytes,
    wishes: Sequence[LinkWish],
    most: int,
    reduce: Callable[[str], str],
    resolve: Callable[[str], str | None],
    encoding: str = "utf-8",
) -> list[PutLink]:
    """The links that a page gets, at most so many, in the order of the wishes where several would
    stand at the same words. `reduce` gives the stem of a word, `resolve` the address that an href
    of the page leads to."""
    runs, targets = _text_of(data, resolve)
    words = [one for start, text in runs for one in _words(start, text, encoding, reduce)]
    taken: list[PutLink] = []
    for wish in wishes:
        left = 0 if wish.resolved in targets else wish.per_page
        for found in _places(words, wish, data, encoding) if left else ():
            if len(taken) == most or not left:
                break
            if all(found.end <= one.start or found.start >= one.end for one in taken):
                taken.append(found)
                left -= 1
    return sorted(taken, key=lambda one: one.start)


class _Word(msgspec.Struct, frozen=True):
    """A word of a text: its stem, its bytes from `start` to `end`, the run of text that it stands
    in, and what stands between it and the word before."""

    stem: str
    start: int
    end: int
    run: int
    gap: str


def _text_of(
    data: bytes, resolve: Callable[[str], str | None]
) -> tuple[list[tuple[int, bytes]], set[str | None]]:
    """The runs of text in which links may stand, each with where it begins; and what the page's
    content links to already."""
    open_at = _main_of(data)
    place, end = open_at
    runs: list[tuple[int, bytes]] = []
    targets: set[str | None] = set()
    while place < end:
        sign = data.find(b"<", place, end)
        stop = end if sign < 0 else sign
        if stop > place:
            runs.append((place, data[place:stop]))
        if sign < 0:
            break
        place, tag = _after_tag(data, sign, end)
        if tag is None or tag[1]:
            continue
        name = tag[2].lower()
        if name == b"a" and (href := _HREF.search(tag[3])):
            targets.add(resolve(unescape(href[1].strip(b"\"'").decode("utf-8", "replace"))))
        closed = name in _CLOSED or (name not in _VOID and open_at[1] == len(data)
                                     and _FRAME.search(tag[3]) is not None)  # fmt: skip
        if closed and not _EMPTY.search(tag[3]):
            place = _end_of(data, name, place, end)
    return runs, targets


def _after_tag(data: bytes, sign: int, end: int) -> tuple[int, re.Match[bytes] | None]:
    """Where a tag or comment ends, and the tag."""
    if data.startswith(b"<!--", sign):
        close = data.find(b"-->", sign + 4)
        return (close + 3 if close >= 0 else end), None
    match = TAG.match(data, sign)
    return (match.end(), match) if match else (sign + 1, None)


def _main_of(data: bytes) -> tuple[int, int]:
    """Where the main content begins and ends: what is marked as such, else the body."""
    place, body = 0, 0
    while (sign := data.find(b"<", place)) >= 0:
        place, tag = _after_tag(data, sign, len(data))
        if tag is None or tag[1]:
            continue
        name = tag[2].lower()
        if name == b"main" or _MAIN.search(tag[3]):
            return place, _end_of(data, name, place, len(data)) - 1
        if name == b"body":
            body = place
        if name in RAW:
            place = _end_of(data, name, place, len(data))
    return body, len(data)


def _end_of(data: bytes, name: bytes, place: int, end: int) -> int:
    """Where an element that began before a place is over."""
    if name in RAW:
        close = re.compile(rb"</" + name + rb"\s*>", re.I).search(data, place, end)
        return close.end() if close else end
    depth = 1
    tags = re.compile(rb"<!--.*?-->|<(/?)" + name + rb"(?=[\s/>])[^>]*>", re.I | re.S)
    for tag in tags.finditer(data, place, end):
        if tag[1] is None:
            continue
        depth += -1 if tag[1] else 1
        if not depth:
            return tag.end()
    return end


def _words(
    start: int, text: bytes, encoding: str, reduce: Callable[[str], str]
) -> Iterator[_Word]:
    """The words of a run of text, with their bytes."""
    said, encoding = _decoded(text, encoding)
    wide = encoding != "latin-1" and not text.isascii()
    before, begun, at = 0, -1, 0
    letters = ""
    for piece in [*_PIECE.finditer(said), None]:
        plain = unescape(piece[0]) if piece else ""
        joins = piece is not None and piece.start() == at and plain.isalnum() and begun >= 0
        if begun >= 0 and not joins:
            first, last = _bytes(said, begun, wide, encoding), _bytes(said, at, wide, encoding)
            yield _Word(reduce(letters), start + first, start + last, start, said[before:begun])
            before, begun, letters = at, -1, ""
        if piece is not None and plain.replace("_", "a").isalnum():
            begun = piece.start() if begun < 0 else begun
            letters += plain
            at = piece.end()


def _decoded(text: bytes, encoding: str) -> tuple[str, str]:
    """A text as its page says it is written, or as it can be read; and in which way."""
    for one in (encoding, "utf-8"):
        try:
            return text.decode(one), one
        except UnicodeDecodeError:
            continue
    # Each octet is one sign: words in other letters are not found.
    return text.decode("latin-1"), "latin-1"


def _bytes(said: str, place: int, wide: bool, encoding: str) -> int:
    return len(said[:place].encode(encoding)) if wide else place


def _places(
    words: Sequence[_Word], wish: LinkWish, data: bytes, encoding: str
) -> Iterator[PutLink]:
    """Where a page says a name, from its beginning on: whole, in one run of text."""
    longest = sorted(wish.names, key=len, reverse=True)
    for at, first in enumerate(words):
        for name in longest:
            some = words[at : at + len(name)]
            if first.stem != name[0] or tuple(one.stem for one in some) != name:
                continue
            if any(one.run != first.run or not _GAP.match(one.gap) for one in some[1:]):
                continue
            shown = unescape(data[first.start : some[-1].end].decode(encoding, "replace"))
            yield PutLink(wish, " ".join(shown.split()), first.start, some[-1].end)
            break
