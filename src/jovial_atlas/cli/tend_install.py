"""`tend install`: what has rounds run by themselves, shown first."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import FORMATS, Work, atlas_command

if TYPE_CHECKING:
    from jovial_atlas.rounds.tending.installing import Installation
    from jovial_atlas.sitefile import SiteFile


@atlas_command(
    "install",
    state="apart",
    formats=FORMATS,
    examples=("tend install systemd --user www-data", "tend install git-hook --to /srv/site.git"),
)
@click.argument("what", type=click.Choice(("systemd", "cron", "git-hook", "ci")))
@click.option("--every", default="15m", show_default=True, metavar="TIME",
              help="How often a round is run, by systemd or cron.")  # fmt: skip
@click.option("--user", default="", metavar="NAME",
              help="systemd: for the whole system, as this user; else for yourself.")  # fmt: skip
@click.option("--watch", is_flag=True,
              help="systemd: one service that begins rounds when content changes.")  # fmt: skip
@click.option("--to", type=click.Path(path_type=Path), metavar="PATH",
              help="Where it is written: a folder, a repository, or a file.")  # fmt: skip
@click.option("--branch", default="main", show_default=True,
              help="git-hook: the branch that is published.")  # fmt: skip
@click.option("--yes", is_flag=True, help="Write without asking.")
def install(work: Work, what: str, yes: bool, **how: Any) -> int:
    """Have rounds run by themselves: units of systemd, a line of your crontab, a hook of the git
    repository that is pushed to, or a script for pipelines. What would be written is shown, and
    written when you say so."""
    from jovial_atlas.sitefile import read_site_file

    site, out = read_site_file(work.site_path().absolute()), work.output
    found = _installation(site, what, how)
    if out.format == "json":
        files = [{"path": str(one.place), "text": one.text} for one in found.files]
        written = yes and _written(found)
        out.json({"files": files, "line": found.line, "then": found.then, "written": written})
        return 0
    for one in found.files:
        out.say(str(one.place), style="bold")
        out.as_it_is(one.text)
    if found.line:
        out.say("For your crontab:", style="bold")
        out.as_it_is(found.line)
    if not yes and sys.stdin.isatty() and sys.stdout.isatty():
        yes = click.confirm("Write this?", default=False)
    if not yes:
        out.say("Nothing was written; --yes writes it.", style="bold")
        return 0
    _written(found)
    out.say("Written. Next:", style="bold")
    for line in found.then:
        out.indented("", line)
    return 0


def _installation(site: SiteFile, what: str, how: dict[str, Any]) -> Installation:
    from jovial_atlas.rounds.tending import installing
    from jovial_atlas.sitefile.tending import seconds_of

    try:
        if seconds_of(how["every"]) < 1:
            raise ValueError("--every needs a time")
    except ValueError as error:
        raise click.BadParameter(f"{error}.", param_hint="--every") from None
    if what == "systemd":
        return installing.systemd(site, how["every"], how["user"], watch=how["watch"], to=how["to"])
    if what == "cron":
        return installing.cron(site, how["every"])
    if what == "git-hook":
        if how["to"] is None:
            raise click.UsageError("git-hook needs --to, the repository that is pushed to.")
        return installing.git_hook(site, how["to"], how["branch"])
    return installing.ci(site, how["to"])


def _written(found: Installation) -> bool:
    """Write the files, or the line into the crontab in the place of the one of before."""
    from jovial_atlas.errors import OutputError
    from jovial_atlas.files import write_whole

    for one in found.files:
        if one.is_run and one.place.exists() and "jovial-atlas" not in one.place.read_text("utf-8"):
            raise OutputError(f"{one.place} is there already and not of this tool. Move it away, "
                              "or write yours so that it calls `jovial-atlas tend`.")  # fmt: skip
        one.place.parent.mkdir(parents=True, exist_ok=True)
        write_whole(one.place, one.text.encode())
        one.place.chmod(0o755 if one.is_run else 0o644)
    if found.line:
        _into_crontab(found.line)
    return True


def _into_crontab(line: str) -> None:
    from jovial_atlas.errors import AtlasError

    def crontab(*words: str, given: str | None = None) -> subprocess.CompletedProcess[str]:
        try:
            return subprocess.run(  # noqa: S603 - crontab by name
                ["crontab", *words],  # noqa: S607
                input=given, text=True, capture_output=True, check=False,
            )  # fmt: skip
        except OSError:
            raise AtlasError("There is no cron here. Take systemd, or install cron.") from None

    first, last = line.splitlines()[0].partition(":")[0], line.splitlines()[-1]
    kept: list[str] = []
    inside = False
    for one in crontab("-l").stdout.splitlines():
        inside = inside or one.startswith(first)
        if not inside:
            kept.append(one)
        inside = inside and one != last
    done = crontab("-", given="\n".join([*kept, line.rstrip()]) + "\n")
    if done.returncode:
        raise AtlasError(f"The crontab was not taken ({done.stderr.strip()}).")
