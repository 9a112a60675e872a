"""Bar charts as SVG."""

from __future__ import annotations

from collections.abc import Sequence

from jovial_atlas.report.drawing import COLOURS, INK, bare, figure_of, svg_of

_BAR, _WIDTH = 0.3, 7.2


def bars(labels: Sequence[str], series: Sequence[tuple[str, Sequence[float]]]) -> str:
    """Horizontal bars, first label on top, the series of each stacked, with their sums."""
    with figure_of(_WIDTH, 0.5 + _BAR * max(1, len(labels))) as figure:
        axes = figure.add_subplot()
        places = range(len(labels))
        left = [0.0] * len(labels)
        for number, (name, values) in enumerate(series):
            colour = COLOURS[number % len(COLOURS)]
            axes.barh(places, values, left=left, color=colour, label=name, height=0.68)
            left = [before + value for before, value in zip(left, values, strict=True)]
        most = max(left, default=0) or 1
        for path, total in zip(places, left, strict=True):
            axes.text(total + most * 0.01, path, f"{total:,.0f}", va="center", color=INK)
        axes.set_yticks(places, labels, color=INK)
        axes.invert_yaxis()
        axes.set_xlim(0, most * 1.12)
        axes.set_xticks([])
        bare(axes, bottom=False)
        if len(series) > 1:
            axes.legend(
                frameon=False, loc="lower left", bbox_to_anchor=(0, 1), labelcolor=INK,
                ncols=len(series), borderaxespad=0,
            )  # fmt: skip
        return svg_of(figure)
