"""`rules`: list and change the rules, with a look at what a change does before it is saved."""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import FORMATS, TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.explained import command_group
from jovial_atlas.cli.findings import FindingsShown, fail_on_option, give_findings
from jovial_atlas.cli.names import CHOICE, POLICY
from jovial_atlas.cli.stake import may_save, say_stake, stake_as_json, stake_option
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.deciding.rules import Reach, Turns
    from jovial_atlas.rounds.proving.guarded import GuardedChange
    from jovial_atlas.sitefile import Rule, SiteFile

_TRUTH = {"true": True, "yes": True, "false": False, "no": False}


@command_group(
    "rules", examples=("rules add --match '/tags/**' --set listed=false", "rules policies"))
def command() -> None:
    """List and change the rules and policies of the site file. A change shows which pages turn
    before it is saved; comments in the file stay."""


#: Options that choose pages, by the keys of a rule.
_SELECTORS = (
    ("regex", "EXPRESSION", "Paths that contain this regular expression."),
    ("section", "NAME", "Pages of this section."),
    ("language", "TAG", "Pages in this language."),
    ("source", "NAME", "Pages of this source."),
    ("author", "NAME", "Pages of this author."),
    ("tag", "NAME", "Pages with this tag."),
    ("older_than", "AGE", "Last changed longer ago than this: '2 years', '90 days'."),
    ("newer_than", "AGE", "Last changed within this time."),
    ("dated", "COLUMN", "Count age from `published` instead of `lastmod`."),
    ("when", "SQL", "Condition over the page table's columns."),
)


def _selectors(function: Callable[..., Any]) -> Callable[..., Any]:
    for decorate in (
        stake_option,
        click.option("--yes", is_flag=True, help="Save without asking."),
        click.option("--reason", metavar="TEXT", help="Why, in your words."),
        click.option(
            "--set", "sets", multiple=True, metavar="FIELD=VALUE",
            help="What it decides: listed=false, index=no, priority=0.8. May stand several times.",
        ),
        click.option(
            "--crawler", "crawlers", multiple=True, metavar="TOKEN",
            help="For this crawler alone, or several.",
        ),
        *(click.option(f"--{name.replace('_', '-')}", name, metavar=what, help=told)
          for name, what, told in reversed(_SELECTORS)),
        click.option(
            "--match", multiple=True, metavar="PATTERN", help="Addresses like this, or several."
        ),
    ):  # fmt: skip
        function = decorate(function)
    return function


@atlas_command(
    "list",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("rules list", "rules list --format json"),
)
def list_rules(work: Work) -> int:
    """List the rules in their order; later ones win."""
    out = work.output
    site = work.site()
    rules = [_shown(number, rule, site)
             for number, rule in enumerate(site.model.rule, start=1)]  # fmt: skip
    names = ("number", "pages", "set", "reason")
    if out.format == "json":
        out.json({"rules": rules})
    elif out.format == "csv":
        out.csv(names, [[rule[name] for name in names] for rule in rules])
    elif not rules:
        out.say("There is no rule. `jovial-atlas rules add` writes one.")
    else:
        out.table(
            ["No.: right", "Pages: fold", "Sets: fold", "Reason: fold"],
            [[rule[name] for name in names] for rule in rules],
        )  # fmt: skip
    if site.base_rules and out.is_table:
        bases = " and ".join(dict.fromkeys(base for base, _ in site.rules_of_bases))
        out.say(f"Rules without a number stand in {bases}; change them there.")
    return 0


def _shown(number: int, rule: Rule, site: SiteFile) -> dict[str, Any]:
    from jovial_atlas.sitefile.parts import given_in

    sets = given_in(rule.set)
    own = number - site.base_rules
    from_file = site.path.name if own > 0 else site.rules_of_bases[number - 1][0]
    chosen = {name: getattr(rule, name) for name, *_ in _SELECTORS if getattr(rule, name)}
    if not (rule.older_than or rule.newer_than):
        del chosen["dated"]
    selectors = [", ".join(rule.patterns)] if rule.patterns else []
    selectors += [f"{name.replace('_', ' ')} {value}" for name, value in chosen.items()]
    selectors += [f"for {', '.join(rule.crawlers)} alone"] if rule.crawlers else []
    return {
        "number": own if own > 0 else None,
        **({"from": from_file} if site.bases else {}),
        "pages": "; ".join(selectors),
        "match": list(rule.patterns),
        **{name: getattr(rule, name) for name, *_ in _SELECTORS},
        "crawlers": list(rule.crawlers),
        "set": ", ".join(f"{name} = {str(value).lower()}" for name, value in sets.items()),
        "reason": rule.reason,
    }


