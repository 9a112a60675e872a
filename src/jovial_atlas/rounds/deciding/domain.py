"""A site moves to another host: what is changed where it begins, and what is remembered of the old
host."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import polars as pl

from jovial_atlas import dates
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import add_line, write_whole
from jovial_atlas.moves.move import Move
from jovial_atlas.pages import snapshot
from jovial_atlas.rounds.deciding.moves import write_moves
from jovial_atlas.rounds.state.names import DOMAIN_ADDRESSES, DOMAIN_COURSE
from jovial_atlas.rounds.state.published import PublishedSite
from jovial_atlas.sitefile import SiteFile, read_site_file
from jovial_atlas.sitefile.edit import set_key
from jovial_atlas.sitefile.sources import origin_of
from jovial_atlas.values import asdict

#: By whom the row of the whole host is taken.
_TAKEN_FROM = "domain"


@dataclass(frozen=True, slots=True)
class DomainStart:
    """What is changed where the move of a domain begins: the old and the new host, the text of the
    site file, the row of the table, and how many addresses are listed at the old host."""

    old: str
    new: str
    text: str
    row: Move
    listed: pl.DataFrame


def domain_start(site: SiteFile, new: str, now: datetime) -> DomainStart:
    """What beginning would change; nothing is changed. Raises AtlasError where it cannot begin."""
    old = site.model.site.url
    try:
        origin = origin_of(new)
    except ValueError as error:
        raise AtlasError(f"{error}.") from None
    if origin == old:
        raise AtlasError(f"{origin} is the address of the site already.")
    if site.model.moves.old_url:
        raise AtlasError(
            f"The move from {site.model.moves.old_url} goes on: `jovial-atlas moves domain` shows "
            "how far it is. When it is over, take `old_url` out of [moves], then begin another."
        )
    listed = PublishedSite(site).listed.select("loc").unique().sort("loc")
    text = site.path.read_text("utf-8-sig")
    today = dates.write(now)[:10]
    for table, key, value in (
        ("site", "url", origin), ("moves", "old_url", old), ("moves", "moved_on", today),
    ):  # fmt: skip
        text = set_key(text, table, key, value)
    reason = f"The site moved from {old}"
    row = Move(old, "/**", f"{origin}/$1", 301, "keep", reason, today, _TAKEN_FROM)
    return DomainStart(old, origin, text, row, listed.filter(pl.col("loc").str.starts_with(old)))


def begin_domain(site: SiteFile, start: DomainStart) -> None:
    """Begin: remember what is listed at the old host, add the row, and name the new host in the
    site file. Raises OutputError."""
    snapshot.save(start.listed, site.state / DOMAIN_ADDRESSES)
    write_whole(site.state / DOMAIN_COURSE, b"")
    table = [*site.moves, start.row]
    write_whole(site.path, start.text.encode(), durable=True)
    # Paths in the table are of the new host from now on.
    write_moves(read_site_file(site.path), [_rooted(move, start) for move in table])


def _rooted(move: Move, start: DomainStart) -> Move:
    """A row about a path of the old host, as the same path of the new one."""
    if move is start.row or move.origin != start.old:
        return move
    to = start.new + move.to[len(start.old) :] if move.to.startswith(f"{start.old}/") else move.to
    return Move(
        start.new, move.path, to, move.status, move.query, move.reason, move.since,
        move.taken_from, move.last_hit, move.hits,
    )  # fmt: skip


def old_addresses(site: SiteFile) -> list[str]:
    """The addresses that were listed at the old host when the move began."""
    table = snapshot.load(site.state / DOMAIN_ADDRESSES)
    return [] if table is None else table["loc"].to_list()


@dataclass(frozen=True, slots=True)
class DomainCount:
    """What one engine knew at one time: pages of the old and of the new host in its index, and of
    how many it knows at all."""

    at: str
    engine: str
    old_indexed: int
    old_known: int
    new_indexed: int
    new_known: int


def note_counts(site: SiteFile, counts: Sequence[DomainCount]) -> None:
    """Keep what engines knew. Raises OutputError."""
    for one in counts:
        add_line(site.state / DOMAIN_COURSE, json.dumps(asdict(one)))


def course_of(site: SiteFile) -> list[DomainCount]:
    """What engines knew, in the order of time."""
    try:
        lines = (site.state / DOMAIN_COURSE).read_text("utf-8").splitlines()
    except OSError:
        return []
    found = []
    for line in lines:
        try:
            found.append(DomainCount(**json.loads(line)))
        except (ValueError, TypeError):
            continue  # a line that was cut off
    return found
