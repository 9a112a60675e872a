"""Content that is records: tables and databases, and how their rows become pages; and what a place
of content is."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

from msgspec import structs

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError, ContentError
from jovial_atlas.sitefile import HtmlSource, Source, SqlSource, TableSource
from jovial_atlas.sources.records.databases import DatabaseTable, tables_in
from jovial_atlas.sources.records.guessed import Addressing, GuessedColumns, guess_columns
from jovial_atlas.sources.records.json_items import lists_in
from jovial_atlas.sources.records.table import beginning_of_table
from jovial_atlas.sources.records.within import flattened

#: So many rows are looked at.
SOME_ROWS = 200
#: How the addresses of databases begin that are files.
_FILE = "sqlite:///"
#: How each SQLite database begins (https://www.sqlite.org/fileformat.html, 1.3).
_SQLITE = b"SQLite format 3\0"


class RowsAsked(NamedTuple):
    """What the owner says of records: the template of their addresses, as in "/walks/{id}/", and
    which of several tables has the pages; "" where he leaves it to the tool."""

    template: str = ""
    table: str = ""


ANY_ROWS = RowsAsked()


@dataclass(frozen=True, slots=True)
class ContentPlace:
    """Where content is: the source that reads it, what it is in words, the origin that it names
    ("" where it names none), what in it cannot be sure, in words, and the robots.txt and sitemaps
    that the site has now, where it is known."""

    source: Source
    what: str
    origin: str = ""
    unsure: list[str] = field(default_factory=list)
    robots: bytes | None = None
    sitemaps: tuple[str, ...] = ()

    @property
    def folder(self) -> Path | None:
        """The folder of built HTML, which is served at the root of the site."""
        return Path(self.source.path) if isinstance(self.source, HtmlSource) else None

    @property
    def path(self) -> Path | None:
        """The file or folder that it is on disk; None for an address."""
        if isinstance(self.source, SqlSource):
            connect = self.source.connect
            return Path(connect.removeprefix(_FILE)) if connect.startswith(_FILE) else None
        path = getattr(self.source, "path", "")
        return Path(path) if path and not is_web(path) else None


def moved_to(source: Source, path: str) -> Source:
    """A source of a file or folder, with another path of it."""
    if isinstance(source, SqlSource):
        return structs.replace(source, connect=database_of(Path(path)))
    return structs.replace(source, path=path)


def is_web(place: str) -> bool:
    """Whether a place is an address of the web."""
    return place.startswith(("http://", "https://"))


def is_database(place: str) -> bool:
    """Whether a place is the address of a database, as in postgresql://reader@localhost/reserve"""
    return re.match(r"[a-z][a-z0-9]*(\+[a-z0-9]+)?://", place) is not None and not is_web(place)


def is_database_file(path: Path) -> bool:
    """Whether a file is a database of SQLite. Raises OSError."""
    with path.open("rb") as stream:
        return stream.read(len(_SQLITE)) == _SQLITE


def database_of(path: Path) -> str:
    """The address of a database of SQLite that is a file."""
    return f"{_FILE}{path}"


def table_place(path: Path, asked: RowsAsked) -> ContentPlace:
    """A table of CSV, JSON or Parquet, or a workbook. Raises AtlasError."""
    if asked.table and not _is_json(path):
        raise AtlasError(
            f"--table names a table of a database, or a list of a JSON file; {path} is neither."
        )
    items = asked.table or _records_in(path)
    names, rows = beginning_of_table(path, SOME_ROWS, items)
    guessed = _guess(str(path), names, rows, asked)
    source = TableSource(path=str(path), url=guessed.url, columns=guessed.columns, items=items)
    origin = _origin_in(guessed, names, rows)
    return ContentPlace(source, f"a table, {path}", origin, guessed.unsure)


