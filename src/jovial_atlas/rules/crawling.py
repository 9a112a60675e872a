"""What the site file says to crawlers, as a robots.txt in memory."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from jovial_atlas.robots import (
    Group,
    Matcher,
    RobotsFile,
    RobotsRecord,
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
            records=_records(group.records),
        )
        for group in model.robots.groups
    ]
    records = _records(model.robots.records)
    sitemaps = [RobotsRecord("Sitemap", address, 0) for address in model.robots.sitemaps]
    return RobotsFile(groups, sitemaps, records, comment=model.robots.comment)


def _records(written: Sequence[str]) -> list[RobotsRecord]:
    parted = (record.partition(":") for record in written)
    return [RobotsRecord(key.strip(), value.strip(), 0) for key, _, value in parted]


def deciding_crawlers(robots: RobotsFile, crawlers: Sequence[str]) -> list[str]:
    """Whose rules decide whether an address counts as barred: those of `*`, who stands for all that
    are not named. Only where `*` may fetch nothing at all while crawlers of the site's engines have
    groups of their own, the site is meant for these, and they decide."""
    everyone = Matcher(robots, "*")
    if everyone.ask("/").allowed or any(rule.allow for rule in everyone.rules):
        return ["*"]
    own = [one for one in crawlers if Matcher(robots, one).rules != everyone.rules]
    return own or ["*"]


def barred(robots: RobotsFile, path: pl.Expr, agents: Sequence[str]) -> pl.Expr | None:
    """Whether none of these crawlers (see `deciding_crawlers`) may fetch a column of paths. None
    where one of them may fetch all."""
    rules = [Matcher(robots, agent).rules for agent in agents]
    if not all(any(not rule.allow for rule in agent_rules) for agent_rules in rules):
        return None
    # Crawlers without a group of their own share the rules of `*`.
    different = [
        agent_rules for number, agent_rules in enumerate(rules) if agent_rules not in rules[:number]
    ]
    return pl.all_horizontal([_disallowed(agent_rules, path) for agent_rules in different])


def _disallowed(rules: Sequence[RobotsRule], path: pl.Expr) -> pl.Expr:
    """Whether rules, strongest first, bar a column of paths (RFC 9309 §2.2.2)."""
    answer = pl.lit(False)
    for rule in reversed(rules):
        matches = path.str.contains(pattern_regex(rule.pattern))
        answer = pl.when(matches).then(pl.lit(not rule.allow)).otherwise(answer)
    return answer & (path != "/robots.txt")
