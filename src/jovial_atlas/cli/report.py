"""`report`: one HTML page with figures."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import Work, atlas_command

if TYPE_CHECKING:
    from jovial_atlas.report import Trend
    from jovial_atlas.rounds.telling.engine_state import EngineState


@atlas_command("report", state="reads", epilog="Example: jovial-atlas report --to report.html")
@click.option("--to", "path", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              default=Path("report.html"), show_default=True, help="File of the page.")  # fmt: skip
def command(work: Work, path: Path) -> int:
    """Write one HTML page with figures: what hides the site, what to do, sections, reasons, ages,
    sitemap files, what engines said last and how that came about. No engine is asked."""
    from jovial_atlas.files import write_whole
    from jovial_atlas.rounds.state.ledger import open_ledger
    from jovial_atlas.rounds.telling.report import report
    from jovial_atlas.rounds.telling.status import joined_states, run_status
    from jovial_atlas.rounds.telling.trends import trends

    site = work.site()
    states: list[EngineState] = []
    drawn: list[Trend] = []
    for host in site.hosts:
        ledger = open_ledger(host, work.now, os.environ)
        try:
            engine_states = run_status(host, site.model.engine, ledger, None)
            drawn += trends(site.model.engine, ledger)
        finally:
            ledger.close()
        states = joined_states(states, engine_states) if states else engine_states
    write_whole(path, report(site, states, work.now(), drawn))
    work.output.say(f"The report is {path}; open it in a browser.")
    return 0
