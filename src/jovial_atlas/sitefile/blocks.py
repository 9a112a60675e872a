"""The text of a site file in blocks, one a table, so that changing one leaves all else as it is:
order, comments, spelling. A comment right above a table goes with it.

Blocks are found by the look of lines. Whoever changes a text by them holds the result against the
values it must have (`says`), since what looks like a table may stand within a text or a list.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

_HEADER = re.compile(r"^\s*(\[\[?)\s*([A-Za-z0-9_-]+)((?:\.[A-Za-z0-9_-]+)*)\s*\]\]?\s*(?:#.*)?$")


@dataclass(frozen=True, slots=True)
class TableBlock:
    """The lines of one table of the first level, with what lies below it and the comment above;
    `name` is "" for what stands before all tables."""

    name: str
    text: str


def blocks_of(text: str) -> list[TableBlock]:
    """The blocks of a text, in their order; together they are the text."""
    blocks: list[TableBlock] = []
    name = ""
    lines: list[str] = []
    for line in text.splitlines(keepends=True):
        match = _HEADER.match(line.rstrip("\r\n"))
        below = match is not None and match[3] and match[2] == name
        if match and not below:
            above = _comment_above(lines)
            rest = lines[: len(lines) - len(above)]
            if rest or name:
                blocks.append(TableBlock(name, "".join(rest)))
            name, lines = match[2], above
        lines.append(line)
    return [*blocks, TableBlock(name, "".join(lines))] if lines or not blocks else blocks


def _comment_above(lines: list[str]) -> list[str]:
    above = 0
    while above < len(lines) and lines[-above - 1].lstrip().startswith("#"):
        above += 1
    # Where nothing parts it from what stands before, it belongs to that.
    apart = above == len(lines) or not lines[-above - 1].strip()
    return lines[len(lines) - above :] if above and apart else []


def text_of_blocks(blocks: Iterable[TableBlock]) -> str:
    """The text of blocks, each on lines of its own with an empty one before it."""
    text = ""
    for block in blocks:
        if text and not text.endswith("\n"):
            text += "\n"
        parted = not text or text.endswith(("\n\n", "\r\n\r\n")) or text == "\n"
        text += block.text if parted or not block.text.strip() else f"\n{block.text}"
    return text


def says(text: str, values: Mapping[str, Any]) -> bool:
    """Whether a text is TOML with exactly these values."""
    try:
        return tomllib.loads(text) == values
    except (ValueError, RecursionError):
        return False
