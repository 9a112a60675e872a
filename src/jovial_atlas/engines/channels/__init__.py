"""The kinds of channel over which engines are told: one class a kind, found by its part of the site
file or by the names under which the ledger keeps its messages."""

from __future__ import annotations

from typing import Any

from jovial_atlas.engines.channels.call import Call
from jovial_atlas.engines.channels.indexnow import IndexNow
from jovial_atlas.engines.channels.kind import ChannelKind, SentKind, UnsentKind
from jovial_atlas.engines.channels.unsent import Hand, Robots
from jovial_atlas.engines.channels.websub import WebSub
from jovial_atlas.sitefile.engines import Channel

__all__ = [
    "KINDS",
    "ChannelKind",
    "SentKind",
    "UnsentKind",
    "channel_name",
    "kind_named",
    "kind_of",
]

_ALL: tuple[ChannelKind[Any], ...] = (IndexNow(), Call(), WebSub(), Robots(), Hand())
#: Part of the site file → kind.
KINDS: dict[type, ChannelKind[Any]] = {kind.model: kind for kind in _ALL}
_NAMED = {name: kind for kind in _ALL for name in kind.names}


def kind_of(channel: Channel) -> ChannelKind[Any]:
    """The kind of a channel."""
    return KINDS[type(channel)]


def kind_named(name: str) -> ChannelKind[Any] | None:
    """The kind that keeps messages in the ledger under a name; None where none does any more."""
    return _NAMED.get(name)


def channel_name(channel: Channel) -> str:
    """The name under which the ledger keeps a channel."""
    return kind_of(channel).name(channel)
