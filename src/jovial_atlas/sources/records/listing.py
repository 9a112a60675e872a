"""The source `list`: addresses from a text file, a CSV, or an existing sitemap with what it
lists; for landing pages outside the system, or to start from what is there."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator

import polars as pl

from jovial_atlas import delimited
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.read import Entry, FileKind, SitemapFile, read_sitemap
from jovial_atlas.sitemaps.said import hints_of_entries
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
    file = _read(data, how.source)
    files = [(file, data)]
    faults: list[Fault] = []
    if file.kind == FileKind.INDEX:
        files = []
        for entry in file.entries:
            try:
                fetched = fetch(entry.loc)
                files.append((_read(fetched, entry.loc), fetched))
            except ContentError as error:
                faults.append(
                    Fault("sitemap-index-missing", f"{how.source}:{entry.line}", str(error))
                )
    elif not file.kind:
        reason = file.faults[0].message if file.faults else "it is empty"
        raise ContentError(f"{how.source} is no sitemap: {reason}")
    for listed_file, octets in files:
        yield Batch(faults=[*faults, *listed_file.faults])
        faults = []
        records = _records_of(listed_file, octets)
        yield from _deliver(
            records, how, listed_file.name, [entry.line for entry in listed_file.entries]
        )


def _read(data: bytes, name: str) -> SitemapFile:
    """A file, with all that its entries say of pictures and videos."""
    file = read_sitemap(data, name)
    if (plain := file.plain) is None:
        return file
    says_more = plain.select((pl.col("images").sum() > 0) | pl.col("companion").any()).item()
    return read_sitemap(data, name, nodes=True) if says_more else file


def _records_of(file: SitemapFile, data: bytes) -> list[dict[str, str | None]]:
    records = [_record(entry) for entry in file.entries]
    if file.entries and all(entry.node is None for entry in file.entries):
        # A plain file was read in one go, for addresses and dates alone.
        said = [(loc, hints) for loc, hints in hints_of_entries(data) if hints]
        mine = {record["loc"]: record for record in records} if said else {}
        for loc, hints in said:
            mine.get(loc, {}).update(hints)
    return records


#: What an entry says of its page beside its address: taken as fields of the page.
_SAID = ("changefreq", "priority")
#: Element of a video entry → field of a video; those of the same name are left out.
_FIELDS = {
    "content_loc": "content", "player_loc": "player", "thumbnail_loc": "thumbnail",
    "publication_date": "published", "expiration_date": "expires", "view_count": "views",
    "requires_subscription": "subscription", "gallery_loc": "gallery", "restriction": "countries",
    "platform": "platforms", "content_segment_loc": "segments", "id": "ids", "tag": "tags",
}  # fmt: skip
#: Fields of which a video may have several.
_SEVERAL = ("tags", "price", "segments", "ids")


def _record(entry: Entry) -> dict[str, str | None]:
    children = entry.node.children if entry.node else []
    images = [
        found.text
        for child in children
        if child.space == protocol.IMAGE and (found := child.first(protocol.IMAGE, "loc"))
    ]
    films = films_of_entry(entry)
    said = {one.name: one.text for one in children if one.name in _SAID and one.text}
    shown = {"videos": json.dumps(films)} if films else {}
    listed = {"loc": entry.loc, "lastmod": entry.lastmod, "images": "\x1f".join(images) or None}
    return {**listed, **shown, **said}


def films_of_entry(entry: Entry) -> list[dict[str, str | list[str]]]:
    """The videos of an entry of a sitemap, each as its fields are written in front matter."""
    children = entry.node.children if entry.node else ()
    return [_film(one) for one in children if (one.space, one.name) == (protocol.VIDEO, "video")]


def _film(video: XmlNode) -> dict[str, str | list[str]]:
    """The fields of a video entry, as a video's are written in front matter."""
    film: dict[str, str | list[str]] = {}
    for child in video.children:
        name = _FIELDS.get(child.name, child.name)
        if name in _SEVERAL:
            several = film.setdefault(name, [])
            assert isinstance(several, list)
            several.append(_with_attributes(child))
        elif child.text:
            film.setdefault(name, _with_attributes(child))
        for attribute, ours in (("info", "uploader_page"), ("title", "gallery_title")):
            if given := child.attributes.get(attribute):
                film[ours] = given
    return film


def _with_attributes(child: XmlNode) -> str:
    """The text of an element with its attributes where a field has them in one text."""
    given, text = child.attributes, child.text
    if how := given.get("relationship"):
        return f"{how} {text}"
    if child.name == "id":
        return f"{given.get('type', '')} {text}".strip()
    behind = {"price": ("currency", "type", "resolution"), "content_segment_loc": ("duration",)}
    more = (given.get(one) for one in behind.get(child.name, ()))
    return " ".join([text, *(one for one in more if one)])


def _deliver(
    records: list[dict[str, str | None]], how: FieldMap, name: str, lines: list[int]
) -> Iterator[Batch]:
    if not records:
        return
    table = table_of(records)
    if "images" in table.columns:
        table = table.with_columns(pl.col("images").cast(pl.String).str.split("\x1f"))
    yield split_wrong(deliver(table.lazy(), how).collect(), how, f"{name}:", lines)
