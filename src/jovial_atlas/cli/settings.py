"""`settings`: all that was decided for a site, as one file; parts of it set anew."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import FORMATS, Work, atlas_command
from jovial_atlas.cli.explained import OverviewFirst, command_group
from jovial_atlas.cli.names import SETTINGS_PART

if TYPE_CHECKING:
    from jovial_atlas.rounds.deciding.settings import SettingsChange

_yes = click.option("--yes", is_flag=True, help="Save without asking.")


@command_group("settings", cls=OverviewFirst, examples=("settings", "settings export reserve.toml"))
def command() -> None:
    """Settings are the site file and the tables beside it. Without a command: their parts."""


@atlas_command("overview", state="reads", formats=FORMATS,
               examples=("settings overview", "settings overview --format json"))  # fmt: skip
def overview(work: Work) -> int:
    """The parts of the settings, and how much each says."""
    from jovial_atlas.rounds.deciding.settings import part_sizes

    out = work.output
    sizes = part_sizes(work.site())
    if out.format == "json":
        out.json({"parts": [dict(zip(("name", "keys", "rows"), one, strict=True))
                            for one in sizes]})  # fmt: skip
        return 0
    said = [one for one in sizes if one[1] or one[2]]
    out.table(
        ["Part", "In the site file: right", "Rows beside it: right"],
        [[name, keys, rows or None] for name, keys, rows in said],
    )
    silent = ", ".join(name for name, keys, rows in sizes if not (keys or rows))
    out.say(f"As by default: {silent}.")
    return 0


@atlas_command(
    "export",
    state="reads",
    examples=("settings export reserve.toml", "settings export -"),
)
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False, allow_dash=True))
def export(work: Work, file: Path) -> int:
    """Write all settings into FILE, one TOML file that people can read; `-` for standard output."""
    from jovial_atlas.files import write_whole
    from jovial_atlas.rounds.deciding.settings import settings_text

    text = settings_text(work.site())
    if str(file) == "-":
        work.output.exact(text)
        return 0
    write_whole(file, text.encode())
    work.output.note(f"Written to {file}. Elsewhere: jovial-atlas settings import {file}")
    return 0


@atlas_command(
    "import",
    state="edits",
    formats=FORMATS,
    examples=("settings import other.toml --only rule", "settings import other.toml --yes"),
)
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False, exists=True))
@click.option("--only", metavar="PARTS", default="",
              help="Only these parts, with commas between: rule,policies,review.")  # fmt: skip
@_yes
def import_(work: Work, file: Path, only: str, yes: bool) -> int:
    """Take settings that another site exported, after a look at what turns. Of another site, what
    is its own (site, host, source, output, publisher, place, ledger, and the tables of pages) is
    taken only where --only names it."""
    from jovial_atlas.rounds.deciding.settings import importing

    site = work.site()
    names = [one.strip() for one in only.split(",") if one.strip()]
    change = importing(site, file, names, work.now())
    if work.output.is_table:
        work.output.say(f"Takes {', '.join(change.parts) or 'nothing'} from {file}.", style="bold")
    return _offer(work, change, yes)


@atlas_command(
    "reset",
    state="edits",
    formats=FORMATS,
    examples=("settings reset policies", "settings reset rule policies --yes"),
)
@click.argument("part", type=SETTINGS_PART, nargs=-1, required=True)
@_yes
def reset_(work: Work, part: tuple[str, ...], yes: bool) -> int:
    """Set PARTs anew: they go out of the site file, so that defaults hold, after a look at what
    turns. Of a part that has a table beside the site file the table goes too. `undo` brings all
    back."""
    from jovial_atlas.rounds.deciding.settings import reset

    return _offer(work, reset(work.site(), part, work.now()), yes)


def _offer(work: Work, change: SettingsChange, yes: bool) -> int:
    from jovial_atlas.cli.settings_shown import offer
    return offer(
        work, change.before, change.after, (change.differences, change.turns),
        yes=yes, told={"parts": list(change.parts)},
    )  # fmt: skip


for one in (overview, export, import_, reset_):
    command.add_command(one)
