"""Moves as servers have them already: the configuration of nginx and of Apache, read as far as what
it means is certain. What is not certain is named with its line and why.

`reading_nginx` and `reading_apache` take the files apart. Tables have two columns, old and new,
with or without a line of names.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import NamedTuple

from jovial_atlas import delimited
from jovial_atlas.addresses import escape

#: The statuses that are moves.
STATUSES = ("301", "302", "307", "308", "410")


class ReadMove(NamedTuple):
    """A row that was read: old (a path, a pattern, or an expression), new, status, what becomes of
    queries, and the line."""

    old: str
    to: str
    status: str
    query: str
    line: int


class UnreadLine(NamedTuple):
    """A line that may be a move, and why it is not taken."""

    line: int
    text: str
    why: str


@dataclass(slots=True)
class ReadMoves:
    """What came of a file."""

    moves: list[ReadMove] = field(default_factory=list)
    unread: list[UnreadLine] = field(default_factory=list)


#: Names of columns, as exports of other systems have them.
_COLUMNS = {
    "from": ("from", "old", "old url", "old address", "old path", "source", "source url",
             "redirect from", "alt", "von", "ancienne"),
    "to": ("to", "new", "new url", "new address", "new path", "target", "target url",
           "destination", "destination url", "redirect to", "neu", "nach", "nouvelle"),
    "status": ("status", "code", "status code", "http code", "http status", "redirect type"),
    "query": ("query",),
    "reason": ("reason", "note", "comment"),
}  # fmt: skip


def read_table(text: str) -> ReadMoves:
    """The moves of a table, whose first line may name its columns."""
    read = ReadMoves()
    order: list[str] = []
    for number, cells, wrong in delimited.rows(text):
        if wrong:
            read.unread.append(UnreadLine(number, "", f"it cannot be read ({wrong})"))
            continue
        cells = [cell.strip() for cell in cells]
        if not order:
            named = [_column(cell) for cell in cells]
            order = named if "from" in named else ["from", "to", "status"]
            if "from" in named:
                continue
        row = dict(zip(order, cells, strict=False))
        old, to, status = row.get("from", ""), row.get("to", ""), row.get("status", "")
        if not old or old.startswith("#"):
            continue
        digits = re.search(r"\b(30[1278]|410)\b", status)
        read.moves.append(
            ReadMove(old, to, digits[1] if digits else status,
                     row.get("query", ""), number)
        )  # fmt: skip
    return read


def _column(cell: str) -> str:
    name = re.sub(r"[\s_-]+", " ", cell).strip().lower()
    return next((ours for ours, theirs in _COLUMNS.items() if name in theirs), "")


def kind_of_configuration(text: str) -> str:
    """ "nginx", "apache" or "" by what stands in a file."""
    nginx = re.search(r"^\s*(?:rewrite\s.*;|return\s+\d+.*;|location\s.*\{|map\s.*\{|server\s*\{)",
                      text, re.M)  # fmt: skip
    apache = re.search(
        r"^\s*(?:Redirect(?:Match|Permanent|Temp)?|RewriteRule|RewriteEngine)\s", text, re.M | re.I
    )
    return "nginx" if nginx and not apache else "apache" if apache else ""


# What expressions of paths mean as patterns or addresses.

_LITERAL = re.compile(r"(?:[A-Za-z0-9/_~%&=:@,;!' -]|[^\x00-\x7f]|\\[^A-Za-z0-9])*\Z")


def by_expression(pattern: str, to: str, status: str, query: str, number: int) -> ReadMove:
    """A move of a regular expression: of one address, where it is no more than that. Servers
    compare expressions with decoded paths, this tool with escaped ones. Raises ValueError with why
    it is not certain."""
    body = pattern.removeprefix("^")
    exact = pattern.startswith("^") and body.endswith("$") and not body.endswith("\\$")
    to = to if to.startswith("/") or "://" in to or not to else f"/{to}"
    literal = body.removesuffix("$") if exact else body
    if exact and _LITERAL.match(literal):
        return ReadMove(escaped_path(_plain(literal)), to, status, query, number)
    if re.search(r"\(\?[=!<]|\\[1-9bB]|\(\?i", pattern):
        raise ValueError("its expression looks around, or back, or does not mind capital letters")
    if not pattern.startswith("^"):
        if re.match(r"[/\\]", pattern):
            pattern = f"^.*{pattern}"
        else:
            raise ValueError("its expression has no beginning (^), so it may be about any part")
    written = "".join(one if one.isascii() else escape(one) for one in pattern)
    if " " in written or r"\s" in written:
        written = written.replace(r"\ ", "%20").replace(" ", "%20")
    return ReadMove(written, to, status, query, number)


def _plain(literal: str) -> str:
    return re.sub(r"\\(.)", r"\1", literal)


def refuse_variables(to: str) -> None:
    """Raises ValueError where a target has a variable of the server."""
    if re.search(r"%\{|\$\{|\$[a-z_]", to):
        raise ValueError("its target has a variable of the server")


def escaped_path(path: str) -> str:
    """A path of a configuration as it stands in the table, in which some signs mean more."""
    return escape(path).replace("*", "%2A").replace("{", "%7B").replace("#", "%23")
