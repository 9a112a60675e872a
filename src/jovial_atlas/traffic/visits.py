"""Visits of people by page and day, as logs of servers tell of them: Parquet files by month, with
nothing in them but days, pages and counts."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from datetime import date
from pathlib import Path
from urllib.parse import quote

import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.files import write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.traffic.asking import FOUR_WEEKS, Span, span_to

#: The folder within that of all traffic.
_FOLDER = "visits"
_TYPES = {"date": pl.Date(), "loc": pl.String(), "visits": pl.UInt32()}


def keep_visits(folder: Path, counted: pl.DataFrame) -> None:
    """Add visits (`date, loc, visits`) to what is kept in a folder. Raises OutputError."""
    months = _typed(counted).with_columns(
        month=pl.col("date").dt.strftime("%Y-%m")
    )
    for (month,), some in months.partition_by("month", as_dict=True, include_key=False).items():
        path = folder / _FOLDER / f"{month}.parquet"
        before = snapshot.load(path)
        both = some if before is None else pl.concat([before, some])
        table = both.group_by("date", "loc").agg(pl.col("visits").sum()).sort("date", "loc")
        snapshot.save(_typed(table), path)


def times_read(folder: Path, server: str = "") -> dict[date, tuple[str, str]]:
    """From when to when the visits of each day were counted, at one of several servers where it
    has a name. Raises OutputError where that cannot be read."""
    path = _times(folder, server)
    try:
        said = json.loads(path.read_text("utf-8"))
        return {date.fromisoformat(day): (one[0], one[1]) for day, one in said.items()}
    except FileNotFoundError:
        return {}
    except (OSError, ValueError, AttributeError, TypeError, IndexError) as error:
        raise OutputError(
            f"{path} cannot be read ({error}). Delete the folder {path.parent} and read all logs "
            "again: jovial-atlas logs FILE…"
        ) from None


def keep_times(
    folder: Path, times: Mapping[date, tuple[str, str]], server: str = ""
) -> None:
    """Keep from when to when visits of days are counted now. Raises OutputError."""
    known = times_read(folder, server)
    for day, (first, last) in times.items():
        had = known.get(day, (first, last))
        known[day] = (min(first, had[0]), max(last, had[1]))
    text = json.dumps({f"{day}": known[day] for day in sorted(known)}, indent=0)
    write_whole(_times(folder, server), f"{text}\n".encode())


def _times(folder: Path, server: str) -> Path:
    named = f"-{quote(server, safe=' ').replace('.', '%2E')}" if server else ""
    return folder / _FOLDER / f"times{named}.json"


def _typed(table: pl.DataFrame) -> pl.DataFrame:
    return table.select(pl.col(name).cast(kind) for name, kind in _TYPES.items())


def scan_visits(folder: Path, span: Span | None = None) -> pl.LazyFrame:
    """Visits by day and page. Raises OutputError."""
    found = [table for _, path in _months(folder) if (table := snapshot.scan(path)) is not None]
    whole = pl.concat(found) if found else pl.LazyFrame(schema=_TYPES)
    return whole.filter(pl.col("date").is_between(span.begins, span.ends)) if span else whole


def visits_by_page(folder: Path, days: int = FOUR_WEEKS) -> tuple[pl.DataFrame, Span | None]:
    """Visits of each page in the last days that logs tell of, and of which days that is."""
    months = list(_months(folder))
    last: date | None = None
    if months and (table := snapshot.scan(months[-1][1])) is not None:
        last = table.select(pl.col("date").max()).collect().item()
    span = span_to(last, days) if last else None
    visits = scan_visits(folder, span) if span else pl.LazyFrame(schema=_TYPES)
    summed = visits.group_by("loc").agg(pl.col("visits").cast(pl.Int64).sum()).sort("loc")
    return summed.collect(engine="streaming"), span


def _months(folder: Path) -> Iterator[tuple[str, Path]]:
    for path in sorted((folder / _FOLDER).glob("????-??.parquet")):
        yield path.stem, path
