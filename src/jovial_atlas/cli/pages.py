"""`pages`: the page table, filtered."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command, bundled
from jovial_atlas.cli.names import SECTION, SOURCE
from jovial_atlas.cli.stake import may_save, say_stake, stake_option

if TYPE_CHECKING:
    from collections.abc import Sequence

    import polars as pl

    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.deciding.overrides_table import Taken
    from jovial_atlas.rounds.state.last_survey import LastSurvey

_FILTERS = ("section", "verdict", "source", "language", "match", "where")
_FIELDS = ("loc", "section", "verdict", "reason", "title", "lastmod", "source")
#: What is shown as well where it is known.
_TRAFFIC = ("clicks", "impressions", "visits", "position")
_HEADINGS = {"clicks": "Clicks: right", "visits": "Visits: right"}


@atlas_command(
    "pages",
    fails="rows of a table were refused",
    state="reads",
    formats=TABLE_FORMATS,
    examples=(
        "pages --verdict unlisted --where 'words < 50'",
        "pages --section events --edit events.xlsx --fields title,description",
    ),
)
@click.option("--section", type=SECTION, help="Only pages of this section.")
@click.option("--verdict", type=click.Choice(["listed", "unlisted"]), help="Only these.")
@click.option("--source", type=SOURCE, help="Only pages of this source.")
@click.option("--language", help="Only pages in this language, as in de or en-GB.")
@click.option("--match", metavar="PATTERN", help="Only addresses like this: /tags/**")
@click.option("--where", metavar="SQL", help="Only pages where this condition holds.")
@click.option("--sort", metavar="COLUMN",
              help="Those first that have most of this: clicks, words, lastmod…")  # fmt: skip
@click.option("--limit", type=click.IntRange(1), help="At most this many; in a table 1,000 else.")
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
    help="Write these pages with columns to fill in, for a spreadsheet: .csv or .xlsx.",
)
@click.option(
    "--fields",
    default="listed,index",
    show_default=True,
    metavar="NAMES",
    help="With --edit: the columns to fill in, as in title,description,share_title; marks adds "
    "score and marks of `review`, to be read.",
)
@click.option(
    "--take",
    type=click.Path(path_type=Path, dir_okay=False, exists=True),
    metavar="FILE",
    help="Take such a table back into the overrides file: .csv, .xlsx or .ods.",
)
@click.option("--dry-run", is_flag=True, help="With --take: only show what would change.")
@click.option(
    "--anyway", is_flag=True, help="With --take: also rows of pages that changed meanwhile."
)
@stake_option
@bundled("filters", _FILTERS)
def command(
    work: Work,
    filters: dict[str, str | None],
    limit: int | None,
    export_to: Path | None,
    edit: Path | None,
    fields: str,
    sort: str | None,
    take: Path | None,
    dry_run: bool,
    anyway: bool,
    accepts: bool,
) -> int:
    """List pages with their verdicts, as of the last survey and the site file of now."""
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.edit_table import columns_of, write_table
    from jovial_atlas.rounds.deciding.pages import Filters, export, select_pages
    from jovial_atlas.rounds.state.last_survey import last_survey
    from jovial_atlas.rounds.state.traffic import traffic_spans

    if take and not dry_run:
        work.hold("edits")
    site, out = work.site(), work.output
    survey = last_survey(site, work.now())
    if take:
        return _take(work, survey, take, dry_run=dry_run, anyway=anyway, accepts=accepts)
    pages = _sorted(select_pages(survey.table, site, Filters(**filters)), sort)
    shown = pages.head(limit) if limit else pages
    if edit:
        some = shown.collect(engine="streaming")
        names = [one.strip() for one in fields.split(",")]
        marked = _marks_of(some, survey, work) if _MARKS in names else {}
        columns = columns_of(",".join(one for one in names if one != _MARKS))
        count = write_table(some, survey, edit, columns, beside=marked)
        said = f"{plural(count, 'page')} written to {edit}. Fill it in, then:"
        out.note(f"{said} jovial-atlas pages --take {edit}")
    elif export_to:
        count = export(shown, export_to)
        out.note(f"{plural(count, 'page')} written to {export_to}.")
    else:
        known = traffic_spans(site).filled
        fields_shown = [*_FIELDS, *(name for name in _TRAFFIC if name in known)]
        _show(out, pages, fields_shown, limit, site.model.site.url)
    return 0


#: Among the columns to edit: what a review says of the pages, to be read.
_MARKS = "marks"


def _marks_of(pages: pl.DataFrame, survey: LastSurvey, work: Work) -> dict[str, dict[str, str]]:
    """Address → the score of a page, and the marks that are not good, what costs most first."""
    from jovial_atlas.rounds.proving.review import review_pages

    locs = frozenset(pages["loc"].to_list())
    return {
        one.page.loc: {
            "score": "" if one.score is None else str(one.score),
            _MARKS: ", ".join(mark.code for mark in one.raising(50)),
        }
        for one in review_pages(survey, locs, work.now())
    }


#: Pages that a table for people has at most, where no other number is asked for.
_MOST_SHOWN = 1_000


def _show(
    out: Output, pages: pl.LazyFrame, fields: Sequence[str], limit: int | None, url: str
) -> None:
    """The pages, and how many more there are."""
    import polars as pl

    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.pages import batches, json_pieces

    rows = pages.select(fields)
    wanted = rows.head(limit) if limit else rows
    if out.format == "json":
        out.json_pieces(json_pieces(wanted))
    elif out.format == "csv":
        out.csv_tables(batches(wanted))
    else:
        count = int(pages.select(pl.len()).collect(engine="streaming").item())
        shown = rows.head(limit or _MOST_SHOWN).collect(engine="streaming")
        out.table(
            ["Page: address", "Section: left 2", "Verdict: fold", "Title: fold 1",
             "Last change: left 3", *(_HEADINGS[name] for name in fields if name in _HEADINGS)],
            [
                [
                    row["loc"].removeprefix(url),
                    row["section"],
                    "listed" if row["verdict"] == "listed" else f"not: {row['reason']}",
                    row["title"],
                    (row["lastmod"] or "")[:10],
                    *(row[name] for name in fields if name in _HEADINGS),
                ]
                for row in shown.to_dicts()
            ],
        )  # fmt: skip
        more = count - shown.height
        rest = f", {more:,} more not shown" if more else ""
        how = "" if limit or not more else " --limit shows more, --export FILE writes all."
        out.say(f"{plural(shown.height, 'page')}{rest}.{how}")


#: Changes of a table that are shown.
_CHANGES = 40


def _sorted(pages: pl.LazyFrame, name: str | None) -> pl.LazyFrame:
    """The pages with those first that have most in a column."""
    if name is None:
        return pages
    known = pages.collect_schema()
    if name not in known or known[name].is_nested():
        plain = ", ".join(one for one, kind in known.items() if not kind.is_nested())
        raise click.UsageError(f"--sort {name!r}: there is no such column to sort by. There are: "
                               f"{plain}.")  # fmt: skip
    return pages.sort(name, "loc", descending=[True, False], nulls_last=True)


def _take(
    work: Work, survey: LastSurvey, path: Path, *, dry_run: bool, anyway: bool, accepts: bool
) -> int:
    """Take a table back, after a look at what is at stake with the pages that it hides."""
    from jovial_atlas.rounds.deciding.overrides_table import take_table
    from jovial_atlas.rounds.state.stake import at_stake

    first = take_table(survey, path, dry_run=True, anyway=anyway)
    stake = at_stake(survey.site, [one.loc for one in first.changes if one.hides])
    if work.output.is_table:
        say_stake(work.output, stake, survey.site.model.site.url)
    if not dry_run and not may_save(stake, survey.site, accepts=accepts):
        if work.output.is_table:
            work.output.say("Nothing was saved.")
            return 0
        dry_run = True
    taken = first if dry_run else take_table(survey, path, anyway=anyway)
    work.turned = None if dry_run else taken.turned
    return _tell(work, taken, path, dry_run)


def _tell(work: Work, taken: Taken, path: Path, dry_run: bool) -> int:
    """What taking a table came to; 1 where rows of it were left out. With `dry_run` nothing was
    saved."""
    from jovial_atlas.addresses import path_and_query
    from jovial_atlas.faults import plural

    out = work.output
    out.note(f"{path} was read as {taken.told}.")
    left_out = [(one, "changed meanwhile") for one in taken.conflicts]
    left_out += [(one, "refused") for one in taken.refused]
    if out.format == "json":
        names = ("loc", "field", "before", "after")
        out.json({
            "changes": [{n: getattr(one, n) for n in names} for one in taken.changes],
            "saved": not dry_run and bool(taken.changes),
            **{
                key: [{"sheet": one.sheet, "line": one.line, "field": one.key,
                       "message": one.message} for one in found]
                for key, found in (("conflicts", taken.conflicts), ("refused", taken.refused))
            },
        })  # fmt: skip
    else:
        if taken.changes:
            out.table(
                ["Page: address", "Field", "Before: fold", "After: fold"],
                [
                    [path_and_query(one.loc), one.field, one.before, one.after]
                    for one in taken.changes[:_CHANGES]
                ],
            )
        more = len(taken.changes) - _CHANGES
        said = f" ({more:,} more changes not shown)" if more > 0 else ""
        verb = "would change" if dry_run else "changed"
        again = "" if dry_run or not taken.pages else " Build again to see it."
        out.say(f"{plural(taken.pages, 'page')} {verb}{said}.{again}")
    for one, why in left_out:
        key = f"{one.key}: " if one.key else ""
        place = f"{path} ({one.sheet})" if one.sheet else str(path)
        out.warn(f"{place}:{one.line}: {why}. {key}{one.message}.")
    if taken.conflicts and not dry_run:
        out.note("Rows of pages that changed meanwhile: look at them again, write the table anew, "
                 "or take them with --anyway.")  # fmt: skip
    return 1 if left_out else 0
