"""Moves as servers have them already: the configuration of nginx and of Apache, read as far as what
it means is certain. What is not certain is named with its line and why.

nginx: `return`, `rewrite … permanent|redirect`, `location = /old`, `location ^~|~ /old` around a
`return`, and `map $uri|$request_uri $name`. Apache: `Redirect`, `RedirectMatch`,
`RedirectPermanent`, `RedirectTemp` (mod_alias) and `RewriteRule` with R or G and no condition
(mod_rewrite). Tables: two columns, old and new, with or without a line of names.
"""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from jovial_atlas import delimited
from jovial_atlas.addresses import escape

#: How a server's words for a status are numbered.
_WORDS = {"permanent": "301", "temp": "302", "redirect": "302", "seeother": "303", "gone": "410"}
_STATUSES = ("301", "302", "307", "308", "410")


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


# Apache


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
    _no_variable(to)
    old = _escaped(old)
    if old.endswith("/"):
        return [ReadMove(f"{old}**", f"{to}$1" if to else "", status, "keep", number)]
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
    _no_variable(to)
    return [_by_expression(words[0], to, status, "keep", number)]


def _rewrite_rule(_name: str, words: list[str], number: int) -> list[ReadMove]:
    if len(words) < 2:
        raise ValueError("it lacks a target")
    flags = _flags(words[2]) if len(words) > 2 else {}
    if "G" in flags or "GONE" in flags:
        return [_by_expression(_rooted(words[0]), "", "410", "keep", number)]
    redirect = flags.get("R", flags.get("REDIRECT"))
    if redirect is None:
        if re.match(r"https?://", words[1]):
            redirect = "302"
        else:
            return []  # it shows another page under the same address: no move
    if unknown := sorted(flags.keys() - _HARMLESS):
        raise ValueError(f"its flag {unknown[0]} changes what it means")
    to = words[1]
    _no_variable(to)
    if re.search(r"%\d", to):
        raise ValueError("its target takes a part from a RewriteCond")
    query = "drop" if to.endswith("?") or "QSD" in flags else "keep"
    if "?" in to.rstrip("?") and "QSA" not in flags:
        query = "drop"
    pattern = _rooted(words[0])
    if "NC" in flags or "NOCASE" in flags:
        raise ValueError("it does not mind capital letters (NC)")
    return [_by_expression(pattern, to.rstrip("?"), _status(redirect or "302"), query, number)]


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
    if status not in _STATUSES:
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


def _no_variable(to: str) -> None:
    if re.search(r"%\{|\$\{|\$[a-z_]", to):
        raise ValueError("its target has a variable of the server")


def _escaped(path: str) -> str:
    return escape(path).replace("*", "%2A").replace("{", "%7B").replace("#", "%23")


# What expressions of paths mean as patterns or addresses.

_LITERAL = re.compile(r"(?:[A-Za-z0-9/_~%&=:@,;!' -]|[^\x00-\x7f]|\\[^A-Za-z0-9])*\Z")


def _by_expression(pattern: str, to: str, status: str, query: str, number: int) -> ReadMove:
    """A move of a regular expression: of one address, where it is no more than that. Servers
    compare expressions with decoded paths, this tool with escaped ones."""
    body = pattern.removeprefix("^")
    exact = pattern.startswith("^") and body.endswith("$") and not body.endswith("\\$")
    to = to if to.startswith("/") or "://" in to or not to else f"/{to}"
    literal = body.removesuffix("$") if exact else body
    if exact and _LITERAL.match(literal):
        return ReadMove(_escaped(_plain(literal)), to, status, query, number)
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


# nginx


def read_nginx(text: str) -> ReadMoves:
    """The moves of an nginx configuration, or of a part of one."""
    read = ReadMoves()
    blocks: list[list[str]] = []
    maps: dict[str, list[ReadMove]] = {}
    used: dict[str, str] = {}
    for number, words, end in _nginx_statements(text, read):
        if end == "}":
            blocks[:] = blocks[:-1]
        elif end == "{":
            blocks.append(words)
        elif blocks and blocks[-1][0] == "map":
            _take_map(read, maps, blocks[-1], words, number)
        elif words[0] in ("return", "rewrite"):
            try:
                returns = words[0] == "return"
                move = (
                    _return(blocks, words, number, used)
                    if returns
                    else _rewrite(blocks, words, number)
                )
                read.moves += [move] if move else []
            except ValueError as error:
                read.unread.append(UnreadLine(number, " ".join(words), str(error)))
    for name, moves in maps.items():
        status = used.get(name)
        if status is None:
            read.unread += [
                UnreadLine(one.line, one.old, f"no `return` of this file uses ${name}")
                for one in moves[:1]
            ]
        else:
            read.moves += [one._replace(status=status) for one in moves]
    read.moves.sort(key=lambda one: one.line)
    read.unread.sort()
    return read


_TOKEN = re.compile(
    r'\s+|#[^\n]*|"((?:[^"\\]|\\.)*)"|\'((?:[^\'\\]|\\.)*)\'|([;{}])|((?:[^\s;{}\\]|\\.|\$\{\w+\}'
    r"|\{\d*,?\d*\})+)",
    re.S,
)


