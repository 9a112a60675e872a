"""What an engine says when it is asked over its interface: of sitemaps, of pages, of one page."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from types import MappingProxyType
from typing import Any

import msgspec

from jovial_atlas.engines.call import fill, read_pages, read_report, read_rows
from jovial_atlas.engines.meaning import refusal
from jovial_atlas.engines.published import NOT_KNOWN, channel_for
from jovial_atlas.errors import NetworkError
from jovial_atlas.records import PageReport, SitemapReport
from jovial_atlas.sitefile import CallChannel, Engine
from jovial_atlas.web import Answer, Client, Request, send

#: Parts of a list of pages that are read, at most: an interface that never ends is broken.
_PARTS = 1_000
_NOTHING: Mapping[str, str] = MappingProxyType({})


class Asking(msgspec.Struct, frozen=True):
    """How an engine is asked: over which client, about which site; `token` gives the token for an
    environment variable's name. Every method raises NetworkError; `sitemaps` and `page` give None
    where the engine has no such channel."""

    engine: Engine
    site_url: str
    client: Client
    token: Callable[[str], str]

    def sitemaps(self) -> list[SitemapReport] | None:
        """What it says of each sitemap now."""
        channel = channel_for(self.engine, "read-sitemaps")
        if channel is None:
            return None
        answer = self._ask(channel, self._request(channel))
        return read_report(answer.body, channel.list_key, channel.fields, self.engine.name)

    def pages(self) -> Iterator[list[PageReport]]:
        """What it says of every page it knows, part by part as the list comes; no part where it has
        no such channel. Each part stays on the engine's own host. What came before a failure, or
        before the list was cut because it does not end, is good. Raises NetworkError."""
        channel = channel_for(self.engine, "read-pages")
        if channel is None:
            return
        request = self._request(channel)
        for _ in range(_PARTS):
            answer = self._ask(channel, request)
            part, onward = read_pages(
                answer.body, channel.list_key, channel.next, channel.fields, self.engine.name
            )
            yield part
            if not onward:
                return
            request = self._onward(channel, request, onward)
        raise self._endless("pages")

    def performance(self, begins: str, ends: str) -> Iterator[list[dict[str, Any]]]:
        """The rows of what was searched and clicked from one day to another, part by part, as the
        interface has them; no part where it has no such channel. As `pages`. Raises
        NetworkError."""
        channel = channel_for(self.engine, "read-performance")
        if channel is None:
            return
        days = {"from": begins, "to": ends}
        counts = "{skip}" in channel.url + channel.body
        request, rows = self._request(channel, also={**days, "skip": "0"}), 0
        for _ in range(_PARTS):
            answer = self._ask(channel, request)
            part, onward = read_rows(answer.body, channel.list_key, channel.next, self.engine.name)
            yield part
            rows += len(part)
            if onward:
                request = self._onward(channel, request, onward)
            elif counts and part:
                request = self._request(channel, also={**days, "skip": str(rows)})
            else:
                return
        raise self._endless("rows")

    def _onward(self, channel: CallChannel, request: Request, onward: str) -> Request:
        """The request for the next part of a list, on the same host."""
        from httpx import URL

        url = URL(request.url).join(onward)
        if url.netloc != URL(request.url).netloc:
            raise NetworkError(
                f"{self.engine.name} goes on at {url.host}, another host; it is not asked. "
                f"Check `next` of its channel {channel.name}."
            )
        return Request(request.method, str(url), request.headers, request.body)

    def _endless(self, what: str) -> NetworkError:
        return NetworkError(
            f"{self.engine.name} has more than {_PARTS:,} parts in its list of {what}; the list "
            "was cut there, and what was read is kept."
        )

    def page(self, loc: str) -> PageReport | None:
        """What it says of one page; also None where it says nothing."""
        channel = channel_for(self.engine, "read-page")
        if channel is None:
            return None
        answer = send(self.client, self._request(channel, loc))
        if answer.status == 404:
            return PageReport(loc, None, NOT_KNOWN, None)
        self._good(channel, answer)
        found, _ = read_pages(answer.body, channel.list_key, "", channel.fields, self.engine.name)
        return found[0] if found else None

    def _request(
        self, channel: CallChannel, page: str = "", also: Mapping[str, str] = _NOTHING
    ) -> Request:
        token = self.token(channel.token_env) if channel.token_env else ""
        values = {"site": self.site_url, "page": page, **also}
        return fill(
            channel.method, channel.url, channel.headers, channel.body, values=values, token=token
        )

    def _ask(self, channel: CallChannel, request: Request) -> Answer:
        return self._good(channel, send(self.client, request))

    def _good(self, channel: CallChannel, answer: Answer) -> Answer:
        if answer.status not in channel.success:
            raise NetworkError(
                f"{self.engine.name} answered {channel.name} with status {answer.status}: "
                f"{refusal(answer)}."
            )
        return answer
