"""Figures of a site's links: how far the pages of each section are from the start, and which
section leads to which."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from jovial_atlas.report.drawing import COLOURS, INK, PALE, QUIET, bare, figure_of, png_of, svg_of

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

#: Inches: of a column or row, of what stands around, and of names of sections.
_CELL, _AROUND, _NAMES = 0.5, 1.1, 1.5
_LEAST_HEIGHT = 3.2
#: Letters of a section's name, and sizes of texts in cells by how many columns there are.
_LETTERS, _SIZE = 18, 8


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
    height = max(_LEAST_HEIGHT, rows * _CELL * 0.72 + _AROUND + _NAMES)
    widths = (len(told.depths) * _CELL + _NAMES, rows * _CELL + _NAMES)
    with figure_of(sum(widths) + _AROUND, height, layout="constrained") as figure:
        _draw(told, figure, widths)
        return svg_of(figure).encode() if path.suffix.lower() == ".svg" else png_of(figure)


def _draw(told: LinkFigures, figure: Figure, widths: Sequence[float]) -> None:
    left, right = figure.subplots(1, 2, width_ratios=widths)
    names = [_short(one) for one in told.sections]
    _cells(left, told.pages)
    left.set_title("Pages by clicks from the start", color=INK, loc="left", fontsize=11)
    left.set_xticks(range(len(told.depths)), told.depths)
    left.set_yticks(range(len(names)), names)
    left.set_xlabel("clicks", color=QUIET)
    _cells(right, told.links)
    right.set_title("Links from the section on the left to the one below", color=INK, loc="left",
                    fontsize=11)  # fmt: skip
    right.set_xticks(range(len(names)), names, rotation=60, ha="right", rotation_mode="anchor")
    right.set_yticks(range(len(names)), names)


def _cells(axes: Axes, values: Sequence[Sequence[int]]) -> None:
    """A table of counts, each cell as dark as it is a large part of its row."""
    from matplotlib.colors import LinearSegmentedColormap

    shades = LinearSegmentedColormap.from_list("shades", ["white", COLOURS[0]])
    parts = [[value / max(1, sum(row)) for value in row] for row in values]
    axes.imshow(parts, cmap=shades, vmin=0, vmax=1, aspect="auto")
    for y, row in enumerate(values):
        for x, value in enumerate(row):
            ink = "white" if parts[y][x] > 0.5 else INK
            if value:
                axes.text(x, y, _count(value), ha="center", va="center", color=ink, fontsize=_SIZE)
    axes.set_xticks([x - 0.5 for x in range(1, len(values[0]) if values else 1)], minor=True)
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
