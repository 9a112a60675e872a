"""`undo`: a change of settings taken back."""

from __future__ import annotations

import click

from jovial_atlas.cli.common import FORMATS, Work, atlas_command


@atlas_command("undo", state="edits", formats=FORMATS, examples=("undo 12", "undo --yes"))
@click.argument("number", type=int, required=False)
@click.option("--yes", is_flag=True, help="Save without asking.")
def command(work: Work, number: int | None, yes: bool) -> int:
    """Take back the last change of the settings, or change NUMBER of `history`, after a look at
    what turns. Later changes stay; where one touches the same lines, nothing is done. What was
    taken back can be made again: it is a change like others."""
    from jovial_atlas.cli.settings_shown import offer
    from jovial_atlas.rounds.deciding.history import entry_numbered, history_of, taking_back

    work.hold()
    path = work.site_path()
    entry = entry_numbered(history_of(path), number)
    undoing = taking_back(path, entry, work.now())
    work.takes_back = entry.number
    if work.output.is_table:
        made = entry.command or "changes by hand"
        work.output.say(f"Takes back change {entry.number}: {made}", style="bold")
    return offer(
        work, undoing.before, undoing.after, (undoing.differences, undoing.turns),
        yes=yes, told={"takes_back": entry.number},
    )  # fmt: skip
