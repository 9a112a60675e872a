"""Whole columns of days and moments as text, in the two forms of `dates`: looked up in a calendar,
which is several times as fast as writing each.
"""

from __future__ import annotations

from datetime import date
from functools import cache

import polars as pl

#: Days outside these are written one by one; hardly any page has one.
_FIRST, _LAST = date(1990, 1, 1), date(2050, 12, 31)
_EPOCH = date(1970, 1, 1)
_IN_A_DAY = 24 * 60 * 60
_IN_A_SECOND = {"ms": 1_000, "us": 1_000_000, "ns": 1_000_000_000}


def written_days(days: pl.Series) -> pl.Series:
    """A column of days as `YYYY-MM-DD`."""
    text = _in_calendar(days.to_physical().cast(pl.Int64))
    return _with_rare(text, days, "%Y-%m-%d").alias(days.name)


def written_moments(moments: pl.Series) -> pl.Series:
    """A column of moments, with a zone or taken as UTC, as `YYYY-MM-DDThh:mm:ssZ`."""
    kind = moments.dtype
    assert isinstance(kind, pl.Datetime)
    seconds = moments.to_physical() // _IN_A_SECOND[kind.time_unit]
    day = seconds // _IN_A_DAY
    second = seconds - day * _IN_A_DAY
    minute = second // 60
    text = _in_calendar(day) + _minutes().gather(minute) + _seconds().gather(second - minute * 60)
    here = moments.dt.convert_time_zone("UTC") if kind.time_zone else moments
    return _with_rare(text, here, "%Y-%m-%dT%H:%M:%SZ").alias(moments.name)


def _with_rare(text: pl.Series, values: pl.Series, form: str) -> pl.Series:
    """The texts with those of values that the calendar does not have."""
    rare = text.is_null() & values.is_not_null()
    if not rare.any():
        return text
    return text.scatter(rare.arg_true(), values.filter(rare).dt.strftime(form))


def _in_calendar(days: pl.Series) -> pl.Series:
    """Days since 1970 as text; null for one that is not in the calendar."""
    found = _calendar()
    place = days - (_FIRST - _EPOCH).days
    known = place.is_between(0, found.len() - 1)
    if not known.all():
        place = place.to_frame("place").select(pl.when(known).then("place")).to_series()
    return found.gather(place)


@cache
def _calendar() -> pl.Series:
    return pl.date_range(_FIRST, _LAST, eager=True).cast(pl.String)


@cache
def _minutes() -> pl.Series:
    return pl.Series([f"T{hour:02}:{minute:02}:" for hour in range(24) for minute in range(60)])


@cache
def _seconds() -> pl.Series:
    return pl.Series([f"{second:02}Z" for second in range(60)])
