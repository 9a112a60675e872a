"""Figures over time as tables, for who does not see them."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence

from jovial_atlas.report.trends import Course, Layers, Lines, Trend
from jovial_atlas.trends.waiting import Curve

#: Days after which the share that still waits is told as a number, and rows of a table, at most.
_AFTER, _ROWS = (1, 3, 7, 14, 30), 60


def numbers_of(trend: Trend) -> tuple[list[str], list[list[str]]]:
    """What a figure shows, as columns and rows, for who does not see it: of a long time the
    latest."""
    if isinstance(trend, Course):
        points = trend.points[-_ROWS:]
        return ["Time", "Score"], [[_time(at), f"{score:.1f}"] for at, score in points]
    if isinstance(trend, Layers):
        rows = [
            [_time(at), *(f"{values[place]:,}" for values in trend.layers.values())]
            for place, at in enumerate(trend.times)
        ]
        return ["Time", *trend.layers], rows[-_ROWS:]
    if isinstance(trend, Lines):
        names = list(dict.fromkeys(name for some in trend.panels.values() for name in some))
        return ["Section", *(f"{name} {when}" for name in names for when in ("first", "last"))], [
            [panel, *(value for name in names for value in _ends(lines.get(name, ())))]
            for panel, lines in trend.panels.items()
        ]
    columns = ["", "Came", "Still wait", *(f"Waiting after {_days_said(one)}" for one in _AFTER)]
    return columns, [
        [name, f"{one.came:,}", f"{one.wait:,}", *(_waiting_after(one, days) for days in _AFTER)]
        for name, one in trend.curves.items()
    ]


def _time(at: str) -> str:
    return at.replace("T", " ").removesuffix("Z").removesuffix(":00")


def _days_said(count: int) -> str:
    return "1 day" if count == 1 else f"{count} days"


def _ends(points: Sequence[tuple[str, int]]) -> tuple[str, str]:
    return (f"{points[0][1]:,}", f"{points[-1][1]:,}") if points else ("", "")


def _waiting_after(curve: Curve, days: float) -> str:
    """The share that still waits after so many days; "" where nobody has waited so long."""
    if days > curve.longest:
        return ""
    return f"{curve.waiting[bisect_right(curve.days, days) - 1]:.0%}"
