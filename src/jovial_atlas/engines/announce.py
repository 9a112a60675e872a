"""Announcing to one engine: what is due, intent, sending, outcome.

What is due is a difference between what was published and what the engine last heard;
both are handed in, so that nothing here decides about pages.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import httpx

from jovial_atlas.engines import indexnow, websub
from jovial_atlas.engines.call import fill, read_report
from jovial_atlas.errors import NetworkError
from jovial_atlas.faults import plural
from jovial_atlas.ledger import Ledger, SitemapReport
from jovial_atlas.ledger.record import FAILED, PENDING, REFUSED, TAKEN
from jovial_atlas.sitefile import CallChannel, Engine, HandChannel, IndexNowChannel, WebSubChannel
from jovial_atlas.sitefile.engines import Channel
from jovial_atlas.web import Answer, Request, send


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


@dataclass(frozen=True, slots=True)
class Due:
    """What one engine has yet to hear over one channel: (loc, mark), mark None for removed.
    `later` counts what the day's quota leaves for another day."""

    engine: Engine
    channel: Channel
    items: list[tuple[str, str | None]]
    what: str
    later: int = 0


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of one message. `status` is taken, pending, refused, failed, or due (dry run)."""

    engine: str
    channel: str
    what: str
    count: int
    status: str
    detail: str


def channel_name(channel: Channel) -> str:
    """The name under which the ledger keeps a channel."""
    return channel.name if isinstance(channel, CallChannel) else channel.kind


def due(engine: Engine, published: Published, ledger: Ledger) -> Iterator[Due]:
    """What has changed since this engine last heard, one `Due` a message."""
    for channel in engine.channels:
        if isinstance(channel, CallChannel) and channel.name != "submit-sitemap":
            continue
        heard = ledger.heard(engine.name, channel_name(channel))
        if isinstance(channel, IndexNowChannel):
            marks = {loc: one.mark for loc, one in heard.items()}
            room = None
            if channel.per_day is not None:
                room = max(0, channel.per_day - ledger.announced_today(engine.name, channel.kind))
            yield from _due_pages(engine, channel, published, marks, room)
            continue
        if isinstance(channel, HandChannel):
            # The first sitemap is the index, which leads to the others and keeps its address.
            for loc, (mark, _) in list(published.sitemaps.items())[:1]:
                if loc not in heard:
                    yield Due(engine, channel, [(loc, mark)], loc)
            continue
        if isinstance(channel, WebSubChannel):
            for loc, mark in published.feeds.items():
                if loc not in heard or heard[loc].mark != mark:
                    yield Due(engine, channel, [(loc, mark)], loc)
            continue
        for loc, (mark, _) in published.sitemaps.items():
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


def announce(
    one: Due,
    published: Published,
    ledger: Ledger,
    client: httpx.Client,
    token: str = "",
    pause: Callable[[float], None] = time.sleep,
) -> Outcome:
    """Send one message, with its intent recorded before and its outcome after.

    Never raises for what an engine does: a refusal or a silence is an outcome.
    """
    name = channel_name(one.channel)
    number = ledger.intend(one.engine.name, name, one.what, one.items)
    request = _request(one, published, token)
    try:
        answer = send(client, request, pause=pause)
        status, detail = _meaning(one.channel, answer)
    except NetworkError as error:
        status, detail = FAILED, str(error)
    urls = None
    if isinstance(one.channel, CallChannel):
        urls = published.sitemaps[one.items[0][0]][1]
    ledger.settle(number, status, detail, urls)
    return Outcome(one.engine.name, name, one.what, len(one.items), status, detail)


def by_hand(one: Due, published: Published, ledger: Ledger, *, done: bool) -> Outcome:
    """What the owner is to do; with `done` it is recorded as done."""
    channel = one.channel
    assert isinstance(channel, HandChannel)
    loc, _ = one.items[0]
    text = channel.say.replace("{site}", published.site_url).replace("{sitemap}", loc)
    if not done:
        return Outcome(one.engine.name, channel.kind, one.what, 1, DUE, f"to do by hand: {text}")
    number = ledger.intend(one.engine.name, channel.kind, one.what, one.items)
    ledger.settle(number, TAKEN, f"done by hand: {text}", published.sitemaps[loc][1])
    return Outcome(one.engine.name, channel.kind, one.what, 1, TAKEN, "done by hand")


#: The status of what is not announced yet.
DUE = "due"


def _request(one: Due, published: Published, token: str) -> Request:
    channel = one.channel
    if isinstance(channel, IndexNowChannel):
        locs = [loc for loc, _ in one.items]
        message = indexnow.body(published.site_url, channel.key or published.key, locs)
        return Request("POST", channel.endpoint, {"Content-Type": indexnow.CONTENT_TYPE}, message)
    if isinstance(channel, WebSubChannel):
        told = websub.body(one.items[0][0])
        return Request("POST", channel.hub, {"Content-Type": websub.CONTENT_TYPE}, told)
    assert isinstance(channel, CallChannel)
    return fill(
        channel.method,
        channel.url,
        channel.headers,
        channel.body,
        site=published.site_url,
        sitemap=one.items[0][0],
        token=token,
    )


def _meaning(channel: Channel, answer: Answer) -> tuple[str, str]:
    """Outcome and detail of an answer."""
    wait = f" It asks to wait {answer.retry_after:.0f} s." if answer.retry_after else ""
    if isinstance(channel, IndexNowChannel):
        said = indexnow.ANSWERS.get(answer.status, "an answer that IndexNow does not define")
        status = {200: TAKEN, 202: PENDING}.get(answer.status, REFUSED)
        detail = f"status {answer.status}: {said}.{wait}"
    elif isinstance(channel, WebSubChannel):
        status = TAKEN if 200 <= answer.status < 300 else REFUSED
        detail = f"status {answer.status}: {websub.meaning(answer.status)}.{wait}"
    else:
        assert isinstance(channel, CallChannel)
        taken = answer.status in channel.success
        status = TAKEN if taken else REFUSED
        detail = f"status {answer.status}: {'taken' if taken else _refusal(answer)}.{wait}"
    return (FAILED if answer.status >= 500 and status == REFUSED else status), detail


def _refusal(answer: Answer) -> str:
    known = {
        401: "refused: the token is missing or not valid",
        403: "refused: the token does not give access to this site",
        404: "the engine does not know this site or address. Check the channel's url",
        422: "refused: the engine cannot take this sitemap",
        429: "refused: too many requests. Wait, then run `jovial-atlas submit` again",
    }
    text = answer.body[:200].decode("utf-8", "replace").strip()
    said = known.get(answer.status, "refused" if answer.status < 500 else "the engine failed")
    return f"{said} ({text})" if text and answer.status not in known else said


def ask_reports(
    engine: Engine, site_url: str, client: httpx.Client, token: Callable[[str], str]
) -> list[SitemapReport] | None:
    """What an engine says of each sitemap now, or None where no channel tells.

    `token` gives the token for an environment variable's name. Raises NetworkError.
    """
    channel = reading_channel(engine.channels)
    if channel is None:
        return None
    request = fill(
        channel.method,
        channel.url,
        channel.headers,
        channel.body,
        site=site_url,
        token=token(channel.token_env) if channel.token_env else "",
    )
    answer = send(client, request)
    if answer.status not in channel.success:
        raise NetworkError(
            f"{engine.name} answered the report with status {answer.status}: {_refusal(answer)}."
        )
    return read_report(answer.body, channel.items, channel.fields, engine.name)


def reading_channel(
    channels: Sequence[Channel],
) -> CallChannel | None:
    """The channel over which an engine tells what came of the sitemaps."""
    return next(
        (c for c in channels if isinstance(c, CallChannel) and c.name == "read-sitemaps"), None
    )
