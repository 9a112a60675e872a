"""Figures of a site's links: how far the pages of each section are from the start, and which
section leads to which."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jovial_atlas.report.drawing import COLOURS, INK, PALE, QUIET, bare, figure_of, png_of, svg_of
from jovial_atlas.report.values import Crossings

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

#: Inches: of a column, of a row, of what stands around, of names of sections, of a whole page.
_CELL, _ROW, _AROUND, _NAMES, _WIDEST = 0.5, 0.36, 1.1, 1.5, 9.6
_LEAST_HEIGHT = 3.2
#: Letters of a section's name, and sizes of texts in cells by how many columns there are.
_LETTERS, _SIZE = 18, 8
#: Names of columns that stand level have so many letters at most; the strongest cell lets ink stand
#: out from it.
_LEVEL, _STRONGEST = 7, 0.45
#: Inches of the figure of clicks, and pages that are named in it.
_VISITED, _WANTED = 3.4, 5
_TICKS = (0.5, 1, 2, 5, 10, 20, 50, 100, 1_000, 10_000, 100_000, 1_000_000)


@dataclass(frozen=True, slots=True)
class LinkFigures:
    """What is drawn. `depths` are names of columns, the last of them may be "no way"; `pages[s][d]`
    are the pages of section s at depth d, `links[a][b]` links from section a to section b."""

    sections: Sequence[str]
    depths: Sequence[str]
    pages: Sequence[Sequence[int]]
    links: Sequence[Sequence[int]]
    #: Of listed pages: pages that link there, how often they are clicked or visited, and what they
    #: are called; empty where nothing was heard of that.
    visited: Sequence[tuple[int, int, str]] = ()
    counted: str = "clicks"


def draw_link_figures(told: LinkFigures, path: Path) -> bytes:
    """The figures as a picture, or as SVG, by the ending of the file."""
    rows = len(told.sections)
    height = max(_LEAST_HEIGHT, rows * _ROW + _AROUND + _NAMES)
    widths = (len(told.depths) * _CELL + _NAMES, rows * _CELL + _NAMES)
    more = _VISITED if told.visited else 0.0
    with figure_of(sum(widths) + _AROUND, height + more, layout="constrained") as figure:
        _draw(told, figure, widths, height)
        return svg_of(figure).encode() if path.suffix.lower() == ".svg" else png_of(figure)


def _draw(told: LinkFigures, figure: Figure, widths: Sequence[float], height: float) -> None:
    if told.visited:
        grid = figure.add_gridspec(2, 2, width_ratios=widths, height_ratios=(height, _VISITED))
        left, right = figure.add_subplot(grid[0, 0]), figure.add_subplot(grid[0, 1])
        _visited(figure.add_subplot(grid[1, :]), told)
    else:
        left, right = figure.subplots(1, 2, width_ratios=widths)
    _cells(left, told.pages)
    left.set_title("Pages by clicks from the start", color=INK, loc="left", fontsize=11)
    _named(left, told.sections, told.depths)
    left.set_xlabel("clicks", color=QUIET)
    _cells(right, told.links)
    right.set_title("Links from the section on the left to the one below", color=INK, loc="left",
                    fontsize=11)  # fmt: skip
    _named(right, told.sections, told.sections)


def _visited(axes: Axes, told: LinkFigures) -> None:
    """Pages by the links to them and by how often they are clicked: those far up on the left are
    wanted, and few links lead there."""
    links = [max(one, 0.5) for one, _, _ in told.visited]
    counts = [max(one, 0.5) for _, one, _ in told.visited]
    axes.scatter(links, counts, s=18, color=COLOURS[3], alpha=0.45, linewidths=0)
    middle = sorted(links)[len(links) // 2]
    few = [one for one in told.visited if one[0] <= middle and one[1] > 0]
    wanted = sorted(few, key=lambda one: -one[1])[:_WANTED]
    axes.set_xscale("log")
    axes.set_yscale("log")
    axes.scatter([max(one[0], 0.5) for one in wanted], [one[1] for one in wanted], s=34,
                 color=COLOURS[2], zorder=3)  # fmt: skip
    for number, (_, count, name) in enumerate(wanted):
        # One below the other, the most clicked first, as the dots are.
        first = (max(wanted[0][0], 0.5), wanted[0][1])
        axes.annotate(f"{name}  {count:,}", first, xytext=(16, 2 - 13 * number),
                      textcoords="offset points", color=COLOURS[2], fontsize=8.5)  # fmt: skip
    most = max(links)
    ticks = [one for one in _TICKS if one <= most * 1.5]
    axes.set_xticks(ticks, ["0" if one < 1 else f"{one:,}" for one in ticks])
    axes.yaxis.set_major_formatter(lambda value, _: "0" if value < 1 else f"{value:,.0f}")
    axes.set_xlabel("pages that link there", color=QUIET)
    axes.set_ylabel(f"{told.counted} in 28 days", color=QUIET)
    axes.set_title(f"Many {told.counted}, few links: pages that deserve more",
                   color=INK, loc="left", fontsize=11)  # fmt: skip
    axes.minorticks_off()
    bare(axes)


def drawn_crossings(told: Crossings) -> str:
    """Such a table as an element of a page."""
    height = len(told.rows) * _ROW + _NAMES
    width = min(_WIDEST, len(told.columns) * _CELL + _NAMES)
    with figure_of(width, height, layout="constrained") as figure:
        axes = figure.add_subplot()
        _cells(axes, told.values)
        _named(axes, told.rows, told.columns)
        return svg_of(figure)


def _named(axes: Axes, rows: Sequence[str], columns: Sequence[str]) -> None:
    short = [_short(one) for one in columns]
    turned = max(map(len, short), default=0) > _LEVEL
    how: dict[str, Any] = {"rotation": 60, "ha": "right", "rotation_mode": "anchor"}
    axes.set_xticks(range(len(short)), short, **(how if turned else {}))
    axes.set_yticks(range(len(rows)), [_short(one) for one in rows])


def _cells(axes: Axes, values: Sequence[Sequence[int]]) -> None:
    """A table of counts, each cell as strong as it is a large part of its row: of shapes, not of
    dots, so that a page can give it other colours."""
    from matplotlib.patches import Rectangle

    columns = len(values[0]) if values else 0
    for y, row in enumerate(values):
        whole = max(1, sum(row))
        for x, value in enumerate(row):
            if not value:
                continue
            part = _STRONGEST * value / whole
            cell = Rectangle((x - 0.5, y - 0.5), 1, 1, facecolor=COLOURS[0], alpha=part, lw=0)
            axes.add_patch(cell)
            axes.text(x, y, _count(value), ha="center", va="center", color=INK, fontsize=_SIZE)
    axes.set_xlim(-0.5, columns - 0.5)
    axes.set_ylim(len(values) - 0.5, -0.5)
    axes.set_xticks([x - 0.5 for x in range(1, columns)], minor=True)
    axes.set_yticks([y - 0.5 for y in range(1, len(values))], minor=True)
    axes.grid(which="minor", color=PALE, linewidth=0.6)
    bare(axes, left=False, bottom=False)
    axes.tick_params(which="minor", length=0)


def _count(value: int) -> str:
    """A count in at most four signs."""
    for unit, name in ((1_000_000, "M"), (1_000, "k")):
        if value >= unit:
            part = value / unit
            return f"{part:.1f}{name}" if part < 10 else f"{part:.0f}{name}"
    return str(value)


def _short(name: str) -> str:
    return name if len(name) <= _LETTERS else f"{name[: _LETTERS - 1]}…"
