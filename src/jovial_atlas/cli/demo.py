"""`demo`: the sample site and the whole round on it."""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
import time
from collections.abc import Iterator
from itertools import chain
from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import Work, atlas_command

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.demo.round import Servers, Step


@atlas_command(
    "demo",
    fails="a step of the round failed",
    state="apart",
    examples=("demo marrowfen", "demo --serve"),
)
@click.argument("folder", type=click.Path(path_type=Path), default="marrowfen", metavar="[DIR]")
@click.option("--serve", is_flag=True, help="Run no round; keep site and stand-ins served.")
@click.option(
    "--month", "watching", is_flag=True, help="Run a month of watching too; it passes in seconds."
)
@click.option(
    "--week", "tending", is_flag=True,
    help="Run a week that nobody watches too; it passes in seconds.",
)  # fmt: skip
def command(work: Work, folder: Path, serve: bool, watching: bool, tending: bool) -> int:
    """Lay out the sample site, Marrowfen Wetland Reserve, in DIR (default: marrowfen) and run
    the whole round on it, saying each command before it runs.

    Site and simulated engines are served on loopback while the round runs; nothing leaves
    this machine."""
    from jovial_atlas.demo.round import month, prepare, servers, steps, week
    from jovial_atlas.errors import AtlasError

    out = work.output
    if serve:
        if not (folder / "atlas.toml").exists():
            raise AtlasError(
                f"There is no sample site in {folder}. Run: jovial-atlas demo {folder}"
            )
        return _serve(out, folder)
    began = time.monotonic()
    pages = prepare(folder, work.now())
    out.say(f"The sample site, {pages} pages, now stands in {folder}/public.", style="bold")
    with servers(folder, unhurried=True) as running:
        out.say(f"It is served on http://{running.site}/ while the round runs.")
        more = (month(running) if watching else (), week() if tending else ())
        for step in chain(steps(), *more):
            code = _run(out, step, folder, running)
            if code not in step.expected:
                out.warn(f"The round ends here: the command gave exit code {code}.")
                return 1
    out.say(f"The round took {time.monotonic() - began:.0f} s. What to try next:", style="bold")
    for text, line in _more(shlex.quote(str(folder)), watched=watching):
        out.indented(f"{text}:", "")
        out.say(f"    {line}", style="cyan")
    return 0


def _more(there: str, *, watched: bool) -> Iterator[tuple[str, str]]:
    """What to try next, and how, on the sample site in the folder `there`."""
    yield "the site file, with its rules and their reasons", f"less {there}/atlas.toml"
    for text, arguments in (
        ("why a page is not listed", "explain /print/dawn-at-the-reedbed/"),
        ("all pages that are not", "pages --verdict unlisted"),
        ("the mistakes, and what to do about each", "check"),
        ("its films, and what was found out about each", "videos"),
        ("what its pages say as structured data, by type", "schema table"),
        ("a sitemap someone wrote by hand", "check public/old-sitemap.xml"),
        ("what a crawler may fetch", "robots test --agent quillseek /search/"),
    ):
        yield text, f"cd {there}; jovial-atlas {arguments}"
    if not watched:
        yield "a month of watching", f"jovial-atlas demo {there} --month"
    yield "a week that nobody watches", f"jovial-atlas demo {there} --week"
    yield "the engines again, to submit once more", f"jovial-atlas demo {there} --serve"


def _run(out: Output, step: Step, folder: Path, running: Servers) -> int:
    from jovial_atlas.demo.round import TOKEN, TOKEN_VARIABLE, add_engines, happen

    if step.command == ("engines",):
        out.say()
        added = add_engines(folder, running)
        out.say(
            "   The owner then adds rules, engines and a video service to the site file:",
            style="bold green",
        )
        if out.verbose:
            out.say(added)
        else:
            out.say(f"   ({len(added.splitlines())} lines at the end of {folder}/atlas.toml)")
        return 0
    if step.say or not step.quiet:
        out.say()
    if step.command in (("tending",), ("mail",)):
        return _tending(out, step, folder, running)
    if step.say:
        out.say(step.say, style="bold green")
    out.say(f"$ jovial-atlas {shlex.join(step.command)}", style="bold")
    sys.stdout.flush()
    happen(step.event, folder, running)
    running.forward(step.hours)
    now = running.clock.present().isoformat()
    environment = {**os.environ, TOKEN_VARIABLE: TOKEN, "JOVIAL_ATLAS_NOW": now}
    colour = ["--no-color"] if "NO_COLOR" in os.environ else []
    done = subprocess.run(  # noqa: S603 - our own command, arguments from our own table
        [sys.executable, "-m", "jovial_atlas", *colour, *step.command],
        cwd=folder, env=environment, check=False, stdout=subprocess.DEVNULL if step.quiet else None,
        stderr=subprocess.DEVNULL if step.quiet else None,
    )  # fmt: skip
    if done.returncode == 1 in step.expected and step.command[0] == "check":
        out.say("(exit code 1: there are findings of severity error)", style="dim")
    return done.returncode


def _tending(out: Output, step: Step, folder: Path, running: Servers) -> int:
    """What the owner adds for rounds that nobody watches; or the mails that came since."""
    from jovial_atlas.demo.round import add_tending

    out.say(step.say, style="bold green")
    if step.command == ("tending",):
        out.as_it_is(add_tending(folder, running))
        return 0
    for mail in running.mailbox.mails:
        out.framed(f"Mail to {mail['To']} (simulated)", [
            (f"Subject: {mail['Subject']}", "bold"), ("", ""),
            *((line, "") for line in mail.get_content().strip().splitlines()),
        ], 100)  # fmt: skip
    running.mailbox.mails.clear()
    return 0


def _serve(out: Output, folder: Path) -> int:
    from jovial_atlas.demo.round import TOKEN, TOKEN_VARIABLE, servers

    with servers(folder) as running:
        out.say(f"{folder}/public is served on http://{running.site}/")
        for name, address in running.engines.items():
            out.say(f"{name} (simulated) listens on http://{address}/")
        out.say(f"Lanternfish wants a token: export {TOKEN_VARIABLE}={TOKEN}")
        out.say("Ctrl-C ends them.")
        while True:
            time.sleep(0.5)
