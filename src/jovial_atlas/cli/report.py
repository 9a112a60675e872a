"""`report`: one HTML page with figures."""

from __future__ import annotations

import os
from pathlib import Path

import click

from jovial_atlas.cli.common import Work, atlas_command


@atlas_command(
    "report",
    many=True,
    state="reads",
    examples=("report --to report.html", "report --to march.html"),
)
@click.option("--to", "path", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              default=Path("report.html"), show_default=True, help="File of the page.")  # fmt: skip
def command(work: Work, path: Path) -> int:
    """Write one HTML page to look at in a browser: the site's score and its past, what to do,
    marks, every page with a sheet of its own, figures, and what engines said last. It needs
    nothing but that file, and no engine is asked."""
    from jovial_atlas.files import write_whole
    from jovial_atlas.rounds.telling.report.whole import report

    write_whole(path, report(work.site(), work.now(), os.environ))
    work.output.say(f"The report is {path}; open it in a browser.")
    return 0
