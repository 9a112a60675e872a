"""Which rule of a robots.txt decides an address (RFC 9309 §2.2.1 to §2.2.3).

The path with its query is compared octet by octet from its start, after both sides
were brought to one percent-encoding. The longest pattern wins; on a tie, Allow wins.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from jovial_atlas.robots.parse import RobotsFile, RobotsRule, product_token

_UNRESERVED = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-._~")
_ESCAPE = re.compile(r"%([0-9A-Fa-f]{2})")
_OUTSIDE = re.compile(r"[^\x21-\x7e]")


def normal_octets(text: str) -> str:
    """One spelling for comparing: what is not printable ASCII percent-encoded as UTF-8,
    escaped unreserved octets decoded, hex digits in upper case (§2.2.2)."""
    text = _OUTSIDE.sub(
        lambda match: "".join(
            f"%{octet:02X}" for octet in match[0].encode("utf-8", "surrogateescape")
        ),
        text,
    )
    return _ESCAPE.sub(_one_octet, text) if "%" in text else text


def _one_octet(match: re.Match[str]) -> str:
    octet = int(match[1], 16)
    return chr(octet) if octet in _UNRESERVED else f"%{octet:02X}"


def pattern_regex(pattern: str) -> str:
    """A rule's pattern as a regular expression anchored at the start, in the syntax that
    Python and Rust share. The pattern is compared in its normal octets."""
    pattern = normal_octets(pattern)
    anchored = pattern.endswith("$")
    body = pattern.removesuffix("$") if anchored else pattern
    parts = [re.escape(part) for part in re.split(r"\*+", body)]
    return "^" + ".*".join(parts) + ("$" if anchored else "")


@dataclass(frozen=True, slots=True)
class Answer:
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
        self._compiled = [(re.compile(pattern_regex(r.pattern), re.S), r) for r in self.rules]

    def ask(self, path: str) -> Answer:
        """The answer for a path with its query, from the first slash on."""
        path = normal_octets(path.partition("#")[0]) or "/"
        if path.partition("?")[0] == "/robots.txt":
            return Answer(True, None)
        for expression, rule in self._compiled:
            if expression.match(path):
                return Answer(rule.allow, rule)
        return Answer(True, None)


def _rules_for(robots: RobotsFile, agent: str) -> list[RobotsRule]:
    """All groups that name the agent, taken as one; else the `*` groups (§2.2.1)."""
    own = [g for g in robots.groups if _names(g.agents, product_token(agent))]
    groups = own or [g for g in robots.groups if _names(g.agents, "*")]
    return [rule for group in groups for rule in group.rules if rule.pattern]


def _names(agents: Iterable[str], token: str) -> bool:
    return bool(token) and any(product_token(agent) == token for agent in agents)


def _strongest_first(rules: list[RobotsRule]) -> list[RobotsRule]:
    return sorted(rules, key=lambda r: (-len(normal_octets(r.pattern)), not r.allow, r.line))
