"""Address patterns of the site file: `/field-notes/**`, `/tags/*`, `/{shop,cafe}/**`.

A pattern is compared with the whole path and query of an address. `*` is any run of
characters but `/`, `**` any run at all, `?` stands for itself, `{a,b}` is either. The
result is a regular expression in the syntax that Python and Rust share, so that one
pattern serves a single address and a whole column.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable

from jovial_atlas.addresses import escape, origin, path_and_query

_TOKENS = re.compile(r"\*\*|\*|\{[^{}]*\}|[{}]|[^*{}]+")


def to_regex(pattern: str) -> str:
    """The regular expression of a pattern. Raises ValueError with one sentence."""
    if not pattern.startswith(("/", "*")):
        raise ValueError(f"the pattern {pattern!r} must begin with '/' (or with '*')")
    parts: list[str] = []
    for piece in _TOKENS.findall(pattern):
        if piece == "**":
            parts.append(".*")
        elif piece == "*":
            parts.append("[^/]*")
        elif piece in "{}":
            raise ValueError(f"the pattern {pattern!r} has a brace without its partner")
        elif piece.startswith("{"):
            choices = "|".join(to_literal(choice) for choice in piece[1:-1].split(","))
            parts.append(f"(?:{choices})")
        else:
            parts.append(to_literal(piece))
    return f"^{''.join(parts)}$"


def beginning_of(pattern: str) -> str:
    """The text with which every path that is like a pattern begins, percent-encoded as paths are.
    Raises ValueError."""
    to_regex(pattern)
    path, mark, query = re.split(r"[*{]", pattern, maxsplit=1)[0].partition("?")
    return escape(path) + mark + escape(query)


def to_address_regex(pattern: str) -> str:
    """As `to_regex`, for whole addresses: `https://*.social.example/**`. Raises ValueError."""
    scheme, mark, rest = pattern.partition("://")
    host, slash, path = rest.partition("/")
    if scheme not in ("http", "https") or not mark or not host:
        raise ValueError(f"the pattern {pattern!r} must begin with https:// or http:// and a host")
    named = re.escape(host).replace(r"\*", "[^/]*")
    return f"^{scheme}://{named}" + (to_regex(slash + path)[1:] if slash else "(?:/.*)?$")


def to_literal(text: str) -> str:
    """Text that stands for itself, percent-encoded as addresses are."""
    path, mark, query = text.partition("?")
    return re.escape(escape(path) + mark + escape(query))


def any_of(patterns: list[str]) -> str:
    """One regular expression for several patterns. Raises ValueError."""
    return "|".join(f"(?:{to_regex(pattern)})" for pattern in patterns)


def matcher(given: Iterable[str], origins: Collection[str]) -> Callable[[str], bool]:
    """Whether an address is like one of some patterns: of paths, for addresses of these origins, or
    of whole addresses, which name a scheme. Raises ValueError."""
    whole, paths = [], []
    for one in given:
        if "://" in one:
            whole.append(re.compile(to_address_regex(one)))
        else:
            paths.append(re.compile(to_regex(one)))

    def matches(address: str) -> bool:
        if any(one.search(address) for one in whole):
            return True
        ours = bool(paths) and origin(address) in origins
        return ours and any(one.search(path_and_query(address)) for one in paths)

    return matches
