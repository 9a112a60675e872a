"""How addresses pass over from the old host to the new one, as a figure."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.report.drawing import COLOURS, INK, bare, figure_of, png_of, svg_of
from jovial_atlas.rounds.telling.domain import DomainState


def draw_course(state: DomainState, path: Path) -> None:
    """Draw how many pages of both hosts each engine had in its index, over time. Raises AtlasError
    where nothing is known, or for a file of another kind; OutputError."""
    if path.suffix.lower() not in (".png", ".svg"):
        raise AtlasError(f"{path} is neither a .png nor a .svg.")
    engines = list(dict.fromkeys(one.engine for one in state.course))
    if not engines:
        raise AtlasError("No engine was asked yet: jovial-atlas moves domain --ask")
    with figure_of(8.0, 2.6 * len(engines) + 0.6) as figure:
        for number, engine in enumerate(engines, start=1):
            axes = figure.add_subplot(len(engines), 1, number)
            course = [one for one in state.course if one.engine == engine]
            times = np.array([one.at.rstrip("Z") for one in course], dtype="datetime64[s]")
            for name, values, colour in (
                (state.old, [one.old_indexed for one in course], COLOURS[2]),
                (state.new, [one.new_indexed for one in course], COLOURS[0]),
            ):
                axes.plot(times, values, color=colour, marker="o", markersize=3, label=name)
            axes.set_title(f"{engine}: pages in the index", loc="left", color=INK, fontsize=11)
            axes.set_ylim(bottom=0)
            axes.legend(frameon=False, fontsize=9, labelcolor=INK)
            bare(axes)
        figure.autofmt_xdate()
        drawn = png_of(figure) if path.suffix.lower() == ".png" else svg_of(figure).encode()
    write_whole(path, drawn)
