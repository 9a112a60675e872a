"""Head data for pages that another system serves: a small reader for its templates.

    from jovial_atlas.serving import HeadReader

    heads = HeadReader("/srv/site/.jovial-atlas/heads")
    heads.html("/field-notes/otters/")    # the tags, ready to stand in <head>
    heads.data("/field-notes/otters/")    # the same as values

`build` writes the folder where `fragments = true` in [head]. Standard library only; every call
reads one small file, so what a build changes is seen at once.
"""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

#: A page whose address ends in a slash.
_FOLDER_PAGE = "@"


def fragment_path(address: str) -> str:
    """The path of a page's fragment below the folder, without its ending, by its address as the
    page table has it, or its path from '/' on."""
    parts = urlsplit(address)
    path = parts.path.replace("@", "%40").lstrip("/")
    if path.endswith("/") or not path:
        path += _FOLDER_PAGE
    if parts.query:
        path += f"@{hashlib.sha256(parts.query.encode()).hexdigest()[:12]}"
    return path


class HeadReader:
    """The heads of one site's pages, as the last build wrote them."""

    def __init__(self, folder: str | Path) -> None:
        self.folder = Path(folder)

    def html(self, address: str) -> str:
        """The tags of a page's head; empty where it has none. Raises OSError for a file that is
        there and cannot be read."""
        return self._read(address, ".html")

    def data(self, address: str) -> dict[str, Any] | None:
        """The head data of a page; None where it has none."""
        text = self._read(address, ".json")
        found: dict[str, Any] | None = json.loads(text) if text else None
        return found

    def _read(self, address: str, ending: str) -> str:
        path = self.folder / (fragment_path(address) + ending)
        if ".." in path.parts:
            return ""
        try:
            return path.read_text("utf-8")
        except (FileNotFoundError, NotADirectoryError):
            return ""
