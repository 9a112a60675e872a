"""Robots directives in the one form in which they are kept: `name` or `name: value`, sorted,
parted by commas. Writing, reading and finding them, one by one or over a whole column."""

from __future__ import annotations

import re
from collections.abc import Mapping

#: Directives that are decided field by field; all others are the page's own.
DECIDED = frozenset(
    ["all", "index", "follow", "none", "noindex", "nofollow", "nosnippet", "noarchive",
     "notranslate", "noimageindex", "indexifembedded", "max-snippet", "max-image-preview",
     "max-video-preview", "unavailable_after"]
)  # fmt: skip

#: A date may hold a comma, but what follows it is no directive.
_PARTS = re.compile(r", (?=[a-z])")


def written(words: Mapping[str, str]) -> str:
    """Directives with their values, `""` for none, in the form in which they are kept."""
    return ", ".join(sorted(f"{name}: {value}" if value else name for name, value in words.items()))


def kept(words: str | None) -> dict[str, str]:
    """Directives that are kept, each with its value."""
    words_kept = {}
    for part in _PARTS.split(words) if words else ():
        name, _, value = part.partition(":")
        words_kept[name.strip().lower()] = value.strip()
    return words_kept


def may_index(words: str | None) -> bool:
    """Whether directives that are kept let a page be indexed."""
    return not kept(words).keys() & {"noindex", "none"}


def has(*names: str) -> str:
    """A regular expression that finds one of these directives in what is kept."""
    return rf"(?:^|, )(?:{'|'.join(names)})(?:,|$)"


def value_of(name: str, form: str = r".+?") -> str:
    """A regular expression whose group is the value of a directive in what is kept, where it has
    this form."""
    return rf"(?:^|, ){name}: ?({form})(?:, [a-z]|$)"
