"""What in a robots.txt is doubtful although it can be read: rules without effect, rules that do
more than meant, records that crawlers do not know. RFC 9309 §2.2 decides what has effect.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Collection, Iterator, Sequence

from jovial_atlas.faults import Fault, plural
from jovial_atlas.robots.match import Matcher, compared, shape_of
from jovial_atlas.robots.parse import Group, RobotsFile, RobotsRule, product_token

#: Records outside the RFC that some crawlers know.
_FIELD = frozenset({"crawl-delay", "host", "clean-param", "request-rate", "visit-time"})
#: Endings of files that pages need to be drawn.
RESOURCES = (".css", ".js", ".mjs", ".png", ".jpg", ".jpeg", ".gif", ".svg", ".webp", ".avif",
             ".woff2")  # fmt: skip


def lint(
    robots: RobotsFile,
    name: str,
    *,
    paths: Collection[str] = (),
    resources: Collection[str] = (),
) -> Iterator[Fault]:
    """All faults of a file, in the order of its lines. `paths` are those of the site's pages,
    and `resources` those of files that pages need; without them what depends on them is left
    out."""
    faults = [
        *robots.faults,
        *_records(robots, name),
        *_groups(robots, name),
        *(fault for group in robots.groups for fault in _rules(group, name)),
        *(_without_pages(robots, name, [*paths, *resources]) if paths else ()),
        *_resources(robots, name, resources),
    ]
    yield from sorted(faults, key=_line)


def _line(fault: Fault) -> int:
    number = fault.where.rpartition(":")[2]
    return int(number) if number.isdecimal() else 0


def _records(robots: RobotsFile, name: str) -> Iterator[Fault]:
    for record in robots.others:
        kind = record.field.lower()
        if kind in _FIELD:
            message = f"{record.field!r} is not in the standard; only some crawlers obey it."
            yield Fault("robots-record-uncommon", f"{name}:{record.line}", message)
        elif kind != "noindex":
            message = f"{record.field!r} is no record that crawlers know."
            yield Fault("robots-record-unknown", f"{name}:{record.line}", message)


def _groups(robots: RobotsFile, name: str) -> Iterator[Fault]:
    seen: dict[str, int] = {}
    for number, group in enumerate(robots.groups, start=1):
        for agent, line in zip(group.agents, group.lines, strict=True):
            where = f"{name}:{line}"
            token = product_token(agent)
            if token and token != agent.lower():
                message = f"Of {agent!r} crawlers read {token!r} alone."
                yield Fault("robots-agent-extra", where, message)
            if token in seen:
                message = (
                    f"{agent!r} stands in groups {seen[token]} and {number}; they count as one."
                )
                yield Fault("robots-agent-twice", where, message)
            seen.setdefault(token, number)


#: Pairs of rules of one group that are compared, at most: more of them are in no file that was
#: written to be read.
_PAIRS = 500_000


def _rules(group: Group, name: str) -> Iterator[Fault]:
    """Rules of a group that have no effect: for each one, the rule that makes it so."""
    shown = ", ".join(group.agents)
    known = _Known(group.rules)
    for rule in group.rules:
        if not rule.pattern:
            if rule.allow or known.count:
                message = f"{str(rule)!r} has no pattern, so it matches nothing."
                yield Fault("robots-rule-empty", f"{name}:{rule.line}", message)
            continue
        if found := known.shadow(rule):
            said, other = found
            message = f"{str(rule)!r} ({shown}) {said} line {other.line}, {str(other)!r}."
            yield Fault("robots-rule-shadowed", f"{name}:{rule.line}", message)
    if known.left < 0:
        message = f"The group has {known.count:,} rules; not all of them were compared."
        where = f"{name}:{group.lines[0]}" if group.lines else name
        yield Fault("robots-rules-many", where, message)


class _Known:
    """The rules of a group, so that those which may shadow another are found without looking at
    all: by what their patterns begin with."""

    def __init__(self, rules: Sequence[RobotsRule]) -> None:
        self.left = _PAIRS
        self._shapes = {id(rule): shape_of(rule.pattern) for rule in rules if rule.pattern}
        self.count = len(self._shapes)
        #: Rules by their whole pattern; by allow and beginning; and all beginnings, sorted.
        self._same: dict[str, list[RobotsRule]] = {}
        self._heads: dict[tuple[bool, str], list[RobotsRule]] = {}
        for rule in rules:
            if rule.pattern:
                shape = self._shapes[id(rule)]
                self._same.setdefault(shape.written, []).append(rule)
                self._heads.setdefault((rule.allow, shape.head), []).append(rule)
        self._sorted = {
            allow: sorted(head for kind, head in self._heads if kind is allow)
            for allow in (True, False)
        }

    def shadow(self, rule: RobotsRule) -> tuple[str, RobotsRule] | None:
        """How another rule takes all effect from this one, and which, or None."""
        mine = self._shapes[id(rule)]
        for other in self._same[mine.written]:
            if other is not rule and other.allow != rule.allow and not rule.allow:
                return "never counts beside", other
        for other in self._same[mine.written]:
            if other.line >= rule.line:
                break
            if other.allow == rule.allow:
                return "repeats", other
        wider = [
            other
            for length in range(len(mine.head) + 1)
            for other in self._heads.get((rule.allow, mine.head[:length]), ())
            if self._covers(other, rule)
        ]
        for other in sorted(wider, key=lambda one: one.line):
            if not self._is_needed(rule, len(self._shapes[id(other)].written)):
                return "says no more than", other
        return None

    def _covers(self, other: RobotsRule, rule: RobotsRule) -> bool:
        """Whether every address that a rule matches another one matches too, as far as that is
        plain to see: it has no anchor, and fits the pattern as it is written."""
        self.left -= 1
        wide, narrow = self._shapes[id(other)], self._shapes[id(rule)]
        if self.left < 0 or other is rule or wide.anchored or wide.text == narrow.text:
            return False
        # A `*` of the narrow one may be anything, so it must not be what the wide one needs.
        return wide.fits("\0".join((narrow.head, *narrow.parts)))

    def _is_needed(self, rule: RobotsRule, least: int) -> bool:
        """Whether a rule of the other kind, with a pattern from `least` to this one's length, may
        match the same addresses, so that this one holds against it."""
        mine = self._shapes[id(rule)]
        most = len(mine.written)
        heads = [mine.head[:length] for length in range(len(mine.head))]
        begun = self._sorted[not rule.allow]
        at = bisect_left(begun, mine.head)
        while at < len(begun) and begun[at].startswith(mine.head) and self.left >= 0:
            heads.append(begun[at])
            at += 1
            self.left -= 1
        for head in heads:
            for other in self._heads.get((not rule.allow, head), ()):
                self.left -= 1
                if self.left < 0 or least <= len(self._shapes[id(other)].written) <= most:
                    return True
        return False


def _without_pages(robots: RobotsFile, name: str, paths: Collection[str]) -> Iterator[Fault]:
    there = sorted({compared(path) for path in paths})
    left = _PAIRS
    for group in robots.groups:
        for rule in group.rules:
            if not rule.pattern or rule.pattern in ("/", "/*"):
                continue
            shape = shape_of(rule.pattern)
            at = bisect_left(there, shape.head)
            fits = False
            while at < len(there) and there[at].startswith(shape.head) and not fits:
                fits = shape.fits(there[at]) or left <= 0
                at += 1
                left -= 1
            if not fits:
                message = f"{str(rule)!r} matches no page of the last survey."
                yield Fault("robots-rule-idle", f"{name}:{rule.line}", message)


def _resources(robots: RobotsFile, name: str, resources: Collection[str]) -> Iterator[Fault]:
    matcher = Matcher(robots, "*")
    barred: dict[int, list[str]] = {}
    for path in resources:
        answer = matcher.ask(path)
        if not answer.allowed and answer.rule:
            barred.setdefault(answer.rule.line, []).append(path)
    rules = {rule.line: rule for group in robots.groups for rule in group.rules}
    for line, locs in barred.items():
        more = f" and {len(locs) - 3:,} more" if len(locs) > 3 else ""
        message = (
            f"{str(rules[line])!r} bars {plural(len(locs), 'file')} that pages need: "
            f"{', '.join(sorted(locs)[:3])}{more}."
        )
        yield Fault("robots-bars-resources", f"{name}:{line}", message)
