"""The part of the site file about what people click and visit."""

from __future__ import annotations

from typing import Annotated

from jovial_atlas.sitefile.parts import Part, says


class TrafficChoices(Part, frozen=True, kw_only=True):
    """`[traffic]`: what people click, beside decisions."""

    ask_above: Annotated[
        float,
        says(
            "part of the site's clicks in 28 days from which a change that hides, moves or ends "
            "the pages that have them is asked about once more; 1 never asks",
            ge=0,
            le=1,
        ),
    ] = 0.05
