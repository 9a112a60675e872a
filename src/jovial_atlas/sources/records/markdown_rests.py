"""What the page of a Markdown file rests on: the file, and the heads of files that it links to."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence
from os.path import normpath
from pathlib import Path
from urllib.parse import unquote

from jovial_atlas.sources.html_page.context import PageFile
from jovial_atlas.sources.records.front_matter import head_of

#: How names of other files end in a text, what parts them from it, and how long they are at most.
_ENDING, _PARTING, _LONGEST = (
    re.compile(rb"\.(?:mdx?|markdown)\b", re.I),
    re.compile(rb"[\s()<>\"'\[\]]"),
    500,
)


def resting_on(files: Sequence[PageFile]) -> Iterator[tuple[str | bytes, ...]]:
    """What the row of each file rests on: path, time and bytes, and the heads of the files that it
    may link to, which say where their pages are."""
    heads: dict[str, str] = {}
    for file in files:
        place = str(file.place)
        try:
            data, changed = Path(place).read_bytes(), os.stat(place).st_mtime_ns  # noqa: PTH116
        except OSError:
            data, changed = b"", 0
        beside, root = place.rpartition("/")[0], place.removesuffix(file.path)
        linked: list[str | bytes] = []
        for name in sorted(_named_in(data)):
            href = unquote(name.decode("utf-8", "replace"))
            target = normpath(f"{root if href.startswith('/') else beside}/{href}")
            if target not in heads:
                heads[target] = _head_at(target)
            linked += [target, heads[target]]
        yield (file.path, file.loc, str(changed), file.committed or "", data, *linked)


def _named_in(data: bytes) -> set[bytes]:
    """What may be the names of other files in a text."""
    ends = [match.end() for match in _ENDING.finditer(data)]
    return {_PARTING.split(data[max(0, end - _LONGEST) : end])[-1] for end in ends}


def _head_at(place: str) -> str:
    try:
        return head_of(Path(place).read_text("utf-8-sig"))
    except (OSError, ValueError):
        return "\0"
