"""Channels of kind `websub`: a hub that is told when a feed changed."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from jovial_atlas.engines import websub
from jovial_atlas.engines.channels.kind import SentKind
from jovial_atlas.engines.published import Due, Published, changed
from jovial_atlas.records import Status
from jovial_atlas.sitefile import Engine, WebSubChannel
from jovial_atlas.web import Answer, Request

if TYPE_CHECKING:
    from jovial_atlas.ledger import Ledger


class WebSubKind(SentKind[WebSubChannel]):
    """W3C Recommendation WebSub, section 7."""

    model = WebSubChannel
    names = ("websub",)

    def due(
        self, engine: Engine, channel: WebSubChannel, published: Published, ledger: Ledger
    ) -> Iterator[Due]:
        yield from changed(
            engine, channel, published.feeds, ledger.heard(engine.name, channel.kind)
        )

    def request(
        self, due: Due, channel: WebSubChannel, published: Published, token: str
    ) -> Request:
        message = websub.body(due.items[0][0])
        return Request("POST", channel.hub, {"Content-Type": websub.FORM_TYPE}, message)

    def meaning(self, channel: WebSubChannel, answer: Answer) -> tuple[Status, str]:
        taken = 200 <= answer.status < 300
        return Status.TAKEN if taken else Status.REFUSED, websub.meaning(answer.status)

    def hub(self, channel: WebSubChannel) -> str:
        return channel.hub
