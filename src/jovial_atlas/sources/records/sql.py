"""The source `sql`: rows of one query, over SQLAlchemy; streamed, and only ever read."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import polars as pl
from sqlalchemy import create_engine, event, text
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import ArgumentError, NoSuchModuleError, SQLAlchemyError

from jovial_atlas.errors import ContentError
from jovial_atlas.pages.gather import Batch
from jovial_atlas.redact import redacted
from jovial_atlas.sources.records.columns import FieldMap, deliver, split_wrong

_ROWS = 50_000


def read_query(
    connect: str, query: str, how: FieldMap, folder: Path, password: str = ""
) -> Iterator[Batch]:
    """The rows of a query, in batches. A relative SQLite file is taken from `folder`.

    Raises ContentError where the database cannot be reached, or the query fails, before or
    in the middle; the message never holds a password.
    """
    url = _url(connect, folder, password)
    shown = shown_url(url)
    secrets = [str(one) for one in (password, url.password) if one]
    try:
        engine = create_engine(url, **_options(url))
    except (ImportError, NoSuchModuleError) as error:
        raise ContentError(
            f"{how.source}: the driver for {url.drivername} is not installed ({error}). "
            "For PostgreSQL: pip install 'jovial-atlas[postgresql]'"
        ) from None
    _read_only(engine, url)
    done = 0
    try:
        with engine.connect() as connection:
            options = {"stream_results": True, "max_row_buffer": _ROWS}
            result = connection.execution_options(**options).execute(text(query))
            names = list(result.keys())
            for rows in result.partitions(_ROWS):
                table = pl.DataFrame(list(map(_column, names, zip(*rows, strict=True))))
                delivered = deliver(_plain(table).lazy(), how).collect()
                yield split_wrong(delivered, how, f"{how.source}, row ", done)
                done += table.height
    except SQLAlchemyError as error:
        reason = str(getattr(error, "orig", None) or error).strip().splitlines()[0]
        where = f"after {done:,} rows" if done else f"on {shown}"
        told = redacted(f"{how.source}: the query failed {where}: {reason}.", secrets)
        raise ContentError(told) from None
    finally:
        engine.dispose()


def shown_url(url: URL) -> str:
    """A database address as it is shown: without user, password and options."""
    port = f":{url.port}" if url.port else ""
    return f"{url.get_backend_name()}://{url.host or ''}{port}/{url.database or ''}"


def _url(connect: str, folder: Path, password: str) -> URL:
    try:
        url = make_url(connect)
    except (ArgumentError, ValueError):
        # It is not shown: who can tell what in it is a password.
        raise ContentError(
            "`connect` in the [[source]] is no database address. "
            "Give it like postgresql://reader@localhost/reserve"
        ) from None
    if url.drivername == "postgresql":
        url = url.set(drivername="postgresql+psycopg")
    if url.get_backend_name() == "sqlite" and url.database not in (None, "", ":memory:"):
        path = folder / str(url.database)
        if not path.is_file():
            raise ContentError(f"There is no database {path}. Correct `connect` in its [[source]].")
        url = url.set(database=f"file:{path}").update_query_dict({"mode": "ro", "uri": "true"})
    return url.set(password=password) if password else url


def _options(url: URL) -> dict[str, object]:
    if url.get_backend_name() == "postgresql":
        return {"connect_args": {"connect_timeout": 10}}
    return {}


def _read_only(engine: object, url: URL) -> None:
    """The database itself refuses to write, whatever the query says."""
    if url.get_backend_name() != "postgresql":
        return

    def refuse_writing(connection: object, _record: object) -> None:
        connection.read_only = True  # type: ignore[attr-defined]

    event.listen(engine, "connect", refuse_writing)


def _column(name: str, values: Sequence[Any]) -> pl.Series:
    """The values of a column; where they are of several kinds, as texts."""
    try:
        return pl.Series(name, values)
    except (TypeError, ValueError, OverflowError, pl.exceptions.PolarsError):
        return pl.Series(name, [None if one is None else str(one) for one in values], pl.String)


def _plain(table: pl.DataFrame) -> pl.DataFrame:
    """Types of databases that columns cannot hold (decimals, binaries, objects) as text or
    numbers."""
    changes = []
    for name, kind in table.schema.items():
        if isinstance(kind, pl.Decimal):
            changes.append(pl.col(name).cast(pl.Float64))
        elif kind == pl.Object:
            values = [str(v) if v is not None else None for v in table[name].to_list()]
            changes.append(pl.lit(pl.Series(name, values, pl.String)).alias(name))
        elif kind == pl.Binary:
            changes.append(pl.lit(None, pl.String).alias(name))
    return table.with_columns(changes)
