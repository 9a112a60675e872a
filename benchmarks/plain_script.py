"""The script that a user would write: sitemap files of a Parquet table with lxml's incremental
writer and the standard library's gzip. Usage: plain_script.py TABLE OUTPUT-FOLDER"""

import gzip
import sys
from pathlib import Path

import polars as pl
from lxml import etree

CORE = "http://www.sitemaps.org/schemas/sitemap/0.9"
MOST = 50_000


def main(table: str, output: str) -> None:
    rows = pl.scan_parquet(table).select(
        pl.format("https://www.marrowfen.example/species/{}/", "slug"),
        pl.col("changed").dt.strftime("%Y-%m-%dT%H:%M:%SZ"),
    )
    count = rows.select(pl.len()).collect().item()
    for number, start in enumerate(range(0, count, MOST), start=1):
        with (
            gzip.open(Path(output) / f"sitemap-{number}.xml.gz", "wb") as packed,
            etree.xmlfile(packed, encoding="utf-8") as file,
        ):
            file.write_declaration()
            with file.element("urlset", nsmap={None: CORE}):
                for loc, lastmod in rows.slice(start, MOST).collect().iter_rows():
                    with file.element("url"):
                        with file.element("loc"):
                            file.write(loc)
                        with file.element("lastmod"):
                            file.write(lastmod)


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2])
