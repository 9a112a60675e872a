"""The figures of what people clicked, with what they say."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.files import write_whole
from jovial_atlas.report.clicks import (
    ClickFigure,
    ClickShares,
    EventCourse,
    SectionClicks,
    click_picture,
)
from jovial_atlas.rounds.telling.effects import EventEffect
from jovial_atlas.rounds.telling.traffic_seen import SiteTraffic

#: Sections that are drawn, those of most clicks.
_SECTIONS = 20


def traffic_figures(told: SiteTraffic, url: str) -> Iterator[ClickFigure]:
    """Sections before and now, and the share of clicks by place where that is known."""
    sections = [(one.name, one.before, one.clicks) for one in told.sections[:_SECTIONS]]
    if sections:
        changed = frozenset(one.name for one in told.sections if one.changed)
        names = ", ".join(one or "pages not in the survey" for one in sorted(changed))
        span = told.compared.now
        said = f"beyond what the site did: {names}" if changed else "none beyond what the site did"
        yield SectionClicks(
            "Which sections are clicked more, or less?",
            f"{span.begins} to {span.ends} beside as many days before; {said}.",
            sections, changed,
        )  # fmt: skip
    if told.curve is not None:
        seldom = [(one.position, one.share, f"{one.loc.removeprefix(url)} “{one.query}”")
                  for one in told.seldom_clicked]  # fmt: skip
        missed = sum(one.missed for one in told.seldom_clicked)
        said = "no page is far below what is usual here"
        if seldom:
            rows = plural(len(seldom), "page")
            said = f"{rows} far below: about {missed:,.0f} clicks more at the usual share"
        yield ClickShares(
            "How often is a page clicked at its place?",
            f"The line is this site's own share of clicks; {said}.",
            list(zip(told.curve.places.tolist(), told.curve.shares.tolist(), strict=True)),
            told.points, seldom,
        )  # fmt: skip


def event_figure(found: EventEffect) -> EventCourse:
    """The course of an event beside what would have been without it. Raises AtlasError where it is
    not known yet."""
    clicks = found.of("clicks")
    if not found.weeks:
        raise AtlasError(f"Event {found.event.name} cannot be drawn: {clicks.verdict}.")
    said = clicks.verdict
    if clicks.effect is not None and clicks.low is not None and clicks.high is not None:
        said = (
            f"{clicks.effect:+.0%} clicks, 95 % interval {clicks.low:+.0%} to {clicks.high:+.0%}: "
            f"{clicks.verdict}"
        )
    about = f"{plural(found.pages, 'page')} that changed, {found.control:,} that did not. {said}."
    interval = None
    if clicks.low is not None and clicks.high is not None:
        interval = (clicks.low, clicks.high)
        about += " The band is the interval."
    return EventCourse(f"Did it help? {found.event.what}, {found.day}", about, found.day,
                       found.weeks, interval)  # fmt: skip


def draw_figures(figures: Sequence[ClickFigure], path: Path) -> None:
    """Draw figures into a file. Raises AtlasError where its ending is neither .png nor .svg,
    OutputError where it cannot be written."""
    if path.suffix.lower() not in (".png", ".svg"):
        raise AtlasError(f"{path}: figures are drawn as .png or .svg.")
    write_whole(path, click_picture(figures, path))
