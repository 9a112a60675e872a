"""Robots directives, as `<meta name="robots">` and `X-Robots-Tag` carry them.

Comma-separated, case-insensitive; several tags or headers add up, and where they
disagree the more restrictive applies: of two limits the smaller (-1 is none at all), of two
previews of pictures the smaller one, of two dates the earlier.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

import msgspec

from jovial_atlas import dates
from jovial_atlas.robots.words import DECIDED, written

#: Previews of pictures, the strictest first.
_PREVIEWS = ("none", "standard", "large")
_LIMITS = frozenset({"max-snippet", "max-video-preview"})
_WHOLE = re.compile(r"-?[0-9]{1,9}\Z")


class Directives(msgspec.Struct, frozen=True):
    """What all the tags together say. `words` is the sorted, comma-separated rest of it."""

    index: bool
    follow: bool
    words: str
    unknown: tuple[str, ...]


_FOR_CRAWLER = re.compile(
    r"(?:^|,)\s*(?!max-|unavailable_after)([A-Za-z][\w-]*)\s*:\s*(?!//)", re.IGNORECASE
)
# A date after `unavailable_after:` may hold a comma (RFC 822, RFC 850); it stays in one piece.
_PARTS = re.compile(r",(?!\s*\d{1,2}[ -]\w{3})", re.ASCII)


def read_header(value: str) -> dict[str, Directives]:
    """`X-Robots-Tag`: crawler → directives, "" for all crawlers. What follows a crawler's name
    is for that crawler, up to the next name, or to the end of that header field; several fields
    are given as lines."""
    by_crawler: dict[str, list[str]] = {"": []}
    for field in value.split("\n"):
        first, *parts = _FOR_CRAWLER.split(field)
        by_crawler[""].append(first)
        for token, words in zip(parts[::2], parts[1::2], strict=True):
            by_crawler.setdefault(token.lower(), []).append(words)
    return {token: read_directives(words) for token, words in by_crawler.items()}


def read_directives(contents: Iterable[str]) -> Directives:
    """Add up the contents of several tags or headers (without a leading crawler token)."""
    words: dict[str, str] = {}
    for content in contents:
        for part in _PARTS.split(content):
            name, colon, value = (piece.strip() for piece in " ".join(part.split()).partition(":"))
            name = name.lower()
            if not name:
                continue
            if not colon:
                words.setdefault(name, "")
                continue
            said = _value(name, value)
            had = words.get(name)
            words[name] = said if had is None else _stricter(name, had, said)
    return Directives(
        index=not words.keys() & {"noindex", "none"},
        follow=not words.keys() & {"nofollow", "none"},
        words=written(words),
        unknown=tuple(sorted(words.keys() - DECIDED)),
    )


def _value(name: str, value: str) -> str:
    """A value in its one spelling; a date stays as it is written."""
    return value if name == "unavailable_after" else value.lower()


def _stricter(name: str, first: str, second: str) -> str:
    """The more restrictive of two values of one directive; one that cannot be read counts least."""
    if name in _LIMITS:
        found = [int(said) for said in (first, second) if _WHOLE.match(said)]
        limits = [number for number in found if number >= 0]
        return str(min(limits)) if limits else str(found[0]) if found else first
    if name == "max-image-preview":
        known = [said for said in (first, second) if said in _PREVIEWS]
        return min(known, key=_PREVIEWS.index) if known else first
    if name == "unavailable_after":
        read = [(date, said) for said in (first, second) if (date := dates.read(said))]
        return min(read)[1] if read else first
    return first
