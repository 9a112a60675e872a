"""What in a robots.txt is doubtful although it can be read: rules without effect, rules that do
more than meant, records that crawlers do not know. RFC 9309 §2.2 decides what has effect.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator

from jovial_atlas.faults import Fault, plural
from jovial_atlas.robots.match import Matcher, normal_octets, pattern_regex
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
    found = [
        *robots.faults,
        *_records(robots, name),
        *_groups(robots, name),
        *(fault for group in robots.groups for fault in _rules(group, name)),
        *(_without_pages(robots, name, [*paths, *resources]) if paths else ()),
        *_resources(robots, name, resources),
    ]
    yield from sorted(found, key=_line)


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


def _rules(group: Group, name: str) -> Iterator[Fault]:
    """Rules of a group that have no effect: for each one, the rule that makes it so."""
    shown = ", ".join(group.agents)
    for rule in group.rules:
        others = [other for other in group.rules if other is not rule and other.pattern]
        if not rule.pattern:
            if rule.allow or others:
                message = f"{str(rule)!r} has no pattern, so it matches nothing."
                yield Fault("robots-rule-empty", f"{name}:{rule.line}", message)
            continue
        for other in others:
            if said := _shadow(rule, other, others):
                message = f"{str(rule)!r} ({shown}) {said} line {other.line}, {str(other)!r}."
                yield Fault("robots-rule-shadowed", f"{name}:{rule.line}", message)
                break


def _shadow(rule: RobotsRule, other: RobotsRule, others: list[RobotsRule]) -> str | None:
    """How another rule takes all effect from this one, or None."""
    mine, theirs = normal_octets(rule.pattern), normal_octets(other.pattern)
    if mine == theirs:
        if rule.allow == other.allow:
            return "repeats" if other.line < rule.line else None
        return None if rule.allow else "never counts beside"
    if rule.allow != other.allow or not _covers(theirs, mine):
        return None
    # Between the two a rule of the other kind may need this one to hold against it.
    between = (
        one
        for one in others
        if one.allow != rule.allow
        and (len(theirs) <= len(normal_octets(one.pattern)) <= len(mine))
        and _meet(normal_octets(one.pattern), mine)
    )
    return None if any(between) else "says no more than"


def _covers(wide: str, narrow: str) -> bool:
    """Whether every address that the narrow pattern matches the wide one matches too, as far as
    that is plain to see: the wide one has no anchor, and fits the narrow one as it is written."""
    if wide.endswith("$"):
        return False
    # A `*` of the narrow one may be anything, so it must not be what the wide one needs.
    return re.match(pattern_regex(wide), narrow.replace("*", "\x00").removesuffix("$")) is not None


def _meet(first: str, second: str) -> bool:
    """Whether some address may match both patterns: their beginnings agree."""
    heads = [re.split(r"[*$]", one, maxsplit=1)[0] for one in (first, second)]
    short = min(len(head) for head in heads)
    return heads[0][:short] == heads[1][:short]


def _without_pages(robots: RobotsFile, name: str, paths: Collection[str]) -> Iterator[Fault]:
    normal = "\n".join(normal_octets(path) for path in paths)
    for group in robots.groups:
        for rule in group.rules:
            if not rule.pattern or rule.pattern in ("/", "/*"):
                continue
            expression = pattern_regex(rule.pattern).removeprefix("^")
            lines = re.compile(f"^{expression.removesuffix('$')}", re.M)
            if rule.pattern.endswith("$"):
                lines = re.compile(f"^{expression}", re.M)
            if not lines.search(normal):
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
    for line, found in barred.items():
        more = f" and {len(found) - 3:,} more" if len(found) > 3 else ""
        message = (
            f"{str(rules[line])!r} bars {plural(len(found), 'file')} that pages need: "
            f"{', '.join(sorted(found)[:3])}{more}."
        )
        yield Fault("robots-bars-resources", f"{name}:{line}", message)
