"""Robots directives, as `<meta name="robots">` and `X-Robots-Tag` carry them.

Comma-separated, case-insensitive; several tags or headers add up, and where they
disagree the more restrictive applies.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

KNOWN = frozenset(
    [
        "all",
        "index",
        "follow",
        "noindex",
        "nofollow",
        "none",
        "nosnippet",
        "noarchive",
        "notranslate",
        "noimageindex",
        "indexifembedded",
        "max-snippet",
        "max-image-preview",
        "max-video-preview",
        "unavailable_after",
    ]
)


@dataclass(frozen=True, slots=True)
class Directives:
    """What all the tags together say. `words` is the sorted, comma-separated rest of it."""

    index: bool
    follow: bool
    words: str
    unknown: tuple[str, ...]


_FOR_CRAWLER = re.compile(
    r"(?:^|,)\s*(?!max-|unavailable_after)([A-Za-z][\w-]*)\s*:\s*(?!//)", re.IGNORECASE
)


def read_header(value: str) -> dict[str, Directives]:
    """`X-Robots-Tag`: crawler → directives, "" for all crawlers. What follows a crawler's name
    is for that crawler, up to the next name."""
    parts = _FOR_CRAWLER.split(value)
    found = {"": read_directives(parts[:1])}
    for token, words in zip(parts[1::2], parts[2::2], strict=True):
        found[token.lower()] = read_directives([words])
    return found


def read_directives(contents: Iterable[str]) -> Directives:
    """Add up the contents of several tags or headers (without a leading crawler token)."""
    words: dict[str, None] = {}
    for content in contents:
        # A date after unavailable_after: may hold a comma; it is kept in one piece.
        for part in re.split(r",(?!\s*\d{1,2}[ -]\w{3})", content):
            if word := " ".join(part.split()):
                words[word.lower() if ":" not in word else word] = None
    names = {word.partition(":")[0].strip().lower() for word in words}
    return Directives(
        index=not names & {"noindex", "none"},
        follow=not names & {"nofollow", "none"},
        words=", ".join(sorted(words)),
        unknown=tuple(sorted(names - KNOWN)),
    )
