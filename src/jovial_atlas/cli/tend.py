"""`tend`: rounds that nobody watches, one or one every so often; what came of them; and what is
needed to have them run."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import FORMATS, TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.explained import OverviewFirst, command_group
from jovial_atlas.cli.tend_install import install

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.records import TendedRound
    from jovial_atlas.rounds.tending.around import Around

#: Exit codes by what came of a round.
_CODES = {"done": 0, "nothing": 0, "held": 1, "failed": 1}
#: States that need to be seen.
_STYLES = {"held": "yellow", "failed": "bold red", "done": "green"}


class _RoundFirst(OverviewFirst):
    """`tend` alone is one round."""

    first = "round"


@command_group("tend", cls=_RoundFirst, examples=("tend", "tend log"))
def command() -> None:
    """One round that nobody watches, from the content to what engines know: survey, build, check,
    publish, announce, and tell somebody where a person is needed. Without a command: a round."""


def _length(_ctx: click.Context, _param: click.Parameter, value: str | None) -> float:
    from jovial_atlas.sitefile.tending import seconds_of

    if value is None:
        return 0
    try:
        return seconds_of(value)
    except ValueError as error:
        raise click.BadParameter(f"{error}.") from None


@atlas_command(
    "round",
    state="apart",
    formats=FORMATS,
    fails="a step held back or failed; with --health, a person is needed",
    examples=("tend round --rehearse", "tend round --watch --every 1h"),
)
@click.option("--every", callback=_length, metavar="TIME",
              help="A round every so often, as in 15m, until a signal ends it.")  # fmt: skip
@click.option("--watch", is_flag=True,
              help="A round when content changes; with --every, also without.")  # fmt: skip
@click.option(
    "--poll", is_flag=True,
    help="With --watch: look at files again and again, as network folders need.",
)  # fmt: skip
@click.option("--settle", callback=_length, metavar="TIME", default="2s", show_default=True,
              help="With --watch: how long content must be quiet before a round.")  # fmt: skip
@click.option("--health", is_flag=True, help="No round: say whether the site is tended.")
@click.option("--within", callback=_length, metavar="TIME",
              help="With --health: how old the last good round may be.")  # fmt: skip
@click.option(
    "--rehearse", is_flag=True,
    help="Go through a round against simulated engines; touch and tell nothing.",
)  # fmt: skip
@click.option("--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
              help="Seconds to wait for a server.")  # fmt: skip
def round_(work: Work, **asked: Any) -> int:
    """Run one round: survey, guard, build, check, inject and publish if the site file says so, look
    whether the live site serves it, submit, hear, status. It stops where a later step would do
    harm, keeps what stands, and says why. One round at a time runs on a site."""
    if asked["health"]:
        return _health(work, asked["within"])
    if asked["rehearse"]:
        return _rehearse(work)
    if asked["every"] or asked["watch"]:
        from jovial_atlas.cli.tend_on import tend_on

        return tend_on(work, asked)
    return _one(work, asked["timeout"])


def _around(work: Work, timeout: float) -> Around:
    import platform
    import signal
    import time

    from jovial_atlas.rounds.tending.around import Around
    from jovial_atlas.web import new_client

    told_to_end: list[int] = []

    def end(number: int, _frame: object) -> None:
        if told_to_end:
            raise KeyboardInterrupt
        told_to_end.append(number)
        work.output.note("The round ends after this step.")

    for one in (signal.SIGTERM, signal.SIGINT):
        signal.signal(one, end)

    def told(name: str, state: str, detail: str) -> None:
        loud = not work.output.quiet or state in ("held", "failed")
        if work.output.is_table and loud:
            work.output.indented(f"{name:<8}{state:<8}", detail, text_style=_STYLES.get(state, ""))

    return Around(
        work.site_path().absolute(), dict(os.environ), new_client(timeout), work.locks(), work.now,
        time.sleep, os.environ.get("JOVIAL_ATLAS_MACHINE") or platform.node() or "here",
        ends=lambda: bool(told_to_end), told=told,
    )  # fmt: skip


def _one(work: Work, timeout: float) -> int:
    from jovial_atlas.rounds.tending.tend import round_as_json, tend_once

    done = tend_once(_around(work, timeout))
    out = work.output
    if out.format == "json":
        out.json(round_as_json(done.round))
    elif done.is_busy:
        out.say(done.round.steps[0].detail)
    else:
        _say_round(out, done.round)
    return _CODES[done.round.state]


_WORDS = {
    "done": "Done.", "nothing": "Nothing was to be done.",
    "held": "Held: what stood before stands.", "failed": "Failed: a later round goes on.",
}  # fmt: skip


def _say_round(out: Output, one: TendedRound) -> None:
    if out.quiet and one.state == "nothing":
        return  # as in the log of a timer
    number = f"Round {one.number}: " if one.number else ""
    out.say(f"{number}{_WORDS[one.state]}", style="bold")
    for told in one.told:
        out.note(f"Told {told['to']}: {told['what']}")


def _health(work: Work, within: float) -> int:
    from dataclasses import asdict

    from jovial_atlas.rounds.state.ledger import open_ledger
    from jovial_atlas.rounds.tending.health import health_of

    site, out = work.site(), work.output
    ledger = open_ledger(site, work.now, os.environ)
    try:
        health = health_of(ledger, work.now(), within)
    finally:
        ledger.close()
    if out.format == "json":
        notices = [asdict(one) for one in health.notices]
        out.json({
            "state": health.state, "last_round": health.last_round or None,
            "last_success": health.last_success or None, "notices": notices,
            "unsent": health.unsent, "machines": health.machines,
        })  # fmt: skip
    else:
        _say_health(out, health)
    return 0 if health.is_well else 1


def _say_health(out: Output, health: Any) -> None:
    from jovial_atlas.cli.output import day_and_time
    from jovial_atlas.faults import plural

    said = {
        "well": "The site is tended.", "held": "The last round was held.",
        "failed": "The last round failed.", "never": "There was no round yet: jovial-atlas tend",
        "late": "No round went well for too long. Does what runs them still run?",
    }[health.state]  # fmt: skip
    out.say(said, style="bold")
    for name, at in (("last round", health.last_round), ("went well", health.last_success)):
        if at:
            out.indented(f"{name:<11}", day_and_time(at))
    for machine, at in health.machines.items():
        out.indented("machine    ", f"{machine}, seen {day_and_time(at)}")
    for one in health.notices:
        out.indented(f"since {day_and_time(one.at)}", one.message, text_style="yellow")
    if health.unsent:
        out.say(f"{plural(health.unsent, 'message')} could not be told yet.")


def _rehearse(work: Work) -> int:
    from jovial_atlas.rounds.tending.rehearse import rehearse
    from jovial_atlas.rounds.tending.tend import round_as_json

    found = rehearse(work.site(), _around(work, 10.0))
    out = work.output
    if out.format == "json":
        told = {"would_publish": found.files, "would_announce": found.announced,
                "would_tell": found.told}  # fmt: skip
        out.json({**round_as_json(found.round), **told})
        return _CODES[found.round.state]
    out.say(f"Rehearsed: {_WORDS[found.round.state]} Nothing was touched.", style="bold")
    for name, some in (("would publish", found.files), ("would announce", found.announced),
                       ("would tell", found.told)):  # fmt: skip
        out.say(f"{name.capitalize()}: {len(some):,}" if some else f"{name.capitalize()}: nothing")
        for one in some[:10]:
            out.indented("-", one)
        if len(some) > 10:
            out.indented("", f"… and {len(some) - 10:,} more")
    return _CODES[found.round.state]


@atlas_command(
    "log", state="reads", formats=TABLE_FORMATS, examples=("tend log", "tend log 12"))
@click.argument("number", type=int, required=False)
@click.option("--limit", type=click.IntRange(1), default=20, show_default=True,
              help="So many of the latest rounds.")  # fmt: skip
def log(work: Work, number: int | None, limit: int) -> int:
    """Show the rounds: when, what changed, what was published and announced, how long each took.
    With NUMBER: that round, step by step. Rounds without changes that follow each other are one
    line."""
    from jovial_atlas.errors import AtlasError
    from jovial_atlas.rounds.state.ledger import open_ledger
    from jovial_atlas.rounds.tending.tend import round_as_json

    ledger = open_ledger(work.site(), work.now, os.environ)
    try:
        rounds = ledger.rounds(0 if number else limit)
    finally:
        ledger.close()
    if number is not None:
        rounds = [one for one in rounds if one.number == number]
        if not rounds:
            raise AtlasError(f"There is no round {number}; `tend log` lists those that there are.")
    out = work.output
    if out.format == "json":
        out.json({"rounds": [round_as_json(one) for one in rounds]})
    elif out.format == "csv":
        names = ("number", "at", "last", "times", "machine", "state", "announced")
        out.csv((*names, "seconds"), [
            [*(getattr(one, name) for name in names), round(one.seconds, 1)] for one in rounds
        ])  # fmt: skip
    elif not rounds:
        out.say("There was no round yet: jovial-atlas tend")
    elif number is not None:
        _show_round(out, rounds[0])
    else:
        _show_rounds(out, rounds)
    return 0


def _show_rounds(out: Output, rounds: list[TendedRound]) -> None:
    from jovial_atlas.cli.output import day_and_time

    out.table(
        ["No.: right", "When (UTC)", "State", "What: fold", "Announced: right 2",
         "Seconds: right 1", "Machine: left 3"],
        [
            [one.number, day_and_time(one.at), one.state, one.in_short, one.announced,
             f"{one.seconds:.1f}", one.machine]
            for one in rounds
        ],
    )  # fmt: skip


def _show_round(out: Output, one: TendedRound) -> None:
    from jovial_atlas.cli.output import day_and_time

    out.say(f"Round {one.number}, {day_and_time(one.at)}, on {one.machine}: {one.state}", "bold")
    out.table(
        ["Step", "State", "Seconds: right", "What came of it: fold"],
        [[step.name, step.state, f"{step.seconds:.2f}", step.detail] for step in one.steps],
    )
    for told in one.told:
        out.say(f"Told {told['to']}: {told['what']}")


for one_command in (round_, log, install):
    command.add_command(one_command)

