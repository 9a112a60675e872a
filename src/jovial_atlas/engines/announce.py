"""Announcing to one engine: intent, sending, outcome; and settling what had none."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

from jovial_atlas import dates
from jovial_atlas.engines import indexnow, websub
from jovial_atlas.engines.asking import NOT_KNOWN, Asking, channel_for
from jovial_atlas.engines.call import fill
from jovial_atlas.engines.due import PAGES, SITEMAPS, Due, Published, channel_name
from jovial_atlas.engines.meaning import meaning
from jovial_atlas.errors import NetworkError, UnansweredError
from jovial_atlas.ledger import Ledger, Unsettled
from jovial_atlas.ledger.values import ASSUMED, FAILED, LOST, REFUSED, TAKEN, UNKNOWN
from jovial_atlas.sitefile import CallChannel, HandChannel, IndexNowChannel, WebSubChannel
from jovial_atlas.web import Client, Request, send

#: The status of what is not announced yet.
DUE = "due"
#: Channels over which a message may not be repeated on suspicion: each uses up a small quota.
REPEAT_HARMS = frozenset({"index-page"})
#: How far the clock of an engine may be behind ours.
_SKEW = timedelta(minutes=2)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of one message. `status` is taken, pending, refused, failed, unknown, or due (not
    sent); of one that was settled afterwards taken, assumed, lost or unknown."""

    engine: str
    channel: str
    what: str
    count: int
    status: str
    detail: str


def announce(
    one: Due,
    published: Published,
    ledger: Ledger,
    client: Client,
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
        # What counts is the status: a long or broken body behind it changes nothing.
        answer = send(client, request, pause=pause, cut=True)
        status, detail = meaning(one.channel, answer)
    except UnansweredError as error:
        status, detail = UNKNOWN, str(error)
    except NetworkError as error:
        status, detail = FAILED, str(error)
    urls = None
    if name == SITEMAPS:
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


def by_robots(one: Due, published: Published, ledger: Ledger) -> Outcome:
    """Whether robots.txt names the sitemap; then the engine finds it by itself."""
    loc, _ = one.items[0]
    number = ledger.intend(one.engine.name, channel_name(one.channel), one.what, one.items)
    if loc in published.in_robots:
        status, detail = TAKEN, "robots.txt names it; the engine finds it on its next visit"
    else:
        status = REFUSED
        detail = "robots.txt does not name it. See `jovial-atlas build`: it may be kept as it was"
    ledger.settle(number, status, detail, published.sitemaps[loc][1])
    return Outcome(one.engine.name, channel_name(one.channel), one.what, 1, status, detail)


def settle(one: Unsettled, published: Published, ledger: Ledger, asking: Asking) -> Outcome:
    """Find out what became of an announcement that broke off, from the engine where it can tell.

    Where it cannot, the announcement is due again: none may be lost, and to hear of the same twice
    does an engine no harm. Only where a repeat does harm (`REPEAT_HARMS`) it counts as taken.
    """
    name = asking.engine.name
    try:
        arrived = _arrived(one, ledger, asking)
    except NetworkError as error:
        detail = f"{error} Nothing else goes over this channel until it is known."
        return Outcome(name, one.channel, one.what, len(one.items), UNKNOWN, detail)
    if arrived is None and one.channel in REPEAT_HARMS:
        status = ASSUMED
        detail = (
            f"broke off on {one.at[:10]}; {name} does not tell, and a repeat would use up its "
            "quota, so it counts as taken."
        )
    elif arrived is None:
        status = LOST
        detail = (
            f"broke off on {one.at[:10]}; {name} does not tell. It is due again: a repeat does no "
            "harm."
        )
    elif arrived:
        status, detail = TAKEN, f"broke off on {one.at[:10]}; {name} has it."
    else:
        status, detail = LOST, f"broke off on {one.at[:10]}; {name} has it not, so it is due again."
    urls = None
    if one.channel == SITEMAPS:
        urls = published.sitemaps.get(one.items[0][0], ("", 0))[1] if one.items else None
    ledger.settle(one.number, status, detail, urls)
    return Outcome(name, one.channel, one.what, len(one.items), status, detail)


def _arrived(one: Unsettled, ledger: Ledger, asking: Asking) -> bool | None:
    """Whether an engine has what was announced; None where it cannot tell."""
    if not one.items:
        return True
    loc = one.items[0][0]
    since = dates.write(dates.moment(one.at) - _SKEW)
    if one.channel in (SITEMAPS, "remove-sitemap"):
        return _sitemap_arrived(one.channel, loc, since, ledger, asking)
    if one.channel in (PAGES, "index-page"):
        return _page_arrived(loc, since, asking)
    # To ask once more for a look at the proof does no harm; a hub is told of what it can fetch.
    return False if one.channel == "verify-site" else None


def _sitemap_arrived(
    channel: str, loc: str, since: str, ledger: Ledger, asking: Asking
) -> bool | None:
    reports = asking.sitemaps()
    if reports is None:
        return None
    report = next((report for report in reports if report.loc == loc), None)
    if channel == "remove-sitemap":
        return report is None
    if report is None:
        return False
    if report.submitted:
        return report.submitted >= since
    if report.last_read and report.last_read >= since:
        return True
    # Known there, and by no earlier message of ours.
    return True if loc not in ledger.heard(asking.engine.name, SITEMAPS) else None


def _page_arrived(loc: str, since: str, asking: Asking) -> bool | None:
    said = asking.page(loc)
    if said is None and channel_for(asking.engine, "read-pages"):
        listed = (page for part in asking.pages() for page in part)
        said = next((page for page in listed if page.loc == loc), None)
        if said is None:
            return False
    if said is None:
        return None
    if said.reason == NOT_KNOWN:
        return False
    return said.announced >= since if said.announced else None


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
    loc = one.items[0][0]
    return fill(
        channel.method,
        channel.url,
        channel.headers,
        channel.body,
        site=published.site_url,
        sitemap=loc,
        page=loc,
        token=token,
    )
