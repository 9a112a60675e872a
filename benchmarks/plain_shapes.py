"""The script that an owner would write for his own table: any of its shapes to sitemap files, with
what comes with Python, lxml and a reader of Parquet. Usage: plain_shapes.py TABLE OUTPUT TEMPLATE

TEMPLATE is that of addresses, with {field}; "-" where the column loc holds them.
"""

import csv
import gzip
import json
import re
import sqlite3
import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from pathlib import Path
from urllib.parse import quote, urljoin, urlsplit, urlunsplit

from lxml import etree

CORE = "http://www.sitemaps.org/schemas/sitemap/0.9"
IMAGE = "http://www.google.com/schemas/sitemap-image/1.1"
XHTML = "http://www.w3.org/1999/xhtml"
VIDEO = "http://www.google.com/schemas/sitemap-video/1.1"
SITE = "https://www.marrowfen.example"
SPACES = {None: CORE, "image": IMAGE, "video": VIDEO, "xhtml": XHTML}
MOST = 50_000


def records(table: str) -> Iterator[dict]:
    if table.endswith(".csv"):
        with Path(table).open(newline="", encoding="utf-8") as stream:
            yield from csv.DictReader(stream)
    elif table.endswith(".jsonl"):
        with Path(table).open(encoding="utf-8") as stream:
            yield from map(json.loads, stream)
    elif table.endswith(".postgresql"):
        import psycopg

        with psycopg.connect(Path(table).read_text()) as base, base.cursor("pages") as rows:
            rows.itersize = MOST
            rows.execute("select * from pages")
            names = [one[0] for one in rows.description]
            for row in rows:
                yield dict(zip(names, row, strict=True))
    elif table.endswith(".db"):
        rows = sqlite3.connect(table).execute("select * from pages")
        names = [one[0] for one in rows.description]
        for row in rows:
            yield dict(zip(names, row, strict=True))
    else:
        import polars as pl

        rows = pl.scan_parquet(table)
        count = rows.select(pl.len()).collect().item()
        for start in range(0, count, MOST):
            yield from rows.slice(start, MOST).collect().iter_rows(named=True)


def address(record: dict, template: str) -> str:
    if template == "-":
        parts = urlsplit(urljoin(SITE + "/", record["loc"]))
        path, query = (
            quote(parts.path, safe="/%:@!$&'()*+,;=~"),
            quote(parts.query, safe="/%=&?:@~"),
        )
        return urlunsplit((parts.scheme, parts.netloc, path, query, ""))
    filled = re.sub(r"{(\w+)}", lambda match: quote(str(record[match[1]]), safe="/"), template)
    return SITE + filled


def moment(value: object) -> str | None:
    if isinstance(value, datetime):
        return value.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
    if not value:
        return None
    text = str(value)
    try:
        read = datetime.fromisoformat(text)
    except ValueError:
        read = parsedate_to_datetime(text)
    return read.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def films(record: dict) -> Iterator[dict]:
    if film := record.get("videos"):
        yield {
            "thumbnail_loc": urljoin(SITE + "/", film["thumbnail"]),
            "title": film["title"],
            "description": film["description"],
            "content_loc": urljoin(SITE + "/", film["content"]),
        }


def pictures(value: object) -> list[str]:
    given = value.split(";") if isinstance(value, str) else value or []
    return [urljoin(SITE + "/", one.strip()) for one in given if one.strip()]


def main(table: str, output: str, template: str) -> None:
    rows = records(table)
    number, more = 0, True
    while more:
        number += 1
        with (
            gzip.open(Path(output) / f"sitemap-{number}.xml.gz", "wb") as packed,
            etree.xmlfile(packed, encoding="utf-8") as file,
        ):
            file.write_declaration()
            with file.element("urlset", nsmap=SPACES):
                more = False
                for count, record in enumerate(rows, start=1):
                    with file.element("url"):
                        with file.element("loc"):
                            file.write(address(record, template))
                        if dated := moment(record.get("changed") or record.get("lastmod")):
                            with file.element("lastmod"):
                                file.write(dated)
                        for picture in pictures(record.get("images")):
                            with file.element("image:image"), file.element("image:loc"):
                                file.write(picture)
                        for one in record.get("alternates") or ():
                            version = {"hreflang": one["lang"], "href": one["href"]}
                            with file.element("xhtml:link", rel="alternate", **version):
                                pass
                        for film in films(record):
                            with file.element("video:video"):
                                for name, value in film.items():
                                    with file.element(f"video:{name}"):
                                        file.write(value)
                    if count == MOST:
                        more = True
                        break


if __name__ == "__main__":
    main(*sys.argv[1:4])
