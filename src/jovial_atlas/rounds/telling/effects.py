"""Whether changes helped: the events of a site, and what pages that changed did beyond pages that
did not."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

import numpy as np
import polars as pl
from numpy.typing import NDArray

from jovial_atlas.errors import AtlasError
from jovial_atlas.ledger import Ledger
from jovial_atlas.records import SiteEvent
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.traffic import leading_on, traffic_of
from jovial_atlas.traffic.asking import Span, engines_now
from jovial_atlas.traffic.keeping import Traffic
from jovial_atlas.traffic.weeks import rows_together
from jovial_atlas.trends.effect import Effect, effect_of, strata_of

METRICS = ("clicks", "impressions", "position")
TOO_EARLY, TOO_FEW, CHANCE = "too early", "too few", "cannot be told from chance"
HELPED, HURT = "helped", "hurt"
#: Days before a change that are looked at, and after it at most and at least.
_BEFORE, _MOST, _LEAST = 28, 28, 14
#: Pages on each side, and counts of the changed ones, from which anything can be told.
_LEAST_PAGES, _LEAST_COUNT = 5, 50
#: Kinds of event that are about how pages read where they are found.
_TEXTS = frozenset({"title", "description", "data", "trial"})


@dataclass(frozen=True, slots=True)
class MeasuredEffect:
    """What a change did to one metric: by which part it rose (of a position: by how many places),
    with its 95 % interval, p-value and verdict; None for what cannot be told."""

    metric: str
    effect: float | None
    low: float | None
    high: float | None
    p: float | None
    verdict: str


@dataclass(frozen=True, slots=True)
class EventEffect:
    """What is known of the effect of an event: when it was, pages that changed and those they are
    compared with, days before and after, each metric, and clicks week by week of both (the others
    brought to the level of those that changed before)."""

    event: SiteEvent
    day: date
    pages: int
    control: int
    before: Span | None
    after: Span | None
    metrics: list[MeasuredEffect]
    weeks: list[tuple[date, float, float]] = field(default_factory=list)
    is_trial: bool = False

    def of(self, metric: str) -> MeasuredEffect:
        """What is known of one metric."""
        return next(one for one in self.metrics if one.metric == metric)


def event_named(ledger: Ledger, name: str) -> SiteEvent:
    """An event by its name. Raises AtlasError where there is none."""
    events = ledger.events()
    found = next((one for one in events if one.name == name), None)
    if found is None:
        known = f"The last is {events[-1].name}." if events else "There is none yet."
        raise AtlasError(
            f"There is no event {name!r}. {known} `jovial-atlas traffic events` lists them."
        )
    return found


def effect_of_event(survey: LastSurvey, ledger: Ledger, name: str) -> EventEffect:
    """What an event did. Raises AtlasError where there is no such event, or nothing was heard."""
    event = event_named(ledger, name)
    changed, control = ledger.pages_of_event(name)
    day = date.fromisoformat(event.at[:10])
    lasts = engines_now(traffic_of(survey.site))
    if not lasts:
        raise AtlasError(
            "Nothing is known of what people clicked. Export what an engine shows by page and day, "
            "and run `jovial-atlas hear --engine NAME FILE`."
        )
    days = min(_MOST, (min(lasts.values()) - day).days) // 7 * 7
    before = Span(day - timedelta(_BEFORE), day - timedelta(1))
    after = Span(day + timedelta(1), day + timedelta(max(days, 1)))
    rows = _Rows(survey, traffic_of(survey.site), list(lasts), before, after)
    table = rows.of(changed, control, _also_changed(ledger, event, day))
    if days < _LEAST:
        return _untold(event, day, table, TOO_EARLY, before, None, is_trial=bool(control))
    sides = table["changed"].sum(), (~table["changed"]).sum()
    if min(sides) < _LEAST_PAGES:
        return _untold(event, day, table, TOO_FEW, before, after, is_trial=bool(control))
    strata = _strata(table, by_lot=bool(control))
    metrics = [_measured(table, strata, metric) for metric in METRICS]
    used = table.filter(pl.Series(strata >= 0))
    return EventEffect(
        event, day, int(used["changed"].sum()), int((~used["changed"]).sum()), before, after,
        metrics, rows.weeks_of(used, strata[strata >= 0]), is_trial=bool(control),
    )  # fmt: skip


def _untold(
    event: SiteEvent, day: date, table: pl.DataFrame, why: str, before: Span, after: Span | None, *,
    is_trial: bool,
) -> EventEffect:  # fmt: skip
    metrics = [MeasuredEffect(one, None, None, None, None, why) for one in METRICS]
    changed = int(table["changed"].sum())
    return EventEffect(event, day, changed, table.height - changed, before, after, metrics,
                       is_trial=is_trial)  # fmt: skip


def _also_changed(ledger: Ledger, event: SiteEvent, day: date) -> set[str]:
    """Pages that another event of such a kind changed at about the same time: they are no measure
    of what would have been without it."""
    found: set[str] = set()
    for one in ledger.events():
        near = abs((date.fromisoformat(one.at[:10]) - day).days) <= _MOST
        alike = one.kind == event.kind or {one.kind, event.kind} <= _TEXTS
        if one.name != event.name and near and alike:
            found.update(ledger.pages_of_event(one.name)[0])
    return found


class _Rows:
    """Counts of pages before and after."""

    def __init__(
        self, survey: LastSurvey, traffic: Traffic, engines: Sequence[str], before: Span,
        after: Span,
    ) -> None:  # fmt: skip
        self.survey, self.before, self.after = survey, before, after
        span = Span(before.begins, after.ends)
        rows = rows_together(traffic, engines, span, ("loc",))
        daily = (
            rows.group_by("loc", "date")
            .agg(pl.col("clicks", "impressions").cast(pl.Int64).sum(), pl.col("places").sum())
            .collect(engine="streaming")
        )
        onward = leading_on(survey.site, daily["loc"].unique().to_list())
        self.daily = daily.with_columns(pl.col("loc").replace(onward)) if onward else daily

    def of(self, changed: Sequence[str], control: Sequence[str], apart: set[str]) -> pl.DataFrame:
        """Pages with their section, side and sums before and after. Without a `control` that was
        chosen by lot, all other pages are compared; those `apart` are left out of them."""
        # The day itself is of both.
        late, early = pl.col("date") >= self.after.begins, pl.col("date") <= self.before.ends
        half = pl.col("date") > self.before.ends - timedelta(_BEFORE // 2)
        sums = self.daily.group_by("loc").agg(
            *(pl.col(name).filter(early).sum().alias(f"{name}_before") for name in _SUMMED),
            *(pl.col(name).filter(late).sum().alias(f"{name}_after") for name in _SUMMED),
            *(pl.col(name).filter(early & half).sum().alias(f"{name}_course") for name in _SUMMED),
        )
        sections = (
            self.survey.decided_where(pl.col("loc").is_in(sums["loc"].implode()))
            .select("loc", "section")
            .collect(engine="streaming")
        )
        is_changed = pl.col("loc").is_in(pl.Series(list(changed), dtype=pl.String).implode())
        table = sums.join(sections, on="loc", how="left").with_columns(
            pl.col("section").fill_null(""), changed=is_changed
        )
        if control:
            others = pl.Series(list(control), dtype=pl.String)
            kept = pl.col("loc").is_in(others.implode())
        else:
            kept = ~pl.col("loc").is_in(pl.Series(sorted(apart), dtype=pl.String).implode())
        seen = (pl.col("impressions_before") + pl.col("impressions_after")) > 0
        return table.filter((pl.col("changed") | kept) & seen).sort("loc")

    def weeks_of(
        self, table: pl.DataFrame, strata: NDArray[np.int64]
    ) -> list[tuple[date, float, float]]:
        """Clicks of each week of pages that changed, and what they would have been by the others of
        their strata."""
        week = (pl.col("date") - pl.lit(self.before.begins)).dt.total_days() // 7
        placed = table.select("loc", "changed").with_columns(stratum=pl.Series(strata))
        sums = (
            self.daily.with_columns(week=week)
            .join(placed, on="loc")
            .group_by("stratum", "week", "changed")
            .agg(pl.col("clicks").sum())
        )
        kinds = {stratum: number for number, stratum in enumerate(np.unique(strata))}
        most = (self.after.ends - self.before.begins).days // 7 + 1
        found = np.zeros((2, len(kinds), most))
        for stratum, number, changed, clicks in sums.iter_rows():
            found[int(not changed), kinds[stratum], number] += clicks
        early = slice(0, _BEFORE // 7)
        level = (found[0][:, early].sum(axis=1) + 0.5) / (found[1][:, early].sum(axis=1) + 0.5)
        expected = (found[1] * level[:, None]).sum(axis=0)
        whole = [number for number in range(most) if self._is_whole(number)]
        return [
            (self.before.begins + timedelta(7 * number), float(found[0][:, number].sum()),
             float(expected[number]))
            for number in whole
        ]  # fmt: skip

    def _is_whole(self, week: int) -> bool:
        begins = self.before.begins + timedelta(7 * week)
        return begins + timedelta(6) <= self.after.ends


_SUMMED = ("clicks", "impressions", "places")


def _strata(table: pl.DataFrame, *, by_lot: bool) -> NDArray[np.int64]:
    """Which pages are compared with which; pages chosen by lot with all others of the lot, as often
    shown before."""
    _, section = np.unique(table["section"].to_numpy(), return_inverse=True)
    shown = table["impressions_before"].to_numpy().astype(float)
    course = (table["impressions_course"].to_numpy() + 1.0) / (shown + 2.0)
    if by_lot:
        course = np.zeros_like(course)
    return strata_of(section.astype(np.int64), shown, course, table["changed"].to_numpy())


def _measured(table: pl.DataFrame, strata: NDArray[np.int64], metric: str) -> MeasuredEffect:
    changed = table["changed"].to_numpy()
    if metric == "position":
        found = _of_position(table, strata)
    else:
        before, after = (table[f"{metric}_{when}"].to_numpy().astype(float)
                         for when in ("before", "after"))  # fmt: skip
        if (before + after)[changed & (strata >= 0)].sum() < _LEAST_COUNT:
            return MeasuredEffect(metric, None, None, None, None, TOO_FEW)
        found = effect_of(before, after, changed, strata)
    if np.isnan(found.effect) or min(found.pages, found.control) < _LEAST_PAGES:
        return MeasuredEffect(metric, None, None, None, None, TOO_FEW)
    better = found.effect > 0 if metric != "position" else found.effect < 0
    verdict = CHANCE if found.p > 0.05 else HELPED if better else HURT
    return MeasuredEffect(metric, round(found.effect, 4), round(found.low, 4), round(found.high, 4),
                          found.p, verdict)  # fmt: skip


def _of_position(table: pl.DataFrame, strata: NDArray[np.int64]) -> Effect:
    """The mean place, of pages that were shown on both sides: each as sure as it was shown
    often."""
    before, after = (table[f"impressions_{when}"].to_numpy().astype(float)
                     for when in ("before", "after"))  # fmt: skip
    both = (before > 0) & (after > 0) & (table["places_before"].to_numpy() > 0)
    places = [
        table[f"places_{when}"].to_numpy() / np.maximum(shown, 1.0)
        for when, shown in (("before", before), ("after", after))
    ]
    weight = np.minimum(before, after) / (np.minimum(before, after) + 100.0)
    return effect_of(places[0], places[1], table["changed"].to_numpy(), np.where(both, strata, -1),
                     scale="difference", weight=weight)  # fmt: skip
