"""The tags of an HTML head with their places in the bytes of a file.

A small tokenizer after the HTML standard, §13.2.5: tags, comments, and elements whose content is
no markup (script, style, title, noscript, template). Names and values are compared as browsers
do; encodings are those in which markup is ASCII.
"""

from __future__ import annotations

import re
from html import unescape

import msgspec

TAG = re.compile(rb"<(/?)([A-Za-z][^\s/>]*)((?:[^>\"']|\"[^\"]*\"|'[^']*')*)>")
_ATTRIBUTE = re.compile(
    rb"([^\s\"'>/=]+)(?:\s*=\s*(?:\"([^\"]*)\"|'([^']*)'|([^\s\"'=<>`]+)))?", re.S
)
#: Elements whose content is not looked into.
RAW = frozenset({b"script", b"style", b"title", b"noscript", b"template", b"textarea"})
#: What may stand in a head; anything else ends it.
_OF_HEAD = frozenset({b"base", b"link", b"meta", b"html", b"head", *RAW})


class ScannedTag(msgspec.Struct, frozen=True):
    """One element of the head: its name, attributes (names in lower case), and its bytes from
    `start` to `end`; `inner` is the content of a script."""

    name: str
    attributes: dict[str, str]
    start: int
    end: int
    inner: bytes = b""


class HeadSpan(msgspec.Struct, frozen=True):
    """The elements of a head in their order, and where it begins and ends."""

    start: int
    end: int
    elements: list[ScannedTag] = msgspec.field(default_factory=list)


def scan_head(data: bytes) -> HeadSpan | None:
    """The head of an HTML file, None where the file has neither a head nor a place for one."""
    place, start = 0, None
    elements: list[ScannedTag] = []
    while (sign := data.find(b"<", place)) >= 0:
        if data.startswith(b"<!--", sign):
            end = data.find(b"-->", sign + 4)
            place = end + 3 if end >= 0 else len(data)
            continue
        if data[sign : sign + 2] in (b"<!", b"<?"):
            end = data.find(b">", sign)
            place = end + 1 if end >= 0 else len(data)
            continue
        match = TAG.match(data, sign)
        if match is None:
            if start is not None:
                break
            place = sign + 1
            continue
        closing, name = match[1], match[2].lower()
        if closing and name == b"head":
            return HeadSpan(match.end() if start is None else start, sign, elements)
        if name not in _OF_HEAD and not closing:
            # The body begins, with or without its tag.
            return HeadSpan(sign if start is None else start, sign, elements)
        place = match.end()
        if closing or name == b"html":
            continue
        if name == b"head":
            start = place
            continue
        end, inner = place, b""
        if name in RAW:
            close = re.compile(rb"</" + name + rb"\s*>", re.I).search(data, place)
            if close is None:
                return None  # the rest of the file is inside this element
            inner, end = data[place : close.start()], close.end()
        name_ = name.decode("ascii", "replace")
        elements.append(ScannedTag(name_, _attributes(match[3]), sign, end, inner))
        start = sign if start is None else start
        place = end
    return None if start is None else HeadSpan(start, len(data) if sign < 0 else sign, elements)


def _attributes(text: bytes) -> dict[str, str]:
    attributes: dict[str, str] = {}
    for name, *values in _ATTRIBUTE.findall(text):
        value = next((one for one in values if one), b"")
        attributes.setdefault(
            name.decode("latin-1").lower(), unescape(value.decode("utf-8", "replace"))
        )
    return attributes
