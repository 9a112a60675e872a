"""How all figures are drawn with Matplotlib: look, ink, and what becomes of them. Deterministic, so
that an unchanged report is the same."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

#: All stand out from white and from paper by 3:1 (WCAG 2.2, 1.4.11), texts by 4.5:1 (1.4.3).
COLOURS = ("#2f6f62", "#a88a35", "#a3431f", "#75827c", "#4d75a0", "#8a5a92")
INK, PALE, QUIET = "#22302b", "#c9cfca", "#55625c"
#: Colour → the property of a page that stands for it, so that a page can be dark.
_PROPERTIES = {INK: "--ink", PALE: "--line", QUIET: "--quiet"} | {
    colour: f"--series-{number}" for number, colour in enumerate(COLOURS, 1)
}
_LOOK: Any = {
    "svg.hashsalt": "jovial-atlas", "font.family": "sans-serif", "font.size": 10,
    "svg.fonttype": "none", "timezone": "UTC",
}  # fmt: skip
#: Nothing about the file itself: it becomes a part of a page.
_BARE: Any = dict.fromkeys(["Date", "Creator", "Format", "Type"])
_DPI = 110


@contextmanager
def figure_of(width: float, height: float, **how: Any) -> Iterator[Figure]:
    """An empty figure of so many inches, in the house's look."""
    import matplotlib as mpl
    from matplotlib.figure import Figure

    with mpl.rc_context(_LOOK):
        yield Figure(figsize=(width, height), **{"layout": "tight", **how})


def bare(axes: Axes, *, left: bool = True, bottom: bool = True) -> None:
    """Take away the frame but for the sides asked for."""
    shown = {"left": left, "bottom": bottom, "right": False, "top": False}
    for side, line in axes.spines.items():
        line.set_visible(shown[side])
        line.set_color(PALE)
    axes.tick_params(axis="both", length=0, labelcolor=INK)


def svg_of(figure: Figure) -> str:
    """A figure as an element that stands in a page, or in a file of its own."""
    buffer = io.StringIO()
    figure.savefig(buffer, format="svg", transparent=True, metadata=_BARE)
    # What stands before the element belongs to a file, not into a page.
    return re.sub(r"\A.*?(?=<svg)", "", buffer.getvalue(), count=1, flags=re.S)


def in_page(drawing: str) -> str:
    """A figure in the letters and colours of the page around it, which may be dark. Only browsers
    know how to take these; a file of its own stays as it is."""
    text = _FONTS.sub("font-family: inherit", _UNUSED.sub("", drawing))
    return _COLOUR.sub(lambda found: f": var({_PROPERTIES[found[1]]}, {found[1]})", text)


#: Names of parts that nothing refers to and that other figures of a page have as well.
_UNUSED = re.compile(r' id="[a-z][a-z0-9.]*_\d+"')
_FONTS = re.compile(r"font-family: [^;\"]*")
_COLOUR = re.compile(rf": ({'|'.join(_PROPERTIES)})")


def png_of(figure: Figure) -> bytes:
    """A figure as a picture."""
    buffer = io.BytesIO()
    figure.savefig(buffer, format="png", dpi=_DPI, facecolor="white", metadata={"Software": None})
    return buffer.getvalue()
