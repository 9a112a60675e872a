"""`robots`: what a robots.txt does, before it is public."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.explained import command_group
from jovial_atlas.cli.findings import fail_on_option, show_findings
from jovial_atlas.cli.names import PAGE_NAME
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.proving.robots import RobotsAnswer, RobotsChange


@command_group(
    "robots",
    examples=("robots test --agent lanternbot /search/", "robots lint robots.txt"),
)
def command() -> None:
    """Try what a robots.txt does, before it is public."""


@atlas_command(
    "test",
    state="reads",
    formats=TABLE_FORMATS,
    examples=(
        "robots test --file robots.txt --agent lanternbot /search/",
        "robots test --agent lanternbot / /print/",
    ),
)
@click.argument("urls", type=PAGE_NAME, nargs=-1, metavar="[URL]...")
@click.option(
    "--file",
    type=click.Path(path_type=Path, dir_okay=False),
    help="A robots.txt. Default: the one that the site file asks for.",
)
@click.option("--agent", "agents", multiple=True, default=["*"], show_default=True,
              help="Product token of a crawler.")  # fmt: skip
@click.option("--list", "listed", type=click.File(encoding="utf-8"), metavar="FILE",
              help="A file with one address or path a line.")  # fmt: skip
@click.option("--pages", is_flag=True, help="All pages of the last survey.")
@click.option("--against", metavar="FILE|URL",
              help="Another robots.txt, as it is live now: show only what changes.")  # fmt: skip
def test(
    work: Work,
    urls: tuple[str, ...],
    file: Path | None,
    agents: tuple[str, ...],
    listed: Iterable[str] | None,
    pages: bool,
    against: str | None,
) -> int:
    """Say for each URL (an address, or a path from '/' on) whether a crawler may fetch it,
    and which line says so. The answers do not change the exit code."""
    from jovial_atlas.robots import parse_robots
    from jovial_atlas.rounds.proving.robots import (
        compare_robots,
        load_robots,
        page_urls,
        read_robots,
        try_robots,
    )
    from jovial_atlas.web import new_client

    asked = list(urls)
    if listed:
        asked += [line.strip() for line in listed if line.strip()]
    if pages:
        asked += page_urls(work.site())
    if not asked:
        raise click.UsageError("Nothing to test: give addresses, --list FILE or --pages.")
    robots = load_robots(file) if file else load_robots(None, work.site())
    out = work.output
    if against:
        with new_client() as client:
            data, faults = read_robots(against, client)
        for fault in faults:
            out.warn(f"{fault.where}: {fault.message}")
        changes = list(compare_robots(parse_robots(data, against), robots, agents, asked))
        _show_changes(out, changes, len(asked) * len(agents))
    else:
        _show_answers(out, [one for agent in agents for one in try_robots(robots, agent, asked)])
    return 0


def _show_changes(out: Output, changes: list[RobotsChange], answers: int) -> None:
    names = ("url", "agent", "before", "after")
    rows = [[getattr(one, name) for name in names] for one in changes]
    if out.format == "json":
        out.json({"changes": [asdict(one) for one in changes]})
    elif out.format == "csv":
        out.csv(names, rows)
    else:
        columns = ["Address: address", "Crawler", "Allowed before",
                   "Allowed after"]  # fmt: skip
        if rows:
            out.table(columns, rows)
        out.say(f"{len(rows):,} of {answers:,} answers change.")


def _show_answers(out: Output, answers: list[RobotsAnswer]) -> None:
    fields = ("url", "agent", "allowed", "rule", "line")
    rows = [[getattr(one, name) for name in fields] for one in answers]
    if out.format == "json":
        out.json({"results": [dict(zip(fields, row, strict=True)) for row in rows]})
    elif out.format == "csv":
        out.csv(fields, rows)
    else:
        columns = ["Address: address", "Crawler", "Allowed",
                   "Rule: fold", "Line: right"]  # fmt: skip
        out.table(columns, rows)


@atlas_command(
    "lint",
    fails="findings at or above --fail-on",
    state="reads",
    formats=TABLE_FORMATS,
    examples=(
        "robots lint https://www.marrowfen.example/",
        "robots lint public/robots.txt --fail-on warning",
    ),
)
@click.argument("target", required=False, metavar="[FILE|URL]")
@fail_on_option
@click.option("--all", "show_all", is_flag=True, help="Show every place, not the first few.")
def lint(work: Work, target: str | None, fail_on: str, show_all: bool) -> int:
    """Tell every fault and doubtful line of a robots.txt: a file, one that is served, or the one
    that the site file asks for. Where there is a site file, also what matches no page, and what
    bars crawlers from styles, scripts and pictures."""
    from jovial_atlas.errors import SiteFileError
    from jovial_atlas.findings.finding import at_or_above, counts
    from jovial_atlas.rounds.proving.robots import lint_robots
    from jovial_atlas.web import new_client

    site = None
    try:
        site = work.site()
    except SiteFileError:
        if work.given or target is None:
            raise
    with new_client() as client:
        name, findings = lint_robots(target, site, client)
    out = work.output
    if out.format == "json":
        out.json({"findings": [asdict(one) for one in findings], "counts": counts(findings)})
    elif out.format == "csv":
        fields = ("severity", "code", "where", "message", "fix")
        out.csv(fields, [[getattr(one, name) for name in fields] for one in findings])
    else:
        show_findings(out, findings, [name], show_all)
    return 1 if at_or_above(findings, fail_on) else 0


command.add_command(test)
command.add_command(lint)
