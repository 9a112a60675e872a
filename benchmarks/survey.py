"""Surveying a folder of real pages against a bare loop that parses and collects three things.

The pages are Debian's documentation packages where they are installed, else the sample site.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from selectolax.lexbor import LexborHTMLParser

from jovial_atlas.demo.site import lay_out
from jovial_atlas.pages.survey import collect
from jovial_atlas.sources.html import read_folder
from jovial_atlas.sources.page import Reading

_REAL = ("/usr/share/doc/postgresql-doc-15/html", "/usr/share/doc/python3.11/html")


def run(pair: Callable[..., float]) -> None:
    """Pages a second: ours on all cores, the loop on one."""
    now = datetime.now(UTC)
    with tempfile.TemporaryDirectory() as sample:
        folders = [Path(folder) for folder in _REAL if Path(folder).is_dir()]
        if not folders:
            lay_out(Path(sample), now)
            folders = [Path(sample)]
        for folder in folders:
            count = sum(1 for _ in folder.rglob("*.html"))
            pair(
                f"survey of {count} pages in {folder.parent.name}",
                lambda folder=folder: collect(
                    read_folder(folder, "https://w.example", Reading("html", now))
                ),
                lambda folder=folder: _bare(folder),
                wanted="at most 1 on a large folder",
                runs=3,
            )


def _bare(folder: Path) -> int:
    found = []
    for path in sorted(folder.rglob("*.html")):
        tree = LexborHTMLParser(path.read_bytes())
        title = tree.css_first("title")
        metas = [
            (node.attributes.get("name"), node.attributes.get("content"))
            for node in tree.css("meta")
        ]
        links = [node.attributes.get("href") for node in tree.css("a[href]")]
        found.append((title.text() if title else None, metas, links))
    return len(found)
