"""Dates in words, as pages show them to people: `11 November 2026`, `Nov. 11, 2026`, `11.11.2026`.

Only days that can be read in one way: `3/4/2026` is one day here and another there.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date
from functools import lru_cache
from typing import NamedTuple

_YEAR = r"((?:19|20)\d\d)"
_WORD = r"([^\W\d_]{3,})\.?"
_ISO = re.compile(rf"(?<!\d){_YEAR}([-/.])(\d\d?)\2(\d\d?)(?![\d])")
_DOTS = re.compile(rf"(?<![\d.])(\d\d?)\.\s?(\d\d?)\.\s?{_YEAR}(?!\.?\d)")
_DAY_FIRST = re.compile(
    rf"(?<![\d.])(\d\d?)(?:st|nd|rd|th|er|º|\.)?\s+(?:of\s+|de\s+)?{_WORD},?\s+(?:de\s+)?{_YEAR}(?!\d)"
)
_MONTH_FIRST = re.compile(rf"\b{_WORD}\s+(\d\d?)(?:st|nd|rd|th)?,?\s+{_YEAR}(?!\d)")
_SIGNS = re.compile(rf"{_YEAR}\s*[年년]\s*(\d\d?)\s*[月월]\s*(\d\d?)\s*[日일]")
#: Every form has a year; what has none is looked at no further.
_ANY_YEAR = re.compile(r"(?:19|20)\d\d")


class ShownDate(NamedTuple):
    """A day, as `YYYY-MM-DD`, and where its words begin and end in a text."""

    day: str
    start: int
    end: int


def dates_in(text: str, language: str | None) -> list[ShownDate]:
    """The days that a text names, in their order. Names of months are those of the language (a tag
    of BCP 47) and the English ones."""
    if not _ANY_YEAR.search(text):
        return []
    found = {one.start: one for one in _read(text, (language or "en").lower())}
    return [found[start] for start in sorted(found)]


#: What may stand before and behind a date that a field holds: a day of the week, the end of a
#: sentence; and the form of databases, with a name between hyphens.
_BEFORE, _BEHIND = re.compile(r"\s*(?:[^\W\d_]+\.?,?\s+)?"), re.compile(r"[\s.]*")
_HYPHENS = re.compile(r"\s*(\d\d?)-([^\W\d_]{3,})\.?-(\d{4})\s*")


def day_in_words(text: str, language: str | None) -> str | None:
    """The day that a text names where it names nothing else; None where that is not so."""
    if match := _HYPHENS.fullmatch(text):
        text = " ".join(match.groups())
    found = dates_in(text, language)
    if len(found) != 1:
        return None
    day, start, end = found[0]
    return day if _BEFORE.fullmatch(text[:start]) and _BEHIND.fullmatch(text[end:]) else None


def _read(text: str, language: str) -> Iterator[ShownDate]:
    for match in _ISO.finditer(text):
        yield from _day(match, match[1], match[3], match[4])
    for match in _SIGNS.finditer(text):
        yield from _day(match, match[1], match[2], match[3])
    for match in _DOTS.finditer(text):
        yield from _day(match, match[3], match[2], match[1])
    for match in _DAY_FIRST.finditer(text):
        yield from _day(match, match[3], _month(match[2], language), match[1])
    for match in _MONTH_FIRST.finditer(text):
        yield from _day(match, match[3], _month(match[1], language), match[2])


def _day(match: re.Match[str], year: str, month: str, day: str) -> Iterator[ShownDate]:
    try:
        known = date(int(year), int(month), int(day)).isoformat()
    except ValueError:
        return
    yield ShownDate(known, match.start(), match.end())


def _month(word: str, language: str) -> str:
    """The number of a month by its name; "" for another word."""
    lowered = word.lower()
    return _months("en").get(lowered) or _months(language).get(lowered) or ""


@lru_cache(maxsize=64)
def _months(language: str) -> dict[str, str]:
    """Names of months, whole and short, as they stand alone and in dates → their numbers."""
    # Loaded where a page shows a date in words: the locale library is large.
    from babel import Locale, UnknownLocaleError

    wider = language.rpartition("-")[0]
    known = _months(wider) if wider else {}
    try:
        locale = Locale.parse(language, sep="-")
    except (UnknownLocaleError, ValueError):
        return known
    return known | {
        name.lower().rstrip("."): str(number)
        for way in ("stand-alone", "format")
        for size in ("wide", "abbreviated")
        for number, name in locale.months[way][size].items()
    }
