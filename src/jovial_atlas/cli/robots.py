"""`robots`: what a robots.txt does, before it is public."""

from __future__ import annotations

from pathlib import Path

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command


@click.group("robots", epilog="Example: jovial-atlas robots test --agent lanternbot /search/")
def command() -> None:
    """Try what a robots.txt does, before it is public."""


@atlas_command(
    "test",
    formats=TABLE_FORMATS,
    epilog="Example: jovial-atlas robots test --file robots.txt --agent lanternbot /search/",
)
@click.argument("urls", nargs=-1, required=True, metavar="URL...")
@click.option(
    "--file",
    type=click.Path(path_type=Path, dir_okay=False),
    help="A robots.txt. Default: the one that the site file asks for.",
)
@click.option("--agent", "agents", multiple=True, default=["*"], show_default=True,
              help="Product token of a crawler.")  # fmt: skip
def test(work: Work, urls: tuple[str, ...], file: Path | None, agents: tuple[str, ...]) -> int:
    """Say for each URL (an address, or a path from '/' on) whether a crawler may fetch it,
    and which line says so. The answers do not change the exit code."""
    from jovial_atlas.rounds.robots import load_robots, try_robots

    robots = load_robots(file) if file else load_robots(None, work.site())
    answers = [one for agent in agents for one in try_robots(robots, agent, urls)]
    out = work.output
    fields = ("url", "agent", "allowed", "rule", "line")
    if out.format == "json":
        out.json({"results": [{name: getattr(one, name) for name in fields} for one in answers]})
    elif out.format == "csv":
        out.csv(fields, [[getattr(one, name) for name in fields] for one in answers])
    else:
        out.table(
            [("Address", "fold"), ("Crawler", "left"), ("Allowed", "left"), ("Rule", "fold"),
             ("Line", "right")],
            [[getattr(one, name) for name in fields] for one in answers],
        )  # fmt: skip
    return 0


command.add_command(test)
