"""Pages that records carry: whole ones, or the main part of them.

Loads nothing of tables, so that workers begin soon.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

import xxhash

from jovial_atlas.faults import Fault
from jovial_atlas.pages.row import PageRow
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page

_WHOLE = re.compile(r"\A\s*(?:<\?xml[^>]*>\s*)?(?:<!--.*?-->\s*)*<(?:!doctype|html|head|body)\b",
                    re.I | re.S)  # fmt: skip
#: What a part of a page cannot lack.
_OF_WHOLE_PAGES = frozenset({"page-empty"})
#: What a page says, if it is one, and its faults.
ReadContent = tuple[PageRow | None, list[Fault]]


def read_contents(pages: Sequence[tuple[str, str]], reading: Reading) -> list[ReadContent]:
    """What some pages say, given as address and HTML."""
    return [_read(loc, content, reading) for loc, content in pages]


def _read(loc: str, content: str, reading: Reading) -> ReadContent:
    whole = _WHOLE.match(content) is not None
    data = (content if whole else f"<main>{content}</main>").encode("utf-8", "replace")
    row, faults = read_page(data, PageFile(Path(), loc, loc), reading)
    if row is not None:
        row["digest"] = xxhash.xxh3_128_hexdigest(content.encode("utf-8", "replace"))
    return row, faults if whole else [one for one in faults if one.code not in _OF_WHOLE_PAGES]
