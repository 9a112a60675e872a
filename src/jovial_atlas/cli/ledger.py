"""`ledger`: the record itself, and taking it elsewhere."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import click

from jovial_atlas.cli.common import FORMATS, TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.explained import command_group
from jovial_atlas.cli.names import ENGINE
from jovial_atlas.cli.output import day_and_time

_FIELDS = ("at", "engine", "channel", "what", "count", "status", "detail")


@command_group("ledger", examples=("ledger show", "ledger export record"))
def command() -> None:
    """Look at the record of what was announced, and take it elsewhere."""


@atlas_command(
    "show",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("ledger show --engine Lanternfish", "ledger show --format csv"),
)
@click.option("--engine", type=ENGINE, default="", help="Only this engine.")
@click.option("--most", type=click.IntRange(1), default=20, show_default=True,
              help="So many announcements, the newest first.")  # fmt: skip
def show(work: Work, engine: str, most: int) -> int:
    """Show the latest announcements with their outcomes."""
    from jovial_atlas.rounds.state.engine_choice import engines_named
    from jovial_atlas.rounds.state.ledger import open_ledger

    site, out = work.site(), work.output
    name = engines_named(site, [engine])[0].name if engine else ""
    rows = []
    for host in site.hosts:
        ledger = open_ledger(host, work.now, os.environ)
        try:
            rows += ledger.announcements(name, most)
        finally:
            ledger.close()
    rows = sorted(rows, key=lambda one: one.at, reverse=True)[:most]
    table = [[getattr(one, field) for field in _FIELDS] for one in rows]
    if out.format == "json":
        out.json({"announcements": [dict(zip(_FIELDS, row, strict=True)) for row in table]})
    elif out.format == "csv":
        out.csv(_FIELDS, table)
    elif not table:
        out.say("Nothing has been announced yet.")
    else:
        out.table(
            ["When", "Engine", "Channel: left 2", "What: fold",
             "Count: right 1", "Status", "Detail: fold 3"],
            [[day_and_time(row[0]), *row[1:]] for row in table],
        )  # fmt: skip
    return 0


@atlas_command(
    "export",
    state="reads",
    formats=FORMATS,
    examples=("ledger export record", "ledger export - --format json"),
)
@click.argument("folder", metavar="DIR", type=click.Path(path_type=Path, file_okay=False))
def export(work: Work, folder: Path) -> int:
    """Write the whole record into DIR as JSON Lines, one file a table."""
    return _carried(work, folder, out_of=True)


@atlas_command(
    "import",
    state="reads",
    formats=FORMATS,
    examples=("ledger import record", "ledger import ../old-site/record"),
)
@click.argument("folder", metavar="DIR",
                type=click.Path(path_type=Path, file_okay=False, exists=True))  # fmt: skip
def import_(work: Work, folder: Path) -> int:
    """Take an exported record into a ledger that holds nothing yet, as when it moves from a file to
    a database. All of it is taken, or nothing."""
    return _carried(work, folder, out_of=False)


def _carried(work: Work, folder: Path, *, out_of: bool) -> int:
    from jovial_atlas.rounds.state.ledger import open_ledger

    site, out = work.site(), work.output
    done: dict[str, Any] = {}
    for host in site.hosts:
        ledger = open_ledger(host, work.now, os.environ)
        path = folder / host.host if host.host else folder
        try:
            counts = ledger.carry_out(path) if out_of else ledger.carry_in(path)
        finally:
            ledger.close()
        done[str(path)] = counts
        if out.is_table:
            total = sum(counts.values())
            said = "written into" if out_of else "taken from"
            out.say(f"{total:,} rows of {len(counts)} tables {said} {path}.")
    if not out.is_table:
        out.json({"folders": done})
    return 0


command.add_command(show)
command.add_command(export)
command.add_command(import_)
