"""`status`: per engine and sitemap, what was announced and what came back."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.names import ENGINE, PAGE_NAME, SECTION
from jovial_atlas.cli.output import day_and_time
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jovial_atlas.cli.output import Output
    from jovial_atlas.ledger import Ledger
    from jovial_atlas.rounds.state.sending import Sending
    from jovial_atlas.rounds.telling.address_state import KnownPage
    from jovial_atlas.rounds.telling.engine_state import EngineState, SitemapState
    from jovial_atlas.sitefile import Engine, SiteFile

_FIELDS = (
    "loc", "section", "submitted_urls", "announced_at", "last_read", "state", "found", "indexed",
    "coverage", "change",
)  # fmt: skip
_PAGE_FIELDS = (
    "engine", "loc", "section", "announced_at", "visited_at", "visit_status", "indexed", "reason",
    "last_crawl", "canonical", "said_at",
)  # fmt: skip
_WHICH = ("all", "indexed", "left-out", "unknown", "unannounced", "unvisited")


@atlas_command(
    "status",
    many=True,
    state="reads",
    formats=TABLE_FORMATS,
    examples=("status --offline", "status --format json"),
)
@click.argument("urls", type=PAGE_NAME, nargs=-1, metavar="[URL]…")
@click.option("--engine", "engines", type=ENGINE, multiple=True, help="Only this engine.")
@click.option("--pages", "which", type=click.Choice(_WHICH),
              help="The addresses behind the numbers: those that are so.")  # fmt: skip
@click.option("--section", type=SECTION, default="", help="With --pages: only this section.")
@click.option("--figures", type=click.Path(path_type=Path, file_okay=False), metavar="DIR",
              help="Write figures over time into this folder, as PNG and SVG.")  # fmt: skip
@click.option("--offline", is_flag=True, help="Ask no engine; show what the ledger has.")
@click.option(
    "--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
    help="Seconds to wait for an engine.",
)  # fmt: skip
def command(
    work: Work,
    urls: tuple[str, ...],
    engines: tuple[str, ...],
    which: str | None,
    section: str,
    figures: Path | None,
    offline: bool,
    timeout: float,
) -> int:
    """Show, engine by engine and sitemap by sitemap, what was announced, read, found and
    indexed, how that changed, and what to do next; with URLs (or paths from '/' on) what is known
    of these pages.

    Engines whose channels allow it are asked, and their answers kept in the ledger."""
    from jovial_atlas.rounds.state.engine_choice import engines_named
    from jovial_atlas.rounds.state.hiding import hides_first
    from jovial_atlas.rounds.state.sending import Sending
    from jovial_atlas.rounds.telling.status import joined_states
    from jovial_atlas.web import new_client

    if section and not which:
        raise click.UsageError("--section belongs to --pages.")
    site, out = work.site(), work.output
    chosen = engines_named(site, engines)
    hidden = hides_first(site, work.now())
    if hidden:
        out.warn(hidden)
    asked = _Asked(urls, which, section, figures)
    states: list[EngineState] = []
    pages: list[KnownPage] = []
    with new_client(timeout) as client:
        sending = None if offline else Sending(client, os.environ)
        for host in site.hosts:
            of_host, some = _of_host(work, host, chosen, sending, asked)
            states = joined_states(states, of_host) if states and of_host else states or of_host
            pages += some
    if urls or which:
        for state in states:
            if state.trouble:
                out.warn(state.trouble)
        _show_pages(out, pages)
    else:
        _show_states(out, states, hidden)
    return 0


def _show_states(out: Output, states: Sequence[EngineState], hidden: str) -> None:
    if out.format == "json":
        out.json({"hidden": hidden, "engines": [_as_json(state) for state in states]})
    elif out.format == "csv":
        out.csv(
            ("engine", *_FIELDS),
            [[s.name, *(getattr(o, f) for f in _FIELDS)] for s in states for o in s.sitemaps],
        )
    else:
        for state in states:
            _show(out, state)


class _Asked(NamedTuple):
    """What is to be shown: single addresses, addresses that are so, and figures."""

    urls: tuple[str, ...]
    which: str | None
    section: str
    figures: Path | None


def _of_host(
    work: Work,
    host: SiteFile,
    chosen: Sequence[Engine],
    sending: Sending | None,
    asked: _Asked,
) -> tuple[list[EngineState], list[KnownPage]]:
    """What engines know of one host, or of addresses on it."""
    from jovial_atlas.rounds.state.ledger import open_ledger
    from jovial_atlas.rounds.telling.address_state import known_pages
    from jovial_atlas.rounds.telling.status import run_status

    ledger = open_ledger(host, work.now, os.environ)
    try:
        if asked.urls:
            return [], _asked(work, host, chosen, ledger, sending, asked.urls)
        states = run_status(host, chosen, ledger, sending, work.apart)
        pages = known_pages(host, chosen, ledger, asked.which, asked.section) if asked.which else []
        if asked.figures:
            _draw(work.output, host, chosen, ledger, asked.figures)
        return states, pages
    finally:
        ledger.close()


def _asked(
    work: Work,
    host: SiteFile,
    chosen: Sequence[Engine],
    ledger: Ledger,
    sending: Sending | None,
    urls: Sequence[str],
) -> list[KnownPage]:
    from jovial_atlas.rounds.telling.address_state import asked_pages

    mine = [url for url in urls if url.startswith(("/", f"{host.model.site.url}/"))]
    if not mine and len(host.model.host):
        return []
    pages, troubles = asked_pages(host, chosen, ledger, sending, mine or urls)
    for trouble in troubles:
        work.output.warn(trouble)
    return pages


def _as_json(state: EngineState) -> dict[str, Any]:
    return {
        "name": state.name,
        "pages_announced": state.pages_heard,
        "since": state.since or None,
        "sitemaps": [
            {**{f: getattr(one, f) for f in _FIELDS}, "reasons": one.reasons}
            for one in state.sitemaps
        ],
        "sections": [asdict(one) for one in state.sections],
        "next": state.next,
    }


def _show(out: Output, state: EngineState) -> None:
    changed = any(one.change is not None for one in state.sitemaps)
    columns = ["Sitemap: address", "Submitted: right 3", "Announced: left 1",
               "Read: left 2", "State", "Found: right", "Indexed: right",
               "Share: right"]  # fmt: skip
    if changed:
        columns.append("Change: right 4")
    out.table(columns, [_row(one, changed) for one in state.sitemaps], title=state.name)
    if state.since:
        out.indented("since", f"changes are those since {day_and_time(state.since)}")
    if state.pages_heard is not None:
        out.indented("pages", f"{state.pages_heard:,} announced one by one over IndexNow")
    for step in state.next or ["Nothing to do."]:
        out.indented("next ", step, style="green")
    out.say()


def _row(sitemap: SitemapState, changed: bool) -> list[object]:
    row: list[object] = [
        sitemap.loc.rpartition("/")[2],
        sitemap.submitted_urls,
        (sitemap.announced_at or "")[:10],
        day_and_time(sitemap.last_read),
        sitemap.state,
        sitemap.found,
        sitemap.indexed,
        sitemap.coverage,
    ]
    if changed:
        row.append(
            None if sitemap.change is None else f"{sitemap.change:+,}" if sitemap.change else "="
        )
    return row


def _show_pages(out: Output, pages: Sequence[KnownPage]) -> None:
    if out.format == "json":
        out.json({"pages": [asdict(one) for one in pages]})
        return
    if out.format == "csv":
        out.csv(_PAGE_FIELDS, [[getattr(one, name) for name in _PAGE_FIELDS] for one in pages])
        return
    if not pages:
        out.say("There are no such pages.")
        return
    out.table(
        ["Engine", "Page: address", "Announced: left 1", "Visited: left 2",
         "Indexed", "Why not: fold"],
        [
            [one.engine, one.loc.partition("://")[2].partition("/")[2].join(("/", "")),
             day_and_time(one.announced_at), day_and_time(one.last_crawl or one.visited_at),
             one.indexed, _why(one)]
            for one in pages
        ],
    )  # fmt: skip
    if not any(one.said_at for one in pages):
        out.say(
            "What engines say of single pages is known from a channel read-pages or read-page, "
            "or from an export: `jovial-atlas hear`."
        )


def _why(page: KnownPage) -> str:
    if page.canonical and page.canonical != page.loc:
        return f"{page.reason or 'another canonical'}: {page.canonical}"
    if page.visit_status and page.visit_status >= 400:
        return f"{page.reason or 'not indexed'}; answered {page.visit_status}"
    return page.reason


def _draw(
    out: Output, host: SiteFile, chosen: Sequence[Engine], ledger: Ledger, folder: Path
) -> None:
    from jovial_atlas.files import write_whole
    from jovial_atlas.report.trends import as_png, as_svg
    from jovial_atlas.rounds.telling.trends import trends

    path = folder / host.host if host.host else folder
    drawn = 0
    for trend in trends(chosen, ledger):
        write_whole(path / f"{trend.name}.png", as_png(trend))
        write_whole(path / f"{trend.name}.svg", as_svg(trend).encode())
        drawn += 1
    out.note(f"{drawn} figures are in {path}." if drawn else "There is no history to draw yet.")
