"""Moves out of a configuration of Apache httpd, or an .htaccess: `Redirect`, `RedirectMatch`,
`RedirectPermanent`, `RedirectTemp` (mod_alias), and `RewriteRule` with R or G and no condition
(mod_rewrite)."""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterator

from jovial_atlas.moves.importing import (
    STATUSES,
    ReadMove,
    ReadMoves,
    UnreadLine,
    by_expression,
    escaped_path,
    refuse_variables,
)

#: How a server's words for a status are numbered.
_WORDS = {"permanent": "301", "temp": "302", "redirect": "302", "seeother": "303", "gone": "410"}


def read_apache(text: str) -> ReadMoves:
    """The moves of an Apache configuration or an .htaccess."""
    read = ReadMoves()
    conditions = False
    inside: list[str] = []
    for number, line in _logical_lines(text):
        words = _words(line)
        name = words[0].lower() if words else ""
        if name.startswith("</"):
            inside[:] = inside[:-1]
        elif name.startswith("<"):
            inside.append(line)
        elif name == "rewritecond":
            conditions = True
        elif name in _APACHE:
            why = _why_not_here(inside)
            if name == "rewriterule" and conditions:
                why = "it has a RewriteCond"
            if name == "rewriterule" and _stays_inside(words[1:]):
                conditions = False
                continue
            _take_apache(read, name, words[1:], number, line, why)
            conditions = False
    return read


def _logical_lines(text: str) -> Iterator[tuple[int, str]]:
    """Lines without comments, those that go on in the next one joined."""
    waiting, first = "", 0
    for number, line in enumerate(text.splitlines(), start=1):
        if not waiting:
            first = number
        if line.rstrip().endswith("\\"):
            waiting += line.rstrip()[:-1] + " "
            continue
        whole = (waiting + line).strip()
        waiting = ""
        if whole and not whole.startswith("#"):
            yield first, whole


def _words(line: str) -> list[str]:
    """The words of a line; a backslash outside quotes stands for itself, as Apache has it."""
    lexer = shlex.shlex(line, posix=True, punctuation_chars=False)
    lexer.whitespace_split, lexer.commenters, lexer.escape = True, "", ""
    try:
        return list(lexer)
    except ValueError:
        return line.split()


def _why_not_here(inside: list[str]) -> str:
    """Why what stands in these containers cannot be taken; "" where it can."""
    for one in inside:
        if not re.match(r"<(?:IfModule|VirtualHost|IfVersion)\b", one, re.I):
            return f"it stands in {one}"
    return ""


def _take_apache(
    read: ReadMoves, name: str, words: list[str], number: int, line: str, why: str
) -> None:
    try:
        if why:
            raise ValueError(why)
        read.moves += _APACHE[name](name, words, number)
    except ValueError as error:
        read.unread.append(UnreadLine(number, line, str(error)))


def _redirect(name: str, words: list[str], number: int) -> list[ReadMove]:
    """`Redirect [status] /old new`: all below the old path as well, with what follows."""
    status = {"redirectpermanent": "301", "redirecttemp": "302"}.get(name, "302")
    if words and not words[0].startswith("/"):
        status = _status(words[0])
        words = words[1:]
    if not words or (len(words) < 2 and status != "410"):
        raise ValueError("it lacks an address")
    old, to = words[0], words[1] if status != "410" else ""
    refuse_variables(to)
    old = escaped_path(old)
    if old.endswith("/"):
        return [ReadMove(f"{old}**", f"{to}$1" if to else "", status, "keep", number)]
    if re.search(r"\.[A-Za-z]\w{1,4}$", old):
        return [ReadMove(old, to, status, "keep", number)]  # a file, with nothing below it
    return [
        ReadMove(old, to, status, "keep", number),
        ReadMove(f"{old}/**", f"{to}/$1" if to else "", status, "keep", number),
    ]


def _redirect_match(_name: str, words: list[str], number: int) -> list[ReadMove]:
    status = "302"
    if words and (words[0].isdecimal() or words[0].lower() in _WORDS):
        status = _status(words[0])
        words = words[1:]
    if not words or (len(words) < 2 and status != "410"):
        raise ValueError("it lacks an address")
    to = words[1] if status != "410" else ""
    refuse_variables(to)
    return [by_expression(words[0], to, status, "keep", number)]


def _stays_inside(words: list[str]) -> bool:
    """Whether a rule shows another page under the same address: it is no move."""
    if len(words) < 2:
        return False
    flags = _flags(words[2]) if len(words) > 2 else {}
    return not flags.keys() & {"R", "REDIRECT", "G", "GONE"} and "://" not in words[1]


def _rewrite_rule(_name: str, words: list[str], number: int) -> list[ReadMove]:
    if len(words) < 2:
        raise ValueError("it lacks a target")
    flags = _flags(words[2]) if len(words) > 2 else {}
    if "G" in flags or "GONE" in flags:
        return [by_expression(_rooted(words[0]), "", "410", "keep", number)]
    redirect = flags.get("R", flags.get("REDIRECT"))
    if redirect is None:
        redirect = "302"
    if unknown := sorted(flags.keys() - _HARMLESS):
        raise ValueError(f"its flag {unknown[0]} changes what it means")
    to = words[1]
    refuse_variables(to)
    if re.search(r"%\d", to):
        raise ValueError("its target takes a part from a RewriteCond")
    query = "drop" if to.endswith("?") or "QSD" in flags else "keep"
    if "?" in to.rstrip("?") and "QSA" not in flags:
        query = "drop"
    pattern = _rooted(words[0])
    if "NC" in flags or "NOCASE" in flags:
        raise ValueError("it does not mind capital letters (NC)")
    return [by_expression(pattern, to.rstrip("?"), _status(redirect or "302"), query, number)]


_HARMLESS = {"R", "REDIRECT", "L", "LAST", "NE", "NOESCAPE", "QSA", "QSD", "QSAPPEND", "QSDISCARD",
             "NC", "NOCASE", "END"}  # fmt: skip
_APACHE = {
    "redirect": _redirect, "redirectpermanent": _redirect, "redirecttemp": _redirect,
    "redirectmatch": _redirect_match, "rewriterule": _rewrite_rule,
}  # fmt: skip


def _flags(written: str) -> dict[str, str]:
    parts = (one.strip().partition("=") for one in written.strip("[]").split(","))
    return {name.upper(): value for name, _, value in parts if name}


def _status(written: str) -> str:
    status = _WORDS.get(written.lower(), written)
    if status not in STATUSES:
        raise ValueError(f"its status {written} is none of a move")
    return status


def _rooted(pattern: str) -> str:
    """A pattern of a directory context, where paths come without their first slash, as one of whole
    paths."""
    if pattern.startswith("!"):
        raise ValueError("it says what an address is not like")
    if pattern.startswith("^/?"):
        return f"^/{pattern[3:]}"
    if pattern.startswith("^") and not pattern.startswith("^/"):
        return f"^/{pattern[1:]}"
    return pattern
