"""`history`: what commands changed in the settings."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command

if TYPE_CHECKING:
    from jovial_atlas.history import KeptChange

_FIELDS = (
    "number", "at", "who", "command", "why", "turned", "files", "takes_back", "taken_back_by",
)  # fmt: skip


@atlas_command(
    "history", state="reads", formats=TABLE_FORMATS, examples=("history 12", "history --limit 5"))
@click.argument("number", type=int, required=False)
@click.option("--limit", type=click.IntRange(1), default=20, show_default=True,
              help="So many of the latest changes.")  # fmt: skip
def command(work: Work, number: int | None, limit: int) -> int:
    """Show what commands changed in the site file and the tables beside it: when, who, by which
    command, why, and how many pages turned. With NUMBER: that change, line by line. Changes by hand
    are found by the next command that changes something."""
    from jovial_atlas.errors import AtlasError
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.history import history_of

    work.hold()
    history = history_of(work.site_path())
    entries = history.entries()
    undone = {one.takes_back: one.number for one in entries if one.takes_back}
    if number is not None:
        found = next((one for one in entries if one.number == number), None)
        if found is None:
            raise AtlasError(f"There is no change {number}; `history` lists those that there are.")
        return _one(work, found, undone.get(number, 0))
    wanted = entries[-limit:][::-1]
    rows = [_told(one, undone.get(one.number, 0)) for one in wanted]
    out = work.output
    if out.format == "json":
        out.json({"changes": rows})
    elif out.format == "csv":
        out.csv(_FIELDS, [[_cell(row[name]) for name in _FIELDS] for row in rows])
    elif not rows:
        out.say("No command has changed the settings of this site yet.")
    else:
        _show(work, wanted, undone)
        more = f" of {len(entries):,}; --limit shows more" if len(entries) > len(rows) else ""
        many = plural(len(rows), "change")
        out.note(f"{many}{more}. `history N` shows one, `undo N` takes it back.")
    return 0


def _told(entry: KeptChange, undone: int) -> dict[str, Any]:
    return {
        "number": entry.number, "at": entry.at, "who": entry.who, "command": entry.command,
        "why": entry.why, "turned": entry.turned, "files": [one.name for one in entry.files],
        "takes_back": entry.takes_back or None, "taken_back_by": undone or None,
    }  # fmt: skip


def _cell(value: object) -> object:
    return " ".join(value) if isinstance(value, list) else value


def _show(work: Work, entries: list[KeptChange], undone: dict[int, int]) -> None:
    from jovial_atlas.cli.output import day_and_time

    work.output.table(
        ["No.: right", "When (UTC)", "Who: left 1", "What: fold",
         "Turned: right", "Files: fold 2"],
        [
            [one.number, day_and_time(one.at), one.who, _what(one, undone.get(one.number, 0)),
             one.turned, " ".join(file.name for file in one.files)]
            for one in entries
        ],
    )  # fmt: skip


def _what(entry: KeptChange, undone: int) -> str:
    """What was done, why, and whether it is taken back."""
    said = entry.command or "by hand"
    said += f" ({entry.why})" if entry.why and entry.why not in entry.command else ""
    return f"{said} – taken back by {undone}" if undone else said


def _one(work: Work, entry: KeptChange, undone: int) -> int:
    from jovial_atlas.cli.output import day_and_time
    from jovial_atlas.cli.settings_shown import show_lines
    from jovial_atlas.rounds.deciding.history import differences_of, history_of

    out = work.output
    text = differences_of(history_of(work.site_path()), entry)
    if out.format == "json":
        out.json({**_told(entry, undone), "difference": text.splitlines()})
        return 0
    by = f" by {entry.who}" if entry.who else ""
    out.say(f"{entry.number}. {_what(entry, undone)}", style="bold")
    turned = "" if entry.turned is None else f"; {entry.turned:,} turned"
    out.say(f"{day_and_time(entry.at)}{by}{turned}")
    out.say()
    show_lines(out, text, whole=True)
    return 0
