"""What was searched and clicked, asked of an engine over its interface."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from typing import Any

import polars as pl

from jovial_atlas.engines.published import channel_for
from jovial_atlas.errors import NetworkError
from jovial_atlas.rounds.state.sending import Sending
from jovial_atlas.rounds.state.traffic import traffic_of
from jovial_atlas.rounds.telling.hear import HEARD_KINDS, PERFORMANCE, HeardTable
from jovial_atlas.sitefile import Engine, SiteFile
from jovial_atlas.sitefile.engines import CallName
from jovial_atlas.traffic.asking import last_day
from jovial_atlas.traffic.columns import guessed_columns
from jovial_atlas.traffic.hearing import hear_performance
from jovial_atlas.traffic.reading import TextRows, flat_rows

CHANNEL: CallName = "read-performance"
#: Days that are asked for at first; and those that are asked for once more, since engines add to
#: them for some days.
_FIRST, _AGAIN = 90, 4


@dataclass(slots=True)
class AskedTable:
    """The rows that an engine gives, part by part. A failure on the way ends them; `trouble` says
    why, and what came before it is good."""

    shown: str
    first: list[dict[str, Any]]
    rest: Iterator[list[dict[str, Any]]]
    is_large: bool = False
    trouble: str = ""
    asked: int = field(default=0)

    def plain_pieces(self, kinds: Mapping[str, pl.DataType]) -> Iterator[TextRows]:
        """As `pieces`: it is never large."""
        del kinds
        return self.pieces()

    def pieces(self) -> Iterator[TextRows]:
        """Its rows, some at a time; there are no lines to name, so rows are counted."""
        part: list[dict[str, Any]] | None = self.first
        while part is not None:
            table = flat_rows(part)
            if table.height:
                yield TextRows(table, range(self.asked + 1, self.asked + 1 + table.height))
            self.asked += table.height
            try:
                part = next(self.rest, None)
            except NetworkError as error:
                self.trouble, part = str(error), None


def tells_performance(engine: Engine) -> bool:
    """Whether an engine has an interface that tells what was searched and clicked."""
    return channel_for(engine, CHANNEL) is not None


def ask_performance(
    site: SiteFile, engine: Engine, sending: Sending, now: datetime
) -> tuple[HeardTable | None, str]:
    """Ask an engine what was searched and clicked since it was asked last, and keep it; gives back
    what came, None for nothing, and why it failed, if it did. Raises AtlasError where rows cannot
    be used."""
    channel = channel_for(engine, CHANNEL)
    if channel is None:
        return None, ""
    traffic = traffic_of(site)
    ends = now.date() - timedelta(1)
    known = last_day(traffic, engine.name, needs=())
    begins = ends - timedelta(_FIRST - 1)
    if known is not None:
        begins = max(begins, min(known, ends) - timedelta(_AGAIN - 1))
    parts = sending.asking(engine, site).performance(begins.isoformat(), ends.isoformat())
    try:
        first = next(parts, [])
    except NetworkError as error:
        return None, str(error)
    if not first:
        return None, ""
    table = AskedTable(f"{engine.name}, {CHANNEL}", first, parts)
    header = flat_rows(first).columns
    named = {ours: channel.fields.get(ours, ours) for ours in HEARD_KINDS[PERFORMANCE]}
    columns = {ours: theirs for ours, theirs in named.items() if theirs in header}
    free = [name for name in header if name not in columns.values()]
    guessed = {ours: theirs for ours, theirs in guessed_columns(free).items()
               if ours not in columns and not channel.fields}  # fmt: skip
    period: tuple[date, date] = (begins, ends)
    done = hear_performance(traffic, engine.name, table, columns | guessed, site.urls, period)
    heard = HeardTable(table.shown, PERFORMANCE, done.rows, done.elsewhere, done, guessed)
    return heard, table.trouble
