"""`submit`: announce what changed."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.names import ENGINE, PAGE_NAME
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.engines.published import Outcome

#: Outcomes for which the exit code is 1.
_FAILED = ("failed", "refused", "unknown")
_FIELDS = ("engine", "channel", "what", "count", "status", "detail")


@atlas_command(
    "submit",
    fails="an announcement failed",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("submit --dry-run", "submit --engine Lanternfish"),
)
@click.argument("urls", type=PAGE_NAME, nargs=-1, metavar="[URL]…")
@click.option("--engine", "engines", type=ENGINE, multiple=True, help="Only this engine.")
@click.option("--dry-run", is_flag=True, help="Announce nothing; show what is due.")
@click.option("--done", is_flag=True, help="What was to be done by hand has been done.")
@click.option(
    "--accept", is_flag=True, help="Announce also that much of what an engine knows is gone."
)
@click.option(
    "--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
    help="Seconds to wait for an engine.",
)  # fmt: skip
def command(
    work: Work,
    urls: tuple[str, ...],
    engines: tuple[str, ...],
    dry_run: bool,
    done: bool,
    accept: bool,
    timeout: float,
) -> int:
    """Announce to each engine what changed since it last heard: addresses over IndexNow,
    sitemaps, feeds and removals over the channels described in the site file.

    With URLs (addresses of pages or sitemaps, or paths from '/' on) these alone are announced,
    changed or not.

    Each announcement is recorded before it is sent, and its outcome after; one that broke off is
    settled first, so that nothing is announced twice. Engines that take nothing else are told by
    hand: what to do is said, and --done records it."""
    from jovial_atlas.rounds.state.engine_choice import engines_named
    from jovial_atlas.rounds.state.ledger import open_ledger
    from jovial_atlas.rounds.state.sending import Sending
    from jovial_atlas.rounds.telling.submit import planned, refuse_hidden, run_submit
    from jovial_atlas.web import new_client

    site, out = work.site(), work.output
    chosen = engines_named(site, engines)
    for host in site.hosts:
        refuse_hidden(host, work.now())
    outcomes: list[Outcome] = []
    for host in site.hosts:
        ledger = open_ledger(host, work.now, os.environ)
        try:
            if dry_run:
                outcomes += planned(host, chosen, ledger, urls)
            else:
                with new_client(timeout) as client:
                    outcomes += run_submit(
                        host, chosen, ledger, Sending(client, os.environ), urls,
                        done=done, accept=accept, apart=work.apart,
                    )  # fmt: skip
        finally:
            ledger.close()
    _show(out, outcomes)
    if dry_run and outcomes and out.format == "table":
        out.say("Nothing was announced (--dry-run).")
    failed = [one for one in outcomes if one.status in _FAILED]
    return 1 if failed and not dry_run else 0


def _show(out: Output, outcomes: list[Outcome]) -> None:
    if out.format == "json":
        out.json({"announcements": [asdict(one) for one in outcomes]})
    elif out.format == "csv":
        out.csv(_FIELDS, [[getattr(one, name) for name in _FIELDS] for one in outcomes])
    elif not outcomes:
        out.say("Nothing has changed since the engines last heard.")
    else:
        rows = [[getattr(one, name) for name in _FIELDS] for one in outcomes]
        out.table(
            ["Engine", "Channel: left 1", "What: fold", "Count: right",
             "Status", "Detail: fold 2"],
            rows if out.verbose else _together(rows),
        )  # fmt: skip


def _last_part(loc: str) -> str:
    """The end of an address by which people know it."""
    whole = loc.rstrip("/")
    return f"{whole.rpartition('/')[2]}/" if loc.endswith("/") else whole.rpartition("/")[2]


def _together(rows: list[list[Any]]) -> list[list[Any]]:
    """Rows that differ only in what was announced, as one row; --verbose shows them all."""
    groups: dict[tuple[Any, ...], list[list[Any]]] = {}
    for row in rows:
        groups.setdefault((row[0], row[1], *row[4:]), []).append(row)
    joined = []
    for same in groups.values():
        first = same[0]
        names = [_last_part(str(row[2])) for row in same]
        summary = (
            str(first[2]) if len(same) == 1 else f"{', '.join(names[:2])} and {len(names) - 2} more"
        )
        if len(same) == 2:
            summary = " and ".join(names)
        joined.append([first[0], first[1], summary, sum(row[3] for row in same), *first[4:]])
    return joined
