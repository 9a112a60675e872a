"""Announcing to one engine: intent, sending, outcome; and settling what had none."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import timedelta
from typing import TYPE_CHECKING, Any

from jovial_atlas import dates
from jovial_atlas.engines.asking import Asking
from jovial_atlas.engines.channels import SentKind, channel_name, kind_named, kind_of
from jovial_atlas.engines.published import Due, Outcome, Published
from jovial_atlas.errors import NetworkError, UnansweredError
from jovial_atlas.records import Status, Unsettled
from jovial_atlas.sitefile.engines import Channel
from jovial_atlas.web import Answer, Client, send

if TYPE_CHECKING:
    from jovial_atlas.ledger import Ledger

#: How far the clock of an engine may be behind ours.
_SKEW = timedelta(minutes=2)


def announce(
    due: Due,
    published: Published,
    ledger: Ledger,
    client: Client,
    token: str = "",
    pause: Callable[[float], None] = time.sleep,
) -> Outcome:
    """Send one message, with its intent recorded before and its outcome after.

    Never raises for what an engine does: a refusal or a silence is an outcome.
    """
    name, kind = channel_name(due.channel), kind_of(due.channel)
    assert isinstance(kind, SentKind)
    number = ledger.intend(due.engine.name, name, due.what, due.items)
    request = kind.request(due, due.channel, published, token)
    try:
        # What counts is the status: a long or broken body behind it changes nothing.
        answer = send(client, request, pause=pause, cut=True)
        status, detail = _meaning(kind, due.channel, answer)
    except UnansweredError as error:
        status, detail = Status.UNKNOWN, str(error)
    except NetworkError as error:
        status, detail = Status.FAILED, str(error)
    urls = None
    if kind.tells_sitemaps(name):
        urls = published.sitemaps[due.items[0][0]][1]
    ledger.settle(number, status, detail, urls)
    return Outcome(due.engine.name, name, due.what, len(due.items), status, detail)


def _meaning(kind: SentKind[Any], channel: Channel, answer: Answer) -> tuple[Status, str]:
    """Outcome and detail of an answer. What the engine's own failure refused is not refused."""
    status, said = kind.meaning(channel, answer)
    wait = f" It asks to wait {answer.retry_after:.0f} s." if answer.retry_after else ""
    failed = answer.status >= 500 and status == Status.REFUSED
    return Status.FAILED if failed else status, f"status {answer.status}: {said}.{wait}"


def settle(unsettled: Unsettled, published: Published, ledger: Ledger, asking: Asking) -> Outcome:
    """Find out what became of an announcement that broke off, from the engine where it can tell.

    Where it cannot, the announcement is due again: none may be lost, and to hear of the same twice
    does an engine no harm. Only where a repeat does harm (`repeat_harms` of its channel) it counts
    as taken.
    """
    name = asking.engine.name
    try:
        arrived = _arrived(unsettled, ledger, asking)
    except NetworkError as error:
        detail = f"{error} Nothing else goes over this channel until it is known."
        return Outcome(
            name, unsettled.channel, unsettled.what, len(unsettled.items), Status.UNKNOWN, detail
        )
    kind = kind_named(unsettled.channel)
    if arrived is None and kind and unsettled.channel in kind.repeat_harms:
        status = Status.ASSUMED
        detail = (
            f"broke off on {unsettled.at[:10]}; {name} does not tell, and a repeat would use "
            "up its quota, so it counts as taken."
        )
    elif arrived is None:
        status = Status.LOST
        detail = (
            f"broke off on {unsettled.at[:10]}; {name} does not tell. It is due again: a repeat "
            "does no harm."
        )
    elif arrived:
        status, detail = Status.TAKEN, f"broke off on {unsettled.at[:10]}; {name} has it."
    else:
        status, detail = (
            Status.LOST,
            f"broke off on {unsettled.at[:10]}; {name} has it not, so it is due again.",
        )
    urls = None
    if kind and kind.tells_sitemaps(unsettled.channel):
        urls = (
            published.sitemaps.get(unsettled.items[0][0], ("", 0))[1] if unsettled.items else None
        )
    ledger.settle(unsettled.number, status, detail, urls)
    return Outcome(name, unsettled.channel, unsettled.what, len(unsettled.items), status, detail)


def _arrived(unsettled: Unsettled, ledger: Ledger, asking: Asking) -> bool | None:
    """Whether an engine has what was announced; None where it cannot tell."""
    if not unsettled.items:
        return True
    kind = kind_named(unsettled.channel)
    since = dates.write(dates.moment(unsettled.at) - _SKEW)
    return (
        kind.arrived(unsettled.channel, unsettled.items[0][0], since, ledger, asking)
        if kind
        else None
    )
