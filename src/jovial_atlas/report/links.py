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


@dataclass(frozen=True, slots=True)
class LinkFigures:
    """What is drawn. `depths` are names of columns, the last of them may be "no way"; `pages[s][d]`
    are the pages of section s at depth d, `links[a][b]` links from section a to section b."""

    sections: Sequence[str]
    depths: Sequence[str]
    pages: Sequence[Sequence[int]]
    links: Sequence[Sequence[int]]


def draw_link_figures(told: LinkFigures, path: Path) -> bytes:
    """The figures as a picture, or as SVG, by the ending of the file."""
    rows = len(told.sections)
    height = max(_LEAST_HEIGHT, rows * _ROW + _AROUND + _NAMES)
    widths = (len(told.depths) * _CELL + _NAMES, rows * _CELL + _NAMES)
    with figure_of(sum(widths) + _AROUND, height, layout="constrained") as figure:
        _draw(told, figure, widths)
        return svg_of(figure).encode() if path.suffix.lower() == ".svg" else png_of(figure)


def _draw(told: LinkFigures, figure: Figure, widths: Sequence[float]) -> None:
    left, right = figure.subplots(1, 2, width_ratios=widths)
    _cells(left, told.pages)
    left.set_title("Pages by clicks from the start", color=INK, loc="left", fontsize=11)
    _named(left, told.sections, told.depths)
    left.set_xlabel("clicks", color=QUIET)
    _cells(right, told.links)
    right.set_title("Links from the section on the left to the one below", color=INK, loc="left",
                    fontsize=11)  # fmt: skip
    _named(right, told.sections, told.sections)


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