@atlas_command(
    "policies",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("rules policies --format json", "rules policies"),
)
def list_policies(work: Work) -> int:
    """List what happens with kinds of page: empty listings, duplicates, search results and
    others, and how many pages each is about."""
    from jovial_atlas.rounds.deciding.rules import policies

    out = work.output
    shown = policies(work.site(), work.now())
    names = ("name", "choice", "pages", "decides", "about", "choices", "default")
    if out.format == "json":
        out.json({"policies": [asdict(one) for one in shown]})
    elif out.format == "csv":
        rows = [[getattr(one, name) for name in names] for one in shown]
        out.csv(names, [[*row[:5], " ".join(row[5]), row[6]] for row in rows])
    else:
        out.table(
            ["Policy", "Choice", "Pages: right", "Decides: right 2",
             "About: fold", "Other choices: fold 1"],
            [
                [one.name, one.choice, one.pages, one.decides, one.about,
                 ", ".join(choice for choice in one.choices if choice != one.choice)]
                for one in shown
            ],
        )  # fmt: skip
        out.say("`jovial-atlas rules policy NAME CHOICE` shows what another choice would do.")
    return 0


@atlas_command(
    "policy",
    state="edits",
    formats=FORMATS,
    examples=("rules policy empty_listings index", "rules policy picture_pages parent --yes"),
)
@click.argument("name", type=POLICY)
@click.argument("choice", type=CHOICE)
@click.option("--yes", is_flag=True, help="Save without asking.")
@stake_option
def policy(work: Work, name: str, choice: str, yes: bool, accepts: bool) -> int:
    """Choose what happens with the pages of policy NAME, after a look at what turns."""
    from jovial_atlas.sitefile.edit import set_policy

    return _change(work, lambda text: set_policy(text, name, choice), yes, accepts=accepts)


@atlas_command(
    "add",
    state="edits",
    formats=FORMATS,
    examples=(
        "rules add --match '/tags/**' --when 'entries < 3' --set listed=false --reason "
        "'Thin tags help no one'",
        "rules add --section shop --older-than '2 years' --set index=false",
    ),
)
@_selectors
@click.option("--at", type=click.IntRange(1), help="Place in the order. Default: last.")
def add(work: Work, at: int | None, yes: bool, accepts: bool, **given: Any) -> int:
    """Add a rule."""
    from jovial_atlas.sitefile.edit import add_rule

    values = {key: value for key, value in _values(given).items() if value is not None}
    return _change(work, lambda text: add_rule(text, values, at), yes, at or 0, accepts=accepts)


@atlas_command(
    "change",
    state="edits",
    formats=FORMATS,
    examples=("rules change 2 --set index=true", "rules change 2 --reason 'Looked at in spring'"),
)
@click.argument("number", type=int)
@_selectors
def change(work: Work, number: int, yes: bool, accepts: bool, **given: Any) -> int:
    """Change rule NUMBER: what is given is set anew, an empty value takes a key out."""
    from jovial_atlas.sitefile.edit import change_rule

    values = _values(given)
    if not values:
        raise click.UsageError("Nothing to change: give --match, --when, --set or another option.")
    return _change(
        work, lambda text: change_rule(text, number, values), yes, number, accepts=accepts
    )


@atlas_command(
    "remove", state="edits", formats=FORMATS, examples=("rules remove 2", "rules remove 2 --yes"))
@click.argument("number", type=int)
@click.option("--yes", is_flag=True, help="Save without asking.")
@stake_option
def remove(work: Work, number: int, yes: bool, accepts: bool) -> int:
    """Remove rule NUMBER."""
    from jovial_atlas.sitefile.edit import remove_rule

    return _change(work, lambda text: remove_rule(text, number), yes, accepts=accepts)


@atlas_command(
    "move", state="edits", formats=FORMATS, examples=("rules move 3 1", "rules move 1 5 --yes"))
@click.argument("number", type=int)
@click.argument("to", type=int)
@click.option("--yes", is_flag=True, help="Save without asking.")
@stake_option
def move(work: Work, number: int, to: int, yes: bool, accepts: bool) -> int:
    """Move rule NUMBER to place TO in the order."""
    from jovial_atlas.sitefile.edit import move_rule

    return _change(work, lambda text: move_rule(text, number, to), yes, accepts=accepts)


def _values(given: dict[str, Any]) -> dict[str, Any]:
    """The keys of a rule that were given; None for those given empty."""
    values: dict[str, Any] = {}
    if match := [one for one in given["match"] if one]:
        values["match"] = match[0] if len(match) == 1 else match
    elif given["match"]:
        values["match"] = None
    for key in (*(name for name, *_ in _SELECTORS), "reason"):
        if given[key] is not None:
            values[key] = given[key] or None
    if given["crawlers"]:
        values["crawlers"] = [one for one in given["crawlers"] if one] or None
    if given["sets"]:
        values["set"] = dict(_set(one) for one in given["sets"])
    return values


def _set(text: str) -> tuple[str, Any]:
    name, sign, value = text.partition("=")
    if not sign:
        raise click.UsageError(f"--set {text!r}: write it as FIELD=VALUE, as in listed=false.")
    value = value.strip()
    if value.lower() in _TRUTH:
        return name.strip(), _TRUTH[value.lower()]
    for kind in (int, float):
        try:
            return name.strip(), kind(value)
        except ValueError:
            continue
    return name.strip(), value


