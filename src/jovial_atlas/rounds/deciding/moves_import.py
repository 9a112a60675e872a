"""Moves that a site has already: in the configuration of its server, in a table, or as the
addresses of an old sitemap."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

import polars as pl

from jovial_atlas import dates, delimited
from jovial_atlas.address_columns import whole_addresses
from jovial_atlas.errors import AtlasError
from jovial_atlas.files.packed import opened
from jovial_atlas.moves.importing import (
    ReadMove,
    ReadMoves,
    UnreadLine,
    kind_of_configuration,
    read_table,
)
from jovial_atlas.moves.move import Move
from jovial_atlas.moves.reading_apache import read_apache
from jovial_atlas.moves.reading_nginx import read_nginx
from jovial_atlas.rounds.reading.departed import remember_departed
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.move_table import move_of_cells
from jovial_atlas.sitemaps.read import read_sitemap

_LARGEST = 500_000_000


@dataclass(slots=True)
class ImportedMoves:
    """What came of some files: rows to add; how many the table has already; lines that are not
    taken, by file; and addresses of old sitemaps where there is no page."""

    moves: list[Move] = field(default_factory=list)
    known: int = 0
    unread: list[tuple[str, UnreadLine]] = field(default_factory=list)
    went: list[str] = field(default_factory=list)


def import_moves(
    site: SiteFile, files: Iterable[Path], form: str | None, now: datetime
) -> ImportedMoves:
    """Read what files say of moves, as nginx, apache, table or sitemap, or as what they turn out to
    be. Raises AtlasError for a file that cannot be read, or is none of these."""
    imported = ImportedMoves()
    have = {(move.old, move.to, move.status) for move in site.moves}
    for path in files:
        data = _bytes(path)
        if (form or _guessed(data)) == "sitemap":
            imported.went += _addresses(data, path)
            continue
        text = delimited.decoded(data)[0]
        seen = kind_of_configuration(text)
        read = _read(text, form or seen or "table")
        rows = [_move(one, site, path, now) for one in read.moves]
        is_guess = not form and not seen
        if not any(isinstance(one, Move) for one in rows) and (is_guess or not read.unread):
            raise AtlasError(
                f"{path} holds no move, as far as this tool can tell. Say with --as what it is: "
                "nginx, apache, table or sitemap."
            )
        imported.unread += [(str(path), one) for one in read.unread]
        for move in rows:
            if isinstance(move, UnreadLine):
                imported.unread.append((str(path), move))
            elif (move.old, move.to, move.status) in have:
                imported.known += 1
            else:
                have.add((move.old, move.to, move.status))
                imported.moves.append(move)
    return imported


def _bytes(path: Path) -> bytes:
    try:
        with opened(path) as (stream, _):
            return stream.read(_LARGEST)
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror or error}).") from error


def _guessed(data: bytes) -> str:
    beginning = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    is_sitemap = b"<urlset" in beginning or b"<sitemapindex" in beginning
    return "sitemap" if beginning.startswith(b"<?xml") or is_sitemap else ""


def _read(text: str, form: str) -> ReadMoves:
    return {"nginx": read_nginx, "apache": read_apache, "table": read_table}[form](text)


def _move(one: ReadMove, site: SiteFile, path: Path, now: datetime) -> Move | UnreadLine:
    """A row that was read, checked as those of the table are."""
    cells = {"from": one.old, "to": one.to, "status": one.status, "query": one.query,
             "since": dates.write(now)[:10], "taken_from": f"{path.name}:{one.line}"}  # fmt: skip
    move = move_of_cells(cells, 0, site.urls, site.model.moves.query)
    if isinstance(move, Move):
        return move
    return UnreadLine(one.line, f"{one.old} {one.to}".strip(), f"{move.key}: {move.message}")


def _addresses(data: bytes, path: Path) -> list[str]:
    """The addresses that an old sitemap lists."""
    rows = read_sitemap(data, str(path)).rows
    found: list[str] = whole_addresses(rows["loc"].cast(pl.String)).drop_nulls().to_list()
    if not found:
        raise AtlasError(f"{path} lists no address. Of an index, give the sitemaps that it names.")
    return found


def keep_addresses(site: SiteFile, went: Iterable[str], now: datetime) -> int:
    """Remember addresses that were listed once, so that moves are proposed for those where there is
    no page. Gives how many these are. Raises OutputError."""
    urls = tuple(f"{url}/" for url in site.urls)
    return remember_departed(site, [one for one in went if one.startswith(urls)], now)
