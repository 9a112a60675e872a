"""`suggest`: proposals for titles and descriptions; it applies none."""

from __future__ import annotations

from pathlib import Path

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.names import SECTION


@atlas_command("suggest", state="reads", formats=TABLE_FORMATS,
               examples=("suggest --section events", "suggest --edit texts.csv"))  # fmt: skip
@click.option("--section", type=SECTION, help="Only pages of this section.")
@click.option("--match", metavar="PATTERN", help="Only addresses like this: /events/**")
@click.option("--all", "everything", is_flag=True,
              help="For pages that have a title and a description too.")  # fmt: skip
@click.option("--edit", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              help="Write a table with the proposals beside what is published now.")  # fmt: skip
def command(
    work: Work, section: str | None, match: str | None, everything: bool, edit: Path | None
) -> int:
    """Propose titles from the headings of pages, and descriptions from their own sentences, for
    listed pages that have none. They are proposals: nothing is changed.

    In the table that --edit writes, `yes` in the column `accept` takes the proposals of a row;
    `jovial-atlas pages --take FILE` reads it."""
    import polars as pl

    from jovial_atlas.addresses import path_and_query
    from jovial_atlas.faults import plural
    from jovial_atlas.pages.page import pages_of
    from jovial_atlas.rounds.deciding.edit_table import write_table
    from jovial_atlas.rounds.deciding.pages import Filters, select_pages
    from jovial_atlas.rounds.deciding.suggest import PROPOSED_FIELDS, proposer
    from jovial_atlas.rounds.state.last_survey import last_survey

    site, out = work.site(), work.output
    survey = last_survey(site, work.now())
    wanted = select_pages(survey.table, site, Filters(section, "listed", match=match))
    bare = pl.any_horizontal(pl.col(name).is_null() for name in PROPOSED_FIELDS)
    pages = (wanted if everything else wanted.filter(bare)).collect(engine="streaming")
    propose = proposer(site)
    if edit:
        count = write_table(pages, survey, edit, PROPOSED_FIELDS, propose)
        out.note(f"{plural(count, 'page')} written to {edit}, each with its proposals. Write yes")
        out.note(f"under `accept` for those to take, then: jovial-atlas pages --take {edit}")
        return 0
    rows = []
    for page in pages_of(pages):
        for name, text in propose(page).items():
            now = getattr(page, name)
            if text.value and (everything or not now):
                rows.append({"loc": page.loc, "field": name, "now": now,
                             "proposal": text.value, "from": text.source})  # fmt: skip
    names = ("loc", "field", "now", "proposal", "from")
    if out.format == "json":
        out.json({"proposals": rows})
    elif out.format == "csv":
        out.csv(names, [[row[name] for name in names] for row in rows])
    else:
        out.table(
            ["Page: address", "Field", "Proposal: fold", "From: left 1"],
            [[path_and_query(r["loc"]), r["field"], r["proposal"], r["from"]] for r in rows],
        )
        out.say(f"{plural(len(rows), 'proposal')} for {plural(pages.height, 'page')}; "
                "none is applied.")  # fmt: skip
    return 0
