"""`hear`: take what an engine exported."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import FORMATS, Work, atlas_command
from jovial_atlas.cli.names import ENGINE

if TYPE_CHECKING:
    from datetime import date, datetime

    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.telling.hear import HeardTable, HowToHear
    from jovial_atlas.sitefile import Engine, SiteFile

_KINDS = ("sitemaps", "reasons", "addresses", "performance")
_DAY = click.DateTime(["%Y-%m-%d"])
#: Seconds to wait for an engine.
_SECONDS = 30.0


@atlas_command(
    "hear",
    state="edits",
    formats=FORMATS,
    examples=("hear --engine Quillseek sitemaps.csv", "hear --engine Lanternfish exports/*.csv"),
)
@click.argument("files", nargs=-1, metavar="[FILE]…",
                type=click.Path(path_type=Path, dir_okay=False, exists=True))  # fmt: skip
@click.option("--engine", type=ENGINE, required=True, help="The engine that exported them.")
@click.option("--kind", type=click.Choice(_KINDS), help="What the table tells of.")
@click.option("--column", "columns", multiple=True, metavar="OURS=THEIRS",
              help="What a column is called there; the site file keeps it.")  # fmt: skip
@click.option("--from", "begins", type=_DAY, metavar="DAY",
              help="First day that a table tells of which has none in its rows.")  # fmt: skip
@click.option("--to", "ends", type=_DAY, metavar="DAY", help="Last day that it tells of.")
@click.option("--replace", is_flag=True,
              help="What it says of its days replaces what was heard of them.")  # fmt: skip
def command(
    work: Work,
    files: tuple[Path, ...],
    engine: str,
    kind: str | None,
    columns: tuple[str, ...],
    begins: datetime | None,
    ends: datetime | None,
    replace: bool,
) -> int:
    """Take what an engine knows: without FILE by asking its interface what was searched and clicked
    (a channel read-performance), else from tables that it exported (CSV, TSV, JSON, a workbook,
    Parquet; dates and numbers as in many languages): what it says of sitemaps (loc, found, indexed,
    last_read, state), of reasons (reason, pages), of single addresses (loc, indexed, reason,
    last_crawl), or of performance: what was searched and clicked (date, loc, query, country,
    device, clicks, impressions, position).

    Columns with other names are told once with --kind and --column; headings of performance are
    mostly understood as they are. The same table may be heard again, and tables may overlap:
    nothing counts twice. `jovial-atlas traffic` shows what they come to."""
    from jovial_atlas.rounds.state.engine_choice import engines_named
    from jovial_atlas.rounds.telling.hear import HowToHear

    mapping, period = _mapping(columns), _period(begins, ends)
    if mapping and not kind:
        raise click.UsageError("--column belongs to a --kind.")
    site = work.site()
    (chosen,) = engines_named(site, [engine])
    with work.locks().counting(site.traffic_folder):
        if not files:
            return _ask(work, site, chosen)
        how = HowToHear(kind or "", mapping, period, replace)
        return _hear_files(work, site, chosen, files, how)


def _hear_files(
    work: Work, site: SiteFile, engine: Engine, files: tuple[Path, ...], how: HowToHear
) -> int:
    """Take the tables of some files."""
    from jovial_atlas.rounds.state.ledger import open_ledger
    from jovial_atlas.rounds.telling.hear import hear, heard_figures

    out = work.output
    ledger = open_ledger(site, work.now, os.environ)
    heard: list[tuple[Path, HeardTable]] = []
    try:
        for path in files:
            heard += [(path, one) for one in hear(site, engine, path, ledger, how)]
    finally:
        ledger.close()
        # What was taken before a file that cannot be read counts.
        heard_figures(site, [one for _, one in heard])
    if out.format == "json":
        out.json({"heard": [_as_json(path, one) for path, one in heard]})
        return 0
    for _, done in heard:
        _show(out, done)
    told = {done.kind for _, done in heard}
    if "performance" in told:
        out.say("`jovial-atlas traffic` shows what they come to.")
    if told - {"performance"}:
        out.say("`jovial-atlas status --offline` shows what they come to.")
    return 0


def _ask(work: Work, site: SiteFile, engine: Engine) -> int:
    """Ask an engine over its interface."""
    from jovial_atlas.errors import NetworkError
    from jovial_atlas.rounds.state.sending import Sending
    from jovial_atlas.rounds.telling.hear import heard_figures
    from jovial_atlas.rounds.telling.performance import ask_performance, tells_performance
    from jovial_atlas.web import new_client

    out = work.output
    if not tells_performance(engine):
        raise click.UsageError(
            f"Name a FILE that {engine.name} exported, or describe a channel read-performance in "
            "its [[engine]]."
        )
    with new_client(_SECONDS) as asking:
        heard, trouble = ask_performance(site, engine, Sending(asking, os.environ), work.now())
    if heard:
        heard_figures(site, [heard])
    if trouble and not heard:
        raise NetworkError(trouble)
    if out.format == "json":
        out.json({"heard": [_as_json(Path(heard.table), heard)] if heard else [],
                  "trouble": trouble or None})  # fmt: skip
        return 1 if trouble else 0
    if heard:
        _show(out, heard)
        out.say("`jovial-atlas traffic` shows what they come to.")
    else:
        out.say(f"{engine.name} tells of no day that is not known.")
    if trouble:
        out.warn(f"{trouble} What came before it is kept.")
    return 1 if trouble else 0


def _mapping(columns: tuple[str, ...]) -> dict[str, str]:
    mapping = {}
    for one in columns:
        ours, sign, theirs = one.partition("=")
        if not sign or not theirs:
            raise click.UsageError(f"--column {one!r}: write it as found='Discovered pages'.")
        mapping[ours.strip()] = theirs.strip()
    return mapping


def _period(begins: datetime | None, ends: datetime | None) -> tuple[date, date] | None:
    if (begins is None) != (ends is None):
        raise click.UsageError("--from and --to belong together.")
    if begins and ends and begins > ends:
        raise click.UsageError("--from is later than --to.")
    return (begins.date(), ends.date()) if begins and ends else None


def _as_json(path: Path, done: HeardTable) -> dict[str, Any]:
    said: dict[str, Any] = {"file": str(path), "kind": done.kind, "rows": done.rows,
                            "elsewhere": done.elsewhere}  # fmt: skip
    if one := done.performance:
        said |= {
            "by": list(one.kind.parts),
            "from": one.begins.isoformat() if one.begins else None,
            "to": one.ends.isoformat() if one.ends else None,
            "new": one.new, "other": one.other, "unread": one.unread, "hidden": one.hidden,
            "cut": one.is_cut, "columns": dict(done.guessed),
        }  # fmt: skip
    return said


def _show(out: Output, done: HeardTable) -> None:
    from jovial_atlas.faults import plural

    other = f", {done.elsewhere:,} of other sites left out" if done.elsewhere else ""
    out.say(f"{done.table}: {plural(done.rows, 'row')} about {done.kind}{other}.")
    one = done.performance
    if one is None:
        return
    if done.guessed:
        taken = ", ".join(f"{theirs} as {ours}" for ours, theirs in done.guessed.items())
        out.indented("-", f"taken by their headings: {taken}")
    if one.begins and one.ends:
        out.indented("-", f"from {one.begins} to {one.ends}, by {_parts(one.kind.parts)}; "
                     f"{plural(one.new, 'row')} not heard before")  # fmt: skip
    if one.other:
        out.indented("-", f"{plural(one.other, 'row')} said twice with different figures; the "
                     "larger ones count (--replace takes those of this table)")  # fmt: skip
    if one.unread:
        out.indented("!", f"left out, since it cannot be read: {plural(one.unread, 'row')}, the "
                     f"first at {one.first}")  # fmt: skip
    if one.hidden:
        out.indented("-", f"{plural(one.hidden, 'count')} hidden as too small; taken as 0")
    if one.is_cut:
        out.indented("!", f"it ends at exactly {one.rows + one.elsewhere + one.unread:,} rows, so "
                     "it may have been cut off: pages that it does not name are not taken as "
                     "never clicked")  # fmt: skip
    if "query" in one.kind.parts:
        out.indented("-", "engines leave out what few people searched, so these rows add up to "
                     "less than tables without queries; they are kept apart")  # fmt: skip


_WORDS = {"loc": "page", "date": "day", "results": "kind of result"}


def _parts(parts: tuple[str, ...]) -> str:
    words = [_WORDS.get(one, one) for one in parts]
    return f"{', '.join(words[:-1])} and {words[-1]}" if len(words) > 1 else words[0]
