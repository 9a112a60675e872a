"""Small additions to an HTML file outside its block of head data: snippets at four places,
`nofollow` on links, texts for pictures that have none, links around words, the trail of the page.

Every addition says of itself that it is one, so that `take_out` takes them all out again and gives
the file back octet for octet, wherever it was copied to.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from enum import StrEnum
from html import escape, unescape

import msgspec

from jovial_atlas.markup.links import ADDED, PutLink
from jovial_atlas.markup.scan import RAW, TAG, scan_head

#: Where snippets may stand.
PLACES = ("head_start", "head_end", "body_start", "body_end")
_OPEN, _CLOSE = b"<!-- snippet: jovial-atlas -->", b"<!-- /snippet -->"

_UNDO = (
    (re.compile(re.escape(_OPEN) + b".*?" + re.escape(_CLOSE), re.S), b""),
    (re.compile(rb' alt="[^"]*" data-alt="proposed"'), b""),
    (re.compile(rb' rel="nofollow" data-rel="added"'), b""),
    (re.compile(rb" nofollow([\"']) data-rel=\"added-word\""), rb"\1"),
    (re.compile(rb'"([^"]*) nofollow" data-rel="added-quoted"'), rb"\1"),
    (ADDED, rb"\1"),
    (re.compile(rb'<ol data-trail-steps="added">.*?</ol>', re.S), b""),
)
#: Where a template has a place for the trail; and how one is called that stands there already.
_TRAIL_PLACE = re.compile(rb"(?:\A|\s)data-trail(?:\s|=|/|\Z)", re.I)
_OTHER_TRAIL = re.compile(rb"\b(?:class|id|itemtype)\s*=\s*[\"']?[^\"'>]*breadcrumb", re.I)
_ATTRIBUTE = re.compile(
    rb"(?P<name>[^\s\"'>/=]+)(?:\s*=\s*(?P<value>\"[^\"]*\"|'[^']*'|[^\s\"'=<>`]+))?", re.S
)


class Additions(msgspec.Struct, frozen=True):
    """What is added: snippets by place as HTML; `nofollow` tells of a link's href whether it gets
    the word; `alt` gives a text for a picture, from its attributes, or ""; `links` gives the links
    that a file gets, in that encoding; `trail` are the steps to the page, as href and name, the
    page itself last."""

    snippets: Mapping[str, str] = msgspec.field(default_factory=dict)
    nofollow: Callable[[str], bool] | None = None
    alt: Callable[[Mapping[str, str]], str] | None = None
    links: Callable[[bytes, str], Iterable[PutLink]] | None = None
    trail: Sequence[tuple[str, str]] = ()


def take_out(data: bytes) -> bytes:
    """The file without any addition."""
    for wanted, instead in _UNDO:
        data = wanted.sub(instead, data)
    return data


def additions(data: bytes) -> list[bytes]:
    """All that was added to a file, in the order of its kinds."""
    return [match[0] for wanted, _ in _UNDO for match in wanted.finditer(data)]


def put_in(data: bytes, how: Additions, encoding: str = "utf-8") -> bytes:
    """The file with these additions; it must not have any yet."""
    links = how.links(data, encoding) if how.links else ()
    edits = [
        *_snippets(data, how, encoding),
        *_attributes(data, how, encoding),
        *(one.edit(data, encoding) for one in links),
        *_trail(data, how.trail, encoding),
    ]
    added = sorted(edits, key=lambda one: one[0])
    pieces, at = [], 0
    for start, end, instead in added:
        pieces += [data[at:start], instead]
        at = end
    return b"".join([*pieces, data[at:]])


#: From, to, and what stands there instead.
_Edit = tuple[int, int, bytes]


class TrailPlace(StrEnum):
    """Whether a page can take its trail: it has an empty place for it and no other trail; it has
    no place; what stands there is not empty; or a trail stands elsewhere in it."""

    FREE = "free"
    NONE = "none"
    FILLED = "filled"
    DOUBLE = "double"


def trail_place(data: bytes) -> tuple[TrailPlace, int]:
    """Whether a page can take its trail, and where."""
    place = -1
    double = False
    for tag in _tags(data):
        if place < 0 and _TRAIL_PLACE.search(tag[3]):
            place = tag.end()
            continue
        double = double or _OTHER_TRAIL.search(tag[3]) is not None
    if place < 0:
        return TrailPlace.NONE, -1
    if not re.compile(rb"\s*</").match(data, place):
        return TrailPlace.FILLED, place
    return (TrailPlace.DOUBLE if double else TrailPlace.FREE), place


def _trail(data: bytes, steps: Sequence[tuple[str, str]], encoding: str) -> Iterator[_Edit]:
    state, place = trail_place(data) if steps else (TrailPlace.NONE, -1)
    if state is not TrailPlace.FREE:
        return
    *above, (_, own) = steps
    items = [f'<li><a href="{escape(href)}">{escape(name)}</a></li>' for href, name in above]
    items.append(f'<li aria-current="page">{escape(own)}</li>')
    html = f'<ol data-trail-steps="added">{"".join(items)}</ol>'
    yield place, place, html.encode(encoding, "xmlcharrefreplace")


def _snippets(data: bytes, how: Additions, encoding: str) -> Iterator[_Edit]:
    head = scan_head(data)
    if head is None or not any(how.snippets.values()):
        return
    body = next((at for name, at in _starts(data, head.end) if name == b"body"), None)
    places = {
        "head_start": head.start,
        "head_end": head.end,
        "body_start": _after_head(data, head.end) if body is None else body,
        "body_end": _end_of_body(data),
    }
    for name in PLACES:
        if text := how.snippets.get(name):
            inner = text.strip().encode(encoding, "xmlcharrefreplace")
            yield places[name], places[name], _OPEN + inner + _CLOSE


def _after_head(data: bytes, end: int) -> int:
    close = re.compile(rb"\s*</head\s*>", re.I).match(data, end)
    return close.end() if close else end


def _starts(data: bytes, place: int) -> Iterator[tuple[bytes, int]]:
    """Start tags from a place on: name, and where the tag ends."""
    for match in _tags(data, place):
        yield match[2].lower(), match.end()


def _end_of_body(data: bytes) -> int:
    low = data.lower()
    return next((at for word in (b"</body", b"</html") if (at := low.rfind(word)) >= 0), len(data))


def _tags(data: bytes, place: int = 0) -> Iterator[re.Match[bytes]]:
    """Start tags that are markup: not those in comments, scripts and the like."""
    while (sign := data.find(b"<", place)) >= 0:
        if data.startswith(b"<!--", sign):
            end = data.find(b"-->", sign + 4)
            place = end + 3 if end >= 0 else len(data)
            continue
        match = TAG.match(data, sign)
        if match is None:
            place = sign + 1
            continue
        place = match.end()
        name = match[2].lower()
        if match[1]:
            continue
        yield match
        if name in RAW:
            close = re.compile(rb"</" + name + rb"\s*>", re.I).search(data, place)
            place = close.end() if close else len(data)


def _attributes(data: bytes, how: Additions, encoding: str) -> Iterator[_Edit]:
    if how.nofollow is None and how.alt is None:
        return
    for tag in _tags(data):
        name = tag[2].lower()
        if name == b"a" and how.nofollow:
            yield from _nofollow(tag, how.nofollow)
        elif name == b"img" and how.alt:
            given = _given(tag)
            if "alt" not in given and (text := how.alt(_texts(given))):
                said = escape(text).encode(encoding, "xmlcharrefreplace")
                at = tag.end(2)
                yield at, at, b' alt="' + said + b'" data-alt="proposed"'


def _given(tag: re.Match[bytes]) -> dict[str, tuple[int, int, bytes]]:
    """The attributes of a tag: name → where its value begins and ends, and the value as written."""
    spans: dict[str, tuple[int, int, bytes]] = {}
    for one in _ATTRIBUTE.finditer(tag[3]):
        value = one["value"] or b""
        start = tag.start(3) + (one.start("value") if one["value"] else one.end("name"))
        name = one["name"].decode("latin-1").lower()
        spans.setdefault(name, (start, start + len(value), value))
    return spans


def _texts(given: Mapping[str, tuple[int, int, bytes]]) -> dict[str, str]:
    return {name: _text(value) for name, (_, _, value) in given.items()}


def _text(value: bytes) -> str:
    quoted = value[:1] in (b'"', b"'")
    return unescape((value[1:-1] if quoted else value).decode("utf-8", "replace"))


def _nofollow(tag: re.Match[bytes], wanted: Callable[[str], bool]) -> Iterator[_Edit]:
    given = _given(tag)
    if "href" not in given or not wanted(_text(given["href"][2]).strip()):
        return
    if "rel" not in given:
        yield tag.end(2), tag.end(2), b' rel="nofollow" data-rel="added"'
        return
    start, end, value = given["rel"]
    if "nofollow" in _text(value).lower().split() or not value:
        return
    if value[:1] in (b'"', b"'"):
        yield end - 1, end, b" nofollow" + value[:1] + b' data-rel="added-word"'
    else:
        yield start, end, b'"' + value + b' nofollow" data-rel="added-quoted"'