def _change(
    work: Work, edit: Callable[[str], str], yes: bool, number: int | None = None, *, accepts: bool
) -> int:
    """Show what an edit of the site file turns, and save it. `number` is the rule that it is about,
    0 for the last; `accepts` saves whatever is at stake."""
    from jovial_atlas.rounds.deciding.rules import preview, reach_of, save

    out, site = work.output, work.site()
    effect = preview(site, edit, work.now())
    reach = None
    if number is not None:
        last = len(effect.site.model.rule) - effect.site.base_rules
        reach = reach_of(effect.site, number or last, work.now())
    work.turned = effect.turns.turned
    if out.format != "json":
        if reach:
            _show_reach(out, reach, turns=bool(effect.turns.kinds))
        show_turns(out, effect.turns)
        say_stake(out, effect.turns.stake, site.model.site.url)
        if not yes and sys.stdin.isatty() and sys.stdout.isatty():
            yes = click.confirm("Save this?", default=False)
    if yes := yes and may_save(effect.turns.hiding, site, accepts=accepts):
        save(effect)
    if out.format == "json":
        about = {"pages": reach.pages, "decided_by": dict(reach.decided_by)} if reach else {}
        turns = [asdict(turn) for turn in effect.turns.kinds]
        stake = stake_as_json(effect.turns.stake)
        out.json({"turns": turns, **about, "at_stake": stake, "saved": yes})
    else:
        out.say("Saved." if yes else "Nothing was saved; --yes saves it.", style="bold")
    return 0


def _show_reach(out: Output, reach: Reach, *, turns: bool) -> None:
    """How many pages a rule is about; where it turns nothing, why that is so."""
    from jovial_atlas.faults import plural

    if not reach.pages:
        out.warn("The rule is about no page of the last survey: nothing is like its patterns, or "
                 "its conditions hold nowhere.")  # fmt: skip
        return
    out.say(f"The rule is about {plural(reach.pages, 'page')}.")
    if not turns:
        over = [f"{count:,} by {name}" for name, count in reach.decided_by if name != reach.name]
        why = f"what wins over it decides {', '.join(over[:4])}" if over else (
            "all that it says is so already"
        )  # fmt: skip
        out.say(f"It changes none of them: {why}.")


def show_turns(out: Output, turns: Turns) -> None:
    """How verdicts turn, with examples."""
    from jovial_atlas.faults import in_words, plural

    if not turns.kinds:
        out.say(f"No verdict of {plural(turns.pages, 'page')} changes.")
    for turn in turns.kinds:
        was, now = (in_words(value) for value in (turn.before, turn.after))
        out.say(f"{turn.field}: {was} → {now} for {plural(turn.count, 'page')}")
        for loc in turn.examples:
            out.indented("-", loc)
        if turn.count > len(turn.examples):
            out.indented("", f"… and {turn.count - len(turn.examples):,} more", indent=4)


@atlas_command(
    "guarded",
    state="reads",
    formats=(*TABLE_FORMATS, "sarif", "junit"),
    fails="findings at or above --fail-on",
    examples=("rules guarded main", "rules guarded v1.0 HEAD --format junit"),
)
@click.argument("before")
@click.argument("after", required=False, default="")
@fail_on_option
@click.option("--all", "show_all", is_flag=True, help="Show every place, not the first few.")
def guarded(work: Work, before: str, after: str, fail_on: str, show_all: bool) -> int:
    """Say which guarded fields a change touches, and who made it: between two revisions of git, as
    the two sides of a pull request, or two folders. Without AFTER: the site as it is."""
    import os

    from jovial_atlas.findings import findings_of
    from jovial_atlas.findings.finding import at_or_above
    from jovial_atlas.rounds.proving.guarded import faults_of, guarded_changes
    from jovial_atlas.rounds.proving.two_states import Comparison, two_states
    from jovial_atlas.web import new_client

    site, now = work.site(), work.now()
    with new_client(10) as client, work.output.progress("Reading both states"):
        asked = Comparison(site, now, client, os.environ)
        with two_states(asked, before, after) as states:
            changes = guarded_changes(states, now)
    for state in (states.before, states.after):
        if state.not_read:
            work.output.note(f"The pages of {state.name or 'the site'} are those of the last "
                             f"survey: {state.not_read}.")  # fmt: skip
    findings = findings_of(faults_of(changes))
    told = [_change_told(one) for one in changes]
    shown = FindingsShown(fail_on, show_all, about="rules guarded")
    looked = [f"{before} and {after or 'the site as it is'}"]
    give_findings(work.output, findings, looked, shown, {"changes": told})
    return int(at_or_above(findings, fail_on))


def _change_told(one: GuardedChange) -> dict[str, Any]:
    who = asdict(one.who) if one.who else None
    names = ("speaks", "field", "before", "after", "pages", "loc", "file", "line", "by", "guard",
             "allowed")  # fmt: skip
    return {name: getattr(one, name) for name in names} | {"who": who}


for one in (list_rules, list_policies, policy, add, change, remove, move, guarded):
    command.add_command(one)
