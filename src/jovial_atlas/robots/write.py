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
    """A robots.txt in UTF-8. A group without rules says `Disallow:` (nothing is barred)."""
    blocks = [f"# {line}" for line in comment.splitlines()]
    for group in groups:
        lines = [f"User-agent: {_one_line(agent)}" for agent in group.agents]
        lines += [_one_line(str(rule)) for rule in group.rules] or ["Disallow:"]
        blocks += ["", *lines] if blocks else lines
    rest = [f"{_one_line(key)}: {_one_line(value)}" for key, value in others]
    rest += [f"Sitemap: {_one_line(address)}" for address in sitemaps]
    if rest:
        blocks += ["", *rest] if blocks else rest
    return ("\n".join(blocks) + "\n").encode()


def _one_line(text: str) -> str:
    """A value can never begin a line of its own or a comment."""
    return " ".join(text.replace("#", "%23").split())
