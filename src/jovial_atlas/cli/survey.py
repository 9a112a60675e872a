"""`survey`: read the sources, show what is there and what changed."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.stake import say_stake
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.findings import Finding
    from jovial_atlas.pages.doubt import Doubt
    from jovial_atlas.rounds.state.survey_result import Survey


@atlas_command(
    "survey",
    many=True,
    fails="refused, since much would be lost",
    state="writes",
    formats=TABLE_FORMATS,
    examples=("survey --format json", "survey --full"),
)
@click.option("--workers", type=click.IntRange(1, 64), help="Processes that read pages.")
@click.option(
    "--cluster", metavar="ADDRESS", default="",
    help="Read pages on a Dask cluster, by the address of its scheduler (tcp://…).",
)  # fmt: skip
@click.option(
    "--accept", is_flag=True, help="Keep the result also where much of what was listed is lost."
)
@click.option("--full", is_flag=True, help="Read every file again, also unchanged ones.")
@click.option(
    "--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
    help="Seconds to wait for a server.",
)  # fmt: skip
def command(
    work: Work, workers: int | None, cluster: str, accept: bool, full: bool, timeout: float
) -> int:
    """Read the content into the page table: what is there, section by section, and what
    changed since last time."""
    from jovial_atlas.rounds.reading.unchanged import as_before

    if workers and cluster:
        raise click.UsageError("Pages are read here or on a cluster: give --workers or --cluster.")
    out = work.output
    path = work.site_path()
    if path.exists():
        work.hold()
    survey = None if full else as_before(path, work.now())
    if survey is None:
        survey = _read_pages(
            work, workers=workers, cluster=cluster, accept=accept, full=full, timeout=timeout
        )
    for fault in survey.faults:
        if fault.code == "source-broken":
            out.warn(f"{fault.where} could not be read. {fault.message}")
    if survey.hidden:
        out.warn(survey.hidden)
    if out.format == "json":
        out.json(_as_json(survey))
    elif out.format == "csv":
        out.csv(
            ("section", *_COUNTS),
            [[getattr(one, key) for key in ("name", *_COUNTS)] for one in survey.sections],
        )
    else:
        _show(out, survey)
    return 0


def _as_json(survey: Survey) -> dict[str, Any]:
    from msgspec import structs

    from jovial_atlas.findings import findings_of

    changes = survey.changes
    return {
        "pages": survey.pages,
        "sections": {
            one.name: {key: getattr(one, key) for key in _COUNTS} for one in survey.sections
        },
        "changes": {
            "added": changes.added,
            "changed": changes.changed,
            "removed": changes.removed,
        },
        **({"hidden": survey.hidden} if survey.hidden else {}),
        "layout": structs.asdict(survey.layout),
        "doubts": [structs.asdict(doubt) for doubt in survey.doubts],
        "renamed": [{"from": old, "to": new} for old, new in changes.renamed],
        "findings": [asdict(finding) for finding in findings_of(survey.faults)],
    }


def _show(out: Output, survey: Survey) -> None:
    from jovial_atlas.faults import plural
    from jovial_atlas.findings import findings_of
    from jovial_atlas.pages.changes import describe

    counted = survey.sections
    out.table(
        ["Section", "Pages: right", "Listed: right",
         "Pictures: right", "Videos: right"],
        [[getattr(one, key) for key in ("name", *_COUNTS)] for one in counted],
        footer=["all", *(sum(getattr(one, key) for one in counted) for key in _COUNTS)],
    )  # fmt: skip
    out.say(f"Since the last survey: {describe(survey.changes)}.")
    if survey.stake and survey.stake.counted:
        say_stake(out, survey.stake)
    if survey.changes.removed:
        out.note("Where visitors of old addresses should go: jovial-atlas moves")
    if out.verbose:
        for kind in ("added", "changed", "removed"):
            for loc in survey.changes.shown.get(kind, []):
                out.say(f"  {kind:<8} {loc}")
    layout = survey.layout
    parts = [
        plural(len(layout.images), "picture"),
        plural(len(layout.headings), "heading"),
        plural(len(layout.excerpts), "beginning"),
    ]
    if said := [part for part in parts if not part.startswith("0")]:
        out.say(f"Layout, which repeats over the site and belongs to no page: {', '.join(said)}.")
        for what in (*layout.images, *layout.headings, *layout.excerpts) if out.verbose else ():
            out.say(f"  {what}")
    tell_doubts(out, survey.doubts)
    if findings := findings_of(survey.faults):
        files = len({finding.where for finding in findings})
        out.say(
            f"{plural(len(findings), 'finding')} in {plural(files, 'file')} while reading; "
            "`jovial-atlas check` shows them."
        )
        _tell_missing(out, findings)


#: Codes of findings by which something that should be a page is none.
_LEFT_OUT = ("address-other-host", "row-no-address", "address-twice", "row-ragged", "row-broken",
             "front-matter-broken", "sheet-left-out")  # fmt: skip


#: So many of one kind are told one by one at most, without a total.
_FEW = 20


def _tell_missing(out: Output, findings: list[Finding]) -> None:
    """Say what became no page, with the first finding of each kind."""
    first: dict[str, Finding] = {}
    for finding in findings:
        if finding.code in _LEFT_OUT:
            first.setdefault(finding.code, finding)
    for code, one in first.items():
        count = sum(finding.code == code for finding in findings)
        # Of many the first one says how many there are.
        more = f" ({count - 1} more like it)" if 1 < count <= _FEW else ""
        out.indented("-", f"{one.where}: {one.message}{more}")


def tell_doubts(out: Output, doubts: list[Doubt]) -> None:
    """Say of which kinds of page one cannot be sure, and how to settle it."""
    from jovial_atlas.faults import plural

    if doubts:
        out.say("Not sure what these pages are; a key of [kinds] settles it:")
    for doubt in doubts:
        out.say(
            f"  {doubt.key:<10} {plural(doubt.pages, 'page')} {doubt.why}; counted as "
            f"{doubt.counts_as}: {doubt.example}"
        )


def _read_pages(
    work: Work, *, workers: int | None, cluster: str, accept: bool, full: bool, timeout: float
) -> Survey:
    from jovial_atlas.rounds.reading.begun import begin_survey

    site, now = work.site(), work.now()
    begun = begin_survey(site, now, workers, full=full, cluster=cluster)
    with begun.readers:
        # Workers may read while everything else is loaded here.
        from jovial_atlas.rounds.reading.all_sources import SurveyOptions
        from jovial_atlas.rounds.reading.survey import run_survey
        from jovial_atlas.web import new_client

        work.output.get_ready()
        with work.output.progress("Reading pages") as progress, new_client(timeout) as client:
            swapping = work.locks().swapping
            options = SurveyOptions(os.environ, full, accept, progress, swapping)
            return run_survey(site, now, client, options, begun)


_COUNTS = ("pages", "listed", "images", "videos")
