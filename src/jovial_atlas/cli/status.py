"""`status`: per engine and sitemap, what was announced and what came back."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.output import day_and_time

if TYPE_CHECKING:
    from jovial_atlas.rounds.status import EngineState, SitemapState

_FIELDS = (
    "loc", "submitted_urls", "announced_at", "last_read", "state", "found", "indexed", "coverage"
)  # fmt: skip


@atlas_command("status", formats=TABLE_FORMATS, epilog="Example: jovial-atlas status --offline")
@click.option("--engine", "engines", multiple=True, metavar="NAME", help="Only this engine.")
@click.option("--offline", is_flag=True, help="Ask no engine; show what the ledger has.")
@click.option(
    "--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
    help="Seconds to wait for an engine.",
)  # fmt: skip
def command(work: Work, engines: tuple[str, ...], offline: bool, timeout: float) -> int:
    """Show, engine by engine and sitemap by sitemap, what was announced, read, found and
    indexed, and what to do next.

    Engines whose channels allow it are asked, and their answers kept in the ledger."""
    from jovial_atlas.rounds.build.public import load_record
    from jovial_atlas.rounds.status import joined_states, run_status
    from jovial_atlas.rounds.submit import engines_named, open_ledger
    from jovial_atlas.web import new_client

    site, out = work.site(), work.output
    chosen = engines_named(site, engines)
    hidden = next((told for host in site.hosts if (told := load_record(host).whole)), "")
    if hidden:
        out.warn(hidden)
    states: list[EngineState] = []
    for host in site.hosts:
        ledger = open_ledger(host)
        try:
            with new_client(timeout) as client:
                found = run_status(host, chosen, ledger, None if offline else client, os.environ)
        finally:
            ledger.close()
        states = joined_states(states, found) if states else found
    if out.format == "json":
        out.json(
            {
                "hidden": hidden,
                "engines": [
                    {
                        "name": state.name,
                        "pages_announced": state.pages_heard,
                        "sitemaps": [
                            {**{f: getattr(one, f) for f in _FIELDS}, "reasons": one.reasons}
                            for one in state.sitemaps
                        ],
                        "next": state.next,
                    }
                    for state in states
                ],
            }
        )
        return 0
    if out.format == "csv":
        out.csv(
            ("engine", *_FIELDS),
            [[s.name, *(getattr(o, f) for f in _FIELDS)] for s in states for o in s.sitemaps],
        )
        return 0
    for state in states:
        out.table(
            [("Sitemap", "left"), ("Submitted", "right"), ("Announced", "left"), ("Read", "left"),
             ("State", "left"), ("Found", "right"), ("Indexed", "right"), ("Share", "right")],
            [_row(one) for one in state.sitemaps],
            title=state.name,
        )  # fmt: skip
        if state.pages_heard is not None:
            out.indented("pages", f"{state.pages_heard:,} announced one by one over IndexNow")
        for step in state.next or ["Nothing to do."]:
            out.indented("next ", step, style="green")
        out.say()
    return 0


def _row(one: SitemapState) -> list[object]:
    return [
        one.loc.rpartition("/")[2],
        one.submitted_urls,
        day_and_time(one.announced_at),
        day_and_time(one.last_read),
        one.state,
        one.found,
        one.indexed,
        one.coverage,
    ]
