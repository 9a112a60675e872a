"""The table of moves, as CSV beside the site file: which address moved or went, and where to.

Columns: `from` (a path, an address on a host of the site, a pattern, or a regular expression that
begins with `^`), `to` (a path or an address; empty where the page is gone), `status` (301, 308,
302, 307, 410; `refused` where no move is wanted), `query` (keep or drop), `reason`, `since`,
`taken_from`, `last_hit`, `hits`. A spreadsheet can edit it.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache, partial
from pathlib import Path

from jovial_atlas import addresses, dates
from jovial_atlas.errors import Problem, SiteFileError
from jovial_atlas.moves.move import (
    GONE,
    QUERIES,
    REDIRECTS,
    REFUSED,
    Move,
    numbered_target,
    references_in,
)
from jovial_atlas.sitefile.cells import as_cell, from_cell
from jovial_atlas.sitefile.tables import Tables, rows_and_problems, table_text

MOVE_COLUMNS = (
    "from", "to", "status", "query", "reason", "since", "taken_from", "last_hit", "hits",
)  # fmt: skip
_REFUSED = "refused"
#: What Python, PCRE and Rust do not all understand alike: looking around, and references back.
_NOT_SHARED = re.compile(r"\(\?(?![:P<a-zA-Z])|\(\?P?[=!<]|\\[1-9kKGAzZ]|\(\?[a-zA-Z]")
#: Paths that are spelled as they are kept, and are no patterns.
_NAME = r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*"
_PLAIN_PATH = re.compile(rf"/(?:{_NAME}/)*(?:{_NAME})?\Z")
#: What is escaped in addresses, but means something in patterns and expressions.
_KEPT = re.compile(r"\*\*|\*|#|\{[^{}]*\}")


def read_move_table(
    path: Path, urls: Sequence[str], query: str, tables: Tables = table_text
) -> tuple[Move, ...]:
    """The rows of a table of moves; none where there is no such file yet. `urls` are the origins of
    the site, the first for what is written from '/' on; `query` is what becomes of queries where a
    row does not say it. Raises SiteFileError with every problem."""
    if tables is not table_text:
        return _checked(tables(path), path, urls, query)
    try:
        about = path.stat()
    except OSError:
        return ()
    return _read(path, tuple(urls), query, (about.st_size, about.st_mtime_ns))


@lru_cache(maxsize=4)
def _read(path: Path, urls: tuple[str, ...], query: str, _stamp: object) -> tuple[Move, ...]:
    return _checked(table_text(path), path, urls, query)


def _checked(text: str, path: Path, urls: Sequence[str], query: str) -> tuple[Move, ...]:
    moves, problems = move_rows(text, path, urls, query)
    if problems:
        raise SiteFileError(str(path), problems)
    return tuple(moves)


def move_rows(
    text: str, path: Path, urls: Sequence[str], query: str = "keep"
) -> tuple[list[Move], list[Problem]]:
    """The rows in the text of a table of moves, and what is wrong with others. Raises SiteFileError
    where its columns are."""
    read = partial(move_of_cells, urls=urls, query=query)
    return rows_and_problems(text, path, MOVE_COLUMNS, read, key="from")


def move_of_cells(
    row: Mapping[str, str], line: int, urls: Sequence[str], query: str
) -> Move | Problem:
    """A row of the table from its cells, or what is wrong with it."""
    # Of a hundred thousand rows most cells are plain.
    cells = {name: from_cell(value.strip()) if value else "" for name, value in row.items()}
    try:
        origin, path = old_address(cells.get("from", ""), urls)
    except ValueError as error:
        return Problem(line, "from", str(error), "from = /old/page/")
    try:
        status = status_of(cells.get("status", ""), cells.get("to", ""))
    except ValueError as error:
        return Problem(line, "status", str(error), "status = 301")
    query = cells.get("query", "") or query
    if query not in QUERIES:
        return Problem(line, "query", f"{query!r} is neither keep nor drop", "query = keep")
    to = cells.get("to", "") if status in REDIRECTS else ""
    if to and _PLAIN_PATH.match(to) and _PLAIN_PATH.match(path):
        to = (origin if origin in urls else urls[0]) + to
    elif status in REDIRECTS:
        try:
            to = new_address(to, urls, Move(origin, path, "", status, query))
        except ValueError as error:
            return Problem(line, "to", str(error), "to = /new/page/")
    hits = cells.get("hits", "").replace(",", "")
    if hits and not hits.isdecimal():
        return Problem(line, "hits", f"{hits!r} is no number", "hits = 12")
    for name in ("since", "last_hit"):
        if cells.get(name) and dates.read(cells[name]) is None:
            return Problem(line, name, f"{cells[name]!r} is no date", f"{name} = 2026-11-23")
    return Move(
        origin, path, to, status, query, cells.get("reason", ""), cells.get("since", ""),
        cells.get("taken_from", ""), cells.get("last_hit", ""), int(hits or 0), line,
    )  # fmt: skip


def status_of(written: str, to: str) -> int:
    """The status that a cell says; an empty one says 301, or 410 where there is no new address.
    Raises ValueError with a sentence that has no full stop."""
    if not written:
        return 301 if to else GONE
    if written.casefold() == _REFUSED:
        return REFUSED
    if written.isdecimal() and int(written) in {*REDIRECTS, GONE}:
        return int(written)
    known = ", ".join(map(str, sorted([*REDIRECTS, GONE])))
    raise ValueError(f"{written!r} is none of {known} and {_REFUSED}")


def old_address(written: str, urls: Sequence[str]) -> tuple[str, str]:
    """The origin and the path, pattern or expression that a cell names. Raises ValueError with a
    sentence that has no full stop."""
    if not written:
        raise ValueError("is missing: it says which address moved")
    if _PLAIN_PATH.match(written):
        return urls[0], written
    if written.startswith("^"):
        return urls[0], _expression(written)
    whole = urls[0] + written if written.startswith("/") else written
    parts = re.match(r"(https?://[^/?#]*)(/?.*)\Z", whole, re.S | re.I)
    if parts is None:
        raise ValueError(f"{written!r} is no address, and no path: it does not begin with '/'")
    origin = addresses.origin(addresses.normalise(parts[1] + "/"))
    return origin, _with_wildcards(origin, parts[2] or "/")


def _with_wildcards(origin: str, path: str) -> str:
    """A path in the one spelling, what stands for several texts left as it is."""
    wild = _KEPT.findall(path)
    marked = path
    for number, one in enumerate(wild):
        # A letter that no address needs escaped stands for each while the rest is spelled.
        marked = marked.replace(one, f"~~{number}~~", 1)
    spelled = addresses.path_and_query(addresses.normalise(origin + marked))
    for number, one in enumerate(wild):
        spelled = spelled.replace(f"~~{number}~~", one, 1)
    return spelled


def _expression(written: str) -> str:
    """A regular expression over paths. Raises ValueError."""
    if not written.isprintable():
        raise ValueError(f"{written!r} has a sign that cannot be seen")
    if shared := _NOT_SHARED.search(written):
        raise ValueError(f"{shared[0]!r} in {written!r} does not mean the same to all servers")
    # Few tables have any, and only then is needed what looks them up in columns.
    import polars as pl

    try:
        re.compile(written)
        pl.Series([""]).str.contains(written)
    except (re.error, pl.exceptions.PolarsError) as error:
        lines = str(error).strip().splitlines()
        why = next((line[7:] for line in lines if line.startswith("error: ")), lines[0])
        raise ValueError(f"{written!r} is no regular expression: {why}") from None
    return "".join(one if one.isascii() else addresses.escape(one) for one in written)


def new_address(written: str, urls: Sequence[str], move: Move) -> str:
    """The address that a cell names, with `$1` where a part of the old one stands. Raises
    ValueError with a sentence that has no full stop."""
    if not written:
        raise ValueError("is missing: it says where the address leads now")
    here = move.origin if move.origin in urls else urls[0]
    whole = here + written if written.startswith("/") else written
    if not move.is_single:
        whole = numbered_target(whole)
        if missing := sorted(one for one in references_in(whole) if one > move.groups):
            raise ValueError(f"${missing[0]} stands for nothing in {move.path}")
        if re.match(r"https?://[^/?#]*\$", whole):
            raise ValueError(f"{written!r} takes the host from the old address")
    bare, mark, fragment = whole.partition("#")
    parts = bare.split("$") if not move.is_single else [bare]
    marked = "~~".join(parts)
    spelled = addresses.normalise(marked)
    return (spelled.replace("~~", "$") if len(parts) > 1 else spelled) + mark + fragment


def move_table_text(moves: Iterable[Move], urls: Sequence[str]) -> str:
    """A table of moves with these rows, in their order. Addresses of the first of `urls` are
    paths."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(MOVE_COLUMNS)
    for one in moves:
        writer.writerow(map(as_cell, move_cells(one, urls[0])))
    return stream.getvalue()


def move_cells(move: Move, url: str) -> list[str]:
    """The cells of a row."""
    old = move.path if move.origin == url or move.is_expression else move.old
    status = _REFUSED if move.is_refused else str(move.status)
    to = move.to[len(url) :] if move.to.startswith(f"{url}/") else move.to
    hits = str(move.hits) if move.hits else ""
    query = "" if move.is_gone or move.is_refused or move.asks_query else move.query
    return [
        old, to, status, query, move.reason, move.since, move.taken_from, move.last_hit, hits,
    ]  # fmt: skip
