"""`moves domain`: the whole site moves to another host, step by step."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import FORMATS, Work, atlas_command
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.rounds.telling.domain import DomainState
    from jovial_atlas.sitefile import SiteFile
    from jovial_atlas.web import Client

_STYLES = {"done": "green", "to do": "yellow", "not looked at": "dim"}


@atlas_command(
    "domain", state="edits", formats=FORMATS,
    examples=("moves domain https://www.new.example", "moves domain https://www.new.example --yes"),
)  # fmt: skip
@click.argument("new", required=False, metavar="[NEW]")
@click.option("--live", is_flag=True, help="Ask the old server whether it sends everybody on.")
@click.option("--server", metavar="ORIGIN",
              help="With --live: server that answers for the old host.")  # fmt: skip
@click.option("--ask", is_flag=True,
              help="Ask engines how many addresses have passed over, and keep it.")  # fmt: skip
@click.option("--figure", type=click.Path(dir_okay=False, path_type=Path), metavar="FILE",
              help="Draw what engines knew over time, .png or .svg.")  # fmt: skip
@click.option("--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
              help="Seconds to wait for a server.")  # fmt: skip
@click.option("--yes", is_flag=True, help="Begin without asking.")
def domain(
    work: Work,
    new: str | None,
    live: bool,
    server: str | None,
    ask: bool,
    figure: Path | None,
    timeout: float,
    yes: bool,
) -> int:
    """Move the whole site to another host. With NEW, scheme and host of the new address: shows what
    would change, and begins. Without: the steps, which of them are done, and what is to do next."""
    if server and not live:
        raise click.UsageError("--server belongs to --live.")
    if new:
        return _begin(work, new, yes)
    state = _state(work, live=live, server=server, ask=ask, timeout=timeout)
    if figure:
        from jovial_atlas.rounds.telling.domain_figure import draw_course

        draw_course(state, figure)
        work.output.note(f"What engines knew is drawn in {figure}.")
    if work.output.format == "json":
        work.output.json({
            "old": state.old, "new": state.new, "since": state.since,
            "steps": [asdict(one) for one in state.steps],
            "course": [asdict(one) for one in state.course],
        })  # fmt: skip
    else:
        _show(work, state)
    return 0


def _begin(work: Work, new: str, yes: bool) -> int:
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.domain import begin_domain, domain_start
    from jovial_atlas.rounds.telling.domain import DOMAIN_STEPS
    from jovial_atlas.sitefile.read import parse_site_file

    site, out = work.site(), work.output
    start = domain_start(site, new, work.now())
    parse_site_file(start.text, site.path)
    count = plural(start.listed.height, "listed address", "listed addresses")
    if out.is_table:
        out.say(f"{start.old} moves to {start.new}.", style="bold")
        out.indented("-", f"{site.path.name}: `url` in [site] becomes {start.new}; `old_url` in "
                     f"[moves] keeps {start.old}.")  # fmt: skip
        out.indented("-", f"{site.model.moves.file}: {start.old}/** leads to {start.new}/$1.")
        out.indented("-", f"{count} of the old host are remembered, and looked after.")
        out.say("Then, each looked at by `jovial-atlas moves domain`:")
        for number, step in enumerate(DOMAIN_STEPS, start=1):
            out.indented(f"{number}.", step)
        if not yes and sys.stdin.isatty() and sys.stdout.isatty():
            yes = click.confirm("Begin?", default=False)
    if yes:
        begin_domain(site, start)
    if out.format == "json":
        out.json({"old": start.old, "new": start.new, "listed": start.listed.height,
                  "saved": yes})  # fmt: skip
    else:
        out.say("Begun. Next: jovial-atlas survey --accept, build --accept, then: moves domain"
                if yes else "Nothing was changed; --yes begins.", style="bold")  # fmt: skip
    return 0


def _state(
    work: Work, *, live: bool, server: str | None, ask: bool, timeout: float
) -> DomainState:
    import os

    from jovial_atlas.rounds.state.last_survey import last_survey
    from jovial_atlas.rounds.state.ledger import open_ledger
    from jovial_atlas.rounds.telling.domain import DomainServers, domain_state
    from jovial_atlas.web import new_client

    site = work.site()
    with new_client(timeout) as client:
        if ask:
            _ask(work, site, client)
        ledger = open_ledger(site, work.now, os.environ)
        try:
            servers = DomainServers(client, server.rstrip("/") if server else None)
            survey = last_survey(site, work.now())
            return domain_state(survey, ledger, servers if live else None)
        finally:
            ledger.close()


def _ask(work: Work, site: SiteFile, client: Client) -> None:
    import os

    from jovial_atlas.rounds.deciding.domain import note_counts
    from jovial_atlas.rounds.state.sending import Sending
    from jovial_atlas.rounds.telling.domain import ask_engines

    sending = Sending(client, os.environ)
    counts, troubles = ask_engines(site, site.model.engine, sending, work.now())
    note_counts(site, counts)
    for trouble in troubles:
        work.output.warn(trouble)


def _show(work: Work, state: DomainState) -> None:
    out = work.output
    out.say(f"{state.old} → {state.new}, since {state.since}", style="bold")
    for number, one in enumerate(state.steps, start=1):
        out.indented(f"{number}. {one.state:<13}", one.name, style=_STYLES[one.state])
        out.indented("", one.found, indent=19, text_style="dim")
        if one.fix and one.state != "done":
            out.indented("do:", one.fix, indent=19, style="green")
    todo = sum(one.state == "to do" for one in state.steps)
    out.say(f"{len(state.steps) - todo} of {len(state.steps)} steps need nothing now."
            if todo else "Nothing is left to do now.", style="bold")  # fmt: skip
