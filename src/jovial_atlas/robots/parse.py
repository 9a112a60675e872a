"""Reading a robots.txt (RFC 9309 §2.1, §2.2).

    group     = 1*user-agent-line *( rule | other record )
    rule      = ( "allow" | "disallow" ) ":" pattern
    other     = Sitemap and every record the RFC does not define

Other records belong to no group and do not end a run of user-agent lines. Rules
before the first user-agent line are ignored, and told as a fault.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

import msgspec

from jovial_atlas.faults import Fault

# RFC 9309 §2.5: a parser reads at least the first 500 KiB.
READ_LIMIT = 500 * 1024
_LINE_END = re.compile(rb"\r\n|\r|\n")
_TOKEN = re.compile(r"[A-Za-z_-]+")
# Spellings met in the field that crawlers tend to accept; each is told as a fault.
_MISSPELT = {"useragent": "user-agent", "user agent": "user-agent", "dissallow": "disallow"}


class RobotsRule(msgspec.Struct, frozen=True):
    """One Allow or Disallow line; `line` counts from 1. `reason` is the comment above it or
    behind it."""

    allow: bool
    pattern: str
    line: int
    reason: str = ""

    def __str__(self) -> str:
        return f"{'Allow' if self.allow else 'Disallow'}: {self.pattern}"


@dataclass(slots=True)
class Group:
    """The product tokens of one group, as written, its rules in order, the lines on which
    the tokens stand, where the group was read, and the comment above it."""

    agents: list[str] = field(default_factory=list)
    rules: list[RobotsRule] = field(default_factory=list)
    lines: list[int] = field(default_factory=list)
    comment: str = ""
    #: Records that are neither rules nor crawlers, as Crawl-delay, and stand in its lines: to those
    #: who know them they may mean this group alone.
    records: list[RobotsRecord] = field(default_factory=list)


class RobotsRecord(msgspec.Struct, frozen=True):
    """A record that is no user-agent, allow or disallow line; `field` as written."""

    field: str
    value: str
    line: int


@dataclass(slots=True)
class RobotsFile:
    """All that a robots.txt says. `comment` holds the comments that belong to no group and no
    rule."""

    groups: list[Group] = field(default_factory=list)
    sitemaps: list[RobotsRecord] = field(default_factory=list)
    others: list[RobotsRecord] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    comment: str = ""


class _Comments:
    """Comments on their way to what they stand above."""

    def __init__(self) -> None:
        self.loose: list[str] = []
        self._waiting: list[str] = []

    def add(self, raw: bytes) -> None:
        """Take the comment of a line; an empty line parts what is above it from what follows."""
        before, sign, text = raw.partition(b"#")
        if sign:
            self._waiting.append(text.decode("utf-8", "replace").strip())
        elif not before.strip():
            self.let_go()

    def take(self) -> str:
        """The comments that stand right above the line at hand, or behind it."""
        text = "\n".join(self._waiting)
        self._waiting = []
        return text

    def let_go(self) -> None:
        """What is waiting belongs to nothing in particular."""
        self.loose += self._waiting
        self._waiting = []


def product_token(value: str) -> str:
    """The token that a user-agent line names: `*`, or its leading letters, `_` and `-`."""
    if value.startswith("*"):
        return "*"
    match = _TOKEN.match(value)
    return match[0].lower() if match else ""


def parse_robots(data: bytes, name: str = "robots.txt") -> RobotsFile:
    """Read a robots.txt. Never raises: what cannot be used becomes a fault at `name:line`."""
    reading = _Reading(name)
    if len(data) > READ_LIMIT:
        reading.parsed.faults.append(
            Fault(
                "robots-too-large",
                name,
                f"The file has {len(data):,} bytes; crawlers need not read past {READ_LIMIT:,}.",
            )
        )
    for number, raw in enumerate(_LINE_END.split(data.removeprefix(b"\xef\xbb\xbf")), start=1):
        reading.comments.add(raw)
        line = raw.split(b"#", 1)[0].strip(b" \t").decode("utf-8", errors="surrogateescape")
        if line:
            reading.take(line, number)
    reading.comments.let_go()
    reading.parsed.comment = "\n".join(reading.comments.loose)
    return reading.parsed


class _Reading:
    """A robots.txt while it is read, line by line."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.parsed = RobotsFile()
        self.comments = _Comments()
        self._group: Group | None = None
        #: Whether the line before named a crawler, so that another one joins its group.
        self._naming = False

    def take(self, line: str, number: int) -> None:
        """Take a line that is not empty, without its comment."""
        key, colon, value = (part.strip(" \t") for part in line.partition(":"))
        if not colon:
            self._fault("robots-not-a-record", number, f"{_shown(line)!r} has no colon.")
            return
        kind = key.lower()
        if kind in _MISSPELT:
            self._fault("robots-misspelt", number, f"{key!r} is read as {_MISSPELT[kind]!r}.")
            kind = _MISSPELT[kind]
        if kind == "user-agent":
            self._take_agent(value, number)
        elif kind in ("allow", "disallow"):
            self._take_rule(line, kind == "allow", value, number)
        elif kind == "sitemap":
            self.parsed.sitemaps.append(RobotsRecord(key, value, number))
            if not re.match(r"https?://[^/\s]+", value):
                message = f"{_shown(value)!r} is no absolute address."
                self._fault("robots-sitemap-relative", number, message)
        else:
            record = RobotsRecord(key, value, number)
            self.parsed.others.append(record)
            if self._group is not None:
                self._group.records.append(record)
            if kind == "noindex":
                message = "No crawler obeys Noindex in robots.txt."
                self._fault("robots-noindex-line", number, message)

    def _take_agent(self, value: str, number: int) -> None:
        if self._group is None or not self._naming:
            self._group = Group()
            self.parsed.groups.append(self._group)
            self._naming = True
        group = self._group
        group.comment = "\n".join(filter(None, (group.comment, self.comments.take())))
        group.agents.append(value)
        group.lines.append(number)
        if not product_token(value):
            self._fault("robots-agent-unnamed", number, f"{value!r} names no crawler.")

    def _take_rule(self, line: str, allow: bool, value: str, number: int) -> None:
        self._naming = False
        if self._group is None:
            message = f"{_shown(line)!r} stands before any User-agent line; crawlers ignore it."
            self._fault("robots-rule-before-group", number, message)
            return
        self._group.rules.append(RobotsRule(allow, value, number, self.comments.take()))
        if value and value[0] not in "/*$":
            message = f"{_shown(value)!r} starts with neither '/' nor '*'; it matches nothing."
            self._fault("robots-pattern-start", number, message)

    def _fault(self, code: str, number: int, message: str) -> None:
        self.parsed.faults.append(Fault(code, f"{self.name}:{number}", message))


def _shown(text: str) -> str:
    return text.encode("utf-8", "surrogateescape").decode("utf-8", "replace")[:120]
