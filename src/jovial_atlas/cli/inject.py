"""`inject`: writes head data into built HTML pages."""

from __future__ import annotations

import os
from contextlib import nullcontext
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.publishing.injected import Injected
    from jovial_atlas.rounds.state.last_survey import LastSurvey

#: Changes that a dry run shows line by line.
_SHOWN = 3


@atlas_command(
    "inject",
    state="writes",
    formats=TABLE_FORMATS,
    examples=("inject --dry-run", "inject --match '/events/**'"),
)
@click.option("--match", metavar="PATTERN", help="Only pages with addresses like this.")
@click.option("--dry-run", is_flag=True, help="Write nothing; show what would change.")
@click.option("--remove", is_flag=True, help="Take out what was written: files are as before.")
@click.option(
    "--anyway", is_flag=True, help="Also files in which what was written was changed by hand."
)
def command(work: Work, match: str | None, dry_run: bool, remove: bool, anyway: bool) -> int:
    """Write titles, descriptions, canonicals, robots directives, language versions, Open Graph
    and structured data into the heads of built HTML pages.

    Tags of the same meaning are replaced and kept, so that --remove gives each file back as it
    was; all else in a file stays byte for byte. A file in which the written pieces themselves were
    changed is left as it is, and told. Run it after each time the pages are built."""
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.reading.unchanged import own_writes
    from jovial_atlas.rounds.state.last_survey import last_survey

    site, out = work.site(), work.output
    survey = last_survey(site, work.now())
    how = {"match": match, "remove": remove, "anyway": anyway}
    with nullcontext() if dry_run else own_writes(site.path):
        parts = [survey.of_host(host) for host in site.hosts]
        injected = [one for part in parts for one in _of_host(work, part, how, dry_run=dry_run)]
    counts = {state: sum(one.state == state for one in injected)
              for state in ("changed", "same", "skipped")}  # fmt: skip
    names = ("path", "loc", "state", "why")
    if out.format == "json":
        told = (*names, "alts", "links", "notes")
        out.json({**counts, "files": [{n: getattr(one, n) for n in told} for one in injected]})
    elif out.format == "csv":
        out.csv(names, [[getattr(one, name) for name in names] for one in injected])
    else:
        for one in injected:
            if one.diff:
                out.as_it_is(one.diff)
                out.say()
        verb = "would change" if dry_run else "changed"
        out.say(f"{plural(counts['changed'], 'page')} {verb}, {counts['same']:,} as they are.")
    if not remove and out.is_table:
        _tell_additions(out, injected)
    for one in injected:
        if one.state == "skipped":
            out.warn(f"{one.path} was left as it is: {one.why}.")
    return 0


def _of_host(
    work: Work, survey: LastSurvey, how: dict[str, Any], *, dry_run: bool
) -> list[Injected]:
    """What is done with the pages of one host."""
    from jovial_atlas.rounds.publishing.changed import changed_links
    from jovial_atlas.rounds.publishing.inject import keep_marks, run_inject
    from jovial_atlas.rounds.telling.events import note_changes

    diffs = _SHOWN if dry_run else 0
    done = list(run_inject(survey.site, survey, dry_run=dry_run, diffs=diffs, **how))
    if not dry_run:
        with work.locks().swapping():
            keep_marks(survey, done)
        if not how["remove"]:
            note_changes(survey.site, changed_links(survey, done), work.now, os.environ)
    return done


def _tell_additions(out: Output, injected: list[Injected]) -> None:
    """What was added to texts of pages: texts of pictures, and links."""
    for one in injected:
        for text in one.alts:
            out.note(f"{one.path}: proposed alt text, {text}")
        for text in one.links:
            out.note(f"{one.path}: link, {text}")
        for text in one.notes:
            out.note(f"{one.path}: {text}")
