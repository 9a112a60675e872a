"""What the head of a page needs to know beyond its own row."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from jovial_atlas.head.sharing import Look, nothing_here


def nobody(_address: str) -> str | None:
    """Names of pages, where none is known."""
    return None


@dataclass(frozen=True, slots=True)
class HeadContext:
    """`look` gives what the site's pictures are; `name` what the page at an address is called,
    None where there is no such page."""

    look: Look = nothing_here
    name: Callable[[str], str | None] = nobody


#: Nothing is known.
NO_CONTEXT = HeadContext()
