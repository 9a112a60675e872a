"""What is public, and what one engine has yet to hear of it: the values that channels work on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

import msgspec

from jovial_atlas.records import Status
from jovial_atlas.sitefile import CallChannel, Engine
from jovial_atlas.sitefile.engines import CallName, Channel

if TYPE_CHECKING:
    from jovial_atlas.engines.public_pages import Item, PublicPages, Weigh
    from jovial_atlas.records import Heard

#: What is said of a page that an engine has never heard of.
NOT_KNOWN = "not known there"
#: Channels over which the ledger knows pages, and sitemaps, as heard.
PAGES, SITEMAPS = "indexnow", "submit-sitemap"


class Published(msgspec.Struct, frozen=True):
    """What the last build made public: listed pages with marks, and of each sitemap its mark and
    how many addresses it holds. A mark changes when its content does."""

    site_url: str
    key: str
    pages: PublicPages
    sitemaps: Mapping[str, tuple[str, int]]
    #: Feed → mark.
    feeds: Mapping[str, str] = msgspec.field(default_factory=dict)
    #: What pages weigh; those without a weight come after all that have.
    weigh: Weigh | None = None
    #: Sitemap → the section that it lists.
    sections: Mapping[str, str] = msgspec.field(default_factory=dict)
    #: Sitemaps that the robots.txt on disk names.
    in_robots: frozenset[str] = frozenset()

    def owns(self, loc: str) -> bool:
        """Whether an address is of this host; an engine may know others from before a move."""
        return loc.startswith(f"{self.site_url}/")


class Due(msgspec.Struct, frozen=True):
    """What one engine has yet to hear over one channel: (loc, mark), mark None for removed.
    `later` counts what the day's quota leaves for another day."""

    engine: Engine
    channel: Channel
    items: Sequence[Item]
    what: str
    later: int = 0


class Outcome(msgspec.Struct, frozen=True):
    """What came of one message. `status` is taken, pending, refused, failed, unknown, or due (not
    sent); of one that was settled afterwards taken, assumed, lost or unknown."""

    engine: str
    channel: str
    what: str
    count: int
    status: Status
    detail: str


def changed(
    engine: Engine, channel: Channel, marks: Mapping[str, str], heard: Mapping[str, Heard]
) -> Iterator[Due]:
    """A message for each item whose mark the engine has not heard."""
    for loc, mark in marks.items():
        if loc not in heard or heard[loc].mark != mark:
            yield Due(engine, channel, [(loc, mark)], loc)


def channel_for(engine: Engine, name: CallName) -> CallChannel | None:
    """The described call of this name, if the engine has one."""
    return next((c for c in engine.channels if isinstance(c, CallChannel) and c.name == name), None)
