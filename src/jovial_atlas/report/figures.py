"""Figures as SVG, drawn with Matplotlib; deterministic, so that an unchanged report is the same."""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from typing import Any

_COLOURS = ("#2f6f62", "#c9b77c", "#a3431f", "#8a9691")
_INK, _PALE = "#22302b", "#c9cfca"
_BAR, _WIDTH = 0.3, 7.2
#: Nothing about the file itself: it becomes a part of a page.
_BARE: Any = dict.fromkeys(["Date", "Creator", "Format", "Type"])


def bars(labels: Sequence[str], series: Sequence[tuple[str, Sequence[float]]]) -> str:
    """Horizontal bars, first label on top, the series of each stacked, with their sums."""
    import matplotlib as mpl
    from matplotlib.figure import Figure

    look: Any = {"svg.hashsalt": "jovial-atlas", "font.family": "sans-serif", "font.size": 10,
            "svg.fonttype": "none"}  # fmt: skip
    with mpl.rc_context(look):
        figure = Figure(figsize=(_WIDTH, 0.5 + _BAR * max(1, len(labels))), layout="tight")
        axes = figure.add_subplot()
        places = range(len(labels))
        left = [0.0] * len(labels)
        for number, (name, values) in enumerate(series):
            colour = _COLOURS[number % len(_COLOURS)]
            axes.barh(places, values, left=left, color=colour, label=name, height=0.68)
            left = [before + value for before, value in zip(left, values, strict=True)]
        most = max(left, default=0) or 1
        for place, total in zip(places, left, strict=True):
            axes.text(total + most * 0.01, place, f"{total:,.0f}", va="center", color=_INK)
        axes.set_yticks(places, labels, color=_INK)
        axes.invert_yaxis()
        axes.set_xlim(0, most * 1.12)
        axes.tick_params(axis="both", length=0)
        axes.set_xticks([])
        for side, line in axes.spines.items():
            line.set_visible(side == "left")
            line.set_color(_PALE)
        if len(series) > 1:
            axes.legend(
                frameon=False, loc="lower left", bbox_to_anchor=(0, 1), labelcolor=_INK,
                ncols=len(series), borderaxespad=0,
            )  # fmt: skip
        buffer = io.StringIO()
        figure.savefig(buffer, format="svg", transparent=True, metadata=_BARE)
    text = buffer.getvalue()
    # What stands before the element belongs to a file, not into a page.
    return re.sub(r"\A.*?(?=<svg)", "", text, count=1, flags=re.S)
