"""Dates as sites write them, and as the W3C profile of ISO 8601 writes them.

Inside the product a date is a string in one of two forms, `YYYY-MM-DD` or
`YYYY-MM-DDThh:mm:ssZ` (always UTC), so that dates sort, compare and print as they are.
"""

from __future__ import annotations

import math
import re
import time
from datetime import UTC, date, datetime, timedelta, timezone
from functools import lru_cache

# https://www.w3.org/TR/NOTE-datetime: the six forms; a zone is required with a time.
_W3C = re.compile(
    r"(\d{4})(?:-(\d\d)(?:-(\d\d)"
    r"(?:T(\d\d):(\d\d)(?::(\d\d)(?:\.\d+)?)?(Z|[+-]\d\d:\d\d))?)?)?\Z",
    re.ASCII,
)
_LOOSE = re.compile(
    r"\s*(\d{4})-?(\d\d)-?(\d\d)"
    r"(?:[T ]+(\d\d):(\d\d)(?::(\d\d)(?:[.,]\d+)?)?\s*"
    r"(Z|UTC|GMT|[+-](?:[01]\d|2[0-3])(?::?[0-5]\d)?)?)?\s*\Z",
    re.IGNORECASE | re.ASCII,
)
_ZONE = "(?P<zone>Z|UTC|GMT|[+-](?:[01][0-9]|2[0-3])(?::?[0-5][0-9])?)"
_CLOCK = (
    "(?P<hour>[0-9]{1,2}):(?P<minute>[0-9]{2})(?::(?P<second>[0-9]{2})(?:[.,][0-9]+)?)?"
    rf"\s*{_ZONE}?"
)
_TIME = rf"(?:(?:T|,?\s+){_CLOCK})?"
#: Other forms in which the order of day, month and year is certain, with groups of these names: the
#: year first; without any signs between (ISO 8601, basic format); and with dots, which have the day
#: first wherever they are used. They are read alike as one text and as a column.
WRITTEN_FORMS = tuple(
    rf"(?i)^\s*{form}\s*$"
    for form in (
        "(?P<year>[0-9]{4})(?:-(?P<month>[0-9]{1,2})-(?P<day>[0-9]{1,2}))" + _TIME,
        "(?P<year>[0-9]{4})(?:/(?P<month>[0-9]{1,2})/(?P<day>[0-9]{1,2}))" + _TIME,
        r"(?P<year>[0-9]{4})(?:\.(?P<month>[0-9]{1,2})\.(?P<day>[0-9]{1,2}))" + _TIME,
        "(?P<year>[0-9]{4})(?P<month>[0-9]{2})(?P<day>[0-9]{2})T?(?P<hour>[0-9]{2})"
        f"(?P<minute>[0-9]{{2}})(?P<second>[0-9]{{2}})(?:[.,][0-9]+)?{_ZONE}?",
        "(?P<year>[0-9]{4})(?P<month>[0-9]{2})(?P<day>[0-9]{2})T(?P<hour>[0-9]{2})"
        f"(?P<minute>[0-9]{{2}}){_ZONE}?",
        r"(?P<day>[0-9]{1,2})\.(?P<month>[0-9]{1,2})\.(?P<year>[0-9]{4})" + _TIME,
    )
)


def is_w3c(text: str) -> bool:
    """Whether the text is a W3C Datetime that names a real day and time."""
    match = _W3C.match(text)
    if not match:
        return False
    year, month, day, hour, minute, second, zone = match.groups()
    try:
        datetime(int(year), int(month or 1), int(day or 1))
    except ValueError:
        return False
    if hour is None:
        return True
    good = int(hour) <= 23 and int(minute) <= 59 and int(second or 0) <= 59
    return good and (zone == "Z" or (int(zone[1:3]) <= 23 and int(zone[4:]) <= 59))


def read(text: str) -> str | None:
    """A date as sites write it (ISO 8601, the form of RFC 5322, one of `WRITTEN_FORMS`) in the
    product's form.

    A time without a zone is taken as UTC. None where it is no date.
    """
    if match := _LOOSE.match(text):
        year, month, day, hour, minute, second, zone = match.groups()
    elif match := next(filter(None, (form.match(text) for form in _forms())), None):
        part = match.groupdict().get
        year, month, day = match["year"], match["month"], match["day"]
        hour, minute, second, zone = part("hour"), part("minute"), part("second"), part("zone")
    else:
        return _read_rfc(text)
    try:
        if hour is None:
            return date(int(year), int(month), int(day)).isoformat()
        moment = datetime(
            int(year), int(month), int(day), int(hour), int(minute), int(second or 0),
            tzinfo=_zone(zone),
        )  # fmt: skip
        return write(moment)
    except (ValueError, OverflowError):
        return None


@lru_cache(maxsize=1)
def _forms() -> tuple[re.Pattern[str], ...]:
    return tuple(re.compile(form.replace("$", r"\Z"), re.ASCII) for form in WRITTEN_FORMS)


_HALF = re.compile(r"\d\s*([ap])\.?m\b", re.I)


def _read_rfc(text: str) -> str | None:
    try:
        # Few dates are of this form, and the reader of it is slow to load.
        from email.utils import parsedate_to_datetime

        moment = parsedate_to_datetime(text.strip())
        # It passes over what is none of that form, but people write it.
        if half := _HALF.search(text):
            moment = moment.replace(hour=moment.hour % 12 + 12 * (half[1] in "pP"))
        return write(moment if moment.tzinfo else moment.replace(tzinfo=UTC))
    except (ValueError, TypeError, IndexError, OverflowError):
        return None


def _zone(text: str | None) -> timezone:
    if text is None or text.upper() in ("Z", "UTC", "GMT"):
        return UTC
    sign = -1 if text[0] == "-" else 1
    digits = text[1:].replace(":", "")
    # PostgreSQL writes whole hours alone.
    return timezone(sign * timedelta(hours=int(digits[:2]), minutes=int(digits[2:] or 0)))


def write(moment: datetime) -> str:
    """A moment with a zone as `YYYY-MM-DDThh:mm:ssZ`."""
    return moment.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def from_timestamp(seconds: float) -> str:
    """A file's time, in seconds since 1970, as `YYYY-MM-DDThh:mm:ssZ`."""
    return _written(math.floor(seconds))


@lru_cache(maxsize=1_000)
def _written(seconds: int) -> str:
    # Files of one build share their times.
    year, month, day, hour, minute, second, *_ = time.gmtime(seconds)
    return f"{year:04}-{month:02}-{day:02}T{hour:02}:{minute:02}:{second:02}Z"


def moment(text: str) -> datetime:
    """A date in the product's form as a moment; a day without a time begins at 00:00 UTC."""
    if len(text) == 10:
        return datetime.fromisoformat(text).replace(tzinfo=UTC)
    return datetime.fromisoformat(text)


def plausible(text: str, now: datetime) -> bool:
    """Whether a page can have changed then: not before 1990, not later than tomorrow."""
    return text >= "1990" and text[:10] <= _day_after(now)


@lru_cache(maxsize=8)
def _day_after(moment: datetime) -> str:
    return (moment + timedelta(days=1)).date().isoformat()
