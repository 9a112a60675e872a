"""`hear`: take what an engine exported."""

from __future__ import annotations

import os
from dataclasses import asdict
from pathlib import Path

import click

from jovial_atlas.cli.common import FORMATS, Work, atlas_command
from jovial_atlas.cli.names import ENGINE

_KINDS = ("sitemaps", "reasons", "addresses")


@atlas_command(
    "hear",
    state="edits",
    formats=FORMATS,
    examples=("hear --engine Quillseek sitemaps.csv", "hear --engine Lanternfish exports/*.csv"),
)
@click.argument("files", nargs=-1, required=True, metavar="FILE…",
                type=click.Path(path_type=Path, dir_okay=False, exists=True))  # fmt: skip
@click.option("--engine", type=ENGINE, required=True, help="The engine that exported them.")
@click.option("--kind", type=click.Choice(_KINDS), help="What the table tells of.")
@click.option("--column", "columns", multiple=True, metavar="OURS=THEIRS",
              help="What a column is called there; the site file keeps it.")  # fmt: skip
def command(
    work: Work, files: tuple[Path, ...], engine: str, kind: str | None, columns: tuple[str, ...]
) -> int:
    """Take tables that an engine exported as CSV into the ledger: what it says of sitemaps (loc,
    found, indexed, last_read, state), of reasons (reason, pages), or of single addresses (loc,
    indexed, reason, last_crawl). Dates and numbers may be written as in several languages.

    Columns with other names are told once with --kind and --column."""
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.state.engine_choice import engines_named
    from jovial_atlas.rounds.state.ledger import open_ledger
    from jovial_atlas.rounds.telling.hear import hear

    mapping = {}
    for one in columns:
        ours, sign, theirs = one.partition("=")
        if not sign or not theirs:
            raise click.UsageError(f"--column {one!r}: write it as found='Discovered pages'.")
        mapping[ours.strip()] = theirs.strip()
    if mapping and not kind:
        raise click.UsageError("--column belongs to a --kind.")
    site, out = work.site(), work.output
    (chosen,) = engines_named(site, [engine])
    ledger = open_ledger(site, work.now, os.environ)
    try:
        heard = [hear(site, chosen, path, ledger, kind, mapping) for path in files]
    finally:
        ledger.close()
    if out.format == "json":
        pairs = zip(files, heard, strict=True)
        rows = [{"file": str(path), **asdict(one)} for path, one in pairs]
        out.json({"heard": rows})
        return 0
    for path, done in zip(files, heard, strict=True):
        other = f", {done.elsewhere:,} of other sites left out" if done.elsewhere else ""
        out.say(f"{path}: {plural(done.rows, 'row')} about {done.kind}{other}.")
    out.say("`jovial-atlas status --offline` shows what they come to.")
    return 0
