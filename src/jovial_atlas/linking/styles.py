"""What style sheets load: the addresses in `url(…)` and `@import` (CSS Syntax Module Level 3,
§4.3.6; CSS Cascading and Inheritance Level 5, §2). Text in, addresses as they are written out."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import PurePosixPath
from urllib.parse import urlsplit

_QUOTED = r"""(?:"(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*')"""
_TOKEN = re.compile(
    rf"""/\*.*?(?:\*/|\Z)
    |@(?:namespace|charset)\b[^;{{]*
    |(?P<at>@import\s*+)?url\(\s*+(?P<url>{_QUOTED}|(?:[^\s"'()\\]|\\[0-9a-f]{{1,6}}\s?|\\.)*+)\s*+\)
    |@import\s*+(?P<named>{_QUOTED})
    |{_QUOTED}""",
    re.X | re.S | re.I,
)
#: §4.3.7: a code point in hexadecimal digits with one white space behind, or a sign as it is.
_ESCAPED = re.compile(r"\\(?:([0-9a-f]{1,6})\s?|\n|(.))", re.I | re.S)
#: What names no file: a part of the page itself, or what stands in the address.
_NO_FILE = re.compile(r"(?:#|data:|about:|blob:|javascript:)", re.I)
_FONTS = frozenset({".woff2", ".woff", ".ttf", ".otf", ".eot"})


def loaded_by_style(css: str) -> Iterator[tuple[str, str]]:
    """What a style sheet loads, in its order, as kind (`LINK_KINDS`) and address as written."""
    for token in _TOKEN.finditer(css):
        found = token["named"] if token["url"] is None else token["url"]
        written = _plain(found or "").strip()
        if written and not _NO_FILE.match(written):
            imported = bool(token["at"] or token["named"])
            yield "style" if imported else _kind(written), written


def _plain(found: str) -> str:
    quoted = len(found) > 1 and found[0] in "\"'"
    return _ESCAPED.sub(_sign, found[1:-1] if quoted else found)


def _sign(escaped: re.Match[str]) -> str:
    if not escaped[1]:
        return escaped[2] or ""
    number = int(escaped[1], 16)
    return chr(number) if 0 < number < 0x110000 and not 0xD800 <= number < 0xE000 else "\ufffd"


def _kind(written: str) -> str:
    try:
        ending = PurePosixPath(urlsplit(written).path).suffix.lower()
    except ValueError:
        return "picture"
    return "style" if ending == ".css" else "file" if ending in _FONTS else "picture"
