"""Figures over time: submitted against indexed, waiting, and what engines said of pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from jovial_atlas import dates
from jovial_atlas.report.drawing import (
    COLOURS,
    INK,
    PALE,
    QUIET,
    bare,
    figure_of,
    png_of,
    svg_of,
)
from jovial_atlas.trends.waiting import Curve

_WIDTH = 9.6
_ACROSS = 3


@dataclass(frozen=True, slots=True)
class Lines:
    """Panels, each with lines of (time, value); time in the product's form. The first line of a
    panel is what there is, the second the part of it that counts."""

    name: str
    title: str
    about: str
    panels: Mapping[str, Mapping[str, Sequence[tuple[str, int]]]]


@dataclass(frozen=True, slots=True)
class Waits:
    """Curves of the share that still waits, by label."""

    name: str
    title: str
    about: str
    curves: Mapping[str, Curve]


@dataclass(frozen=True, slots=True)
class Layers:
    """Numbers of each kind at each time, one upon the other."""

    name: str
    title: str
    about: str
    times: Sequence[str]
    layers: Mapping[str, Sequence[int]]


@dataclass(frozen=True, slots=True)
class Course:
    """A score from 0 to 100 at each time."""

    name: str
    title: str
    about: str
    points: Sequence[tuple[str, float]]


Trend = Lines | Waits | Layers | Course


def as_svg(trend: Trend) -> str:
    """The figure as an element for a page, without its title."""
    with figure_of(*_size(trend)) as figure:
        _draw(figure, trend)
        return svg_of(figure)


def as_png(trend: Trend) -> bytes:
    """The figure as a picture, with its title."""
    width, height = _size(trend)
    with figure_of(width, height + 0.5) as figure:
        figure.suptitle(trend.title, x=0.01, ha="left", color=INK, fontsize=13)
        _draw(figure, trend)
        return png_of(figure)


def _size(trend: Trend) -> tuple[float, float]:
    if isinstance(trend, Lines):
        return _WIDTH, 0.7 + 1.9 * -(-len(trend.panels) // _ACROSS)
    return (5.4, 1.9) if isinstance(trend, Course) else (_WIDTH, 3.4)


def _draw(figure: Any, trend: Trend) -> None:
    if isinstance(trend, Lines):
        _lines(figure, trend)
    elif isinstance(trend, Waits):
        _waits(figure.add_subplot(), trend)
    elif isinstance(trend, Course):
        _course(figure.add_subplot(), trend)
    else:
        _layers(figure.add_subplot(), trend)


def _lines(figure: Any, trend: Lines) -> None:
    # The legend stands above the panels, where no line runs.
    figure.get_layout_engine().set(rect=(0, 0, 1, 0.95))
    down = -(-len(trend.panels) // _ACROSS)
    every = [at for some in trend.panels.values() for line in some.values() for at, _ in line]
    begin, end = dates.moment(min(every)), dates.moment(max(every))
    for number, (name, lines) in enumerate(trend.panels.items()):
        axes = figure.add_subplot(down, _ACROSS, number + 1)
        for place, (label, points) in enumerate(lines.items()):
            times = [dates.moment(at) for at, _ in points]
            values = [value for _, value in points]
            if place == 0 and times:  # what there is stays so until it is told otherwise
                times, values = [*times, end], [*values, values[-1]]
            axes.plot(
                times, values, drawstyle="steps-post" if place == 0 else "default", label=label,
                color=PALE if place == 0 else COLOURS[0], linewidth=2.2 if place == 0 else 1.8,
                marker="" if place == 0 else "o", markersize=3.2, clip_on=False,
            )  # fmt: skip
        axes.set_title(name, loc="left", fontsize=10, color=INK)
        axes.set_xlim(begin, end)
        _counts(axes)
        _days(axes)
        bare(axes)
        if number == 0:
            handles, labels = axes.get_legend_handles_labels()
    figure.legend(handles, labels, frameon=False, fontsize=9, labelcolor=INK, ncols=2,
                  loc="upper right", borderaxespad=0)  # fmt: skip


def _waits(axes: Any, trend: Waits) -> None:
    far = max((curve.longest for curve in trend.curves.values()), default=1.0) or 1.0
    for number, (label, curve) in enumerate(trend.curves.items()):
        colour = COLOURS[(0, 2, 4, 5, 1, 3)[number % 6]]
        days = [*curve.days, max(curve.longest, curve.days[-1])]

        def to_end(values: Sequence[float]) -> list[float]:
            return [100 * one for one in (*values, values[-1])]

        middle = "" if curve.median is None else f", half after {curve.median:.1f} days"
        said = f"{label}: {curve.came:,} came, {curve.wait:,} still wait{middle}"
        axes.step(days, to_end(curve.waiting), where="post", color=colour, linewidth=1.9,
                  label=said)  # fmt: skip
        axes.fill_between(days, to_end(curve.low), to_end(curve.high), step="post", color=colour,
                          alpha=0.13, linewidth=0)  # fmt: skip
    axes.set_xlim(0, far * 1.02)
    axes.set_ylim(0, 104)
    axes.set_xlabel("days since the announcement", color=QUIET)
    axes.set_ylabel("still waiting, %", color=QUIET)
    bare(axes)
    axes.legend(frameon=False, fontsize=9, labelcolor=INK, loc="upper left",
                bbox_to_anchor=(0, -0.2), borderaxespad=0)  # fmt: skip


def _layers(axes: Any, trend: Layers) -> None:
    times = [dates.moment(at) for at in trend.times]
    colours = [COLOURS[number % len(COLOURS)] for number in range(len(trend.layers))]
    axes.stackplot(times, *trend.layers.values(), colors=colours, labels=list(trend.layers),
                   linewidth=0, step="mid")  # fmt: skip
    if len(times) > 1:
        axes.set_xlim(times[0], times[-1])
    _counts(axes)
    _days(axes)
    bare(axes)
    axes.legend(frameon=False, fontsize=9, labelcolor=INK, loc="upper left", reverse=True,
                bbox_to_anchor=(1.01, 1), borderaxespad=0)  # fmt: skip


def _course(axes: Any, trend: Course) -> None:
    times = [dates.moment(at) for at, _ in trend.points]
    scores = [score for _, score in trend.points]
    axes.plot(times, scores, color=COLOURS[0], linewidth=1.8, marker="o", markersize=4,
              clip_on=False)  # fmt: skip
    for place in {0, len(scores) - 1}:
        axes.annotate(f"{scores[place]:.0f}", (times[place], scores[place]), color=INK,
                      xytext=(0, 7), textcoords="offset points", ha="center")  # fmt: skip
    axes.set_ylim(0, 104)
    axes.set_ylabel("score", color=QUIET)
    _days(axes)
    bare(axes)


def _counts(axes: Any) -> None:
    """Whole numbers from nothing on."""
    from matplotlib.ticker import MaxNLocator, StrMethodFormatter

    axes.set_ylim(bottom=0, top=max(1.0, axes.get_ylim()[1] * 1.05))
    axes.yaxis.set_major_locator(MaxNLocator(nbins=4, integer=True))
    axes.yaxis.set_major_formatter(StrMethodFormatter("{x:,.0f}"))


def _days(axes: Any) -> None:
    from matplotlib.dates import AutoDateLocator, ConciseDateFormatter

    locator = AutoDateLocator(minticks=2, maxticks=5)  # type: ignore[no-untyped-call]
    axes.xaxis.set_major_locator(locator)
    short = ConciseDateFormatter(locator, show_offset=False)  # type: ignore[no-untyped-call]
    axes.xaxis.set_major_formatter(short)
