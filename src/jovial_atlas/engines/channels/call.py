"""Channels of kind `call`: one HTTP call of an engine's interface, described in the site file."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import TYPE_CHECKING

from jovial_atlas.engines.call import fill
from jovial_atlas.engines.channels.arriving import page_arrived, sitemap_arrived
from jovial_atlas.engines.channels.kind import Items, SentKind
from jovial_atlas.engines.meaning import refusal
from jovial_atlas.engines.published import SITEMAPS, Due, Published, changed
from jovial_atlas.faults import plural
from jovial_atlas.files import digest
from jovial_atlas.records import Status
from jovial_atlas.sitefile import CallChannel, Engine
from jovial_atlas.sitefile.parts import given_in
from jovial_atlas.web import Answer, Request

if TYPE_CHECKING:
    from jovial_atlas.engines.asking import Asking
    from jovial_atlas.ledger import Ledger


class CallKind(SentKind[CallChannel]):
    """Calls that read are never due, nor is asking for single pages, which is only done on
    request."""

    model = CallChannel
    names = (SITEMAPS, "remove-sitemap", "verify-site", "index-page")
    repeat_harms = frozenset({"index-page"})

    def name(self, channel: CallChannel) -> str:
        return channel.name

    def tells_sitemaps(self, name: str) -> bool:
        return name == SITEMAPS

    def due(
        self, engine: Engine, channel: CallChannel, published: Published, ledger: Ledger
    ) -> Iterator[Due]:
        heard = ledger.heard(engine.name, channel.name)
        if channel.name == SITEMAPS:
            maps = {loc: mark for loc, (mark, _) in published.sitemaps.items()}
            yield from changed(engine, channel, maps, heard)
        elif channel.name == "remove-sitemap":
            for loc in ledger.heard(engine.name, SITEMAPS):
                if published.owns(loc) and loc not in published.sitemaps:
                    yield Due(engine, channel, [(loc, None)], loc)
        elif channel.name == "verify-site":
            said = given_in(engine.ownership)
            if any(said.values()):
                proof = json.dumps(said, ensure_ascii=False, separators=(",", ":"))
                of_site = {published.site_url: digest(proof.encode())}
                yield from changed(engine, channel, of_site, heard)

    def single(
        self, engine: Engine, channel: CallChannel, ledger: Ledger, pages: Items, sitemaps: Items
    ) -> Iterator[Due]:
        if channel.name == SITEMAPS:
            yield from (Due(engine, channel, [one], one[0]) for one in sitemaps)
        elif channel.name == "index-page":
            now = list(pages)
            if channel.per_day is not None:
                spent = ledger.announced_today(engine.name, channel.name)
                now = now[: max(0, channel.per_day - spent)]
            yield from (Due(engine, channel, [one], one[0]) for one in now)
            if later := len(pages) - len(now):
                what = f"{plural(later, 'address', 'addresses')} left for another day"
                yield Due(engine, channel, [], what, later)

    def token_env(self, channel: CallChannel) -> str:
        return channel.token_env

    def request(self, due: Due, channel: CallChannel, published: Published, token: str) -> Request:
        loc = due.items[0][0]
        return fill(
            channel.method, channel.url, channel.headers, channel.body,
            values={"site": published.site_url, "sitemap": loc, "page": loc}, token=token,
        )  # fmt: skip

    def meaning(self, channel: CallChannel, answer: Answer) -> tuple[Status, str]:
        if answer.status in channel.success:
            return Status.TAKEN, "taken"
        return Status.REFUSED, refusal(answer)

    def arrived(
        self, name: str, loc: str, since: str, ledger: Ledger, asking: Asking
    ) -> bool | None:
        if name in (SITEMAPS, "remove-sitemap"):
            return sitemap_arrived(name, loc, since, ledger, asking)
        if name == "index-page":
            return page_arrived(loc, since, asking)
        # To ask once more for a look at the proof does no harm.
        return False
