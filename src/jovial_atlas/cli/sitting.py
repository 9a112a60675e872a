"""The sitting of `init` at a terminal: questions one after the other, back and forth, left and
taken up again."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.errors import AtlasError

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.reading.sitting import Question, Sitting

BACK, HELP = "<", "?"
_HOW = (
    "Enter takes the answer in [ ]. < goes back, - leaves out, ? explains. Ctrl-D leaves; what was "
    "answered is kept, and `jovial-atlas init` takes it up."
)


class WentBack(Exception):  # noqa: N818 - it is no error
    """Somebody goes back behind the first question."""


def tell_how(out: Output) -> None:
    """What can be answered."""
    out.say(_HOW, style="dim")


def asked(text: str, default: str, read: Callable[[str], object], *, first: bool = False) -> str:
    """The answer to one question, asked again, with what is wrong, until it can be read. Raises
    WentBack, where it is not the first."""
    shown = f"{text} [{default}]" if default else text
    while True:
        answer: str = click.prompt(shown, default="", show_default=False).strip()
        if answer == BACK:
            if first:
                click.echo("There is nothing before this question.")
                continue
            raise WentBack
        if not (answer or default):
            click.echo("  An answer is needed: the content does not say it. Ctrl-D leaves.")
            continue
        try:
            read(answer or default)
        except AtlasError as error:
            click.echo(f"  {error}")
            continue
        return answer or default


def sit(out: Output, sitting: Sitting, keep: Callable[[Sitting], None]) -> None:
    """Ask until all is answered; `keep` is told of each answer. Raises WentBack."""
    part = ""
    while question := sitting.question():
        if question.part != part:
            part = question.part
            _head(out, part)
        _ask(out, sitting, question)
        keep(sitting)


def _head(out: Output, part: str) -> None:
    from jovial_atlas.rounds.reading.sitting import PARTS

    out.say()
    out.say(PARTS[part], style="bold")


def _ask(out: Output, sitting: Sitting, question: Question) -> None:
    from jovial_atlas.rounds.reading.sitting import NOTHING

    choices = f" ({', '.join(question.choices)})" if question.choices else ""
    default = question.default or (NOTHING if question.optional else "")
    shown = f"{question.ask}{choices} [{default}]" if default else f"{question.ask}{choices}"
    while True:
        answer: str = click.prompt(shown, default="", show_default=False).strip()
        if answer == BACK:
            if not sitting.back():
                raise WentBack
            return
        if answer == HELP:
            out.say(f"  {question.help or 'There is no more to say about it.'}")
            continue
        try:
            told = sitting.answer(answer or default)
        except AtlasError as error:
            out.say(f"  {error}", style="yellow")
            continue
        for line in told:
            out.say(f"    {line}", style="dim")
        return


def wants_to_write(out: Output, text: str, path: Path, before: str) -> bool:
    """Show the site file as a difference, and ask whether it shall be written. Raises WentBack."""
    from jovial_atlas.cli.settings_shown import show_lines
    from jovial_atlas.rounds.deciding.history import differences

    out.say()
    show_lines(out, differences({path.name: before.encode()}, {path.name: text.encode()}))
    answer = asked(f"Write {path}? (yes, no)", "yes", _yes_or_no)
    return answer in ("yes", "y")


def _yes_or_no(text: str) -> None:
    if text not in ("yes", "y", "no", "n"):
        raise AtlasError(f"{text!r} is not one of yes, no.")
