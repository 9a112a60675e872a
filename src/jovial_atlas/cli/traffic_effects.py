"""`traffic events`, `effect`, `note`, `try` and `settle`: whether a change helped."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import FORMATS, TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.names import SECTION
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from datetime import datetime

    from jovial_atlas.cli.output import Output
    from jovial_atlas.ledger import Ledger
    from jovial_atlas.rounds.telling.effects import EventEffect, MeasuredEffect
    from jovial_atlas.sitefile import SiteFile

_DAY = click.DateTime(["%Y-%m-%d"])
_METRICS = ("clicks", "impressions", "position")


@contextmanager
def _ledger(work: Work, site: SiteFile) -> Iterator[Ledger]:
    from jovial_atlas.rounds.state.ledger import open_ledger

    ledger = open_ledger(site, work.now, os.environ)
    try:
        yield ledger
    finally:
        ledger.close()


@atlas_command(
    "events",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("traffic events", "traffic events --format json"),
)
@click.option("--all", "show_all", is_flag=True, help="Show all, not the latest thirty.")
def events(work: Work, show_all: bool) -> int:
    """List changes of pages that builds, injections and announcements made, with how many pages
    each changed: `traffic effect EVENT` tells what came of one."""
    site, out = work.site(), work.output
    with _ledger(work, site) as ledger:
        found = ledger.events()
    shown = found if show_all or not out.is_table else found[-30:]
    names = ("name", "at", "kind", "what", "pages", "why")
    rows = [[getattr(one, name) for name in names] for one in shown]
    if out.format == "json":
        out.json({"events": [dict(zip(names, row, strict=True)) for row in rows]})
    elif out.format == "csv":
        out.csv(names, rows)
    elif not found:
        out.say("No change of pages is known yet: the first build after a change notes it, and "
                "`jovial-atlas traffic note` notes what this tool cannot see.")  # fmt: skip
    else:
        out.table(
            ["Event", "Day", "Kind", "What changed: fold", "Pages: right", "Why: fold 1"],
            [[one.name, one.at[:10], one.kind, one.what, one.pages, one.why] for one in shown],
        )
        if len(shown) < len(found):
            out.say(f"{len(found) - len(shown):,} earlier ones; --all shows them.")
    return 0


@atlas_command(
    "effect",
    state="reads",
    formats=FORMATS,
    examples=("traffic effect 3", "traffic effect a12 --metric impressions --format json"),
)
@click.argument("event", metavar="EVENT")
@click.option("--metric", type=click.Choice(_METRICS), default="clicks", show_default=True,
              help="What scripts are told of first.")  # fmt: skip
@click.option("--figures", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              help="Draw its course as well, .png or .svg.")  # fmt: skip
def effect(work: Work, event: str, metric: str, figures: Path | None) -> int:
    """Tell what a change did: pages that changed against comparable pages that did not, before and
    after. EVENT is a name of `traffic events`, or of a trial."""
    from jovial_atlas.rounds.state.last_survey import last_survey
    from jovial_atlas.rounds.telling.effects import effect_of_event

    site = work.site()
    survey = last_survey(site, work.now())
    with _ledger(work, site) as ledger:
        found = effect_of_event(survey, ledger, event)
    if figures:
        from jovial_atlas.rounds.telling.traffic_figures import draw_figures, event_figure

        draw_figures([event_figure(found)], figures)
        work.output.note(f"Its course is drawn in {figures}.")
    if work.output.format == "json":
        work.output.json(_as_json(found, metric))
    else:
        _show(work.output, found)
    return 0


def _as_json(found: EventEffect, metric: str) -> dict[str, Any]:
    first = found.of(metric)
    return {
        "event": found.event.name, "kind": found.event.kind, "what": found.event.what,
        "day": found.day.isoformat(), "pages": found.pages, "control": found.control,
        **asdict(first),
        "trial": found.is_trial,
        "before": _span(found.before), "after": _span(found.after),
        "metrics": [asdict(one) for one in found.metrics],
        "weeks": [{"from": day.isoformat(), "changed": clicks, "expected": round(expected, 1)}
                  for day, clicks, expected in found.weeks],
    }  # fmt: skip


def _span(span: Any) -> dict[str, str] | None:
    return {"from": span.begins.isoformat(), "to": span.ends.isoformat()} if span else None


_NO_LOT = (
    " Pages that changed were not chosen by lot, so something else about them may have done it; "
    "`traffic try` makes a fair comparison."
)
_VERDICTS = {
    "too early": "It is too early: figures of two weeks after it are needed.",
    "too few": "Too few pages, or too few clicks, to tell anything.",
}


def _show(out: Output, found: EventEffect) -> None:
    from jovial_atlas.faults import plural
    from jovial_atlas.trends.effect import EFFECT_TEST

    one = found.event
    out.say(f"Event {one.name}, {found.day}: {one.what} ({one.kind})", style="bold")
    if one.why:
        out.indented("why", one.why)
    if found.after is None or found.before is None:
        out.say(_VERDICTS["too early"])
        return
    how = "chosen by lot" if found.is_trial else "of the same sections and course before"
    out.say(f"{plural(found.pages, 'page')} that changed against {found.control:,} {how}; "
            f"{found.before.begins} to {found.before.ends} against "
            f"{found.after.begins} to {found.after.ends}.")  # fmt: skip
    for measured in found.metrics:
        out.indented(f"{measured.metric:<11}", _in_words(measured), style="bold")
    if found.weeks:
        out.table(
            ["Week from", "Clicks: right", "Without it: right", ""],
            [[str(day), round(clicks), round(expected), "" if day < found.day else "after"]
             for day, clicks, expected in found.weeks],
        )  # fmt: skip
    out.indented("", f"Tested by a {EFFECT_TEST}.{'' if found.is_trial else _NO_LOT}")


def _in_words(one: MeasuredEffect) -> str:
    if one.effect is None or one.low is None or one.high is None or one.p is None:
        return _VERDICTS.get(one.verdict, one.verdict)
    if one.metric == "position":
        sized = f"{_places(one.effect)} places (95 %: {_places(one.low)} to {_places(one.high)})"
    else:
        sized = f"{one.effect:+.0%} (95 %: {one.low:+.0%} to {one.high:+.0%})"
    return f"{one.verdict}: {sized}, p = {one.p:.3f}"


def _places(number: float) -> str:
    """A change of place with its sign, which nothing has none of."""
    rounded = round(number, 1)
    return f"{rounded:+.1f}" if rounded else "0.0"


@atlas_command(
    "note",
    state="reads",
    formats=FORMATS,
    examples=("traffic note 'New menu' --section shop --on 2026-10-01",
              "traffic note 'Faster server' --match '/events/**'"),
)  # fmt: skip
@click.argument("what", metavar="TEXT")
@click.option("--on", "day", type=_DAY, metavar="DAY", help="When it was. Default: today.")
@click.option("--section", type=SECTION, help="The pages of this section.")
@click.option("--match", metavar="PATTERN", help="Pages with addresses like this: /tags/**")
@click.option("--where", metavar="SQL", help="Pages where this condition holds.")
def note(
    work: Work, what: str, day: datetime | None, section: str | None, match: str | None,
    where: str | None,
) -> int:  # fmt: skip
    """Note a change that this tool cannot see, of some pages, so that its effect can be asked
    for."""
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.pages import Filters, select_pages
    from jovial_atlas.rounds.state.last_survey import last_survey

    if not (section or match or where):
        raise click.UsageError("Say of which pages: --section, --match or --where. What changed "
                               "all pages leaves none to compare with.")  # fmt: skip
    site, out = work.site(), work.output
    filters = Filters(section=section, match=match, where=where)
    pages = select_pages(last_survey(site, work.now()).table, site, filters).select("loc")
    locs = pages.collect(engine="streaming")["loc"].to_list()
    if not locs:
        raise click.UsageError("No page of the last survey is like that.")
    at = f"{day:%Y-%m-%d}T12:00:00Z" if day else ""
    with _ledger(work, site) as ledger:
        name = ledger.note_event("other", what, "", locs, at=at)
    if out.format == "json":
        out.json({"event": name, "pages": len(locs)})
    else:
        out.say(f"Noted as event {name}, of {plural(len(locs), 'page')}. "
                f"`jovial-atlas traffic effect {name}` tells what came of it.")  # fmt: skip
    return 0


@atlas_command(
    "try",
    state="edits",
    formats=FORMATS,
    examples=(
        "traffic try shop --title '{{ page.title }} – to order by post'",
        "traffic try events --description '{{ page.excerpt }}' --yes",
    ),
)
@click.argument("section", type=SECTION)
@click.option("--title", metavar="PATTERN", help="Pattern of titles for one half.")
@click.option("--description", metavar="PATTERN", help="Pattern of descriptions for one half.")
@click.option("--schema", metavar="TYPE", help="Type of structured data for one half.")
@click.option("--name", default="", metavar="NAME", help="What to call it. Default: SECTION-1.")
@click.option("--yes", is_flag=True, help="Save without asking.")
def try_(
    work: Work, section: str, title: str | None, description: str | None, schema: str | None,
    name: str, yes: bool,
) -> int:  # fmt: skip
    """Give half of a section's pages, chosen by lot, another text first, so that its effect can be
    told from chance: `build` and `inject` publish it, `traffic effect` tells what came of it, and
    `traffic settle` ends it."""
    from jovial_atlas.faults import plural
    from jovial_atlas.files import write_over
    from jovial_atlas.rounds.state.last_survey import last_survey
    from jovial_atlas.rounds.telling.trials import start_trial
    from jovial_atlas.sitefile.read import parse_site_file

    given = {"title": title, "description": description, "schema": schema}
    values = {key: value for key, value in given.items() if value}
    if not values:
        raise click.UsageError("Say what to try: --title, --description or --schema.")
    site, out = work.site(), work.output
    survey = last_survey(site, work.now())
    started = start_trial(survey, section, values, name, work.now())
    parse_site_file(started.text, site.path)
    work.turned = len(started.changed)
    if out.is_table:
        out.say(f"{plural(len(started.changed), 'page')} of {section} get {started.what}; "
                f"{len(started.others):,} stay as they are.")  # fmt: skip
        if started.share is not None:
            out.say(f"The half that changes had {started.share:.0%} of the section's clicks.")
        for loc in started.changed[:5]:
            out.indented("-", loc.removeprefix(site.model.site.url), cut=True)
        if not yes and sys.stdin.isatty() and sys.stdout.isatty():
            yes = click.confirm("Save this?", default=False)
    event = ""
    if yes:
        write_over(site.path, site.path.read_bytes(), started.text.encode())
        with _ledger(work, site) as ledger:
            event = ledger.note_event("trial", f"{started.name}: {started.what}", "",
                                      started.changed, control=started.others)  # fmt: skip
    if out.format == "json":
        out.json({"trial": started.name, "event": event or None, "pages": list(started.changed),
                  "control": list(started.others), "saved": yes})  # fmt: skip
    elif yes:
        out.say(f"Saved as trial {started.name}, event {event}. Build and publish now; after two "
                f"to four weeks: jovial-atlas traffic effect {event}", style="bold")  # fmt: skip
    else:
        out.say("Nothing was saved; --yes saves it.", style="bold")
    return 0


@atlas_command(
    "settle",
    state="edits",
    formats=FORMATS,
    examples=("traffic settle shop-1 --keep", "traffic settle shop-1 --drop"),
)
@click.argument("name", metavar="NAME")
@click.option("--keep/--drop", "keep", default=None,
              help="All pages of the section get what was tried, or none does.")  # fmt: skip
def settle(work: Work, name: str, keep: bool | None) -> int:
    """End a trial: its section gets what was tried, or all is as before."""
    from jovial_atlas.files import write_over
    from jovial_atlas.rounds.telling.trials import settled
    from jovial_atlas.sitefile.read import parse_site_file

    if keep is None:
        raise click.UsageError("Say --keep or --drop.")
    site, out = work.site(), work.output
    text = settled(site, name, keep=keep)
    parse_site_file(text, site.path)
    write_over(site.path, site.path.read_bytes(), text.encode())
    if out.format == "json":
        out.json({"trial": name, "kept": keep})
    else:
        what = "All pages of its section get it" if keep else "All is as before"
        out.say(f"The trial {name} has ended. {what} from the next build on.")
    return 0
