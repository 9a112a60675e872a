"""`next`, and the command alone: how the site stands, and what to do."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from jovial_atlas.cli.common import FORMATS, Work, atlas_command

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.telling.whats_next import SiteStanding

#: Things to do that are shown; the rest waits until these are done.
_MOST = 5


@atlas_command(
    "next", many=True, state="reads", formats=FORMATS, examples=("next", "next --format json")
)
def command(work: Work) -> int:
    """Say in a few lines how the site stands and what to do next, each with its command.
    `jovial-atlas` alone does the same; where there is no site file, it says how to begin."""
    from dataclasses import asdict

    from jovial_atlas.errors import SiteFileError

    out = work.output
    try:
        work.site_path()
    except SiteFileError:
        return _begin(out)
    from jovial_atlas.rounds.telling.whats_next import site_standing

    standing = site_standing(work.site(), work.now(), os.environ)
    if out.format == "json":
        out.json(asdict(standing))
    else:
        _show(out, standing)
    return 0


def _show(out: Output, standing: SiteStanding) -> None:
    from jovial_atlas.cli.output import day_and_time
    from jovial_atlas.faults import plural

    out.say(f"{standing.name}, {standing.url}", style="bold")
    if standing.pages is not None:
        listed = "" if standing.listed is None else f", {standing.listed:,} listed"
        built = day_and_time(standing.built) if standing.built else "never"
        read = day_and_time(standing.surveyed)
        out.say(f"{plural(standing.pages, 'page')}{listed}; surveyed {read}, built {built}.")
    if standing.stage == "draft":
        out.say("It is a draft: hidden, and announced to nobody (`stage` in [site]).")
    elif standing.hidden:
        out.warn(standing.hidden)
    if not standing.steps:
        out.say("Nothing to do.", style="green")
        return
    out.say("Next:")
    for number, step in enumerate(standing.steps[:_MOST], start=1):
        out.indented(f"{number}. {step.command:<7}", step.why, style="bold", cut=True)
    if (rest := len(standing.steps) - _MOST) > 0:
        out.say(f"  and {plural(rest, 'thing')} more after these.")


def _begin(out: Output) -> int:
    """What to do where there is no site file."""
    from jovial_atlas.rounds.reading.content_place import built_folder

    folder = built_folder()
    if out.format == "json":
        out.json({"site_file": None, "content": folder})
        return 0
    out.say("There is no site file here (atlas.toml), nor in a folder above.")
    if folder:
        out.say(f"The folder {folder} looks like a built site.")
    content = f"init --content {folder}" if folder else "init"
    for said, why in (
        (content, "set a site up: it asks some questions, and has an answer for each"),
        ("demo", "lay out a sample site, and run everything on it"),
        ("check FILE", "check any sitemap, robots.txt, page or address; nothing is set up for it"),
    ):
        out.indented(f"jovial-atlas {said:<{len(content)}}", why, style="bold")
    return 0
