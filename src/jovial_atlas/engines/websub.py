"""WebSub messages of a publisher, without any sending (W3C Recommendation WebSub, section 7).

A feed names its hub; when it changed, the publisher tells the hub, which fetches the feed and
passes it on. Older hubs want the address as `hub.topic` too.
"""

from __future__ import annotations

from urllib.parse import urlencode

FORM_TYPE = "application/x-www-form-urlencoded"


def body(feed: str) -> bytes:
    """The message that a feed changed."""
    said = {"hub.mode": "publish", "hub.url": feed, "hub.topic": feed}
    return urlencode(said).encode("ascii")


def meaning(status: int) -> str:
    """What an answer means: every 2xx is success."""
    if 200 <= status < 300:
        return "taken; the hub fetches the feed"
    known = {404: "there is no hub at this address", 429: "too many messages; wait"}
    return known.get(status, "the hub failed" if status >= 500 else "the hub refuses it")
