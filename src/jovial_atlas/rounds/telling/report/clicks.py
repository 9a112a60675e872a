"""What people clicked, as the report shows it: figures, pages that changed, what could be done."""

from __future__ import annotations

from collections.abc import Iterator

from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.report.clicks import ClickFigure
from jovial_atlas.report.values import Table
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.telling.traffic import site_traffic
from jovial_atlas.rounds.telling.traffic_figures import traffic_figures
from jovial_atlas.rounds.telling.traffic_seen import SiteTraffic
from jovial_atlas.trends.changes import CHANGE_TEST
from jovial_atlas.trends.curve import CURVE_TEST

#: Rows of a table.
_ROWS = 30


def clicked(survey: LastSurvey) -> tuple[list[ClickFigure], list[Table]]:
    """Figures and tables; nothing of a site of which nothing was heard."""
    try:
        told = site_traffic(survey)
    except AtlasError:
        return [], []
    url = survey.site.model.site.url
    return list(traffic_figures(told, url)), list(_tables(told, url))


def _tables(told: SiteTraffic, url: str) -> Iterator[Table]:
    span = told.compared.now
    rows = [
        ("clicks", f"{told.clicks_before:,}", f"{told.clicks:,}"),
        ("shown", f"{told.impressions_before:,}", f"{told.impressions:,}"),
    ]
    yield Table(
        "The whole site", f"{span.begins} to {span.ends}, as {' and '.join(told.compared.engines)} "
        "told, beside as many days before.",
        ("", "Before", "Now"), rows, (1, 2),
    )  # fmt: skip
    changed = [*(("fell", one) for one in told.fell), *(("rose", one) for one in told.rose)]
    if changed:
        yield Table(
            "Pages that fell or rose by more than chance",
            f"Of {plural(told.tested, 'page')}, beyond what the site did; {CHANGE_TEST}.",
            ("Page", "", "Clicks before", "Now"),
            [(_short(one.loc, url), what, f"{one.before:,}", f"{one.now:,}")
             for what, one in changed[:_ROWS]],
            (2, 3),
        )  # fmt: skip
    yield from _openings(told, url)


def _openings(told: SiteTraffic, url: str) -> Iterator[Table]:
    """Where something could be done."""
    if told.seldom_clicked:
        yield Table(
            "Shown often, clicked seldom for their place",
            f"Against this site's own curve; {CURVE_TEST}. Titles and descriptions are what people "
            "see there: the command preview shows them.",
            ("Page", "Searched", "Place", "Shown", "Clicked", "Usual"),
            [(_short(one.loc, url), one.query, f"{one.position:g}", f"{one.shown:,}",
              f"{one.share:.1%}", f"{one.usual:.1%}") for one in told.seldom_clicked[:_ROWS]],
            (2, 3, 4, 5),
        )  # fmt: skip
    if told.rivals:
        yield Table(
            "Searches for which several pages are shown", "With the times that each was shown.",
            ("Searched", "Pages", "Took turns"),
            [(one.query, ", ".join(f"{_short(loc, url)} ({times:,})" for loc, times in one.pages),
              f"{one.turns:,}") for one in told.rivals[:_ROWS]],
            (2,),
        )  # fmt: skip
    if told.never_shown:
        yield Table(
            "Listed for two months or more and never shown", "",
            ("Page",), [(_short(loc, url),) for loc in told.never_shown[:_ROWS]],
        )  # fmt: skip
    if told.unlisted:
        yield Table(
            "Shown though not listed", "", ("Page", "Times", "Why it is not listed"),
            [(_short(loc, url), f"{times:,}", why or "the survey does not know it")
             for loc, times, why in told.unlisted[:_ROWS]],
            (1,),
        )  # fmt: skip


def _short(loc: str, url: str) -> str:
    return loc.removeprefix(url) or "/"
