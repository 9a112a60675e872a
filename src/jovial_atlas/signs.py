"""By what the files of a build are known again where nothing remembers that they are ours.

Each carries a sign of its own: a sitemap names our style sheet, or where it has none says who wrote
it; feeds and the page for visitors name their generator. Files without a sign (robots.txt, the
parts of heads) are never taken for ours by what they hold.
"""

from __future__ import annotations

import gzip
import os
import zlib
from pathlib import Path

GENERATOR = "Jovial Atlas"
#: Name of the style sheet, and what stands in a sitemap that has none.
STYLE = "sitemap-view.xsl"
WRITTEN = f"<!-- Written by {GENERATOR} -->"

_SITEMAP = (f'href="/{STYLE}"?>'.encode(), WRITTEN.encode())
_FEED = f"{GENERATOR}</generator>".encode()
_PAGE = f'<meta name="generator" content="{GENERATOR}">'.encode()
_STYLE = b"<!-- Shows a sitemap or an index of sitemaps to a person."
#: A sign stands within so many octets from the beginning; in a feed, after what it tells of itself.
_NEAR, _FAR = 600, 16_384
_XML = (".xml", ".xml.gz")


def signed_files(folder: Path, page: str) -> list[str]:
    """Names of the files at the root of an output folder that carry a sign of ours; `page` is the
    name of the page for visitors, as the site file gives it. The text sitemap beside a signed one
    is ours with it."""
    try:
        with os.scandir(folder) as entries:
            names = {one.name for one in entries if one.is_file()}
    except OSError:
        return []
    found = {name for name in names if name.endswith(_XML) and _is_ours(folder / name)}
    found |= {name for name in names if name == STYLE and _holds(folder / name, (_STYLE,))}
    found |= {f"{name.partition('.xml')[0]}.txt" for name in found if name.endswith(_XML)} & names
    return sorted(found | set(signed_pages(folder, page)))


def signed_pages(folder: Path, page: str) -> list[str]:
    """Names of the pages for visitors that carry our sign: `page` and its further parts."""
    page = page or "sitemap.html"
    stem = page.removesuffix(".html")
    names = []
    number = 1
    while _holds(folder / (name := f"{stem}-{number}.html" if number > 1 else page), (_PAGE,)):
        names.append(name)
        number += 1
    return names


def _is_ours(path: Path) -> bool:
    return _holds(path, _SITEMAP) or is_signed_feed(path)


def is_signed_feed(path: Path) -> bool:
    """Whether a feed carries our sign: what it says was read from the pages themselves."""
    return _holds(path, (_FEED,), _FAR)


def _holds(path: Path, signs: tuple[bytes, ...], within: int = _NEAR) -> bool:
    try:
        with path.open("rb") as file:
            if path.suffix == ".gz":
                with gzip.open(file) as unpacked:
                    data = unpacked.read(within)
            else:
                data = file.read(within)
    except (OSError, EOFError, zlib.error):
        return False
    return any(sign in data for sign in signs)
