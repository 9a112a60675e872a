"""Figures of what people clicked: sections before and now, the course of an event beside what would
have been without it, and the share of clicks by place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from math import sqrt
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from jovial_atlas.faults import change_in_words
from jovial_atlas.report.drawing import COLOURS, INK, PALE, QUIET, bare, figure_of, png_of, svg_of

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_WIDTH, _ROW, _AROUND = 9.6, 0.3, 1.2
#: Pages that are named beside their points, and points that are drawn.
_NAMED, _POINTS = 4, 800
_LETTERS = 28
#: How far apart places are, as a part of them, so that names fit beside each other.
_APART = 0.5


class ClickFigure(Protocol):
    """A figure that knows its question, its answer, its height in inches, how to draw itself, and
    its numbers as columns and rows."""

    @property
    def title(self) -> str:
        """The question that it answers."""

    @property
    def about(self) -> str:
        """The answer."""

    @property
    def height(self) -> float:
        """Inches."""

    def draw(self, axes: Axes) -> None:
        """Draw it."""

    def numbers(self) -> tuple[list[str], list[list[str]]]:
        """Its numbers, as columns and rows."""


@dataclass(frozen=True, slots=True)
class SectionClicks:
    """Clicks of sections before and now (name, before, now), and which of them changed by more than
    chance."""

    title: str
    about: str
    sections: Sequence[tuple[str, int, int]]
    changed: frozenset[str]

    @property
    def height(self) -> float:
        """Inches."""
        return _AROUND + _ROW * len(self.sections)

    def draw(self, axes: Axes) -> None:
        """One row a section: from before, pale, to now."""
        most = max((max(before, now) for _, before, now in self.sections), default=1) or 1
        for place, (name, before, now) in enumerate(self.sections):
            strong = name in self.changed
            colour = COLOURS[2] if strong and now < before else COLOURS[0]
            axes.plot([before, now], [place, place], color=colour, linewidth=3 if strong else 1.6,
                      solid_capstyle="butt", zorder=1)  # fmt: skip
            axes.scatter([before], [place], s=34, color="white", edgecolors=QUIET, zorder=2)
            axes.scatter([now], [place], s=44, color=colour, zorder=3)
            change = change_in_words(before, now)
            axes.annotate(change, (max(before, now), place), xytext=(9, 0), va="center",
                          textcoords="offset points", color=colour if strong else QUIET,
                          fontsize=9, fontweight="bold" if strong else "normal")  # fmt: skip
        names = [_short(name or "(not known)") for name, _, _ in self.sections]
        axes.set_yticks(range(len(names)), names)
        axes.set_ylim(len(names) - 0.4, -0.6)
        axes.set_xlim(0, most * 1.14)
        axes.xaxis.set_major_formatter(lambda value, _: f"{value:,.0f}")
        axes.set_xlabel("clicks: ○ before, ● now; strong: more than chance", color=QUIET)
        axes.grid(axis="x", color=PALE, linewidth=0.6)
        axes.set_axisbelow(True)
        bare(axes, left=False)

    def numbers(self) -> tuple[list[str], list[list[str]]]:
        """Sections with their clicks."""
        rows = [
            [name or "(not known)", f"{before:,}", f"{now:,}",
             "more than chance" if name in self.changed else ""]
            for name, before, now in self.sections
        ]  # fmt: skip
        return ["Section", "Before", "Now", "Change"], rows


@dataclass(frozen=True, slots=True)
class EventCourse:
    """Clicks of pages that changed, week by week (first day, clicks, what they would have been
    without it), the day of the change, and the interval of its effect (parts of what would have
    been)."""

    title: str
    about: str
    day: date
    weeks: Sequence[tuple[date, float, float]]
    interval: tuple[float, float] | None = None

    @property
    def height(self) -> float:
        """Inches."""
        return 3.6

    def draw(self, axes: Axes) -> None:
        """Two lines, and where it happened."""
        days = [float(day.toordinal()) for day, _, _ in self.weeks]
        real = [one for _, one, _ in self.weeks]
        other = [one for _, _, one in self.weeks]
        at = float(self.day.toordinal())
        axes.axvline(at, color=QUIET, linewidth=1.2, linestyle=":")
        since = [place for place, (day, _, _) in enumerate(self.weeks) if day >= self.day]
        if self.interval and since:
            low, high = ([other[place] * (1 + end) for place in since] for end in self.interval)
            axes.fill_between([days[place] for place in since], low, high, color=COLOURS[0],
                              alpha=0.16, linewidth=0)  # fmt: skip
        axes.plot(days, other, color=COLOURS[3], linewidth=1.8, linestyle="--", marker="o",
                  markersize=3.5)  # fmt: skip
        axes.plot(days, real, color=COLOURS[0], linewidth=2.4, marker="o", markersize=4.5)
        lower = real[-1] < other[-1]
        for name, value, colour, below in (
            ("pages that changed", real[-1], COLOURS[0], lower),
            ("without the change", other[-1], COLOURS[3], not lower),
        ):
            axes.annotate(name, (days[-1], value), xytext=(8, -4 if below else 4),
                          textcoords="offset points", color=colour, fontsize=9,
                          va="top" if below else "bottom")  # fmt: skip
        axes.set_ylim(0, max([*real, *other, 1.0]) * 1.15)
        axes.set_xlim(days[0], days[-1] + max(days[-1] - days[0], 7.0) * 0.28)
        axes.set_xticks(days, [f"{day:%-d %b}" for day, _, _ in self.weeks])
        axes.yaxis.set_major_formatter(lambda value, _: f"{value:,.0f}")
        axes.set_ylabel("clicks a week", color=QUIET)
        axes.annotate("change", (at, 0), xytext=(4, 4), textcoords="offset points", color=QUIET,
                      fontsize=8.5)  # fmt: skip
        bare(axes)

    def numbers(self) -> tuple[list[str], list[list[str]]]:
        """Weeks with their clicks."""
        rows = [[f"{day}", f"{real:,.0f}", f"{other:,.0f}"] for day, real, other in self.weeks]
        return ["Week from", "Pages that changed", "Without the change"], rows


@dataclass(frozen=True, slots=True)
class ClickShares:
    """The share of clicks by place: the site's own curve (place, share), what is shown (place,
    share, times shown), and what is clicked seldom (place, share, what it is called)."""

    title: str
    about: str
    curve: Sequence[tuple[float, float]]
    points: Sequence[tuple[float, float, int]]
    seldom: Sequence[tuple[float, float, str]]

    @property
    def height(self) -> float:
        """Inches."""
        return 4.0

    def draw(self, axes: Axes) -> None:
        """Points, the curve through them, and those far below it."""
        shown = sorted(self.points, key=lambda one: -one[2])[:_POINTS]
        sizes = [3 + 1.1 * sqrt(one[2]) ** 0.9 for one in shown]
        axes.scatter([one[0] for one in shown], [100 * one[1] for one in shown], s=sizes,
                     color=COLOURS[3], alpha=0.35, linewidths=0)  # fmt: skip
        axes.plot([one[0] for one in self.curve], [100 * one[1] for one in self.curve],
                  color=COLOURS[0], linewidth=2.4)  # fmt: skip
        axes.scatter([one[0] for one in self.seldom], [100 * one[1] for one in self.seldom], s=46,
                     color=COLOURS[2], zorder=3)  # fmt: skip
        for place, share, name in self._named():
            axes.annotate(_short(name), (place, 100 * share), xytext=(-4, -13), fontsize=8.5,
                          textcoords="offset points", color=COLOURS[2], va="top")  # fmt: skip
        axes.set_xscale("log")
        far = max((one[0] for one in self.points), default=10.0)
        ticks = [one for one in (1, 2, 3, 5, 10, 20, 50, 100) if one <= max(far, 10) * 1.2]
        axes.set_xticks(ticks, [str(one) for one in ticks])
        axes.minorticks_off()
        highest = max([share for _, share in self.curve] + [0.01])
        # Names stand below the dots.
        axes.set_ylim(-14 * highest, 100 * min(1.0, highest * 1.9))
        axes.set_yticks([one for one in axes.get_yticks() if one >= 0])
        axes.axhline(0, color=PALE, linewidth=0.8)
        axes.yaxis.set_major_formatter(lambda value, _: f"{value:.0f} %")
        axes.set_xlabel("mean place among the results (larger dots are shown more often)",
                        color=QUIET)  # fmt: skip
        axes.set_ylabel("clicked", color=QUIET)
        axes.grid(axis="y", color=PALE, linewidth=0.6)
        axes.set_axisbelow(True)
        bare(axes)

    def _named(self) -> list[tuple[float, float, str]]:
        """What is named: each page once, and none where another name stands."""
        named: list[tuple[float, float, str]] = []
        for place, share, name in self.seldom:
            free = all(abs(place / one[0] - 1) > _APART for one in named)
            if free and len(named) < _NAMED:
                named.append((place, share, name))
        return named

    def numbers(self) -> tuple[list[str], list[list[str]]]:
        """The curve, and what is clicked seldom."""
        rows = [[f"place {place:.1f}", f"{share:.1%}", ""] for place, share in self.curve]
        rows += [[f"place {place:.1f}", f"{share:.1%}", name] for place, share, name in self.seldom]
        return ["Place", "Clicked", "Of"], rows


def click_svg(one: ClickFigure) -> str:
    """A figure as an element for a page, without its title."""
    with figure_of(_WIDTH, one.height) as figure:
        one.draw(figure.add_subplot())
        return svg_of(figure)


def click_picture(figures: Sequence[ClickFigure], path: Path) -> bytes:
    """Figures with their titles below each other, as a picture or as SVG, by the ending of the
    file."""
    heights = [one.height + 0.5 for one in figures]
    with figure_of(_WIDTH, sum(heights), layout="constrained") as figure:
        several = figure.subplots(len(figures), 1, height_ratios=heights, squeeze=False)
        for axes, one in zip(several[:, 0], figures, strict=True):
            one.draw(axes)
            axes.set_title(f"{one.title}\n{one.about}", loc="left", color=INK, fontsize=11)
        return svg_of(figure).encode() if path.suffix.lower() == ".svg" else png_of(figure)


def _short(name: str) -> str:
    return name if len(name) <= _LETTERS else f"{name[: _LETTERS - 1]}…"
