"""What a judge says of one mark."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from jovial_atlas.findings.marks import MarkState


class Said(NamedTuple):
    """How a mark stands: what was measured, and what is thought right."""

    state: MarkState
    measured: str
    wanted: str


def good_if(fine: bool, measured: str, wanted: str, *, nearly: bool = False) -> Said:
    """Good, or `nearly` so, or short."""
    state = MarkState.GOOD if fine else MarkState.BETTER if nearly else MarkState.SHORT
    return Said(state, measured, wanted)


def some(names: Iterable[object], most: int = 3) -> str:
    """The first of some names, and how many more there are."""
    listed = list(map(str, names))
    more = len(listed) - most
    return ", ".join(listed[:most]) + (f" and {more:,} more" if more > 0 else "")
