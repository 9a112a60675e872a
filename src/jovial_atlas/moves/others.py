"""Moves for servers that have no configuration of ours: as JSON, as CSV, and as small pages."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from html import escape
from pathlib import PurePosixPath
from urllib.parse import unquote

import orjson

from jovial_atlas.faults import Fault
from jovial_atlas.moves.hops import Hops, PatternHop, SingleHop
from jovial_atlas.signs import GENERATOR

#: By which a page that only sends visitors on is known as ours.
MOVED_SIGN = f'<meta name="generator" content="{GENERATOR}, moved">'


def moves_as_json(hops: Hops) -> bytes:
    """All hops as `{"moves": [{"from", "to", "status", "query"}], "patterns": [{"pattern",
    "expression", "to", "status", "query"}], "stay": [path]}`."""
    value = {
        "moves": [
            {"from": one.path, "to": one.to or None, "status": one.status,
             "query": "keep" if one.keeps_query else "drop"}
            for one in hops.single
        ],
        "patterns": [
            {"pattern": one.pattern, "expression": one.expression, "to": one.to or None,
             "status": one.status, "query": "keep" if one.keeps_query else "drop"}
            for one in hops.patterns
        ],
        "stay": hops.staying,
    }  # fmt: skip
    how = orjson.OPT_INDENT_2 | orjson.OPT_APPEND_NEWLINE
    return orjson.dumps(value, option=how)


def moves_as_csv(hops: Hops) -> bytes:
    """All hops as `from,to,status,query`, patterns as regular expressions."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\r\n")
    writer.writerow(("from", "to", "status", "query"))
    rows: list[SingleHop | PatternHop] = [*hops.single, *hops.patterns]
    for one in rows:
        old = one.path if isinstance(one, SingleHop) else one.expression
        writer.writerow((old, one.to, one.status, "keep" if one.keeps_query else "drop"))
    return stream.getvalue().encode()


def moved_pages(hops: Hops, *, plain: bool) -> Iterator[tuple[str, bytes] | Fault]:
    """Name and bytes of a page for each old address, which sends visitors on at once and names the
    new address as its canonical; faults for what no page can do. `plain` says that addresses have
    no ending that their files have."""
    for hop in hops.single:
        name = _file_of(hop.path, plain=plain)
        if not hop.to:
            continue  # a page that is not there answers with 404, which does as well
        if name is None:
            what = "no page can stand for a query" if "?" in hop.path else "it is no page"
            yield Fault("move-unwritten", hop.path, f"No small page is written for it: {what}.")
            continue
        yield name, _page(hop.to)
    for pattern in hops.patterns:
        what = "No small page can stand for a pattern; addresses that were listed have theirs."
        yield Fault("move-unwritten", pattern.pattern, what)


def _file_of(path: str, *, plain: bool) -> str | None:
    """The file that servers give for a path; None where that is none of a page."""
    if "?" in path:
        return None
    name = unquote(path, errors="surrogateescape").lstrip("/")
    if "\0" in name or ".." in PurePosixPath(name).parts:
        return None
    last = PurePosixPath(name)
    if path.endswith("/") or not name:
        return f"{name}index.html"
    if last.suffix in (".html", ".htm"):
        return name
    if last.suffix and last.suffix[1:].isalpha():
        return None
    return f"{name}.html" if plain else f"{name}/index.html"


def _page(to: str) -> bytes:
    address = escape(to)
    return (
        "<!doctype html>\n"
        '<html lang="en">\n<head>\n<meta charset="utf-8">\n'
        f"{MOVED_SIGN}\n"
        f"<title>{address}</title>\n"
        f'<link rel="canonical" href="{address}">\n'
        f'<meta http-equiv="refresh" content="0; url={address}">\n'
        '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
        f'</head>\n<body>\n<p><a href="{address}">{address}</a></p>\n</body>\n</html>\n'
    ).encode()
