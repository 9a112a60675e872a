"""Dates in fields of records: read whole columns at a time, and what of them could not be used is
counted, so that it can be told once for each field."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date, timedelta
from functools import partial
from threading import Lock

import polars as pl

from jovial_atlas.address_columns import each_once, put
from jovial_atlas.date_columns import written_days, written_moments
from jovial_atlas.dates_in_text import day_in_words
from jovial_atlas.faults import Fault, plural
from jovial_atlas.sources.records.written_dates import (
    Reader,
    read_dates,
    read_in_turn,
    read_numbers,
    read_one_by_one,
    written_parts,
)

#: What stands in a field that has no date.
_NONE = r"(?i)^\s*(?:0|-|–|n/?a|nan|nat|none|null|never|true|false|yes|no|1|0000-00-00.*)?\s*$"
#: Day and month in the order of a country, the year, perhaps a time.
_NUMBERED = (
    r"^\s*(\d{1,2})[/-](\d{1,2})[/-](\d{4})"
    r"(?:,?\s+(\d{1,2}):(\d\d)(?::(\d\d))?\s*([AaPp][Mm])?)?\s*$"
)
_FIRST_YEAR = "1990"
#: So many values are looked at for dates with day and month in some order.
_SAMPLE = 200


class LostDates:
    """How many values of each field could not be used as dates, with the first of them in order:
    because they are none, or because they cannot be right."""

    def __init__(self) -> None:
        self._unread: dict[str, tuple[int, str]] = {}
        self._wrong: dict[str, tuple[int, str]] = {}
        #: Fields of which it is known whether days or months stand first.
        self._ordered: set[str] = set()
        self._lock = Lock()

    def add(self, field: str, values: pl.Series, *, unread: bool) -> None:
        """Values of a field that were lost, as they are written."""
        told = self._unread if unread else self._wrong
        with self._lock:
            least = str(values.min())
            count, first = told.get(field, (0, least))
            told[field] = (count + values.len(), min(first, least))

    def note_order(self, field: str) -> None:
        """It is known of a field whether days or months stand first."""
        self._ordered.add(field)

    def faults(self, source: str) -> Iterator[Fault]:
        """What is told of a source."""
        for field, (count, first) in self._unread.items():
            shown = f"{plural(count, 'value')} of {field} cannot be read as a date"
            hint = ""
            if field not in self._ordered and pl.Series([first]).str.contains(_NUMBERED).all():
                hint = " Nothing in the table tells whether days or months stand first."
            yield Fault("date-unreadable", source, f"{shown}, like {first[:60]!r}.{hint}")
        for field, (count, first) in self._wrong.items():
            shown = f"{plural(count, 'value')} of {field} cannot be right and"
            verb = "is" if count == 1 else "are"
            told = f"{shown} {verb} not used, like {first[:60]!r}."
            yield Fault("date-implausible", source, told)


def days_stand_first(table: pl.LazyFrame, field: str, kind: pl.DataType) -> bool | None:
    """Whether the dates of a field have the day before the month, as by those that can only be one
    of both; None where there are none, or of either kind."""
    if kind != pl.String:
        return None
    text = table.select(text=field)
    if not text.head(_SAMPLE).collect()["text"].str.contains(_NUMBERED).any():
        return None
    found = text.select(_numbers()).select(
        day=((pl.col("first") > 12) & (pl.col("second") <= 12)).any(),
        month=((pl.col("second") > 12) & (pl.col("first") <= 12)).any(),
    )
    day, month = found.collect(engine="streaming").row(0)
    return None if day == month else day


def date_column(
    field: str,
    kind: pl.DataType,
    last: date,
    lost: LostDates | None = None,
    *,
    day_first: bool | None = None,
    language: str = "",
) -> pl.Expr:
    """The dates of a field of some type in the product's form; null for what is none, is before
    1990 or after the day `last`. What is `lost` by that is added there. Of dates that are written
    in the order of a country it has to be known whether the day stands first; months may have their
    names in a `language`, or in English."""
    if kind == pl.Null:
        return pl.lit(None, pl.String)
    column = pl.col(field)
    read: Callable[[pl.Series], pl.Series] = read_numbers
    if kind == pl.Date:
        read = written_days
    elif isinstance(kind, pl.Datetime):
        read = written_moments
    elif not kind.is_numeric() or kind.is_decimal():
        column = column.cast(pl.String)
        read = partial(_read_texts, day_first=day_first, language=language)
        if lost is not None and day_first is not None:
            lost.note_order(field)
    work = partial(_usable, field, read, last, lost)
    return column.map_batches(work, return_dtype=pl.String, is_elementwise=True)


def _usable(
    field: str,
    read: Callable[[pl.Series], pl.Series],
    last: date,
    lost: LostDates | None,
    values: pl.Series,
) -> pl.Series:
    dated = read(values)
    if lost is not None and dated.null_count() > values.null_count():
        unread = values.filter(dated.is_null() & values.is_not_null()).cast(pl.String)
        unread = unread.filter(~unread.str.contains(_NONE))
        if unread.len():
            lost.add(field, unread, unread=True)
    good = dated >= _FIRST_YEAR
    if last < date.max:
        good &= dated < (last + timedelta(days=1)).isoformat()
    bad = (~good).fill_null(False)
    if not bad.any():
        return dated
    if lost is not None:
        lost.add(field, dated.filter(bad), unread=False)
    return pl.select(pl.when(good).then(dated)).to_series().alias(dated.name)


def _read_texts(values: pl.Series, day_first: bool | None, language: str) -> pl.Series:
    ways: list[Reader] = [partial(_in_words, language=language), read_one_by_one]
    if day_first is not None:
        ways.insert(0, partial(_in_order, day_first=day_first))
    return read_dates(values, partial(read_in_turn, ways))


#: A date with words or signs, its year last or first; perhaps a time behind it.
_WORDED = (
    r"(?i)^\s*(?P<date>[^\n]*?(?:(?:19|20)[0-9]{2}|[日일]))\.?(?:,?\s+(?:at\s+)?(?P<hour>[0-9]{1,2}):"
    r"(?P<minute>[0-9]{2})(?::(?P<second>[0-9]{2}))?\s*(?P<half>[ap]\.?m\b\.?)?"
    r"\s*(?P<zone>UTC|GMT|Z|[+-](?:[01][0-9]|2[0-3]):?[0-5][0-9])?)?\s*$"
)
#: So many days there may be: texts that differ more often are none.
_MOST_DAYS = 20_000


#: Stands for an hour that there is not.
_NO_HOUR = 99


def _in_words(values: pl.Series, language: str) -> pl.Series:
    """Dates in which months have names, and dates of East Asia; null for all else."""
    nothing = pl.repeat(None, len(values), dtype=pl.String, eager=True)
    if not values.str.contains(_WORDED).any():
        return nothing
    groups = pl.col("text").str.extract_groups(_WORDED)
    found = pl.DataFrame({"text": values}).select(groups).unnest("text")
    if found["date"].n_unique() > _MOST_DAYS:
        return nothing
    day = each_once(found["date"], partial(day_in_words, language=language or None)).str
    named = {"year": day.slice(0, 4), "month": day.slice(5, 2), "day": day.slice(8, 2)}
    hour, half = pl.col("hour").cast(pl.Int64), pl.col("half").str.head(1).str.to_lowercase()
    of_day = _hour_of_day(hour, half == "p").fill_null(_NO_HOUR).cast(pl.String)
    timed = pl.when(hour.is_not_null()).then(of_day).alias("hour")
    return written_parts(found.with_columns(timed, **named))


def _hour_of_day(hour: pl.Expr, afternoon: pl.Expr) -> pl.Expr:
    """The hour from 0 to 23, of one that may be of half a day; null for one that is not."""
    of_half = pl.when(hour.is_between(1, 12)).then(hour % 12 + 12 * afternoon)
    return pl.when(afternoon.is_null()).then(hour).otherwise(of_half)


def _numbers() -> list[pl.Expr]:
    """The parts of a date that is written in the order of a country."""
    part = pl.col("text").str.extract_groups(_NUMBERED).struct
    names = ("first", "second", "year", "hour", "minute", "seconds")
    numbers = [part[at].cast(pl.Int32, strict=False).alias(name) for at, name in enumerate(names)]
    return [*numbers, part[6].str.to_lowercase().alias("half")]


def _in_order(values: pl.Series, *, day_first: bool) -> pl.Series:
    """Dates that are written in the order of a country; null for all else."""
    day, month = ("first", "second") if day_first else ("second", "first")
    table = pl.DataFrame({"text": values}).select(_numbers())
    whole = table.with_columns(
        day=pl.concat_str(
            "year", pl.col(month).cast(pl.String).str.zfill(2),
            pl.col(day).cast(pl.String).str.zfill(2), separator="-",
        ).str.to_date("%Y-%m-%d", strict=False)
    )  # fmt: skip
    days = written_days(whole["day"])
    timed = whole["hour"].is_not_null()
    if not timed.any():
        return days
    of_day = _hour_of_day(pl.col("hour"), pl.col("half") == "pm")
    seconds = pl.col("seconds").fill_null(0)
    good = (of_day < 24) & (pl.col("minute") < 60) & (seconds < 60)
    time = pl.duration(hours=of_day, minutes="minute", seconds=seconds)
    moment = pl.when(good).then(pl.col("day").cast(pl.Datetime("ms")) + time)
    moments = written_moments(whole.select(moment.dt.cast_time_unit("ms")).to_series())
    return put(days, timed, moments.filter(timed))
