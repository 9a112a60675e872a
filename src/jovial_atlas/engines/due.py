"""What one engine has yet to hear: a difference between what was published and what it heard.

Both are handed in, so that nothing here decides about pages.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from jovial_atlas.engines import indexnow
from jovial_atlas.faults import plural
from jovial_atlas.files import digest
from jovial_atlas.ledger import Heard, Ledger
from jovial_atlas.sitefile import (
    CallChannel,
    Engine,
    HandChannel,
    IndexNowChannel,
    RobotsChannel,
    WebSubChannel,
)
from jovial_atlas.sitefile.engines import Channel
from jovial_atlas.sitefile.parts import given_in

#: Channels over which the ledger knows pages, and sitemaps, as heard.
PAGES, SITEMAPS = "indexnow", "submit-sitemap"
#: All over which sitemaps are announced; what one knows, the others need not say.
SITEMAP_CHANNELS = ("robots", "hand", SITEMAPS)


@dataclass(frozen=True, slots=True)
class Published:
    """What the last build made public: marks of listed pages, and of each sitemap its mark and
    how many addresses it holds. A mark changes when its content does."""

    site_url: str
    key: str
    pages: Mapping[str, str]
    sitemaps: Mapping[str, tuple[str, int]]
    #: Feed → mark.
    feeds: Mapping[str, str] = field(default_factory=dict)
    #: Page → its weight; pages without one come after all that have.
    weights: Mapping[str, float] = field(default_factory=dict)
    #: Sitemap → the section that it lists.
    sections: Mapping[str, str] = field(default_factory=dict)
    #: Sitemaps that the robots.txt on disk names.
    in_robots: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Due:
    """What one engine has yet to hear over one channel: (loc, mark), mark None for removed.
    `later` counts what the day's quota leaves for another day."""

    engine: Engine
    channel: Channel
    items: list[tuple[str, str | None]]
    what: str
    later: int = 0


def channel_name(channel: Channel) -> str:
    """The name under which the ledger keeps a channel."""
    return channel.name if isinstance(channel, CallChannel) else channel.kind


def due(engine: Engine, published: Published, ledger: Ledger) -> Iterator[Due]:
    """What has changed since this engine last heard, one `Due` a message; a look at the proof of
    ownership first, since an engine may want it before it takes anything. Calls that read are none,
    nor is asking for single pages, which is only done on request."""
    for channel in sorted(engine.channels, key=lambda one: channel_name(one) != "verify-site"):
        heard = ledger.heard(engine.name, channel_name(channel))
        if isinstance(channel, IndexNowChannel):
            marks = {loc: one.mark for loc, one in heard.items()}
            room = _room(engine, channel, ledger)
            yield from _due_pages(engine, channel, published, marks, room)
        elif isinstance(channel, HandChannel | RobotsChannel):
            # The first sitemap is the index, which leads to the others and keeps its address.
            first = [(loc, mark) for loc, (mark, _) in published.sitemaps.items()][:1]
            yield from (Due(engine, channel, [one], one[0]) for one in first if one[0] not in heard)
        elif isinstance(channel, WebSubChannel):
            yield from _changed(engine, channel, published.feeds, heard)
        elif channel.name == "submit-sitemap":
            maps = {loc: mark for loc, (mark, _) in published.sitemaps.items()}
            yield from _changed(engine, channel, maps, heard)
        elif channel.name == "remove-sitemap":
            known = ledger.heard(engine.name, SITEMAPS)
            for loc in known:
                if loc not in published.sitemaps:
                    yield Due(engine, channel, [(loc, None)], loc)
        elif channel.name == "verify-site":
            said = given_in(engine.ownership)
            if any(said.values()):
                proof = json.dumps(said, ensure_ascii=False, separators=(",", ":"))
                of_site = {published.site_url: digest(proof.encode())}
                yield from _changed(engine, channel, of_site, heard)


def single(
    engine: Engine, published: Published, ledger: Ledger, locs: Sequence[str]
) -> Iterator[Due]:
    """The messages about these addresses alone, changed or not: pages over the channels that take
    pages, sitemaps over those that take sitemaps."""
    pages = [(loc, published.pages[loc]) for loc in locs if loc in published.pages]
    maps = [(loc, published.sitemaps[loc][0]) for loc in locs if loc in published.sitemaps]
    what = f"{plural(len(pages), 'address', 'addresses')} asked for"
    for channel in engine.channels:
        if isinstance(channel, IndexNowChannel) and pages:
            yield Due(engine, channel, list(pages), what)
        elif not isinstance(channel, CallChannel):
            continue
        elif channel.name == "submit-sitemap":
            yield from (Due(engine, channel, [one], one[0]) for one in maps)
        elif channel.name == "index-page":
            room = _room(engine, channel, ledger)
            now = pages if room is None else pages[:room]
            yield from (Due(engine, channel, [one], one[0]) for one in now)
            if len(now) < len(pages):
                later = len(pages) - len(now)
                what_left = f"{plural(later, 'address', 'addresses')} left for another day"
                yield Due(engine, channel, [], what_left, later)


def _room(engine: Engine, channel: IndexNowChannel | CallChannel, ledger: Ledger) -> int | None:
    """How much of a day's quota is left; None where there is none."""
    if channel.per_day is None:
        return None
    return max(0, channel.per_day - ledger.announced_today(engine.name, channel_name(channel)))


def _changed(
    engine: Engine, channel: Channel, marks: Mapping[str, str], heard: Mapping[str, Heard]
) -> Iterator[Due]:
    for loc, mark in marks.items():
        if loc not in heard or heard[loc].mark != mark:
            yield Due(engine, channel, [(loc, mark)], loc)


def _due_pages(
    engine: Engine,
    channel: IndexNowChannel,
    published: Published,
    heard: Mapping[str, str],
    room: int | None,
) -> Iterator[Due]:
    """New pages first, then changed ones, each by weight, then those that are gone; as many as the
    day's quota has room for."""
    added = [(loc, mark) for loc, mark in published.pages.items() if loc not in heard]
    changed = [(loc, mark) for loc, mark in published.pages.items() if heard.get(loc, mark) != mark]
    if published.weights:
        for found in (added, changed):
            found.sort(key=lambda one: -published.weights.get(one[0], 0.0))
    removed: list[tuple[str, str | None]] = [
        (loc, None) for loc in heard if loc not in published.pages
    ]
    items = [*added, *changed, *removed]
    what = f"{len(added):,} added, {len(changed):,} changed, {len(removed):,} removed"
    later = 0
    if room is not None and len(items) > room:
        later = len(items) - room
        items = items[:room]
        what = f"{plural(len(items), 'address', 'addresses')}, {later:,} left for another day"
        if not items:
            yield Due(engine, channel, [], what, later)
    whole = len(items) <= indexnow.BATCH
    for start in range(0, len(items), indexnow.BATCH):
        piece = items[start : start + indexnow.BATCH]
        said = what if whole else plural(len(piece), "address", "addresses")
        yield Due(engine, channel, piece, said, later)
