"""Channels of kind `indexnow`: pages that changed, one message for many."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from jovial_atlas.addresses import origin
from jovial_atlas.engines import indexnow
from jovial_atlas.engines.channels.arriving import page_arrived
from jovial_atlas.engines.channels.kind import Items, SentKind
from jovial_atlas.engines.published import PAGES, Due, Published
from jovial_atlas.faults import plural
from jovial_atlas.records import Status
from jovial_atlas.sitefile import Engine, IndexNowChannel
from jovial_atlas.web import Answer, Request

if TYPE_CHECKING:
    import polars as pl

    from jovial_atlas.engines.asking import Asking
    from jovial_atlas.engines.heard_files import HeardPages
    from jovial_atlas.engines.public_pages import Item, Unheard
    from jovial_atlas.ledger import Ledger


class IndexNowKind(SentKind[IndexNowChannel]):
    """https://www.indexnow.org/documentation"""

    model = IndexNowChannel
    names = (PAGES,)

    def due(
        self, engine: Engine, channel: IndexNowChannel, published: Published, ledger: Ledger
    ) -> Iterator[Due]:
        room = _room(engine, channel, ledger)
        unheard = _heard(engine, published, ledger).unheard
        yield from _due_pages(engine, channel, published, unheard, room)

    def waiting(
        self, engine: Engine, channel: IndexNowChannel, published: Published, ledger: Ledger
    ) -> tuple[int, int]:
        room = _room(engine, channel, ledger)
        waiting = _heard(engine, published, ledger).waiting
        count = waiting.added + waiting.changed + waiting.gone
        now = count if room is None else min(count, room)
        return now, count - now

    def single(
        self,
        engine: Engine,
        channel: IndexNowChannel,
        ledger: Ledger,
        pages: Items,
        sitemaps: Items,
    ) -> Iterator[Due]:
        if pages:
            what = f"{plural(len(pages), 'address', 'addresses')} asked for"
            yield Due(engine, channel, list(pages), what)

    def request(
        self, due: Due, channel: IndexNowChannel, published: Published, token: str
    ) -> Request:
        locs = [loc for loc, _ in due.items]
        message = indexnow.body(origin(locs[0]), channel.key or published.key, locs)
        return Request("POST", channel.endpoint, {"Content-Type": indexnow.CONTENT_TYPE}, message)

    def meaning(self, channel: IndexNowChannel, answer: Answer) -> tuple[Status, str]:
        said = indexnow.ANSWERS.get(answer.status, "an answer that IndexNow does not define")
        return {200: Status.TAKEN, 202: Status.PENDING}.get(answer.status, Status.REFUSED), said

    def arrived(
        self, name: str, loc: str, since: str, ledger: Ledger, asking: Asking
    ) -> bool | None:
        return page_arrived(loc, since, asking)

    def key(self, channel: IndexNowChannel) -> str | None:
        return channel.key


def _heard(engine: Engine, published: Published, ledger: Ledger) -> HeardPages:
    from jovial_atlas.engines.heard_files import HeardPages

    return HeardPages(engine.name, published.pages, ledger, published.site_url)


def _room(engine: Engine, channel: IndexNowChannel, ledger: Ledger) -> int | None:
    """How many addresses the day's quota has room for; None for any number."""
    if channel.per_day is None:
        return None
    return max(0, channel.per_day - ledger.announced_today(engine.name, PAGES))


def _due_pages(
    engine: Engine,
    channel: IndexNowChannel,
    published: Published,
    unheard: Unheard,
    room: int | None,
) -> Iterator[Due]:
    """New pages first, then changed ones, each by weight, then those that are gone; as many as the
    day's quota has room for."""
    added, changed = unheard.added, unheard.changed
    gone: list[Item] = [(loc, None) for loc in unheard.gone]
    summary = f"{len(added):,} added, {len(changed):,} changed, {len(gone):,} removed"
    places, later = published.pages.in_order((added, changed), published.weigh), 0
    count = len(places) + len(gone)
    if room is not None and count > room:
        later, count = count - room, room
        places, gone = places.head(room), gone[: max(0, room - len(places))]
        summary = f"{plural(count, 'address', 'addresses')}, {later:,} left for another day"
        if not count:
            yield Due(engine, channel, [], summary, later)
    pieces = list(_in_batches(published, places, gone))
    for piece in pieces:
        said = summary if len(pieces) == 1 else plural(len(piece), "address", "addresses")
        yield Due(engine, channel, piece, said, later)


def _in_batches(
    published: Published, places: pl.Series, gone: Sequence[Item]
) -> Iterator[Sequence[Item]]:
    """As many as one message holds, all of one host: after a move of the domain, the addresses that
    engines know of the old one are announced as they are, with its own key file."""
    by_host: dict[str, list[Item]] = {origin(published.site_url): []}
    for item in gone:
        by_host.setdefault(origin(item[0]), []).append(item)
    own, *others = by_host.values()
    for some in (published.pages.placed(places, own), *others):
        for start in range(0, len(some), indexnow.BATCH):
            yield some[start : start + indexnow.BATCH]
