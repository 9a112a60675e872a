"""`pages`: the page table, filtered."""

from __future__ import annotations

from pathlib import Path

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command

_FIELDS = ("loc", "section", "verdict", "reason", "title", "lastmod", "source")


@atlas_command(
    "pages",
    formats=TABLE_FORMATS,
    epilog="Example: jovial-atlas pages --verdict unlisted --where 'words < 50'",
)
@click.option("--section", help="Only pages of this section.")
@click.option("--verdict", type=click.Choice(["listed", "unlisted"]), help="Only these.")
@click.option("--source", help="Only pages of this source.")
@click.option("--language", help="Only pages in this language, as in de or en-GB.")
@click.option("--match", metavar="PATTERN", help="Only addresses like this: /tags/**")
@click.option("--where", metavar="SQL", help="Only pages where this condition holds.")
@click.option("--limit", type=click.IntRange(1), help="At most this many.")
@click.option(
    "--export",
    "export_to",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write all columns to a .csv, .json, .jsonl or .parquet file instead.",
)
@click.option(
    "--edit",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write a CSV of these pages with columns to fill in, for a spreadsheet.",
)
@click.option(
    "--fields",
    default="listed,index",
    show_default=True,
    metavar="NAMES",
    help="With --edit: the columns to fill in, as in title,description,share_title.",
)
@click.option(
    "--take",
    type=click.Path(path_type=Path, dir_okay=False, exists=True),
    metavar="FILE",
    help="Take such a CSV back into the overrides file.",
)
def command(
    work: Work,
    section: str | None,
    verdict: str | None,
    source: str | None,
    language: str | None,
    match: str | None,
    where: str | None,
    limit: int | None,
    export_to: Path | None,
    edit: Path | None,
    fields: str,
    take: Path | None,
) -> int:
    """List pages with their verdicts, as of the last survey and the site file of now."""
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.last import last_survey
    from jovial_atlas.rounds.pages import (
        columns_of,
        export,
        select_pages,
        take_overrides,
        write_overrides,
    )

    site, out = work.site(), work.output
    if take:
        taken, gone = take_overrides(site, take)
        out.say(f"{plural(taken, 'override')} set, {gone:,} taken out. Build again to see them.")
        return 0
    found = select_pages(
        last_survey(site, work.now()).decided,
        site,
        section=section,
        verdict=verdict,
        source=source,
        language=language,
        match=match,
        where=where,
    )
    shown = found.head(limit) if limit else found
    if edit:
        count = write_overrides(shown, site, edit, columns_of(fields))
        said = f"{plural(count, 'page')} written to {edit}. Fill it in, then:"
        out.note(f"{said} jovial-atlas pages --take {edit}")
        return 0
    if export_to:
        export(shown, export_to)
        out.note(f"{plural(shown.height, 'page')} written to {export_to}.")
        return 0
    rows = shown.select(_FIELDS)
    if out.format == "json":
        out.json(rows.to_dicts())
    elif out.format == "csv":
        out.csv(_FIELDS, rows.iter_rows())
    else:
        out.table(
            [("Page", "left"), ("Section", "left"), ("Verdict", "fold"), ("Title", "fold"),
             ("Last change", "left")],
            [
                [
                    row["loc"].removeprefix(site.model.site.url),
                    row["section"],
                    "listed" if row["verdict"] == "listed" else f"not: {row['reason']}",
                    row["title"],
                    (row["lastmod"] or "")[:10],
                ]
                for row in rows.to_dicts()
            ],
        )  # fmt: skip
        rest = f", {found.height - shown.height:,} more not shown" if limit else ""
        out.say(f"{plural(shown.height, 'page')}{rest}.")
    return 0
