"""What the head of a page needs to know beyond its own row."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from jovial_atlas.head.sharing import Look, nothing_here
from jovial_atlas.head.trail import Trails
from jovial_atlas.sitefile import Site


def nobody(_address: str) -> str | None:
    """Names of pages, where none is known."""
    return None


class HeadContext(msgspec.Struct, frozen=True):
    """`look` gives what the site's pictures are; `name` what the page at an address is called,
    None where there is no such page."""

    look: Look = nothing_here
    name: Callable[[str], str | None] = nobody
    _trails: dict[tuple[str, str], Trails] = msgspec.field(default_factory=dict)

    def trails(self, site: Site) -> Trails:
        """The trails of the pages of a site, or of one host of it."""
        key = site.url, site.short_name
        if key not in self._trails:
            self._trails[key] = Trails(*key, self.name)
        return self._trails[key]


#: Nothing is known.
NO_CONTEXT = HeadContext()
