"""`init --only`: one part of a site file asked for again."""

from __future__ import annotations

import sys
import tomllib
from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.sitting import WentBack, sit, tell_how, wants_to_write
from jovial_atlas.errors import AtlasError

if TYPE_CHECKING:
    from jovial_atlas.cli.common import Work


def one_part(work: Work, path: Path, part: str) -> int:
    """Ask the questions of a part, with what the site file says as answers, and change it."""
    from jovial_atlas.rounds.deciding.history import settled, write_contents
    from jovial_atlas.rounds.reading.first_site_file import with_answers
    from jovial_atlas.rounds.reading.sitting import Found, Sitting

    if not sys.stdin.isatty():
        raise click.UsageError("--only asks questions, and there is no terminal to ask them on.")
    work.given = work.given or path
    work.hold("edits")
    site = work.site()
    data = site.path.read_bytes()
    text = data.decode("utf-8-sig")
    sitting = Sitting(Found(None, current=tomllib.loads(text), root=site.output), only=part)
    if sitting.question() is None:
        raise AtlasError(f"There is nothing to ask of [{part}] that is not there already; change "
                         f"it by hand in {path}.")  # fmt: skip
    tell_how(work.output)
    while True:
        try:
            sit(work.output, sitting, lambda _sitting: None)
            changed = with_answers(text, sitting.values())
            settled(site.path.absolute(), {site.path.name: changed.encode()})
            if changed == text:
                work.output.say("Nothing changes.")
                return 0
            if not wants_to_write(work.output, changed, path, text):
                work.output.say("Nothing was written.")
                return 0
        except WentBack:
            sitting.back()
            continue
        break
    write_contents(site.path, {path.name: data}, {path.name: changed.encode()})
    work.output.say(f"{path} is changed. Next: jovial-atlas build")
    return 0
