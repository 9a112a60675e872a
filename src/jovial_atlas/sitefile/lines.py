"""On which line of a TOML text a key stands, for messages; no parser, only a map of lines."""

from __future__ import annotations

import re
from collections.abc import Sequence

_TABLE = re.compile(r"^\s*\[\s*([A-Za-z0-9_.-]+)\s*\]\s*(?:#.*)?$")
_ARRAY = re.compile(r"^\s*\[\[\s*([A-Za-z0-9_.-]+)\s*\]\]\s*(?:#.*)?$")
_KEY = re.compile(r"^\s*([A-Za-z0-9_.-]+)\s*=")

Path = tuple[str | int, ...]


def line_map(text: str) -> dict[Path, int]:
    """Line (from 1) of each table header and key: `("source", 0, "path")` → 12."""
    lines: dict[Path, int] = {}
    counts: dict[Path, int] = {}
    here: Path = ()
    for number, line in enumerate(text.splitlines(), start=1):
        if match := _ARRAY.match(line):
            name = _parts(match[1])
            counts[name] = counts.get(name, -1) + 1
            here = (*name, counts[name])
            lines.setdefault(name, number)
            lines[here] = number
        elif match := _TABLE.match(line):
            here = _parts(match[1])
            lines[here] = number
        elif match := _KEY.match(line):
            lines.setdefault((*here, *_parts(match[1])), number)
    return lines


def _parts(dotted: str) -> tuple[str, ...]:
    return tuple(dotted.split("."))


def line_of(lines: dict[Path, int], path: Sequence[str | int]) -> int | None:
    """The line of a key, or of the nearest table around it."""
    for length in range(len(path), 0, -1):
        if found := lines.get(tuple(path[:length])):
            return found
    return None
