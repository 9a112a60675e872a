"""The part of the site file about addresses that moved or went."""

from typing import Annotated, Literal

from jovial_atlas import dates, patterns
from jovial_atlas.sitefile.parts import Part, check, says
from jovial_atlas.sitefile.sources import origin_of


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
    old_url: Annotated[
        str, says("scheme and host that the site had before, while its domain moves")
    ] = ""
    moved_on: Annotated[str, says("day on which the domain began to move")] = ""
    old_sitemap_days: Annotated[
        int, says("so long a sitemap of the old addresses is written for the old host", ge=0)
    ] = 180
    not_found: Annotated[
        tuple[str, ...],
        says(
            "patterns of paths that are asked for in vain and mean nothing, beside those that the "
            "tool knows"
        ),
    ] = ()

    @check("old_url")
    @classmethod
    def _old_url(cls, value: str) -> str:
        return origin_of(value) if value else ""

    @check("moved_on")
    @classmethod
    def _moved_on(cls, value: str) -> str:
        if value and dates.read(value) is None:
            raise ValueError(f"{value!r} is no date; write it as 2026-11-23")
        return value

    @check("not_found")
    @classmethod
    def _not_found(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for pattern in value:
            patterns.to_regex(pattern)
        return value
