"""What is shown, made safe to show: signs that a terminal would obey become visible, and secrets
are left out. Everything that `cli` prints passes here.
"""

from __future__ import annotations

import re
from collections.abc import Collection

from jovial_atlas.redact import redacted

# C0 (but for line ends and tabs), DEL, C1, signs that turn the direction of text around, line and
# paragraph separators, and halves of surrogate pairs.
_OBEYED = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff\ufeff]"
)
#: Line ends and tabs as well: in a cell or a label they would break the line.
_IN_LINE = re.compile("[\t\n]+")


def visible(text: str, secrets: Collection[str] = ()) -> str:
    """A text with every sign that a terminal would obey written out, as in `\\x1b`."""
    return _OBEYED.sub(_written, redacted(text, secrets) if secrets else text)


def in_line(text: str) -> str:
    """A text for one line: line ends and tabs become spaces."""
    return _IN_LINE.sub(" ", text)


def json_safe(text: str, secrets: Collection[str] = ()) -> str:
    """A JSON text in which these signs are escaped, where JSON lets them stand as they are."""
    said = redacted(text, secrets) if secrets else text
    return _OBEYED.sub(lambda match: f"\\u{ord(match[0]):04x}", said)


def _written(match: re.Match[str]) -> str:
    number = ord(match[0])
    return f"\\x{number:02x}" if number < 256 else f"\\u{number:04x}"


def plain_value(value: object) -> object:
    """A value that JSON does not know as one that it knows: a structure as its fields."""
    if hasattr(value, "__struct_fields__"):
        return {name: getattr(value, name) for name in value.__struct_fields__}
    return str(value)
