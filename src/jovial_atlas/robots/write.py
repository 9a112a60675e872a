"""Writing a robots.txt (RFC 9309 §2.2): groups, other records, Sitemap lines."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from jovial_atlas.robots.parse import Group


def write_robots(
    groups: Sequence[Group],
    sitemaps: Iterable[str] = (),
    others: Iterable[tuple[str, str]] = (),
    comment: str = "",
) -> bytes:
    """A robots.txt in UTF-8. A group without rules says `Disallow:` (nothing is barred). The
    comment of a group and the reason of a rule stand above it, other records of a group below its
    rules."""
    blocks = _comment(comment)
    for group in groups:
        lines = _comment(group.comment)
        lines += [f"User-agent: {_one_line(agent)}" for agent in group.agents]
        for rule in group.rules:
            lines += [*_comment(rule.reason), _one_line(str(rule))]
        lines += [] if group.rules else ["Disallow:"]
        lines += [f"{_one_line(one.field)}: {_one_line(one.value)}" for one in group.records]
        blocks += ["", *lines] if blocks else lines
    rest = [f"{_one_line(key)}: {_one_line(value)}" for key, value in others]
    rest += [f"Sitemap: {_one_line(address)}" for address in sitemaps]
    if rest:
        blocks += ["", *rest] if blocks else rest
    return ("\n".join(blocks) + "\n").encode()


def _comment(text: str) -> list[str]:
    return [f"# {line}".rstrip() for line in text.splitlines()]


def _one_line(text: str) -> str:
    """A value can never begin a line of its own or a comment."""
    return " ".join(text.replace("#", "%23").split())
