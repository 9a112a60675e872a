"""The source `list`: addresses from a text file, a CSV, or an existing sitemap with what it
lists; for landing pages outside the system, or to start from what is there."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import polars as pl

from jovial_atlas import delimited
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.read import Entry, FileKind, read_sitemap
from jovial_atlas.sources.records.columns import FieldMap, deliver, split_wrong
from jovial_atlas.sources.records.records import table_of

#: Other names for our columns in the header of a list.
_NAMES = {"address": "loc", "url": "loc", "section": "in_section", "modified": "lastmod"}


def read_list(data: bytes, how: FieldMap, fetch: Callable[[str], bytes]) -> Iterator[Batch]:
    """The addresses of a list or a sitemap. `fetch` gets the files that an index lists.

    Raises ContentError where nothing in it can be read.
    """
    beginning = data.lstrip(b"\xef\xbb\xbf \t\r\n")[:1]
    if beginning == b"<" or data[:2] == b"\x1f\x8b":
        yield from _sitemap(data, how, fetch)
        return
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ContentError(f"{how.source} is not UTF-8 (byte {error.start}).") from None
    records, lines = _records(text, how)
    yield from _deliver(records, how, how.source, lines)


def _records(text: str, how: FieldMap) -> tuple[list[dict[str, str | None]], list[int]]:
    """Lines as records with their line numbers. A first line that is no address names columns."""
    header = ["loc", "lastmod", "in_section"]
    records: list[dict[str, str | None]] = []
    lines: list[int] = []
    for line, row, wrong in delimited.rows(text):
        if wrong:
            raise ContentError(f"{how.source}:{line} cannot be read ({wrong}).")
        cells = [cell.strip() for cell in row]
        if not any(cells) or cells[0].startswith("#"):
            continue
        if not records and not cells[0].startswith(("http", "/")):
            names = [cell.lower() for cell in cells]
            header = [_NAMES.get(name, name) for name in names]
            if "loc" not in header and "loc" not in how.columns:
                raise ContentError(
                    f"{how.source}:{line}: the first line is neither an address nor "
                    "a header with the column loc."
                )
            continue
        records.append({n: cell or None for n, cell in zip(header, cells, strict=False)})
        lines.append(line)
    return records, lines


def _sitemap(data: bytes, how: FieldMap, fetch: Callable[[str], bytes]) -> Iterator[Batch]:
    file = read_sitemap(data, how.source)
    files = [file]
    faults: list[Fault] = []
    if file.kind == FileKind.INDEX:
        files = []
        for entry in file.entries:
            try:
                files.append(read_sitemap(fetch(entry.loc), entry.loc))
            except ContentError as error:
                faults.append(
                    Fault("sitemap-index-missing", f"{how.source}:{entry.line}", str(error))
                )
    elif not file.kind:
        reason = file.faults[0].message if file.faults else "it is empty"
        raise ContentError(f"{how.source} is no sitemap: {reason}")
    for listed_file in files:
        yield Batch(faults=[*faults, *listed_file.faults])
        faults = []
        records = [_record(entry) for entry in listed_file.entries]
        yield from _deliver(
            records, how, listed_file.name, [entry.line for entry in listed_file.entries]
        )


def _record(entry: Entry) -> dict[str, str | None]:
    images = [
        found.text
        for child in (entry.node.children if entry.node else ())
        if child.space == protocol.IMAGE and (found := child.first(protocol.IMAGE, "loc"))
    ]
    return {"loc": entry.loc, "lastmod": entry.lastmod, "images": "\x1f".join(images) or None}


def _deliver(
    records: list[dict[str, str | None]], how: FieldMap, name: str, lines: list[int]
) -> Iterator[Batch]:
    if not records:
        return
    table = table_of(records)
    if "images" in table.columns:
        table = table.with_columns(pl.col("images").cast(pl.String).str.split("\x1f"))
    yield split_wrong(deliver(table.lazy(), how).collect(), how, f"{name}:", lines)
