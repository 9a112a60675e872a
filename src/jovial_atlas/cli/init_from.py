"""`init --from`: bringing over what is published by other means, with its proof."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.errors import AtlasError
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.common import Work
    from jovial_atlas.rounds.deciding.carried import CarriedOver


def bring_over(work: Work, path: Path, places: Sequence[str], *, yes: bool) -> int:
    """Read what is published, show what of it is taken and what is not, save it, and say what the
    first build would change."""
    from jovial_atlas.rounds.deciding.carry_over import carry_over
    from jovial_atlas.rounds.deciding.history import differences, write_contents
    from jovial_atlas.rounds.reading.all_sources import SurveyOptions
    from jovial_atlas.rounds.reading.published import read_published
    from jovial_atlas.rounds.reading.survey import run_survey
    from jovial_atlas.rounds.state.last_survey import last_survey
    from jovial_atlas.web import new_client

    out = work.output
    work.given = work.given or path
    work.hold("edits")
    site = work.site()
    with new_client() as client:
        with out.progress("Reading what is published"):
            published = read_published(places, site.model.site.url, work.now(), client)
        try:
            survey = last_survey(site, work.now())
        except AtlasError:
            # The first survey of a site that was just set up.
            run_survey(site, work.now(), client)
            survey = last_survey(site, work.now())
        carried = carry_over(survey, published, work.now(), client)
    _tell(work, carried)
    changed = [n for n in carried.after if carried.after[n] != carried.before.get(n)]
    if not changed:
        out.say("Nothing is to be changed for it.")
    elif yes or _confirmed(work, differences(
        {n: carried.before.get(n) for n in changed}, {n: carried.after[n] for n in changed}
    )):  # fmt: skip
        write_contents(site.path, carried.before, carried.after)
        if work.site().model.source != site.model.source:
            with new_client() as client:
                # Whoever saves it has seen which addresses go.
                run_survey(work.site(), work.now(), client, SurveyOptions(os.environ, accept=True))
        out.say(f"Saved: {', '.join(changed)}.", style="bold")
    else:
        out.say("Nothing was saved; --yes saves it.", style="bold")
        return 0
    _prove(work, published.sitemaps)
    return 0


def _confirmed(work: Work, text: str) -> bool:
    from jovial_atlas.cli.settings_shown import show_lines

    show_lines(work.output, text)
    asks = sys.stdin.isatty() and sys.stdout.isatty()
    return asks and click.confirm("Save this?", default=False)


def _tell(work: Work, carried: CarriedOver) -> None:
    """Thing by thing: what was taken, and what was not."""
    out = work.output
    for one in carried.took:
        told = asdict(one)
        if told["taken"]:
            out.indented(f"{one.what}:", one.taken, style="bold")
        if told["left"]:
            out.indented("" if told["taken"] else f"{one.what}:", f"not taken: {one.left}",
                         style="bold", text_style="yellow")  # fmt: skip


def _prove(work: Work, before: Sequence[bytes]) -> None:
    """What a first build would list beside what was listed."""
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.carry_sitemaps import listed_in
    from jovial_atlas.rounds.state.last_survey import last_survey

    site = work.site()
    survey = last_survey(site, work.now())
    now = set(survey.decided.filter("listed").get_column("loc"))
    out = work.output
    if not before:
        out.say(f"The first build lists {plural(len(now), 'page')}; no sitemap of before is there "
                "to hold it against. Next: jovial-atlas build --dry-run")  # fmt: skip
        return
    was = listed_in(before)
    out.say(f"The first build lists {len(now & was):,} of the {len(was):,} addresses that were "
            f"listed, and {plural(len(now - was), 'other')}.")  # fmt: skip
    for label, some in (("no longer", was - now), ("new", now - was)):
        if some:
            shown = ", ".join(sorted(some)[:3])
            more = f" and {len(some) - 3:,} more" if len(some) > 3 else ""
            out.indented(f"{label}:", f"{shown}{more}")
    out.say("Next: jovial-atlas build --dry-run --addresses")
