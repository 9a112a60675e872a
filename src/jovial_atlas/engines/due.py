"""What one engine has yet to hear: a difference between what was published and what it heard.

Both are handed in, so that nothing here decides about pages.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from jovial_atlas.engines.channels import channel_name, kind_of
from jovial_atlas.engines.published import Due, Published
from jovial_atlas.sitefile import Engine

if TYPE_CHECKING:
    from jovial_atlas.ledger import Ledger


def due(engine: Engine, published: Published, ledger: Ledger) -> Iterator[Due]:
    """What has changed since this engine last heard, one `Due` a message; a look at the proof of
    ownership first, since an engine may want it before it takes anything."""
    for channel in sorted(engine.channels, key=lambda one: channel_name(one) != "verify-site"):
        yield from kind_of(channel).due(engine, channel, published, ledger)


def single(
    engine: Engine, published: Published, ledger: Ledger, locs: Sequence[str]
) -> Iterator[Due]:
    """The messages about these addresses alone, changed or not: pages over the channels that take
    pages, sitemaps over those that take sitemaps."""
    marks = published.pages.marks_of(locs)
    pages = [(loc, marks[loc]) for loc in locs if loc in marks]
    maps = [(loc, published.sitemaps[loc][0]) for loc in locs if loc in published.sitemaps]
    for channel in engine.channels:
        yield from kind_of(channel).single(engine, channel, ledger, pages, maps)
