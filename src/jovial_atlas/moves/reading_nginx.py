"""Moves out of a configuration of nginx: `return`, `rewrite … permanent|redirect`, `location =
/old`, `location ^~|~ /old` around a `return`, and `map $uri|$request_uri $name`."""

from __future__ import annotations

import re
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
    if status not in STATUSES:
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
        refuse_variables(bare)
        return by_expression(where, bare, status, query, number)
    if how == "~*":
        raise ValueError("it does not mind capital letters (~*)")
    if "$request_uri" in bare or "$uri" in bare:
        base, _, rest = bare.partition("$request_uri" if "$request_uri" in bare else "$uri")
        if rest or how == "=":
            raise ValueError("its target takes the whole old address")
        return ReadMove(f"{escaped_path(where)}**", f"{base}{where}$1", status, query, number)
    refuse_variables(bare)
    if how == "=":
        return ReadMove(escaped_path(where), bare, status, query, number)
    return ReadMove(f"{escaped_path(where)}**", bare, status, query, number)


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
    refuse_variables(to)
    status = "301" if how == "permanent" else "302"
    return by_expression(words[1], to.rstrip("?"), status, "drop" if drops else "keep", number)


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
        refuse_variables(re.sub(r"\$\d", "", to))
        if old.startswith("~"):
            move = by_expression(old[1:], to, "301", "drop", number)
        else:
            move = ReadMove(escaped_path(old.removeprefix("\\")), to, "301", "drop", number)
    except ValueError as error:
        read.unread.append(UnreadLine(number, " ".join(words), str(error)))
        return
    if to:
        maps.setdefault(name, []).append(move)
