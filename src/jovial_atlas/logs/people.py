"""Visits of people, counted from server logs without keeping anything about anybody.

Who visits is told apart by the address and the browser, and by nothing else: both go through a hash
whose key is drawn by lot for each day, is in memory only, and is thrown away at the end. What is
kept are counts: day, page, visits. Somebody who looks at a page twice on one day counts once.
"""

from __future__ import annotations

import re
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

import polars as pl

from jovial_atlas.date_columns import written_days, written_moments
from jovial_atlas.logs.lines import day_of

#: How a time is written: day, clock and zone at fixed places.
_TIME = r"^\d\d/[A-Za-z]{3}/\d{4}:\d\d:\d\d:\d\d [+-]\d{4}$"
_DAY, _CLOCK, _UTC = (0, 11), (12, 8), " +0000"
#: Programs, by what they call themselves: all that fetch by themselves say so, or name an address
#: where one can read about them.
_PROGRAMS = (
    r"(?i)bot\b|bot[/_;-]|crawl|spider|slurp|fetch|monitor|preview|scan|probe|check|curl|wget|"
    r"python|perl|ruby|java/|go-http|okhttp|libwww|httpclient|headless|phantom|feed|rss|archiv|"
    r"valid|http://|https://|\+http|@|jovial-atlas"
)
#: Rows that are held before those that are the same are joined.
_HELD = 4_000_000
_ROW = {"date": pl.Date, "path": pl.String, "who": pl.UInt64}


@dataclass(slots=True)
class PeopleCounted:
    """Visits as `date, path, visits`, from when to when each day was read, and requests that were
    left out since their time had been counted before."""

    visits: pl.DataFrame
    times: dict[date, tuple[str, str]]
    before: int


@dataclass(slots=True)
class PeopleCounter:
    """Takes lines of logs in the Combined Log Format, piece by piece. `known` has from when to when
    each day was counted before: requests of those times do not count again. `tokens` are product
    tokens of crawlers that are known to be some."""

    known: Mapping[date, tuple[str, str]] = field(default_factory=dict)
    tokens: Sequence[str] = ()
    _times: dict[date, tuple[str, str]] = field(default_factory=dict)
    _keys: dict[date, int] = field(default_factory=dict)
    _held: list[pl.DataFrame] = field(default_factory=list)
    _rest: bytes = b""
    _before: int = 0

    def take(self, piece: bytes) -> None:
        """Take a piece of a log; a line may go on in the next one."""
        whole = self._rest + piece
        end = whole.rfind(b"\n") + 1
        self._rest = whole[end:][-(1 << 16) :]
        if end:
            self._count(whole[:end])

    def end_of_file(self) -> None:
        """What is left is a line, though nothing ends it."""
        if self._rest:
            self._count(self._rest + b"\n")
        self._rest = b""

    def counted(self) -> PeopleCounted:
        """What came of all lines. The keys are thrown away."""
        self._join()
        rows = self._held[0] if self._held else pl.DataFrame(schema=_ROW)
        visits = rows.group_by("date", "path").agg(visits=pl.len()).sort("date", "path")
        self._keys.clear()
        self._held.clear()
        return PeopleCounted(visits, self._times, self._before)

    def _count(self, whole: bytes) -> None:
        lines = whole.decode("utf-8", "replace").split("\n")
        table = self._not_before(_from_lines(pl.Series("line", lines)))
        people = table.filter(
            (pl.col("method") == "GET")
            & pl.col("status").is_in([200, 304])
            & (pl.col("agent").str.len_chars() > 3)
            & ~pl.col("agent").str.contains(self._programs)
        )
        for (day,), some in people.partition_by("date", as_dict=True).items():
            key = self._keys.setdefault(day, secrets.randbits(63))
            who = pl.concat_str("address", pl.lit("\0"), "agent").hash(key)
            self._held.append(some.select("date", "path", who=who).unique())
        if sum(one.height for one in self._held) > _HELD:
            self._join()

    def _not_before(self, table: pl.DataFrame) -> pl.DataFrame:
        """The lines whose times were not counted before; from when to when they are is noted."""
        spans = table.group_by("date").agg(first=pl.col("at").min(), last=pl.col("at").max())
        for day, first, last in spans.iter_rows():
            had = self._times.get(day, (first, last))
            self._times[day] = (min(first, had[0]), max(last, had[1]))
        if not self.known:
            return table
        known = pl.DataFrame(
            [(day, *times) for day, times in self.known.items()], orient="row",
            schema={"date": pl.Date, "from": pl.String, "to": pl.String},
        )  # fmt: skip
        joined = table.join(known, on="date", how="left", maintain_order="left")
        done = pl.col("at").is_between("from", "to").fill_null(False)
        fresh = joined.filter(~done).drop("from", "to")
        self._before += table.height - fresh.height
        return fresh

    @property
    def _programs(self) -> str:
        return "|".join([_PROGRAMS, *map(re.escape, self.tokens)])

    def _join(self) -> None:
        if self._held:
            self._held = [pl.concat(self._held).unique()]


def _from_lines(lines: pl.Series) -> pl.DataFrame:
    """Common and Combined Log Format, whole columns at once: `date, at, address, method, path,
    status, agent`; times in UTC. What stands between quotes is found by these; a line in which
    another stands within is told apart by its beginning all the same."""
    parts = (
        lines.to_frame()
        .select(pl.col("line").str.split_exact('"', 5).struct.unnest())
        .with_columns(
            time=pl.col("field_0").str.extract(r"\[([^\]]+)\]"),
            words=pl.col("field_1").str.split_exact(" ", 2),
            status=pl.col("field_2").str.strip_chars_start(" ").str.slice(0, 3),
        )
        .filter(pl.col("time").str.contains(_TIME) & pl.col("status").str.contains(r"^\d{3}$"))
    )
    lead = pl.col("field_0").str.split_exact(" ", 2)
    first, second = lead.struct.field("field_0"), lead.struct.field("field_1")
    address = pl.when(first.str.contains(_IP)).then(first).otherwise(second)
    return (
        _with_times(parts)
        .select(
            "date", "at",
            address=address.fill_null(""),
            method=pl.col("words").struct.field("field_0"),
            path=pl.col("words").struct.field("field_1"),
            status=pl.col("status").cast(pl.Int32),
            agent=pl.col("field_5").fill_null(""),
        )
        .drop_nulls(["date", "path"])
    )  # fmt: skip


_IP = r"^[0-9A-Fa-f.:]*[.:][0-9A-Fa-f.:]*$"


def _with_times(parts: pl.DataFrame) -> pl.DataFrame:
    """The lines with `date` and `at` in UTC. Days are few, and read once each; only times of other
    zones are worked out one by one."""
    day = parts["time"].str.slice(*_DAY)
    known = {text: day_of(text.encode()) for text in day.unique().to_list()}
    dates = day.replace_strict(known, default=None, return_dtype=pl.Date)
    table = parts.with_columns(
        date=dates,
        at=written_days(dates) + "T" + parts["time"].str.slice(*_CLOCK) + "Z",
    )
    elsewhere = ~pl.col("time").str.ends_with(_UTC)
    moment = pl.col("time").str.to_datetime("%d/%b/%Y:%H:%M:%S %z", strict=False, time_zone="UTC")
    text = moment.map_batches(written_moments, return_dtype=pl.String, is_elementwise=True)
    if table.select(elsewhere.any()).item():
        table = table.with_columns(
            date=pl.when(elsewhere).then(moment.dt.date()).otherwise("date"),
            at=pl.when(elsewhere).then(text).otherwise("at"),
        )
    return table
