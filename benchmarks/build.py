"""Writing sitemaps from a table against a plain script: lxml's incremental writer and gzip."""

from __future__ import annotations

import gzip
import io
from collections.abc import Callable

import polars as pl
from lxml import etree

from jovial_atlas.sitemaps.packing import compressed
from jovial_atlas.sitemaps.protocol import CORE
from jovial_atlas.sitemaps.write import urlset_parts

_COUNT = 200_000


def run(pair: Callable[..., float]) -> None:
    """Addresses and dates from memory to compressed bytes."""
    table = pl.DataFrame(
        {
            "loc": [f"https://www.marrowfen.example/species/a-page-{n}/" for n in range(_COUNT)],
            "lastmod": ["2026-11-23"] * _COUNT,
        }
    )
    pair(
        f"{_COUNT:,} addresses to .xml.gz",
        lambda: [compressed(part.data) for part in urlset_parts(table)],
        lambda: _plain(table),
        wanted="well below 1",
        runs=3,
    )


def _plain(table: pl.DataFrame) -> list[bytes]:
    files = []
    rows = list(table.iter_rows())
    for start in range(0, len(rows), 50_000):
        buffer = io.BytesIO()
        with (
            gzip.GzipFile(fileobj=buffer, mode="wb", mtime=0) as packed,
            etree.xmlfile(packed, encoding="utf-8") as file,
        ):
            file.write_declaration()
            with file.element("urlset", nsmap={None: CORE}):
                for loc, lastmod in rows[start : start + 50_000]:
                    with file.element("url"):
                        with file.element("loc"):
                            file.write(loc)
                        with file.element("lastmod"):
                            file.write(lastmod)
        files.append(buffer.getvalue())
    return files
