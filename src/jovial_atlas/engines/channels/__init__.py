"""The kinds of channel over which engines are told: one class a kind, found by its part of the site
file or by the names under which the ledger keeps its messages."""

from __future__ import annotations

from typing import Any

from jovial_atlas.engines.channels.call import CallKind
from jovial_atlas.engines.channels.indexnow import IndexNowKind
from jovial_atlas.engines.channels.kind import ChannelKind, SentKind, UnsentKind
from jovial_atlas.engines.channels.packaged import PackagedKind
from jovial_atlas.engines.channels.unsent import HandKind, RobotsKind
from jovial_atlas.engines.channels.websub import WebSubKind
from jovial_atlas.installed import CHANNELS, load, names
from jovial_atlas.sitefile import Engine, PackageChannel
from jovial_atlas.sitefile.engines import Channel

__all__ = [
    "CHANNEL_KINDS",
    "ChannelKind",
    "PackagedKind",
    "SentKind",
    "UnsentKind",
    "channel_name",
    "kind_named",
    "kind_of",
    "sitemap_channels",
]

_ALL: tuple[ChannelKind[Any], ...] = (
    IndexNowKind(),
    CallKind(),
    WebSubKind(),
    RobotsKind(),
    HandKind(),
)
#: Part of the site file → kind, but for that of other packages.
CHANNEL_KINDS: dict[type, ChannelKind[Any]] = {kind.model: kind for kind in _ALL}
_NAMED = {name: kind for kind in _ALL for name in kind.names}


def kind_of(channel: Channel) -> ChannelKind[Any]:
    """The kind of a channel. Raises AtlasError where the package that adds it is not installed."""
    if isinstance(channel, PackageChannel):
        return load(CHANNELS, channel.package, PackagedKind)
    return CHANNEL_KINDS[type(channel)]


def kind_named(name: str) -> ChannelKind[Any] | None:
    """The kind that keeps messages in the ledger under a name; None where none does any more."""
    if kind := _NAMED.get(name):
        return kind
    added = (load(CHANNELS, other, PackagedKind) for other in names(CHANNELS))
    return next((kind for kind in added if name in kind.names), None)


def sitemap_channels(engine: Engine) -> list[str]:
    """The names under which the ledger keeps announcements of sitemaps to an engine. What is known
    of one under a later name counts."""
    kinds = (*_ALL[::-1], *map(kind_of, engine.channels))
    every = (name for kind in kinds for name in kind.names if kind.tells_sitemaps(name))
    return list(dict.fromkeys(every))


def channel_name(channel: Channel) -> str:
    """The name under which the ledger keeps a channel."""
    return kind_of(channel).name(channel)
