"""One move: an address, or a pattern of addresses, and where it leads now.

RFC 9110 §15.4: 301 and 308 are for good, 302 and 307 for a time; 307 and 308 keep the method.
§15.5.11: 410 says that an address is gone on purpose.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import cached_property

from jovial_atlas.addresses import escape
from jovial_atlas.patterns import to_literal

GONE = 410
#: Status → whether it is for good, and whether the method stays.
REDIRECTS: dict[int, tuple[bool, bool]] = {
    301: (True, False), 308: (True, True), 302: (False, False), 307: (False, True),
}  # fmt: skip
#: The status of a row that says: nothing leads anywhere from here, and no move is proposed again.
REFUSED = 0
QUERIES = ("keep", "drop")

#: What stands for several texts in a pattern: any run, a run inside one folder, digits, one of
#: some.
_WILD = re.compile(r"\*\*|\*|#|\{[^{}]*\}")
_REFERENCE = re.compile(r"\$([1-9])")


@dataclass(frozen=True)
class Move:
    """A row of the table of moves.

    `origin` is scheme and host of the old address. `path` is what follows it: an address's path,
    with its query where only that query is meant; a pattern, in which `**`, `*`, `#` (digits) and
    `{a,b}` stand for several texts; or a regular expression, which begins with `^`. `to` is an
    address, in which `$1` to `$9` are what these stood for; "" where the page is gone. `query` says
    what becomes of the query of whoever asks: keep or drop.
    """

    origin: str
    path: str
    to: str = ""
    status: int = 301
    query: str = "keep"
    reason: str = ""
    since: str = ""
    taken_from: str = ""
    last_hit: str = ""
    hits: int = 0
    line: int = field(default=0, compare=False)

    @property
    def old(self) -> str:
        """The old address, or its pattern with the host."""
        return self.origin + self.path

    @property
    def is_gone(self) -> bool:
        """Whether the page is gone on purpose."""
        return self.status == GONE

    @property
    def is_refused(self) -> bool:
        """Whether the row only says that no move is wanted."""
        return self.status == REFUSED

    @property
    def is_expression(self) -> bool:
        """Whether the old address is a regular expression."""
        return self.path.startswith("^")

    @property
    def is_single(self) -> bool:
        """Whether it is about one address, not about a pattern."""
        return not (self.is_expression or _WILD.search(self.path))

    @property
    def asks_query(self) -> bool:
        """Whether the query decides as well."""
        return "?" in self.path if not self.is_expression else r"\?" in self.path

    @property
    def beginning(self) -> str:
        """The text with which every path begins that a pattern is about."""
        if self.is_expression:
            return ""
        return escape(_WILD.split(self.path, maxsplit=1)[0].partition("?")[0])

    @cached_property
    def regex(self) -> str:
        """The regular expression of a pattern, over paths (or paths with queries) as they are
        normalised; each thing that stands for several texts is a group."""
        return self.path if self.is_expression else pattern_regex(self.path)

    @cached_property
    def groups(self) -> int:
        """How many parts of the old address the new one may name."""
        return re.compile(self.regex).groups if not self.is_single else 0

    def target(self, match: re.Match[str] | None) -> str:
        """The new address for one that matched."""
        if match is None:
            return self.to
        return filled_in_target(self.to, match.groups())


def filled_in_target(to: str, groups: tuple[str | None, ...]) -> str:
    """A new address with the parts of the old one that it names."""

    def part(reference: re.Match[str]) -> str:
        number = int(reference[1])
        return (groups[number - 1] or "") if number <= len(groups) else ""

    return _REFERENCE.sub(part, to)


def references_in(to: str) -> set[int]:
    """The numbers of the parts that a new address names."""
    return {int(one) for one in _REFERENCE.findall(to)}


def whole_expression(move: Move) -> str:
    """A pattern as a regular expression over whole addresses."""
    inner = move.regex[1:]
    if not move.asks_query and inner.endswith("$") and not inner.endswith(r"\$"):
        inner = inner[:-1] + r"(?:\?.*)?$"
    return f"^{re.escape(move.origin)}{inner}"


def wildcards(pattern: str) -> list[str]:
    """What stands for several texts in a pattern, in order."""
    return _WILD.findall(pattern)


def pattern_regex(pattern: str) -> str:
    """The regular expression of a pattern of paths, with a group for each thing that stands for
    several texts."""
    parts, end = [], 0
    for wild in _WILD.finditer(pattern):
        behind_query = "?" in pattern[: wild.start()]
        parts += [to_literal(pattern[end : wild.start()]), _group(wild[0], behind_query)]
        end = wild.end()
    return f"^{''.join(parts)}{to_literal(pattern[end:])}$"


def _group(wild: str, behind_query: bool) -> str:
    if wild == "**":
        return "(.*)" if behind_query else "([^?]*)"
    if wild == "*":
        return "([^&]*)" if behind_query else "([^/?]*)"
    if wild == "#":
        return "([0-9]+)"
    return f"({'|'.join(to_literal(one) for one in wild[1:-1].split(','))})"


def numbered_target(to: str) -> str:
    """A target of a pattern in which `*` or `**` stand for the same as in the old address, in
    order, with their numbers."""
    if _REFERENCE.search(to):
        return to
    count = 0

    def number(_wild: re.Match[str]) -> str:
        nonlocal count
        count += 1
        return f"${count}"

    return re.sub(r"\*\*?", number, to)
