"""Values from outside, made safe at the door: JSON that others wrote, numbers, texts and times in
it, and names of encodings. What has passed here needs no further care.
"""

from __future__ import annotations

import codecs
import json
import re
from contextlib import suppress
from functools import lru_cache
from typing import Any

import msgspec

from jovial_atlas import dates

#: How deep lists and objects may stand in each other: far more than anybody writes.
DEEPEST = 128
#: The largest count that anything here can have.
LARGEST_COUNT = 10**12
_LONGEST_NUMBER = 320
_LONG = re.compile(rf"[0-9]{{{_LONGEST_NUMBER + 1}}}")
_DIGITS = re.compile(r"[0-9]{1,15}\Z")
_SURROGATES = re.compile("[\ud800-\udfff]")


def read_json(data: bytes | str, deepest: int = DEEPEST) -> Any:
    """The value of a JSON text (RFC 8259). Raises ValueError for what is none, is nested too deep,
    or has a number that nobody can use. A half of a surrogate pair (§8.2) becomes U+FFFD."""
    if isinstance(data, bytes):
        data = data.decode(json.detect_encoding(data), "replace")
    # Only what opens often enough can be deep.
    may_be_deep = data.count("[") + data.count("{") > deepest
    if not may_be_deep and not (len(data) > _LONGEST_NUMBER and _LONG.search(data)):
        # Nearly all is as it should be: that is read several times as fast.
        with suppress(ValueError, RecursionError):
            return msgspec.json.decode(data)
    try:
        value = _DECODER.decode(data)
    except RecursionError:
        raise ValueError(f"it is nested more than {deepest} levels deep") from None
    if may_be_deep and _is_deep(value, deepest):
        raise ValueError(f"it is nested more than {deepest} levels deep")
    if "\\ud" in data or "\\uD" in data or _SURROGATES.search(data):
        return _whole_texts(value)
    return value


def _integer(text: str) -> int:
    if len(text) > _LONGEST_NUMBER:
        raise ValueError(f"it has a number of {len(text):,} digits")
    return int(text)


def _float(text: str) -> float:
    number = float(text)
    if number in (float("inf"), float("-inf")):
        raise ValueError(f"the number {text[:40]} is too large")
    return number


def _constant(text: str) -> float:
    raise ValueError(f"{text} is no value of JSON")


_DECODER = json.JSONDecoder(parse_int=_integer, parse_float=_float, parse_constant=_constant)


def _is_deep(value: Any, deepest: int) -> bool:
    """Whether a value is nested deeper than that, told level by level."""
    level = [value]
    for _ in range(deepest):
        level = [
            inner
            for one in level
            if isinstance(one, dict | list)
            for inner in (one.values() if isinstance(one, dict) else one)
            if isinstance(inner, dict | list)
        ]
        if not level:
            return False
    return True


def _whole_texts(value: Any) -> Any:
    if isinstance(value, str):
        return whole_text(value)
    if isinstance(value, list):
        return [_whole_texts(one) for one in value]
    if isinstance(value, dict):
        return {whole_text(name): _whole_texts(one) for name, one in value.items()}
    return value


def whole_text(text: str) -> str:
    """A text that every encoding of Unicode can write: halves of surrogate pairs become U+FFFD."""
    return text if text.isascii() else _SURROGATES.sub("\ufffd", text)


def whole(value: Any, most: int = LARGEST_COUNT) -> int | None:
    """A count, given as a number or in ASCII digits: from 0 to `most`; None for anything else."""
    if isinstance(value, bool):
        return None
    if isinstance(value, float) and value.is_integer():
        value = int(value)
    if isinstance(value, str) and _DIGITS.match(value.strip()):
        value = int(value)
    return value if isinstance(value, int) and 0 <= value <= most else None


def text(value: Any, most: int = 1_000) -> str:
    """A text on one line, of at most so many characters; "" for nothing."""
    if value is None or isinstance(value, dict | list):
        return ""
    said = " ".join(whole_text(str(value)[: 4 * most]).split())
    return said[:most]


def moment(value: Any) -> str | None:
    """A time in the product's form; None for what is none."""
    return dates.read(text(value, 100)) if isinstance(value, str | int) else None


def seconds(value: str | None) -> int | None:
    """A number of seconds in a header (RFC 9110 §10.2.3: `1*DIGIT`), None for anything else."""
    said = (value or "").strip()
    return int(said) if _DIGITS.match(said) else None


@lru_cache(maxsize=512)
def codec_of(label: str) -> str | None:
    """The name under which Python knows the encoding that a page names, by the labels of the WHATWG
    Encoding Standard (§4.2); None for a label that is none of these. No other name reaches the
    registry of codecs, which knows things that are no encodings of text."""
    # Most pages are UTF-8 and name it so; the table of labels is for the others.
    name = label.strip().lower()
    if name in ("utf-8", "utf8"):
        return "utf-8"
    if not name.isascii():
        return None
    import webencodings

    known = webencodings.lookup(name[:40])
    if known is None or known.name in ("x-user-defined", "replacement"):
        return None
    try:
        return codecs.lookup(known.codec_info.name).name
    except LookupError:
        return None


_CHARSET = re.compile(r"charset\s*=\s*[\"']?\s*([A-Za-z0-9_.:-]+)", re.I)


def in_utf8(page: bytes, content_type: str) -> bytes:
    """A page that a server sent, in UTF-8 where it came in another encoding by the words of its
    server, which count for more than the page's own (HTML, "determining the character encoding");
    a mark of Unicode begins it then. What is UTF-8 already, or begins with a mark, is left as it
    is, and so is what no known encoding is named for."""
    said = _CHARSET.search(content_type)
    encoding = codec_of(said[1].lower()) if said else None
    if encoding is None or encoding == "utf-8" or page.startswith(_MARKS):
        return page
    # In UTF-16 letters of ASCII are UTF-8 too, each with a zero beside it.
    if not encoding.startswith("utf-16") and _is_utf8(page):
        return page
    return codecs.BOM_UTF8 + page.decode(encoding, "replace").encode("utf-8", "replace")


def _is_utf8(data: bytes) -> bool:
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


_MARKS = (codecs.BOM_UTF8, codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)
