"""`moves`: addresses that moved or went, and where they lead."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import FORMATS, TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.explained import OverviewFirst, command_group
from jovial_atlas.cli.moves_domain import domain
from jovial_atlas.cli.moves_from import import_, missing
from jovial_atlas.cli.moves_shown import (
    as_json,
    csv_rows,
    give_change,
    show_followed,
    show_moves,
)
from jovial_atlas.cli.stake import stake_option

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jovial_atlas.moves.finding import FoundMove
    from jovial_atlas.moves.move import Move
    from jovial_atlas.rounds.state.last_survey import LastSurvey

_STATUSES = ("301", "308", "302", "307")
_yes = click.option("--yes", is_flag=True, help="Save without asking.")
_dry_run = click.option("--dry-run", is_flag=True, help="Show what would be done; save nothing.")


@command_group("moves", cls=OverviewFirst, examples=("moves", "moves take --sure 0.9"))
def command() -> None:
    """Addresses that moved or went: what the survey found, what was decided, what is wrong with it.
    Without a command: the overview. Nobody is sent on by anything that was not taken."""


@atlas_command(
    "overview",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("moves overview", "moves overview --all"),
)
@click.option("--all", "show_all", is_flag=True, help="Show every move, not the first of a kind.")
def overview(work: Work, show_all: bool) -> int:
    """The moves that are proposed, with how sure and why; the table of moves; and what is wrong
    with it."""
    from jovial_atlas.findings.finding import findings_of
    from jovial_atlas.rounds.deciding.moves import numbered_moves, sent_moves
    from jovial_atlas.rounds.proving.moves import move_faults
    from jovial_atlas.rounds.publishing.redirects import redirects_of

    survey = _survey(work)
    moves = numbered_moves(survey)
    hosts = [survey.of_host(host) for host in survey.site.hosts]
    redirects = [redirects_of(host) for host in hosts]
    pairs = zip(hosts, redirects, strict=True)
    findings = findings_of(fault for host, one in pairs for fault in move_faults(host, one))
    sent = sent_moves([one.sent for one in redirects], len(moves))
    if work.output.format == "json":
        work.output.json(as_json([*moves, *sent], findings, survey.site.urls[0]))
    elif work.output.format == "csv":
        work.output.csv(*csv_rows([*moves, *sent], survey.site.urls[0]))
    else:
        url = survey.site.urls[0]
        show_moves(work.output, moves, findings, url, sent=sent, show_all=show_all)
    return 0


def _survey(work: Work) -> LastSurvey:
    from jovial_atlas.rounds.state.last_survey import last_survey

    return last_survey(work.site(), work.now())


@atlas_command(
    "take",
    state="edits",
    formats=FORMATS,
    examples=("moves take 1 3-5", "moves take --sure 0.9 --yes"),
)
@click.argument("which", nargs=-1, metavar="[NUMBER|OLD]…")
@click.option("--sure", type=click.FloatRange(0, 1), metavar="P",
              help="Only those that are at least so sure, as in 0.9.")  # fmt: skip
@click.option("--status", type=click.Choice(_STATUSES), default="301", show_default=True,
              help="How visitors are sent on; 302 and 307 for a time only.")  # fmt: skip
@click.option("--reason", default="", metavar="TEXT", help="Why, for whoever reads the table.")
@_yes
def take(
    work: Work, which: tuple[str, ...], sure: float | None, status: str, reason: str, yes: bool
) -> int:
    """Take moves that are proposed into the table of moves: by their numbers, by old addresses, or
    all; those of which nothing is left become gone (410). `build` writes them for servers."""
    survey = _survey(work)
    found = _chosen(survey, which, sure)
    moves = _rows(work, survey, found, reason, status=int(status))
    return give_change(work, survey.site, moves, yes or None, {})


def _chosen(survey: LastSurvey, which: tuple[str, ...], sure: float | None) -> Sequence[FoundMove]:
    from jovial_atlas.rounds.deciding.moves import chosen_moves, proposed_moves

    return chosen_moves(proposed_moves(survey), which, sure, survey.site)


def _rows(
    work: Work, survey: LastSurvey, found: Sequence[FoundMove], reason: str, *,
    status: int = 301, refused: bool = False,
) -> list[Move]:  # fmt: skip
    from dataclasses import replace

    from jovial_atlas import dates
    from jovial_atlas.rounds.deciding.moves import as_moves

    today = dates.write(work.now())[:10]
    moves = as_moves(found, survey.site, today, reason, refused=refused)
    return [replace(one, status=status) if one.status == 301 else one for one in moves]


@atlas_command(
    "refuse", state="edits", formats=FORMATS, examples=("moves refuse 4", "moves refuse 4-9"))
@click.argument("which", nargs=-1, required=True, metavar="NUMBER|OLD…")
@click.option("--reason", default="", metavar="TEXT", help="Why, for whoever reads the table.")
@_dry_run
def refuse(work: Work, which: tuple[str, ...], reason: str, dry_run: bool) -> int:
    """Refuse moves that are proposed: the old addresses stay not found, and nothing is proposed for
    them again."""
    survey = _survey(work)
    found = _chosen(survey, which, None)
    moves = _rows(work, survey, found, reason, refused=True)
    return give_change(work, survey.site, moves, not dry_run, {})


@atlas_command(
    "gone",
    state="edits",
    formats=FORMATS,
    examples=(
        "moves gone /shop/old-mug/ --reason 'No longer sold'",
        "moves gone /offers/ /sale/",
    ),
)
@click.argument("old", nargs=-1, required=True, metavar="OLD…")
@click.option("--reason", default="", metavar="TEXT", help="Why, for whoever reads the table.")
@_dry_run
@stake_option
def gone(work: Work, old: tuple[str, ...], reason: str, dry_run: bool, accepts: bool) -> int:
    """Say that pages are gone on purpose: servers answer 410, sitemaps leave them out, and `submit`
    announces them as removed. OLD is a path, an address, or a pattern."""
    from jovial_atlas import dates
    from jovial_atlas.moves.move import GONE
    from jovial_atlas.rounds.deciding.moves import move_by_hand

    site, today = work.site(), dates.write(work.now())[:10]
    moves = [move_by_hand(site, one, "", GONE, "", reason, today) for one in old]
    return give_change(work, site, moves, not dry_run, {}, accepts=accepts)


@atlas_command(
    "add", state="edits", formats=FORMATS,
    examples=("moves add '/blog/**' '/field-notes/**'", "moves add /old/ /new/ --status 302"),
)  # fmt: skip
@click.argument("old", metavar="OLD")
@click.argument("new", metavar="NEW")
@click.option("--status", type=click.Choice(_STATUSES), default="301", show_default=True,
              help="How visitors are sent on; 302 and 307 for a time only.")  # fmt: skip
@click.option("--query", type=click.Choice(("keep", "drop")),
              help="What becomes of queries. Default: as [moves] says.")  # fmt: skip
@click.option("--reason", default="", metavar="TEXT", help="Why, for whoever reads the table.")
@_dry_run
@stake_option
def add(
    work: Work, old: str, new: str, status: str, query: str | None, reason: str, dry_run: bool,
    accepts: bool,
) -> int:  # fmt: skip
    """Lead OLD to NEW. OLD may be a pattern: `*` stands for anything in one folder, `**` for
    anything, `#` for digits; NEW names what they stood for as $1, $2, or by the same signs."""
    from jovial_atlas import dates
    from jovial_atlas.rounds.deciding.moves import move_by_hand

    site, today = work.site(), dates.write(work.now())[:10]
    move = move_by_hand(site, old, new, int(status), query or "", reason, today)
    return give_change(work, site, [move], not dry_run, {}, accepts=accepts)


@atlas_command(
    "follow", state="reads", formats=TABLE_FORMATS,
    examples=("moves follow /blog/otters/", "moves follow /blog/otters/ --format json"),
)  # fmt: skip
@click.argument("old", nargs=-1, required=True, metavar="ADDRESS…")
def follow(work: Work, old: tuple[str, ...]) -> int:
    """Show where addresses lead by the table of moves and the site file, without asking a server:
    the status, the address in the end, and the rows on the way."""
    from jovial_atlas.rounds.publishing.moves import follow_address

    survey = _survey(work)
    followed = [follow_address(survey, one) for one in old]
    fields = ("address", "status", "to", "by")
    rows = [(one.address, one.status, one.to, "; ".join(one.by)) for one in followed]
    if work.output.format == "json":
        work.output.json({"addresses": [
            {"address": one.address, "status": one.status, "to": one.to or None,
             "by": list(one.by)} for one in followed
        ]})  # fmt: skip
    elif work.output.format == "csv":
        work.output.csv(fields, rows)
    else:
        show_followed(work.output, followed, survey.site.urls[0])
    return 0


for one in (overview, take, refuse, gone, add, follow, import_, missing, domain):
    command.add_command(one)
