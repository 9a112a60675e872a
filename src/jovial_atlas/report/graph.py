"""A picture of connected nodes: boxes in columns, from what refers to what is referred to."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_INK, _PALE, _PAPER, _TEAL, _EDGE = "#22302b", "#6d7a74", "#fbfaf6", "#1f5c57", "#a8aea6"
#: Sizes in inches; lines of a box, and characters of a line.
_WIDE, _LINE, _HEAD, _GAP_X, _GAP_Y, _LINES, _LETTERS, _LABEL = (
    2.55, 0.165, 0.3, 0.95, 0.28, 5, 36, 18,
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Box:
    """One node: its name, what stands at its head, a line a value, and what it refers to as
    (property, name)."""

    name: str
    head: str
    lines: tuple[str, ...]
    links: tuple[tuple[str, str], ...] = ()


def draw_graph(boxes: Sequence[Box], title: str, form: str = "png") -> bytes:
    """The picture as PNG or SVG."""
    import matplotlib as mpl
    from matplotlib.figure import Figure
    from matplotlib.patches import FancyBboxPatch

    places, width, height = _placed(boxes)
    look: Any = {"svg.hashsalt": "jovial-atlas", "font.family": "sans-serif"}
    with mpl.rc_context(look):
        figure = Figure(figsize=(width, height + 0.5), facecolor=_PAPER)
        axes = figure.add_axes((0, 0, 1, 1))
        axes.set_xlim(0, width)
        axes.set_ylim(height + 0.5, 0)
        axes.axis("off")
        axes.text(0.3, 0.32, title, fontsize=11, fontweight="bold", color=_INK, va="center")
        named = {box.name: box for box in boxes}
        for box in boxes:
            _arrows(axes, box, named, places)
        for box in boxes:
            x, y = places[box.name]
            tall = _height(box)
            axes.add_patch(
                FancyBboxPatch((x, y), _WIDE, tall, boxstyle="round,pad=0,rounding_size=0.07",
                               facecolor="white", edgecolor=_TEAL, linewidth=1.1, zorder=4)
            )  # fmt: skip
            axes.text(x + 0.1, y + 0.16, box.head, fontsize=9, fontweight="bold", color=_TEAL,
                      va="center", zorder=5)  # fmt: skip
            for number, line in enumerate(_shown(box)):
                axes.text(x + 0.1, y + _HEAD + _LINE * (number + 0.5), line, fontsize=6.8,
                          color=_INK, va="center", zorder=5)  # fmt: skip
        buffer = io.BytesIO()
        about: Any = {"Date": None} if form == "svg" else None
        figure.savefig(buffer, format=form, dpi=110, facecolor=_PAPER, metadata=about)
    return buffer.getvalue()


def _shown(box: Box) -> list[str]:
    lines = [one if len(one) <= _LETTERS else f"{one[: _LETTERS - 1]}…" for one in box.lines]
    if len(lines) > _LINES:
        return [*lines[: _LINES - 1], f"… and {len(lines) - _LINES + 1} more"]
    return lines


def _height(box: Box) -> float:
    return _HEAD + _LINE * len(_shown(box)) + 0.1


def _placed(boxes: Sequence[Box]) -> tuple[dict[str, tuple[float, float]], float, float]:
    """Where each box stands (upper left), and the size of the whole."""
    depth = _depths(boxes)
    columns: dict[int, list[Box]] = {}
    for box in boxes:
        columns.setdefault(depth[box.name], []).append(box)
    heights = {
        number: sum(_height(b) for b in column) + _GAP_Y * (len(column) - 1)
        for number, column in columns.items()
    }
    tallest = max(heights.values(), default=1)
    places: dict[str, tuple[float, float]] = {}
    for number in sorted(columns):
        column = columns[number]
        if number:
            column.sort(key=lambda b: _wanted(b, boxes, places))
        y = 0.6 + (tallest - heights[number]) / 2
        for box in column:
            places[box.name] = (0.3 + number * (_WIDE + _GAP_X), y)
            y += _height(box) + _GAP_Y
    width = 0.6 + (max(columns, default=0) + 1) * (_WIDE + _GAP_X) - _GAP_X
    return places, width, tallest + 0.7


def _depths(boxes: Sequence[Box]) -> dict[str, int]:
    """Columns: what nothing refers to stands first, what it refers to one further."""
    referred = {to for box in boxes for _, to in box.links}
    named = {box.name: box for box in boxes}
    depth = {box.name: 0 for box in boxes if box.name not in referred}
    row = list(depth) or [box.name for box in boxes[:1]]
    depth = depth or dict.fromkeys(row, 0)
    for _ in range(len(boxes)):
        below = []
        for name in row:
            for _, to in named[name].links:
                if to in named and depth.get(to, 0) <= depth[name] < len(boxes):
                    depth[to] = depth[name] + 1
                    below.append(to)
        row = below
        if not row:
            break
    return {box.name: depth.get(box.name, 0) for box in boxes}


def _wanted(box: Box, boxes: Sequence[Box], places: dict[str, tuple[float, float]]) -> float:
    """The height at which those stand that refer to a box."""
    heights = [places[one.name][1] for one in boxes if one.name in places
               for _, to in one.links if to == box.name]  # fmt: skip
    return sum(heights) / len(heights) if heights else 1e9


def _arrows(
    axes: Axes, box: Box, named: dict[str, Box], places: dict[str, tuple[float, float]]
) -> None:
    x, y = places[box.name]
    targets = [(key, to) for key, to in box.links if to in named and to != box.name]
    targets.sort(key=lambda one: places[one[1]][1])
    for number, (key, to) in enumerate(targets):
        tx, ty = places[to]
        forward = tx > x
        tall, to_tall = _height(box), _height(named[to])
        start = (x + _WIDE if forward else x, y + tall * (number + 1) / (len(targets) + 1))
        end = (tx if forward else tx + _WIDE, ty + to_tall / 2)
        if tx == x:
            end = (tx, ty + to_tall / 2)
        axes.annotate(
            "", end, start,
            arrowprops={"arrowstyle": "-|>", "color": _EDGE, "linewidth": 0.9, "shrinkA": 0,
                        "shrinkB": 0, "connectionstyle": "arc3,rad=0.06"},
        )  # fmt: skip
        # In the gap beside the box, whatever the arrow passes on its way.
        part = min(0.45, abs(_GAP_X * 0.45 / (end[0] - start[0]))) if end[0] != start[0] else 0.45
        middle = (start[0] + (end[0] - start[0]) * part, start[1] + (end[1] - start[1]) * part)
        name = key if len(key) <= _LABEL else f"{key[: _LABEL - 1]}…"
        axes.text(*middle, name, fontsize=6.5, color=_PALE, ha="center", va="center", zorder=3.5,
                  bbox={"facecolor": _PAPER, "edgecolor": "none", "pad": 0.8})  # fmt: skip
