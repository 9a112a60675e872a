"""Opening hours as people write them down, as nodes of the vocabulary.

One entry is days and times, `Mo-Fr 09:00-17:00`, several parted by `;`. An entry may hold for a
part of the year: `2026-11-01..2027-03-31: Mo-Su 10:00-16:00`, and may say `closed`.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_SEASON = re.compile(r"\s*(\d{4}-\d\d-\d\d)\s*\.\.\s*(\d{4}-\d\d-\d\d)\s*:\s*(.*)\Z", re.S)
_ENTRY = re.compile(r"(?:([A-Za-z][A-Za-z,\s-]*?)\s+)?(closed|\d\d?:\d\d\s*-\s*\d\d?:\d\d)\Z", re.I)


def parse_hours(texts: str | Sequence[str]) -> list[dict[str, Any]]:
    """The nodes OpeningHoursSpecification of some texts. Raises ValueError with one sentence."""
    specifications: list[dict[str, Any]] = []
    for text in [texts] if isinstance(texts, str) else texts:
        season = _SEASON.match(text)
        bounds = {"validFrom": season[1], "validThrough": season[2]} if season else {}
        parts = (season[3] if season else text).split(";")
        specifications += [{**_entry(part.strip()), **bounds} for part in parts if part.strip()]
    return specifications


def _entry(text: str) -> dict[str, Any]:
    match = _ENTRY.match(text)
    if match is None:
        raise ValueError(f"{text!r} is no opening time; write it as 'Mo-Fr 09:00-17:00'")
    days = _days(match[1]) if match[1] else list(DAYS)
    if match[2].lower() == "closed":
        opens = closes = "00:00"
    else:
        opens, closes = (f"{one.strip():0>5}" for one in match[2].split("-"))
        for one in (opens, closes):
            if not ("00:00" <= one <= "24:00" and one[3:] < "60"):
                raise ValueError(f"{text!r}: {one} is no time of day")
    return {
        "@type": "OpeningHoursSpecification", "dayOfWeek": days, "opens": opens, "closes": closes,
    }  # fmt: skip


def _days(text: str) -> list[str]:
    numbers: list[int] = []
    for part in text.split(","):
        first, dash, last = (one.strip() for one in part.partition("-"))
        start = _day(first)
        end = _day(last) if dash else start
        numbers += [number % 7 for number in range(start, end + 1 + (7 if end < start else 0))]
    return [DAYS[number] for number in dict.fromkeys(numbers)]


def _day(text: str) -> int:
    days = [
        n for n, day in enumerate(DAYS) if len(text) > 1 and day.lower().startswith(text.lower())
    ]
    if len(days) != 1:
        raise ValueError(f"{text!r} is no day; write Mo, Tu, We, Th, Fr, Sa or Su")
    return days[0]
