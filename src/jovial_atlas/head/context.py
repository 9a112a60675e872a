"""What the head of a page needs to know beyond its own row."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from jovial_atlas.head.sharing import Look, nothing_here


def nobody(_address: str) -> str | None:
    """Names of pages, where none is known."""
    return None


class HeadContext(msgspec.Struct, frozen=True):
    """`look` gives what the site's pictures are; `name` what the page at an address is called,
    None where there is no such page."""

    look: Look = nothing_here
    name: Callable[[str], str | None] = nobody


#: Nothing is known.
NO_CONTEXT = HeadContext()
