"""Changing rules: what a changed site file would decide, before it is saved."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

import polars as pl

from jovial_atlas import dates
from jovial_atlas.files import write_over
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.rounds.state.stake import Stake, at_stake
from jovial_atlas.rules import FIELDS
from jovial_atlas.rules.layers import rule_name, where_of_rule
from jovial_atlas.rules.policies import EXPIRED, POLICIES, choices_of, named_policy
from jovial_atlas.rules.selectors import path_column
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.kinds import Policies
from jovial_atlas.sitefile.parts import keys_of
from jovial_atlas.sitefile.read import parse_site_file
from jovial_atlas.values import replace


@dataclass(frozen=True, slots=True)
class Turn:
    """One kind of change of verdicts: in which field, from what to what, of how many pages, and
    the first of them."""

    field: str
    before: object
    after: object
    count: int
    examples: list[str]


@dataclass(frozen=True, slots=True)
class Turns:
    """How verdicts turn: pages of the survey, those of which a verdict turns, and the kinds of
    change, most pages first."""

    pages: int
    turned: int
    kinds: list[Turn]
    #: What is at stake with all pages that turn, and with those that are hidden by it.
    stake: Stake | None = None
    hiding: Stake | None = None


@dataclass(frozen=True, slots=True)
class RuleEffect:
    """A changed site file: its bytes before, its text now, what it says, and how verdicts turn."""

    before: bytes
    text: str
    site: SiteFile
    turns: Turns


#: Pages that are named for each kind of change.
_EXAMPLES = 5


def preview(site: SiteFile, edit: Callable[[str], str], now: datetime) -> RuleEffect:
    """What a change of the site file's text does to the pages of the last survey. Nothing is
    saved. Raises SiteFileError where the new text is wrong, AtlasError where there is no survey.
    """
    data = site.path.read_bytes()
    text = edit(data.decode("utf-8-sig"))
    changed = parse_site_file(text, site.path)
    return RuleEffect(data, text, changed, turns_between(site, changed, now))


def turns_between(site: SiteFile, changed: SiteFile, now: datetime) -> Turns:
    """How verdicts of the last survey turn with another site file. Raises AtlasError where there
    is no survey."""
    survey = last_survey(site, now)
    before = survey.decided.select("loc", *FIELDS)
    after = replace(survey, site=changed).decided.select("loc", *FIELDS)
    both = before.join(after, on="loc", suffix="_after", maintain_order="left")
    turns = []
    differ = {name: pl.col(name).ne_missing(pl.col(f"{name}_after")) for name in FIELDS}
    for name in FIELDS:
        differing = (
            both.filter(differ[name])
            .group_by(name, f"{name}_after", maintain_order=True)
            .agg(pl.len().alias("count"), pl.col("loc").head(_EXAMPLES))
        )
        turns += [
            Turn(name, old, new, count, locs) for old, new, count, locs in differing.iter_rows()
        ]
    turns.sort(key=lambda turn: -turn.count)
    turned = both.filter(pl.any_horizontal(differ.values()))
    hides = [pl.col(name) & ~pl.col(f"{name}_after") for name in ("listed", "index")]
    hidden = turned.filter(pl.any_horizontal(hides))
    stakes = (at_stake(site, some["loc"]) for some in (turned, hidden))
    return Turns(before.height, turned.height, turns, *stakes)


@dataclass(frozen=True, slots=True)
class Reach:
    """A rule as layers call it, the pages that it is about, and who has the last word on them,
    most pages first."""

    name: str
    pages: int
    decided_by: list[tuple[str, int]]


def reach_of(site: SiteFile, number: int, now: datetime) -> Reach:
    """Whom a rule of a site file reaches, by its number in the file. Raises AtlasError."""
    survey = replace(last_survey(site, now), site=site)
    decided = survey.decided.with_columns(path_column(site))
    where = where_of_rule(site, number + site.base_rules, decided.schema, now)
    some = decided.filter(where.fill_null(False))
    counts = some.group_by("decided_by").len().sort("len", descending=True)
    name = rule_name(site, number + site.base_rules)
    return Reach(name, some.height, [(name, count) for name, count in counts.iter_rows()])


@dataclass(frozen=True, slots=True)
class PolicyShown:
    """One policy: its choice, the other choices, the pages it is about (all, and those for which
    it has the last word), and what it is for."""

    name: str
    choice: str
    choices: tuple[str, ...]
    default: str
    pages: int
    decides: int
    about: str


def policies(site: SiteFile, now: datetime) -> list[PolicyShown]:
    """All policies, with the pages of the last survey that they touch. Raises AtlasError."""
    survey = last_survey(site, now)
    decided = survey.decided.with_columns(path_column(site))
    fields = keys_of(Policies)
    words = dict(decided.group_by("decided_by").len().iter_rows())
    shown = []
    for policy in POLICIES:
        hit = decided.select(policy.pages(site).fill_null(False).sum()).item() or 0
        shown.append((policy.name, int(hit)))
    expired = decided.select((pl.col("expires") < dates.write(now)).sum()).item() or 0
    shown.append((EXPIRED, int(expired)))
    return [
        PolicyShown(
            name, getattr(site.model.policies, name), choices_of(name), fields[name].default, hit,
            words.get(named_policy(site, name), 0), fields[name].meaning,
        )
        for name, hit in shown
    ]  # fmt: skip


def save(change: RuleEffect) -> None:
    """Write the changed site file. Raises OutputError, also where somebody changed it since."""
    write_over(change.site.path, change.before, change.text.encode())
