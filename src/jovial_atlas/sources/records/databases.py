"""What tables a database has, and how their rows begin: to find the one with the pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Engine,
    LargeBinary,
    column,
    inspect,
    literal_column,
    select,
    table,
)
from sqlalchemy.engine import Inspector

from jovial_atlas.errors import ContentError
from jovial_atlas.sources.records.sql import errors_of, opened, reason_of, shown_url


@dataclass(frozen=True, slots=True)
class DatabaseTable:
    """A table or view: its name, the query that reads it, the names of its columns, and its first
    rows."""

    name: str
    query: str
    names: Sequence[str]
    rows: Sequence[Mapping[str, object]]


def tables_in(connect: str, most: int, name: str = "") -> list[DatabaseTable]:
    """The tables and views of a database with `most` of their rows, or the one with a name alone.
    Of a view among others no rows are read: that may take long. Raises ContentError."""
    engine, url = opened(connect, Path())
    try:
        about = inspect(engine)
        views = set(about.get_view_names())
        names = sorted({*about.get_table_names(), *views})
        if name and name not in names:
            there = f"The tables are: {', '.join(names)}" if names else "It has none"
            raise ContentError(f"{shown_url(url)} has no table {name}. {there}.")
        asked = [name] if name else names
        return [
            _beginning(engine, about, one, 0 if one in views and len(asked) > 1 else most)
            for one in asked
        ]
    except errors_of(engine) as error:
        raise ContentError(f"{shown_url(url)} cannot be read: {reason_of(error)}.") from None
    finally:
        engine.dispose()


def _beginning(engine: Engine, about: Inspector, name: str, most: int) -> DatabaseTable:
    columns = about.get_columns(name)
    named = [one["name"] for one in columns if not isinstance(one["type"], LargeBinary)]
    whole: list[ColumnElement[Any]] = (
        [literal_column("*")] if len(named) == len(columns) else [*map(column, named)]
    )
    reading = select(*whole).select_from(table(name))
    query = " ".join(str(reading.compile(engine)).split())
    if not most:
        return DatabaseTable(name, query, named, ())
    with engine.connect() as connection:
        rows = connection.execute(reading.limit(most)).mappings()
        return DatabaseTable(name, query, named, [dict(one) for one in rows])
