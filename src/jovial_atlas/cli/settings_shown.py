"""How a change of settings is shown before it is saved, and saved where the owner says so."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.common import Work
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.deciding.history import Contents
    from jovial_atlas.rounds.deciding.rules import Turns

#: Lines of a difference that are shown.
_MOST_LINES = 60


def show_lines(out: Output, text: str, *, whole: bool = False) -> None:
    """A difference, its first lines where it is long."""
    lines = text.splitlines()
    shown = lines if whole else lines[:_MOST_LINES]
    out.difference(shown)
    if len(lines) > len(shown):
        out.say(f"… and {len(lines) - len(shown):,} more lines", style="dim")


def offer(
    work: Work,
    before: Contents,
    after: Contents,
    shown: tuple[str, Turns | None],
    *,
    yes: bool,
    told: dict[str, Any],
) -> int:
    """Show a change (its difference, and how verdicts turn), ask on a terminal, and
    save it. `told` goes along in JSON."""
    from jovial_atlas.cli.rules import show_turns
    from jovial_atlas.rounds.deciding.history import write_contents

    out = work.output
    text, turns = shown
    work.turned = turns.turned if turns else None
    changed = [name for name in after if after[name] != before[name]]
    if out.format != "json":
        show_lines(out, text)
        if turns is not None:
            show_turns(out, turns)
        if changed and not yes and sys.stdin.isatty() and sys.stdout.isatty():
            yes = click.confirm("Save this?", default=False)
    saved = yes and bool(changed)
    if saved:
        write_contents(work.site_path(), before, after)
    if out.format == "json":
        listed = [asdict(one) for one in turns.kinds] if turns else []
        out.json({**told, "files": changed, "turns": listed, "saved": saved})
    elif not changed:
        out.say("Nothing changes.", style="bold")
    else:
        out.say("Saved." if saved else "Nothing was saved; --yes saves it.", style="bold")
    return 0
