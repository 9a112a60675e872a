"""How people write prices, dates and lengths of time, as structured data has them."""

from __future__ import annotations

import re
from datetime import datetime
from zoneinfo import ZoneInfo

from jovial_atlas import dates
from jovial_atlas.structured import values

_AMOUNT = re.compile(r"\d[\d.,' ]*")


_LENGTH = re.compile(r"(\d+(?:[.,]\d+)?)\s*([a-z]+)", re.I)


_UNITS = {"d": "D", "h": "H", "m": "M", "s": "S", "t": "D", "st": "H"}


def price(text: str) -> str:
    """A price as digits with a dot: `8,00 £` as `8.00`; as it is where it holds no number."""
    match = _AMOUNT.search(text)
    if match is None:
        return text
    number = match[0].strip(" .,'").replace("'", "").replace(" ", "")
    comma, dot = number.rfind(","), number.rfind(".")
    if comma > dot and len(number) - comma - 1 != 3:
        return number.replace(".", "").replace(",", ".")
    if dot > comma and len(number) - dot - 1 == 3 and comma < 0 and number.count(".") > 1:
        return number.replace(".", "")
    return number.replace(",", "")


def moment(text: str, zone: ZoneInfo | None = None) -> str:
    """A date as ISO 8601, a time without a zone in `zone`; as it is where it is no date."""
    if not values.is_moment(text):
        return dates.read(text) or text
    if len(text) <= 10:
        return text
    if zone is None or values.has_zone(text):
        return text.replace(" ", "T", 1)
    return datetime.fromisoformat(text).replace(tzinfo=zone).isoformat()


def duration(text: str) -> str:
    """A length of time as ISO 8601: `1 h 20 min` as `PT1H20M`, `35` as minutes; as it is where it
    cannot be told."""
    if values.is_duration(text):
        return text
    if re.fullmatch(r"[0-9]{1,300}", text):
        return f"PT{text}M"
    if match := re.fullmatch(r"(\d+):(\d\d)", text):
        return f"PT{int(match[1])}H{int(match[2])}M"
    lengths = [(number, _unit(word)) for number, word in _LENGTH.findall(text)]
    if not lengths or not all(unit for _, unit in lengths):
        return text
    days = "".join(f"{number}{unit}" for number, unit in lengths if unit == "D")
    rest = "".join(f"{number.replace(',', '.')}{unit}" for number, unit in lengths if unit != "D")
    return f"P{days}{'T' if rest else ''}{rest}"


def _unit(word: str) -> str:
    low = word.lower()
    return _UNITS.get(low[:2]) or _UNITS.get(low[:1]) or ""
