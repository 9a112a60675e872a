"""Which rule of a robots.txt decides an address (RFC 9309 §2.2.1 to §2.2.3).

The path with its query is compared octet by octet from its start, after both sides
were brought to one percent-encoding. The longest pattern wins; on a tie, Allow wins.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

import msgspec

from jovial_atlas.robots.parse import RobotsFile, RobotsRule, product_token

_UNRESERVED = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-._~")
_ESCAPE = re.compile(r"%([0-9A-Fa-f]{2})")
_OUTSIDE = re.compile(r"[^\x21-\x7e]")


def normal_octets(text: str) -> str:
    """One spelling for comparing: what is not printable ASCII percent-encoded as UTF-8,
    escaped unreserved octets decoded, hex digits in upper case (§2.2.2)."""
    text = _OUTSIDE.sub(_octets, text)
    return _ESCAPE.sub(_one_octet, text) if "%" in text else text


def _octets(match: re.Match[str]) -> str:
    try:
        octets = match[0].encode("utf-8", "surrogateescape")
    except UnicodeEncodeError:
        octets = "\ufffd".encode()  # half of a surrogate pair is no character
    return "".join(f"%{octet:02X}" for octet in octets)


def _one_octet(match: re.Match[str]) -> str:
    octet = int(match[1], 16)
    return chr(octet) if octet in _UNRESERVED else f"%{octet:02X}"


class Shape(msgspec.Struct, frozen=True):
    """A rule's pattern taken apart: what it begins with, what follows after each sign `*`, and
    whether a sign `$` ends it. The texts are as `compared` gives them. `written` is the pattern in
    normal octets; by its length it is stronger than others, so `/**` is stronger than `/*`."""

    head: str
    parts: tuple[str, ...]
    anchored: bool
    written: str

    @property
    def text(self) -> str:
        """The one spelling of the pattern."""
        return "*".join((self.head, *self.parts)) + ("$" if self.anchored else "")

    def fits(self, path: str) -> bool:
        """Whether a path, as `compared` gives it, matches."""
        return path.startswith(self.head) and _fits(path, len(self.head), self.parts, self.anchored)


def shape_of(pattern: str) -> Shape:
    """Take a pattern apart (§2.2.3). `%2A` and `%24` stand for the signs themselves, and so does a
    `$` that does not end the pattern."""
    whole = normal_octets(pattern)
    anchored = whole.endswith("$")
    body = whole.removesuffix("$") if anchored else whole
    head, *parts = re.split(r"\*+", body.replace("$", "%24"))
    return Shape(head, tuple(parts), anchored, whole)


def compared(path: str) -> str:
    """A path with its query as patterns are held against it: in normal octets, with the signs that
    mean something in a pattern encoded."""
    return normal_octets(path).replace("*", "%2A").replace("$", "%24")


def pattern_regex(pattern: str) -> str:
    """A rule's pattern as a regular expression anchored at the start, in the syntax that Python
    and Rust share, for paths in normal octets, in which `*` and `$` may stand as they are."""
    shape = shape_of(pattern)
    parts = [
        re.escape(part).replace("%2A", r"(?:%2A|\*)").replace("%24", r"(?:%24|\$)")
        for part in (shape.head, *shape.parts)
    ]
    return "^" + ".*".join(parts) + ("$" if shape.anchored else "")


class Permission(msgspec.Struct, frozen=True):
    """Whether an address may be fetched, and the rule that says so (None: no rule matches)."""

    allowed: bool
    rule: RobotsRule | None


class Matcher:
    """The rules of one robots.txt for one crawler.

    `rules` are the ones that apply, strongest first: longest pattern in octets, Allow
    before Disallow, then in file order.
    """

    def __init__(self, robots: RobotsFile, agent: str) -> None:
        self.rules = _strongest_first(_rules_for(robots, agent))
        # Rules by what their pattern begins with, up to its first sign: an address is held
        # only against those it begins like, however many there are.
        self._begin: dict[str, list[tuple[int, Shape, RobotsRule]]] = {}
        for rank, rule in enumerate(self.rules):
            shape = shape_of(rule.pattern)
            self._begin.setdefault(shape.head, []).append((rank, shape, rule))
        self._lengths = sorted({len(literal) for literal in self._begin})

    def ask(self, path: str) -> Permission:
        """The answer for a path with its query, from the first slash on."""
        path = compared(path.partition("#")[0]) or "/"
        if path.partition("?")[0] == "/robots.txt":
            return Permission(True, None)
        best: tuple[int, RobotsRule] | None = None
        for length in self._lengths:
            if length > len(path):
                break
            for rank, shape, rule in self._begin.get(path[:length], ()):
                if best is not None and rank > best[0]:
                    break
                if _fits(path, length, shape.parts, shape.anchored):
                    best = (rank, rule)
                    break
        return Permission(best[1].allow, best[1]) if best else Permission(True, None)


def _fits(path: str, start: int, parts: Sequence[str], anchored: bool) -> bool:
    """Whether what follows the beginning has the parts between the signs `*`, in order; where
    the pattern is anchored the last of them ends the path."""
    if anchored:
        if not parts:
            return len(path) == start
        *parts, last = parts
    for part in parts:
        found = path.find(part, start)
        if found < 0:
            return False
        start = found + len(part)
    return not anchored or (path.endswith(last) and len(path) - len(last) >= start)


def _rules_for(robots: RobotsFile, agent: str) -> list[RobotsRule]:
    """All groups that name the agent, taken as one; else the `*` groups (§2.2.1)."""
    own = [g for g in robots.groups if _names(g.agents, product_token(agent))]
    groups = own or [g for g in robots.groups if _names(g.agents, "*")]
    return [rule for group in groups for rule in group.rules if rule.pattern]


def _names(agents: Iterable[str], token: str) -> bool:
    return bool(token) and any(product_token(agent) == token for agent in agents)


def _strongest_first(rules: list[RobotsRule]) -> list[RobotsRule]:
    return sorted(rules, key=lambda r: (-len(normal_octets(r.pattern)), not r.allow, r.line))
