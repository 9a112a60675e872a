"""Dates of records as they are written, whole columns at a time: what has a usual form is read by
expressions, and only what has none value by value, each distinct one once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import polars as pl

from jovial_atlas import dates
from jovial_atlas.address_columns import each_once, put, replaced
from jovial_atlas.date_columns import written_days, written_moments

#: A day that there is, whatever the year; a time of day.
_REAL_DAY = (
    "[12][0-9]{3}-(?:(?:0[1-9]|1[0-2])-(?:0[1-9]|1[0-9]|2[0-8])|(?:0[13-9]|1[0-2])-(?:29|30)"
    "|(?:0[13578]|1[02])-31)"
)
_REAL_TIME = "(?:[01][0-9]|2[0-3]):[0-5][0-9]:[0-5][0-9]"
#: Dates in the product's form; and moments of UTC in another, which differ in single signs.
_IN_FORM = rf"^{_REAL_DAY}(?:T{_REAL_TIME}Z)?$"
_OF_UTC = rf"^{_REAL_DAY}[T ]{_REAL_TIME}(?:[.,][0-9]+)? ?(?:Z|UTC|GMT|[+-]00(?::?00)?)?$"
_OF_A_ZONE = (
    rf"^{_REAL_DAY}[T ]{_REAL_TIME}(?:[.,][0-9]+)? ?[+-](?:0[0-9]|1[0-9]|2[0-3]):?[0-5][0-9]$"
)
#: RFC 5322 §3.3, in its modern form.
_RFC = r"^(?:\w{3}, )?(\d\d?) (\w{3}) (\d{4}) (\d\d:\d\d:\d\d) (GMT|UTC|[+-]\d{4})$"


def read_one_by_one(values: pl.Series) -> pl.Series:
    """Dates as `dates.read` has them, which is slow; null where one is none."""
    return each_once(values, lambda text: dates.read(text) if text else None)


#: Reads dates of a column, and gives null for what it cannot read.
Reader = Callable[[pl.Series], pl.Series]


def read_dates(values: pl.Series, others: Reader = read_one_by_one) -> pl.Series:
    """Dates in the product's form; null where one is none. What has no usual form is read by
    `others`."""
    odd = (~values.str.contains(_IN_FORM) & values.is_not_null()).fill_null(False)
    if not odd.any():
        return values
    return replaced(values, odd, partial(read_in_turn, (*_FORMS, others)))


def read_in_turn(ways: Sequence[Reader], values: pl.Series) -> pl.Series:
    """What ways to read make of values, the first first: what it gives nothing for goes to the
    next."""
    way, *others = ways
    dated = way(values)
    left = (dated.is_null() & values.is_not_null()).fill_null(False)
    if not others or not left.any():
        return dated
    rest = read_in_turn(others, values.filter(left) if not left.all() else values)
    return rest if left.all() else put(dated, left, rest)


def _moments_of_utc(values: pl.Series) -> pl.Series:
    """What only has to be written otherwise; null for all else."""
    text = pl.col("text")
    written = pl.concat_str(text.str.slice(0, 10), pl.lit("T"), text.str.slice(11, 8), pl.lit("Z"))
    table = pl.DataFrame({"text": values})
    return table.select(pl.when(text.str.contains(_OF_UTC)).then(written)).to_series()


def _moments_of_zones(values: pl.Series) -> pl.Series:
    """Moments of ISO 8601 in full with their distance from UTC, by the places of their signs; null
    for all else."""
    text = pl.col("text")
    bare = pl.when(text.str.contains(_OF_A_ZONE)).then(text)
    here = pl.DataFrame({"text": values}).select(text=bare)
    if not here["text"].count():
        return here["text"]

    def number(start: int) -> pl.Expr:
        return text.str.slice(start, 2).cast(pl.Int64)

    colon = text.str.slice(-3, 1) == ":"
    hours = pl.when(colon).then(number(-5)).otherwise(number(-4)) * 60
    sign = pl.when(colon).then(text.str.slice(-6, 1)).otherwise(text.str.slice(-5, 1))
    zone = (hours + number(-2)) * pl.when(sign == "-").then(-1).otherwise(1)
    day = text.str.slice(0, 10).str.to_date("%Y-%m-%d", strict=False).to_physical().cast(pl.Int64)
    seconds = ((day * 24 + number(11)) * 60 + number(14) - zone) * 60 + number(17)
    moments = here.select((seconds * 1000).cast(pl.Datetime("ms")))
    return written_moments(moments.to_series())


_UTC = ("Z", "UTC", "GMT")


def _of_form(form: str, values: pl.Series) -> pl.Series:
    """What is written in one of `dates.WRITTEN_FORMS`; null for all else."""
    if not values.str.contains(form).any():
        return pl.repeat(None, len(values), dtype=pl.String, eager=True)
    groups = pl.col("text").str.extract_groups(form)
    found = pl.DataFrame({"text": values}).select(groups).unnest("text")
    lacking = (name for name in ("hour", "minute", "second", "zone") if name not in found.columns)
    return written_parts(found.with_columns(pl.lit(None, pl.String).alias(one) for one in lacking))


def written_parts(parts: pl.DataFrame) -> pl.Series:
    """Dates in the product's form, of their parts as texts: `year`, `month`, `day`, and, null for
    days alone, `hour`, `minute`, `second` (none for 0) and `zone` (none for UTC)."""
    of_year = pl.concat_str(pl.col(name).str.zfill(2) for name in ("month", "day"))
    day = (pl.col("year") + of_year).str.to_date("%Y%m%d", strict=False)
    number = {name: pl.col(name).cast(pl.Int64) for name in ("hour", "minute", "second")}
    hour, minute, second = number["hour"], number["minute"], number["second"].fill_null(0)
    seconds = (hour * 60 + minute - _minutes_of(pl.col("zone"))) * 60 + second
    moment = day.cast(pl.Datetime("ms")) + pl.duration(seconds=seconds, time_unit="ms")
    good = (hour < 24) & (minute < 60) & (second < 60) & moment.dt.year().is_between(1, 9999)
    whole = parts.select(
        day=pl.when(pl.col("year") != "0000").then(day), timed=hour.is_not_null(),
        moment=pl.when(good, pl.col("year") != "0000").then(moment),
    )  # fmt: skip
    days = written_days(whole["day"])
    if not whole["timed"].any():
        return days
    return put(days, whole["timed"], written_moments(whole["moment"].filter(whole["timed"])))


def _minutes_of(zone: pl.Expr) -> pl.Expr:
    """How far a zone is from UTC."""
    digits = zone.str.replace(":", "", literal=True)
    minutes = digits.str.slice(1, 2).cast(pl.Int64, strict=False) * 60
    minutes += digits.str.slice(3, 2).cast(pl.Int64, strict=False).fill_null(0)
    sign = pl.when(zone.str.starts_with("-")).then(-1).otherwise(1)
    return (sign * minutes).fill_null(0)  # for the names of UTC


def _rfc_moments(values: pl.Series) -> pl.Series:
    part = pl.col("text").str.extract_groups(_RFC).struct
    written = part[0].str.zfill(2) + " " + part[1] + " " + part[2] + " " + part[3]
    parts = pl.DataFrame({"text": values}).select(written=written, zone=part[4])
    return _moments(parts, "%d %b %Y %H:%M:%S")


def _moments(parts: pl.DataFrame, form: str) -> pl.Series:
    """Moments of texts `written` in a form, each in its `zone`, in the product's form."""
    zone = pl.col("zone")
    moment = pl.col("written").str.to_datetime(form, time_unit="ms", strict=False)
    sign = pl.when(zone.str.starts_with("-")).then(-1).otherwise(1)
    minutes = zone.str.slice(1, 2).cast(pl.Int64, strict=False) * 60
    minutes += zone.str.slice(3, 2).cast(pl.Int64, strict=False).fill_null(0)
    offset = pl.duration(minutes=sign * minutes, time_unit="ms")
    here = pl.when(zone.is_null() | zone.is_in(_UTC)).then(moment).otherwise(moment - offset)
    return written_moments(parts.select(here).to_series())


