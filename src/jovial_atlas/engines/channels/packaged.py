"""Channels of kind `package`: messages that another installed package makes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import msgspec

from jovial_atlas.engines.channels.kind import SentKind
from jovial_atlas.engines.published import Due, Published, changed
from jovial_atlas.installed import Addition
from jovial_atlas.sitefile import Engine, PackageChannel
from jovial_atlas.sitefile.added import settings_of

if TYPE_CHECKING:
    from jovial_atlas.ledger import Ledger


class PackagedKind(SentKind[PackageChannel], Addition):
    """A kind of channel that another package adds. What is due is each sitemap that changed, a
    message each; one that tells of pages instead overrides `due` and `tells_sitemaps`. The ledger
    keeps its messages under the first of `names`, which no other kind may have."""

    model = PackageChannel

    def name(self, channel: PackageChannel) -> str:
        return self.names[0]

    def tells_sitemaps(self, name: str) -> bool:
        return True

    def token_env(self, channel: PackageChannel) -> str:
        return channel.token_env

    def settings_of(self, channel: PackageChannel) -> msgspec.Struct:
        """The settings of a channel in the structure of `settings`."""
        return settings_of(self, channel.settings)

    def due(
        self, engine: Engine, channel: PackageChannel, published: Published, ledger: Ledger
    ) -> Iterator[Due]:
        marks = {loc: mark for loc, (mark, _) in published.sitemaps.items()}
        yield from changed(engine, channel, marks, ledger.heard(engine.name, self.name(channel)))