def _nginx_statements(text: str, read: ReadMoves) -> Iterator[tuple[int, list[str], str]]:
    """Statements as their line, words and what ends them: `;`, `{` or `}`."""
    words: list[str] = []
    first, at = 1, 0
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None:
            line = text.count("\n", 0, at) + 1
            read.unread.append(UnreadLine(line, text[at : at + 40], "it is no configuration"))
            return
        at = match.end()
        quoted = match[1] if match[1] is not None else match[2]
        if match[3]:
            if match[3] == "}" or words:
                yield first, words, match[3]
            words = []
        elif quoted is not None or match[4]:
            if not words:
                first = text.count("\n", 0, match.start()) + 1
            text_of = re.sub(r'\\(["\'])', r"\1", quoted) if quoted is not None else match[4]
            words.append(text_of)


def _return(
    blocks: list[list[str]], words: list[str], number: int, used: dict[str, str]
) -> ReadMove | None:
    """`return 301 target;` in a location, or of the variable of a map."""
    status = words[1] if len(words) > 1 else ""
    to = words[2] if len(words) > 2 else ""
    if re.match(r"https?://|/|\$", status):
        status, to = "302", status
    if status not in _STATUSES:
        return None
    inside = [one for one in blocks if one[0] not in ("http", "server")]
    if len(inside) == 1 and inside[0][0] == "if":
        condition = " ".join(inside[0][1:]).strip("() ")
        name = condition.removeprefix("$")
        if re.fullmatch(r"\w+", name) and name in to:
            used[name] = status
            return None
        if match := re.fullmatch(r'\$(?:uri|request_uri) (=|~) "?(.+?)"?', condition):
            return _located(match[1], match[2], to, status, number)
        raise ValueError(f"it stands under a condition ({condition})")
    if len(inside) != 1 or inside[0][0] != "location":
        if not inside and not to.count("$request_uri"):
            raise ValueError("it answers for the whole server")
        raise ValueError("it is about the whole server" if not inside else "it stands in more")
    where = inside[0][1:]
    if len(where) == 1:
        return _located("", where[0], to, status, number)
    return _located(where[0], where[1], to, status, number)


def _located(how: str, where: str, to: str, status: str, number: int) -> ReadMove:
    query = "keep" if re.search(r"\$is_args\$args|\$request_uri", to) else "drop"
    bare = to.replace("$is_args$args", "")
    if how == "~":
        _no_variable(bare)
        return _by_expression(where, bare, status, query, number)
    if how == "~*":
        raise ValueError("it does not mind capital letters (~*)")
    if "$request_uri" in bare or "$uri" in bare:
        base, _, rest = bare.partition("$request_uri" if "$request_uri" in bare else "$uri")
        if rest or how == "=":
            raise ValueError("its target takes the whole old address")
        return ReadMove(f"{_escaped(where)}**", f"{base}{where}$1", status, query, number)
    _no_variable(bare)
    if how == "=":
        return ReadMove(_escaped(where), bare, status, query, number)
    return ReadMove(f"{_escaped(where)}**", bare, status, query, number)


def _rewrite(blocks: list[list[str]], words: list[str], number: int) -> ReadMove | None:
    """`rewrite expression target permanent|redirect;`."""
    if len(words) < 3:
        raise ValueError("it lacks a target")
    how = words[3] if len(words) > 3 else ""
    if how not in ("permanent", "redirect"):
        if not re.match(r"https?://", words[2]):
            return None  # it shows another page under the same address: no move
        how = "redirect"
    inside = [one for one in blocks if one[0] not in ("http", "server")]
    if inside:
        raise ValueError(f"it stands in {' '.join(inside[-1])}")
    to = words[2]
    drops = to.endswith("?")
    _no_variable(to)
    status = "301" if how == "permanent" else "302"
    return _by_expression(words[1], to.rstrip("?"), status, "drop" if drops else "keep", number)


def _take_map(
    read: ReadMoves,
    maps: dict[str, list[ReadMove]],
    block: list[str],
    words: list[str],
    number: int,
) -> None:
    if len(block) != 3 or block[1] not in ("$uri", "$request_uri", "${uri}"):
        return
    name, (old, *rest) = block[2].removeprefix("$"), words
    if old in ("default", "hostnames", "volatile") or not rest:
        return
    if old == "include":
        read.unread.append(UnreadLine(number, " ".join(words), "give the file that it includes"))
        return
    to = rest[0]
    try:
        if old.startswith("~*"):
            raise ValueError("it does not mind capital letters (~*)")
        _no_variable(re.sub(r"\$\d", "", to))
        if old.startswith("~"):
            move = _by_expression(old[1:], to, "301", "drop", number)
        else:
            move = ReadMove(_escaped(old.removeprefix("\\")), to, "301", "drop", number)
    except ValueError as error:
        read.unread.append(UnreadLine(number, " ".join(words), str(error)))
        return
    if to:
        maps.setdefault(name, []).append(move)
