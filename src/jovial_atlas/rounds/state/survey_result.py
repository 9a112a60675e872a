"""A survey as it is told: what each section holds, what changed, what is wrong."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager

import msgspec

from jovial_atlas.faults import Fault
from jovial_atlas.pages.changes import Changes
from jovial_atlas.pages.doubt import Doubt
from jovial_atlas.records import Stake
from jovial_atlas.rounds.state.layout import Layout

#: Gives a context in which nobody reads what is put in the place of something else.
Swapping = Callable[[], AbstractContextManager[None]]
#: Does what takes long without holding them.
Apart = Callable[[], AbstractContextManager[None]]


class SectionCount(msgspec.Struct, frozen=True):
    """What one section holds."""

    name: str
    pages: int
    listed: int
    images: int
    videos: int


class Survey(msgspec.Struct, frozen=True):
    """A survey: what each section holds, what changed since the one before, faults met."""

    at: str
    pages: int
    sections: list[SectionCount]
    changes: Changes
    faults: list[Fault]
    #: What hides the whole site, to be said before anything else; empty where nothing does.
    hidden: str = ""
    #: What of the site is layout, and belongs to no page.
    layout: Layout = msgspec.field(default_factory=Layout)
    #: Kinds of page that are not sure.
    doubts: list[Doubt] = msgspec.field(default_factory=list)
    #: What the pages that went were clicked.
    stake: Stake | None = None
