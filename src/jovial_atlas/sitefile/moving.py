"""The part of the site file about addresses that moved or went."""

from __future__ import annotations

from typing import Annotated, Literal

from jovial_atlas import patterns
from jovial_atlas.sitefile.parts import Part, check, says


class Moving(Part, frozen=True, kw_only=True):
    """`[moves]`: where the table of moves is, and how moves are written."""

    file: Annotated[str, says("CSV file of the addresses that moved or went")] = "moves.csv"
    query: Annotated[
        Literal["keep", "drop"],
        says("what becomes of the query of whoever asks, where a move does not say it"),
    ] = "keep"
    pages: Annotated[
        bool,
        says(
            "write a small page at each old address, which sends visitors on: for hosts whose "
            "servers cannot be configured"
        ),
    ] = False
    not_found: Annotated[
        tuple[str, ...],
        says(
            "patterns of paths that are asked for in vain and mean nothing, beside those that the "
            "tool knows"
        ),
    ] = ()

    @check("not_found")
    @classmethod
    def _not_found(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for pattern in value:
            patterns.to_regex(pattern)
        return value
