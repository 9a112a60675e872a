"""The part of the site file about what people click and visit, and about trials."""

import hashlib
import re
from typing import Annotated

from msgspec import field

from jovial_atlas.sitefile.parts import Part, check, check_whole, says


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
    folder: Annotated[
        str,
        says(
            "where what was heard and counted is kept, from the site file; machines that share a "
            "ledger share this folder as well. Empty: in the state folder"
        ),
    ] = ""


class Trial(Part, frozen=True, kw_only=True):
    """`[[trial]]`: half of a section's pages, chosen by lot, gets other texts first. Which half it
    is follows from `lot` and each page's address, so that new pages have their side too."""

    name: Annotated[str, says("lower-case letters, digits and hyphens", min_length=1)]
    section: Annotated[str, says("the section whose pages are parted")]
    lot: Annotated[str, says("what decides the side of each page; never to be changed")]
    since: Annotated[str, says("the day on which it began")] = ""
    title: Annotated[str, says("pattern of the titles of one half")] = ""
    description: Annotated[str, says("pattern of their descriptions")] = ""
    schema_type: Annotated[str, says("type of their structured data")] = field(
        default="", name="schema"
    )

    @check("name")
    @classmethod
    def _name(cls, value: str) -> str:
        if not re.fullmatch(r"[a-z0-9]+(-[a-z0-9]+)*", value):
            raise ValueError(f"{value!r} is no name; use lower-case letters, digits and hyphens")
        return value

    @check_whole
    def _tries(self) -> None:
        if not self.texts:
            raise ValueError("it tries nothing: give title, description or schema")

    @property
    def texts(self) -> dict[str, str]:
        """What one half gets: key of a section → its value."""
        keys = ("title", "description", "schema_type")
        return {key: value for key in keys if (value := getattr(self, key))}

    def takes(self, loc: str) -> bool:
        """Whether a page is of the half that gets it."""
        return is_drawn(self.lot, loc)


def is_drawn(lot: str, loc: str) -> bool:
    """Whether a page is of the half that a lot draws."""
    return hashlib.blake2b(f"{lot}\0{loc}".encode(), digest_size=1).digest()[0] % 2 == 0
