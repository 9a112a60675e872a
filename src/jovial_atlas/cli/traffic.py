"""`traffic`: what people searched and clicked, and whether a change helped."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import FORMATS, Work, atlas_command
from jovial_atlas.cli.explained import OverviewFirst, command_group
from jovial_atlas.cli.names import ENGINE
from jovial_atlas.cli.traffic_effects import effect, events, note, settle, try_
from jovial_atlas.cli.traffic_shown import show_traffic

if TYPE_CHECKING:
    from jovial_atlas.rounds.telling.traffic_seen import SiteTraffic


@command_group("traffic", cls=OverviewFirst, examples=("traffic", "traffic effect 3"))
def command() -> None:
    """What people searched and clicked, as tables say that were heard (`hear`): the whole site in
    one screen, and whether a change helped. Without a command: the overview."""


@atlas_command(
    "overview",
    state="reads",
    formats=FORMATS,
    examples=("traffic overview", "traffic overview --format json"),
)
@click.option("--weeks", type=click.IntRange(2, 26), default=4, show_default=True,
              help="Weeks that are compared with as many before.")  # fmt: skip
@click.option("--engine", "engines", type=ENGINE, multiple=True,
              help="Only what this engine says.")  # fmt: skip
@click.option("--figures", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              help="Draw sections, and clicks by place, as well: .png or .svg.")  # fmt: skip
@click.option("--all", "show_all", is_flag=True, help="Show every page, not the first few.")
def overview(
    work: Work, weeks: int, engines: tuple[str, ...], figures: Path | None, show_all: bool
) -> int:
    """How clicks go, week by week and section by section; pages that rose or fell by more than
    chance; what people search; pages that are clicked seldom for their place, that are never shown,
    or shown though they are not listed. Each with what to do next."""
    from jovial_atlas.rounds.state.engine_choice import engines_named
    from jovial_atlas.rounds.state.last_survey import last_survey
    from jovial_atlas.rounds.telling.traffic import site_traffic

    site = work.site()
    chosen = [one.name for one in engines_named(site, engines)] if engines else []
    told = site_traffic(last_survey(site, work.now()), weeks, chosen)
    if figures:
        from jovial_atlas.rounds.telling.traffic_figures import draw_figures, traffic_figures

        draw_figures(list(traffic_figures(told, site.model.site.url)), figures)
        work.output.note(f"What people clicked is drawn in {figures}.")
    if work.output.format == "json":
        work.output.json(_as_json(told))
    else:
        show_traffic(work.output, told, site.model.site.url, show_all=show_all)
    return 0


def _as_json(told: SiteTraffic) -> dict[str, Any]:
    span = told.compared.now
    return {
        "from": span.begins.isoformat(), "to": span.ends.isoformat(),
        "engines": list(told.compared.engines),
        "weeks_compared": told.compared.weeks,
        "clicks": told.clicks, "impressions": told.impressions,
        "clicks_before": told.clicks_before, "impressions_before": told.impressions_before,
        "weeks": [{"from": day.isoformat(), "clicks": clicks, "impressions": shown}
                  for day, clicks, shown in told.weeks],
        "sections": [{"name": one.name, "clicks": one.clicks, "before": one.before,
                      "change": one.change, "p": one.p} for one in told.sections],
        "tested": told.tested,
        "fell": [_change(one, "loc") for one in told.fell],
        "rose": [_change(one, "loc") for one in told.rose],
        "new_queries": [_change(one, "query") for one in told.new_queries],
        "lost_queries": [_change(one, "query") for one in told.lost_queries],
        "seldom_clicked": [
            {"loc": one.loc, "query": one.query, "position": one.position, "share": one.share,
             "usual": one.usual, "impressions": one.shown, "clicks": one.clicks}
            for one in told.seldom_clicked
        ],
        "rivals": [{"query": one.query, "pages": [loc for loc, _ in one.pages], "turns": one.turns}
                   for one in told.rivals],
        "never_shown": told.never_shown,
        "shown_unlisted": [{"loc": loc, "impressions": times, "reason": reason or None}
                           for loc, times, reason in told.unlisted],
        "clicks_by_query": told.by_query,
        "cut": told.is_cut,
    }  # fmt: skip


def _change(one: Any, name: str) -> dict[str, Any]:
    return {name: one.loc, "before": one.before, "now": one.now, "p": one.p}


for one in (overview, events, effect, note, try_, settle):
    command.add_command(one)