#: What reads each usual form, and gives null for all else.
_FORMS: tuple[Reader, ...] = (
    _moments_of_utc, _moments_of_zones, _rfc_moments,
    *(partial(_of_form, form) for form in dates.WRITTEN_FORMS),
)  # fmt: skip

#: Seconds and milliseconds since 1970, from 1990 on; smaller numbers may be days, as 20260131.
_SECONDS, _MILLISECONDS = (631_152_000, 9_999_999_999), (631_152_000_000, 9_999_999_999_999)


def read_numbers(values: pl.Series) -> pl.Series:
    """Numbers that stand for dates in the product's form: seconds or milliseconds since 1970, or
    days as they are written; null where one is none."""
    number = pl.col("n")
    seconds = (
        pl.when(number.is_between(*_SECONDS))
        .then(number)
        .when(number.is_between(*_MILLISECONDS))
        .then(number // 1000)
    )
    table = pl.DataFrame({"n": values.cast(pl.Int64, strict=False)}).with_columns(s=seconds)
    dated = written_moments(table.select(pl.from_epoch("s", time_unit="s")).to_series())
    other = (dated.is_null() & values.is_not_null()).fill_null(False)
    if not other.any():
        return dated
    return put(dated, other, read_dates(values.filter(other).cast(pl.String)))
