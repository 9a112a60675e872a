"""The layers that decide about a page, weakest first, as conditions over the page table.

    built-in default → policies by kind of page → site → section → rules in order
    → what the page says of itself → overrides file → facts

A later layer wins, field by field. Facts come last and only ever take a page out of
the sitemaps: an address that redirects, or that crawlers may not fetch, cannot be listed
whatever anyone decides.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from datetime import datetime

import polars as pl

from jovial_atlas import dates
from jovial_atlas.pages import schema
from jovial_atlas.rules.crawling import barred, deciding_crawlers, robots_of
from jovial_atlas.rules.fields import FIELDS, FROM_PAGE, Layer
from jovial_atlas.rules.own import crawler_layer, given, override_layers, page_layers
from jovial_atlas.rules.page_kinds import SIGNS
from jovial_atlas.rules.policies import EXPIRED, expired_layer, named_policy, policy_layers
from jovial_atlas.rules.selectors import of_rule
from jovial_atlas.sitefile import SiteFile

#: Words of SQL that ask for the time.
_TIME = re.compile(r"current|now\b|today", re.I)


def layers_of(
    site: SiteFile,
    now: datetime,
    table: pl.DataFrame | pl.LazyFrame | None = None,
    filled: Collection[str] | None = None,
) -> list[Layer]:
    """All layers of a site file, weakest first, for a page table (its `extra` fields differ
    from site to site). `filled` names the columns that hold anything, all if None: layers that
    need another are left out.

    Raises SiteFileError where a rule's `when` is no condition over that table.
    """
    known = schema.empty().schema if table is None else table.collect_schema()
    have = {*known, *SIGNS} if filled is None else {*filled, "section"}
    owner = [
        Layer(
            "default",
            pl.lit(True),
            {"listed": True, "index": True, "follow": True},
            "pages are listed unless something says otherwise",
        ),
        *policy_layers(site),
        *_site_layer(site),
        *_section_layers(site),
        *_rule_layers(site, known, now),
    ]
    over = override_layers(site)
    owner = [layer for layer in owner if have.issuperset(layer.needs)]
    said = {name for layer in (*owner, *over) for name in layer.sets}
    guarded = {name for guard in site.model.guard for name in guard.fields}
    dynamic = frozenset(FROM_PAGE) & (said | guarded)
    own = [one for one in page_layers(site, known, dynamic) if have.issuperset(one.needs)]
    there = have | {name for layer in (*owner, *own, *over) for name in layer.sets}
    facts = [one for one in _facts(site) if there.issuperset(one.needs)]
    found = [*owner, *own, *over, *facts]
    if "expires" in have or any("unavailable_after" in layer.sets for layer in found):
        found += expired_layer(site, dates.write(now))
    return found


def rule_name(site: SiteFile, number: int) -> str:
    """How a rule is called: its number in the site file, or that in the base file that it is of."""
    if number <= site.base_rules:
        base, there = site.rules_of_bases[number - 1]
        return f"rule {there} of {base}"
    return f"rule {number - site.base_rules}"


def rests_on_time(
    site: SiteFile, now: datetime, table: pl.LazyFrame, filled: Collection[str]
) -> bool:
    """Whether a verdict about a page table may be another one at another time."""
    if any(
        rule.older_than or rule.newer_than or _TIME.search(rule.when) for rule in site.model.rule
    ):
        return True
    layers = layers_of(site, now, table, filled)
    return any(layer.name == named_policy(site, EXPIRED) for layer in layers)


def in_play(layers: Collection[Layer]) -> list[str]:
    """The fields that are decided: all but those of the page table of which no layer speaks."""
    said = {name for layer in layers for name in layer.sets}
    return [name for name in FIELDS if name not in FROM_PAGE or name in said]


def layers_for_crawlers(
    site: SiteFile, now: datetime, known: pl.Schema, filled: Collection[str] | None = None
) -> dict[str, list[Layer]]:
    """Crawler → the layers that speak to it alone, weakest first. Crawlers that nothing is said
    to are left out."""
    have = set(known) if filled is None else filled
    tokens = {token for rule in site.model.rule for token in rule.crawlers}
    spoken = "crawler_directives" in have
    if spoken:
        tokens |= site.crawlers
    rules = [layer for layer in _rule_layers(site, known, now, single=True) if layer.crawlers]
    return {
        token: [
            *(layer for layer in rules if token in layer.crawlers),
            *([crawler_layer(token)] if spoken else []),
        ]
        for token in sorted(tokens)
    }


def _site_layer(site: SiteFile) -> list[Layer]:
    sets = given(site.model.defaults, site)
    reason = site.model.defaults.reason or "the site's defaults say so"
    return [Layer("site", pl.lit(True), sets, reason)] if sets else []


def _section_layers(site: SiteFile) -> list[Layer]:
    layers = []
    for section in site.model.section:
        if sets := given(section, site):
            name = f"section {section.name}"
            reason = section.reason or f"the section {section.name} is set so"
            layers.append(Layer(name, pl.col("section") == section.name, sets, reason))
    return layers


def _rule_layers(
    site: SiteFile, known: pl.Schema, now: datetime, *, single: bool = False
) -> list[Layer]:
    """The rules for all crawlers, or with `single` those for single ones."""
    layers = []
    for number, rule in enumerate(site.model.rule):
        if bool(rule.crawlers) is not single:
            continue
        shown = rule.match or rule.regex or rule.section or rule.when
        shown = shown if isinstance(shown, str) else ", ".join(shown)
        about = f" ({shown})" if shown else ""
        layers.append(
            Layer(
                rule_name(site, number + 1),
                of_rule(rule, number, site, known, now),
                given(rule.set, site),
                rule.reason or f"{rule_name(site, number + 1)}{about} says so",
                crawlers=rule.crawlers,
                patterns=rule.patterns if rule.asks_for_patterns_alone else (),
            )
        )
    return layers


def where_of_rule(site: SiteFile, number: int, known: pl.Schema, now: datetime) -> pl.Expr:
    """The pages that a rule is about, by its number from 1 on among all. Raises SiteFileError."""
    return of_rule(site.model.rule[number - 1], number - 1, site, known, now)


def _facts(site: SiteFile) -> list[Layer]:
    never = {"listed": False}
    robots = robots_of(site.model)
    facts = [
        ("status", pl.col("status") != 200, "it does not answer with status 200", "status"),
        (
            "redirect",
            pl.col("redirect").is_not_null(),
            "it sends visitors on to another address",
            "redirect",
        ),
        (
            "redirect",
            pl.col("send_to").is_not_null() & (pl.col("send_to") != pl.col("loc")),
            "the server sends visitors on to another address",
            "send_to",
        ),
        (
            "canonical",
            pl.col("canonical").is_not_null() & (pl.col("canonical") != pl.col("loc")),
            "its canonical is another address",
            "canonical",
        ),
    ]
    agents = deciding_crawlers(robots, sorted(site.crawlers))
    closed = barred(robots, pl.col("_path"), agents)
    if closed is not None:
        facts.append(("robots.txt", closed, "robots.txt bars crawlers from it", "loc"))
    if gone := [move.old for move in site.moves if move.is_gone and move.is_single]:
        facts.append(("moves", pl.col("loc").is_in(gone), "it is gone on purpose", "loc"))
    if site.model.site.stage == "draft":
        # Said first, since a draft bars everything by robots.txt as well.
        facts.insert(0, ("stage", pl.lit(True), "the site is a draft", "loc"))
    return [
        Layer(name, where, never, reason, fact=True, needs=(need,))
        for name, where, reason, need in facts
    ]
