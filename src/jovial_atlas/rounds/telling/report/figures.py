"""The charts of a report, each with the question that it answers, and the answer."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta

import polars as pl

from jovial_atlas import dates
from jovial_atlas.faults import plural
from jovial_atlas.report.trends import Course
from jovial_atlas.report.values import Bars
from jovial_atlas.rounds.reading.whole_site import section_counts
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.telling.reviewed import ScoreChange
from jovial_atlas.rules import not_listed
from jovial_atlas.sitefile import SiteFile

#: Ages of pages, in days, with their names; what is older than the last has the name after it.
_AGES = ((30, "last 30 days"), (182, "last half year"), (365, "last year"), (1_095, "1 to 3 years"))
_OLDER, _UNDATED = "older", "no date known"
#: Sections, and reasons, that are drawn one by one; and letters of a reason.
_DRAWN, _LETTERS = 24, 44
#: Clicks from the start from which on pages are drawn together.
_FAR = 8


def charts(survey: LastSurvey, site: SiteFile, now: datetime) -> Iterator[Bars]:
    """What is listed, what is not and why, and how old what is listed is."""
    sections = [one for one in section_counts(survey.table, site)[0] if one.pages]
    pages = sum(one.pages for one in sections)
    listed = sum(one.listed for one in sections)
    drawn = [(one.name, one.listed, one.pages - one.listed) for one in sections[:_DRAWN]]
    if rest := sections[_DRAWN:]:
        drawn.append((
            plural(len(rest), "other section"),
            sum(one.listed for one in rest),
            sum(one.pages - one.listed for one in rest),
        ))  # fmt: skip
    yield Bars(
        "How much of each section may be found?",
        f"{listed:,} of {plural(pages, 'page')} stand in a sitemap.",
        [name for name, _, _ in drawn],
        [
            ("listed", [some for _, some, _ in drawn]),
            ("not listed", [some for _, _, some in drawn]),
        ],
    )
    reasons = not_listed(survey.table).collect(engine="streaming").rows()
    if reasons:
        shown = [*reasons[:12]]
        if len(reasons) > 12:
            shown.append(("other reasons", sum(count for _, count in reasons[12:])))
        yield Bars(
            "Why are pages not listed?",
            f"Most often: {reasons[0][0]} ({plural(reasons[0][1], 'page')}). The reason is that of "
            "the rule, policy or fact that had the last word.",
            [_short(text) for text, _ in shown],
            [("pages", [count for _, count in shown])],
        )
    if depths := _depths(survey.table):
        yield depths
    ages = _ages(survey.table, now)
    yield Bars(
        "When did listed pages change last?", _about_ages(ages), list(ages),
        [("pages", list(ages.values()))],
    )  # fmt: skip


def _depths(decided: pl.LazyFrame) -> Bars | None:
    """How far pages are from where readers begin; None where no links are known."""
    at = pl.col("depth").clip(upper_bound=_FAR)
    counted = (
        decided.group_by(at.alias("at"), "listed").len().collect(engine="streaming").iter_rows()
    )
    found = {(at, listed): count for at, listed, count in counted}
    known = sorted({at for at, _ in found if at is not None})
    if not known:
        return None
    places: list[int | None] = [*known, *([None] if any(at is None for at, _ in found) else [])]
    listed = [found.get((one, True), 0) for one in places]
    near, whole = 0, sum(listed)
    for one, count in zip(places, listed, strict=True):
        near += count
        if one is None or 2 * near >= whole:
            break
    lost = found.get((None, True), 0)
    said = f"Half of the listed pages are within {plural(one or 0, 'click')} of the start"
    said += f"; no way leads to {lost:,}." if lost else "; a way leads to all of them."
    return Bars(
        "How far are pages from the start?",
        said,
        [_clicks(one) for one in places],
        [("listed", listed), ("not listed", [found.get((one, False), 0) for one in places])],
    )


def _clicks(at: int | None) -> str:
    if at is None:
        return "no way"
    return "start page" if at == 0 else plural(at, "click") + (" or more" if at == _FAR else "")


def _short(text: str) -> str:
    return text if len(text) <= _LETTERS else f"{text[: _LETTERS - 1]}…"


def _about_ages(ages: dict[str, int]) -> str:
    dated = sum(ages.values()) - ages[_UNDATED]
    recent = sum(ages[name] for _, name in _AGES[:3])
    undated = f"; of {plural(ages[_UNDATED], 'page')} nobody knows" if ages[_UNDATED] else ""
    return (
        f"{recent:,} of {plural(dated, 'dated page')} within the last year, by the dates that the "
        f"sitemaps give{undated}."
    )


def _ages(decided: pl.LazyFrame, now: datetime) -> dict[str, int]:
    column = pl.lit(_OLDER)
    for days, name in reversed(_AGES):
        since = dates.write(now - timedelta(days=days))
        column = pl.when(pl.col("lastmod") >= since).then(pl.lit(name)).otherwise(column)
    named = pl.when(pl.col("lastmod").is_null()).then(pl.lit(_UNDATED)).otherwise(column)
    counted = decided.filter("listed").group_by(named.alias("age")).len()
    found = dict(counted.collect(engine="streaming").iter_rows())
    names = [name for _, name in _AGES] + [_OLDER, _UNDATED]
    return {name: found.get(name, 0) for name in names}


def course(change: ScoreChange | None, score: float, at: datetime) -> Course | None:
    """The score over time: what the ledger has, and what it is now; None where there is no past."""
    if change is None:
        return None
    points = [*((one.at, one.score) for one in change.earlier), (dates.write(at), score)]
    return Course("score", "How did the score move?", "By each review.", points)