def database_place(connect: str, asked: RowsAsked) -> ContentPlace:
    """A table or view of a database: the one that is named, else the one whose columns tell
    addresses best. Raises AtlasError."""
    if re.match(r"[^/]+://[^/@:]*:[^/@]+@", connect):
        raise AtlasError(
            "A password would stand in the site file. Leave it out of the address: name the "
            "variable that holds it as `password_env` in the [[source]], and for init give it as "
            "the database itself takes it, as in PGPASSWORD."
        )
    found = tables_in(connect, SOME_ROWS, asked.table)
    shown = connect.removeprefix(_FILE)
    chosen = found[0] if asked.table else _with_pages(found, shown, asked)
    guessed = _guess(f"{shown}, table {chosen.name}", chosen.names, chosen.rows, asked)
    source = SqlSource(
        connect=connect, query=chosen.query, url=guessed.url, columns=guessed.columns
    )
    origin = _origin_in(guessed, chosen.names, chosen.rows)
    return ContentPlace(source, f"table {chosen.name} of {shown}", origin, guessed.unsure)


def _with_pages(found: Sequence[DatabaseTable], shown: str, asked: RowsAsked) -> DatabaseTable:
    """The table whose columns tell the addresses of pages best, where it is the only one."""
    if not found:
        raise ContentError(f"{shown} has no table.")
    ranked: dict[Addressing, list[DatabaseTable]] = {}
    for one in found:
        try:
            guessed = guess_columns(one.names, one.rows, asked.template)
        except ValueError:
            continue
        if one.rows:
            ranked.setdefault(guessed.addressing, []).append(one)
    telling = max(ranked, default=Addressing.NUMBERED)
    best = ranked.get(telling, [])
    if len(best) == 1:
        return best[0]
    if len(found) == 1:
        raise AtlasError(
            f"{shown}: its table {found[0].name} has no column of addresses. Say how they are made "
            f"of columns, as in --addresses '/species/{{{found[0].names[0]}}}/'."
        )
    # Nearly each table has numbers: they tell nothing of which has the pages.
    named = found if telling == Addressing.NUMBERED else best
    names = ", ".join(one.name for one in named)
    raise AtlasError(
        f"{shown} has several tables that may hold the pages: {names}. Name the one with --table, "
        "and where no column of it holds addresses, say how they are made of columns, as in "
        "--addresses '/species/{slug}/'."
    )


def _guess(
    what: str, names: Sequence[str], rows: Sequence[Mapping[str, object]], asked: RowsAsked
) -> GuessedColumns:
    try:
        return guess_columns(names, rows, asked.template)
    except ValueError as error:
        example = f"'/species/{{{names[0] if names else 'slug'}}}/'"
        raise AtlasError(
            f"{what}: {error}. Say how the addresses of pages are made of columns, as in "
            f"--addresses {example}, or add a column `url` with the address or path of each page."
        ) from None


def _origin_in(
    guessed: GuessedColumns, names: Sequence[str], rows: Sequence[Mapping[str, object]]
) -> str:
    """The origin that a column of addresses names; "" where none does."""
    _, rows = flattened(names, rows)
    column = guessed.columns.get("loc") or next(
        (one for one in ("loc", "url", "link") if one in names), ""
    )
    return origin_of(row.get(column) for row in rows) if column and not guessed.url else ""


def _is_json(path: Path) -> bool:
    return path.name.lower().removesuffix(".gz").endswith(".json")


def _records_in(path: Path) -> str:
    """Where in a JSON document the pages are: in the longest of its lists; "" for other tables, and
    where there is but one."""
    if not _is_json(path):
        return ""
    found = lists_in(path)
    return max(found, key=lambda name: found[name]) if len(found) > 1 else ""


def origin_of(values: Iterator[object]) -> str:
    """The origin that most whole addresses have; "" where there is none."""
    counts: dict[str, int] = {}
    for value in values:
        if isinstance(value, str) and is_web(value.strip()):
            try:
                origin = addresses.origin(addresses.normalise(value.strip()))
            except ValueError:
                continue
            counts[origin] = counts.get(origin, 0) + 1
    return max(counts, key=lambda origin: counts[origin]) if counts else ""
