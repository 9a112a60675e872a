"""`logs`: what crawlers did, by the server's own logs."""

from __future__ import annotations

import os
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.names import ENGINE
from jovial_atlas.cli.output import day_and_time
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.telling.logs import LogsRead

_FIELDS = (
    "engine", "crawler", "requests", "first", "last", "robots_at", "sitemaps_read", "sitemap_at",
    "pages", "listed", "never", "forged", "unproven",
)  # fmt: skip
#: Listed pages that nobody asked for, which are shown without --never.
_SHOWN = 5


@atlas_command(
    "logs",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("logs /var/log/nginx/access.log*", "logs access.log.gz --format json"),
)
@click.argument("files", nargs=-1, required=True, metavar="FILE…",
                type=click.Path(path_type=Path, dir_okay=False, allow_dash=True))  # fmt: skip
@click.option("--engine", "engines", type=ENGINE, multiple=True, help="Only this engine.")
@click.option("--dns", is_flag=True,
              help="Ask name servers whether crawlers are who they say.")  # fmt: skip
@click.option("--never", is_flag=True, help="Show every listed page that no crawler asked for.")
@click.option("--server", metavar="NAME", default="",
              help="Where several servers answer: whose logs these are.")  # fmt: skip
@click.option("--dry-run", is_flag=True, help="Note nothing in the ledger.")
def command(
    work: Work,
    files: tuple[Path, ...],
    engines: tuple[str, ...],
    dns: bool,
    never: bool,
    server: str,
    dry_run: bool,
) -> int:
    """Read server logs (Combined or Extended Log Format, or JSON; plain or packed; `-` for standard
    input) for the crawlers of the site's engines: when each last read robots.txt, sitemaps and
    pages, what it never asked for, what answered with an error, and who only says to be it. Visits
    of people are counted by page and day as well; nothing about anybody is kept. Requests of times
    that were read before do not count again: read logs of several servers in one call, or each with
    its --server."""
    from jovial_atlas.rounds.state.engine_choice import engines_named
    from jovial_atlas.rounds.state.ledger import open_ledger
    from jovial_atlas.rounds.telling.logs import dns as name_servers
    from jovial_atlas.rounds.telling.logs import read_logs

    site, out = work.site(), work.output
    chosen = engines_named(site, engines)
    resolver = name_servers() if dns else None
    if dry_run:
        read = read_logs(site, chosen, files, None, resolver, server)
    else:
        with (
            work.locks().counting(site.traffic_folder),
            closing(open_ledger(site, work.now, os.environ)) as ledger,
        ):
            read = read_logs(site, chosen, files, ledger, resolver, server)
    for sentence in read.odd:
        out.warn(sentence)
    if out.format == "json":
        crawlers = [asdict(one) for one in read.crawlers]
        out.json({"lines": read.lines, "unread": read.unread, "crawlers": crawlers,
                  "never": read.never.first(), "people": _people(read)})  # fmt: skip
    elif out.format == "csv":
        out.csv(_FIELDS, [[getattr(one, name) for name in _FIELDS] for one in read.crawlers])
    else:
        _show(out, read, every=never)
    return 0


def _people(read: LogsRead) -> dict[str, object] | None:
    one = read.people
    if one is None:
        return None
    return {"visits": one.visits, "pages": one.pages, "before": one.before,
            "from": one.begins.isoformat() if one.begins else None,
            "to": one.ends.isoformat() if one.ends else None}  # fmt: skip


def _show(out: Output, read: LogsRead, *, every: bool) -> None:
    from jovial_atlas.faults import plural

    out.table(
        ["Engine", "Crawler", "Requests: right", "Last seen: left 4",
         "robots.txt: left 2", "Sitemaps: left 1", "Pages: right", "Never: right",
         "Forged: right", "Unproven: right 3"],
        [
            [one.engine, one.crawler, one.requests, day_and_time(one.last),
             (one.robots_at or "never")[:10], (one.sitemap_at or "never")[:10],
             one.pages, one.never, one.forged, one.unproven]
            for one in read.crawlers
        ],
    )  # fmt: skip
    for one in read.crawlers:
        for status, (times, path) in one.errors.items():
            most = ", most" if times > 1 else ""
            answers = f"{plural(times, 'answer')} with status {status}{most} for {path}"
            out.indented("-", f"{one.crawler}: {answers}")
        if one.forgers:
            out.indented("-", f"{one.crawler}: not its own: {', '.join(one.forgers)}")
    if read.never:
        shown = read.never.first(None if every else _SHOWN)
        out.say(f"{plural(len(read.never), 'listed page')} that no crawler asked for:")
        for loc in shown:
            out.indented("-", loc)
        if len(shown) < len(read.never):
            out.indented("", f"… and {len(read.never) - len(shown):,} more; --never shows them")
    bad = f", {read.unread:,} of them not understood" if read.unread else ""
    out.say(f"{plural(read.lines, 'line')} read{bad}.")
    if (people := read.people) and people.begins:
        done = f"; {people.before:,} requests had been counted before" if people.before else ""
        out.say(f"People: {plural(people.visits, 'visit')} to {plural(people.pages, 'page')}, "
                f"{people.begins} to {people.ends}{done}. Only counts are kept.")  # fmt: skip
