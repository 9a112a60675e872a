"""Channels of the kinds `robots` and `hand`: nothing is sent over them. The engine finds the
sitemap in robots.txt, or the owner tells it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from jovial_atlas.engines.channels.kind import UnsentKind
from jovial_atlas.engines.published import Due, Outcome, Published
from jovial_atlas.records import Status
from jovial_atlas.sitefile import Engine, HandChannel, RobotsChannel

if TYPE_CHECKING:
    from jovial_atlas.ledger import Ledger


def _first_sitemap(
    engine: Engine, channel: HandChannel | RobotsChannel, published: Published, ledger: Ledger
) -> Iterator[Due]:
    """The index, which leads to the others and keeps its address: it is told of once."""
    heard = ledger.heard(engine.name, channel.kind)
    first = [(loc, mark) for loc, (mark, _) in published.sitemaps.items()][:1]
    yield from (Due(engine, channel, [one], one[0]) for one in first if one[0] not in heard)


class RobotsKind(UnsentKind[RobotsChannel]):
    """The engine finds the sitemap by its line in robots.txt."""

    model = RobotsChannel
    names = ("robots",)

    def tells_sitemaps(self, name: str) -> bool:
        return True

    def due(
        self, engine: Engine, channel: RobotsChannel, published: Published, ledger: Ledger
    ) -> Iterator[Due]:
        yield from _first_sitemap(engine, channel, published, ledger)

    def outcome(
        self,
        due: Due,
        channel: RobotsChannel,
        published: Published,
        ledger: Ledger,
        *,
        done: bool,
    ) -> Outcome:
        loc, _ = due.items[0]
        number = ledger.intend(due.engine.name, channel.kind, due.what, due.items)
        if loc in published.in_robots:
            status, detail = (
                Status.TAKEN,
                "robots.txt names it; the engine finds it on its next visit",
            )
        else:
            status = Status.REFUSED
            detail = (
                "robots.txt does not name it. See `jovial-atlas build`: it may be kept as it was"
            )
        ledger.settle(number, status, detail, published.sitemaps[loc][1])
        return Outcome(due.engine.name, channel.kind, due.what, 1, status, detail)


class HandKind(UnsentKind[HandChannel]):
    """The owner tells the engine, and says when that is done."""

    model = HandChannel
    names = ("hand",)

    def tells_sitemaps(self, name: str) -> bool:
        return True

    def due(
        self, engine: Engine, channel: HandChannel, published: Published, ledger: Ledger
    ) -> Iterator[Due]:
        yield from _first_sitemap(engine, channel, published, ledger)

    def outcome(
        self, due: Due, channel: HandChannel, published: Published, ledger: Ledger, *, done: bool
    ) -> Outcome:
        loc, _ = due.items[0]
        text = channel.say.replace("{site}", published.site_url).replace("{sitemap}", loc)
        name = due.engine.name
        if not done:
            return Outcome(name, channel.kind, due.what, 1, Status.DUE, f"to do by hand: {text}")
        number = ledger.intend(name, channel.kind, due.what, due.items)
        ledger.settle(number, Status.TAKEN, f"done by hand: {text}", published.sitemaps[loc][1])
        return Outcome(name, channel.kind, due.what, 1, Status.TAKEN, "done by hand")
