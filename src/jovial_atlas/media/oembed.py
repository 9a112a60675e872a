"""oEmbed (https://oembed.com, 1.0): asking a service for title, author, still and size of a video.

Messages only: what is sent and how an answer is read. Who sends them is handed in.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from urllib.parse import urlencode, urljoin

import msgspec
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas import foreign
from jovial_atlas.errors import NetworkError
from jovial_atlas.web import Answer

#: Sends a GET and gives the answer; raises NetworkError.
Get = Callable[[str], Answer]


class NoSuchVideoError(NetworkError):
    """The service answers, and knows no such video (404, 410)."""


class Embed(msgspec.Struct, frozen=True):
    """What a service says of a video; seconds and pixels, None where it does not say."""

    title: str | None = None
    author: str | None = None
    author_page: str | None = None
    thumbnail: str | None = None
    width: int | None = None
    height: int | None = None
    duration: int | None = None


def ask(page: str, endpoint: str, get: Get) -> Embed:
    """What the service says of the video at `page`. Without an endpoint the page itself is asked
    for its link to one (oEmbed §4). Raises NoSuchVideoError, and NetworkError where there is no
    usable answer."""
    if not endpoint:
        address = discover(_said(page, get).body, page)
        if address is None:
            raise NetworkError(f"{page} names no oEmbed address.")
    else:
        query = urlencode({"url": page, "format": "json"})
        address = f"{endpoint}{'&' if '?' in endpoint else '?'}{query}"
    return read_answer(_said(address, get).body, address)


def _said(address: str, get: Get) -> Answer:
    answer = get(address)
    if answer.status in (404, 410):
        raise NoSuchVideoError(f"{address} answers with status {answer.status}.")
    if answer.status != 200:
        raise NetworkError(f"{address} answers with status {answer.status}.")
    return answer


def discover(html: bytes, page: str) -> str | None:
    """The oEmbed address that a page names: `<link type="application/json+oembed" href>`."""
    for link in LexborHTMLParser(html).css("link[href]"):
        if (link.attributes.get("type") or "").strip().lower() == "application/json+oembed":
            return urljoin(page, link.attributes.get("href") or "")
    return None


def read_answer(data: bytes, name: str) -> Embed:
    """An answer of an endpoint (oEmbed §2.3.4). Raises NetworkError where it is none."""
    try:
        answer = foreign.read_json(data)
        if not isinstance(answer, dict):
            raise TypeError("it is no object")
    except (ValueError, TypeError) as error:
        raise NetworkError(f"{name} gives no oEmbed answer ({error}).") from None
    size = [_whole(answer.get(key)) for key in ("width", "height")]
    return Embed(
        _text(answer.get("title")),
        _text(answer.get("author_name")),
        _address(answer.get("author_url")),
        _address(answer.get("thumbnail_url")),
        size[0],
        size[1],
        _whole(answer.get("duration")),
    )


def _text(value: object) -> str | None:
    return foreign.text(value) or None if isinstance(value, str) else None


def _address(value: object) -> str | None:
    good = isinstance(value, str) and re.match(r"https?://[^\s/]+[^\s]*\Z", value[:4_097])
    return foreign.whole_text(str(value)) if good and len(str(value)) <= 4_096 else None


def _whole(value: object) -> int | None:
    """Seconds or pixels: from 1 to ten million; a fraction is cut off."""
    if isinstance(value, str) and re.fullmatch(r"[0-9]{1,8}\.[0-9]{1,9}", value):
        value = float(value)
    if isinstance(value, float) and 0 <= value <= _MOST:
        value = int(value)
    return foreign.whole(value, _MOST) or None


#: More pixels or seconds no video has.
_MOST = 10_000_000
