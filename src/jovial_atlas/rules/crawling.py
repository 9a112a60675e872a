"""What the site file says to crawlers, as a robots.txt in memory."""

from __future__ import annotations

import polars as pl

from jovial_atlas.robots import (
    Group,
    Matcher,
    Record,
    RobotsFile,
    RobotsRule,
    pattern_regex,
)
from jovial_atlas.sitefile import SiteModel


def robots_of(model: SiteModel) -> RobotsFile:
    """The robots.txt that the site file asks for, without Sitemap lines of our own.

    A draft bars every crawler from everything, whatever its groups say.
    """
    if model.site.stage == "draft":
        return RobotsFile([Group(["*"], [RobotsRule(False, "/", 1)])])
    groups = [
        Group(
            list(group.agents),
            [RobotsRule(True, path, 0, group.reasons.get(path, "")) for path in group.allow]
            + [RobotsRule(False, path, 0, group.reasons.get(path, "")) for path in group.disallow],
            comment=group.comment,
        )
        for group in model.robots.groups
    ]
    records = []
    for record in model.robots.records:
        key, _, value = record.partition(":")
        records.append(Record(key.strip(), value.strip(), 0))
    sitemaps = [Record("Sitemap", address, 0) for address in model.robots.sitemaps]
    return RobotsFile(groups, sitemaps, records, comment=model.robots.comment)


def disallowed(robots: RobotsFile, path: pl.Expr, agent: str = "*") -> pl.Expr:
    """Whether crawlers may not fetch a column of paths (RFC 9309 §2.2.2, strongest rule first)."""
    rules = Matcher(robots, agent).rules
    answer = pl.lit(False)
    if not rules:
        return answer
    for rule in reversed(rules):
        matches = path.str.contains(pattern_regex(rule.pattern))
        answer = pl.when(matches).then(pl.lit(not rule.allow)).otherwise(answer)
    return answer & (path != "/robots.txt")
