"""The source `sql`: rows of one query, over SQLAlchemy; streamed, and only ever read."""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterator, Sequence
from contextlib import suppress
from itertools import chain, zip_longest
from pathlib import Path
from typing import Any

import polars as pl
from sqlalchemy import create_engine, event, text
from sqlalchemy.engine import URL, Engine, make_url
from sqlalchemy.exc import ArgumentError, NoSuchModuleError, SQLAlchemyError

from jovial_atlas.ahead import read_ahead
from jovial_atlas.errors import ContentError
from jovial_atlas.pages.gather import Batch
from jovial_atlas.redact import redacted
from jovial_atlas.sources.records.arrow_rows import arrow_tables, reads_arrow
from jovial_atlas.sources.records.columns import FieldMap, deliver, split_wrong

_ROWS = 50_000


def read_query(
    connect: str, query: str, how: FieldMap, folder: Path, password: str = ""
) -> Iterator[Batch]:
    """The rows of a query, in batches. A relative SQLite file is taken from `folder`.

    Raises ContentError where the database cannot be reached, or the query fails, before or
    in the middle; the message never holds a password.
    """
    engine, url = opened(connect, folder, password, how.source)
    shown = shown_url(url)
    secrets = [str(one) for one in (password, url.password) if one]
    done, running = 0, _Running()
    try:
        for table in read_ahead(_tables(engine, query, running), stop=running.stop):
            delivered = deliver(_plain(table).lazy(), how).collect()
            yield split_wrong(delivered, how, f"{how.source}, row ", done)
            done += table.height
    except errors_of(engine) as error:
        where = f"after {done:,} rows" if done else f"on {shown}"
        told = redacted(f"{how.source}: the query failed {where}: {reason_of(error)}.", secrets)
        raise ContentError(told) from None


def opened(
    connect: str, folder: Path, password: str = "", source: str = "init"
) -> tuple[Engine, URL]:
    """A database, and its address. A relative SQLite file is taken from `folder`. Raises
    ContentError where it cannot be; nothing is asked of it yet."""
    url = _url(connect, folder, password)
    try:
        engine = create_engine(url, **_options(url))
    except NoSuchModuleError:
        raise ContentError(
            f"{source}: {url.drivername}:// is no kind of database that is known here. Correct it, "
            "as in postgresql://reader@localhost/reserve, or install the package that brings it."
        ) from None
    except ImportError as error:
        raise ContentError(
            f"{source}: the driver for {url.drivername} is not installed ({error}). "
            "For PostgreSQL: pip install 'jovial-atlas[postgresql]'"
        ) from None
    _on_connecting(engine, url)
    return engine, url


def errors_of(engine: Engine) -> tuple[type[Exception], ...]:
    """What goes wrong with a database: errors of the library, of the driver (PEP 249), of the
    system."""
    driver = engine.dialect.loaded_dbapi
    return SQLAlchemyError, driver.Error, driver.Warning, OSError


def reason_of(error: BaseException) -> str:
    """What went wrong, in the words of the database."""
    return str(getattr(error, "orig", None) or error).strip().splitlines()[0]


class _Running:
    """How the query that runs is ended from outside: a database may take long for it."""

    def __init__(self) -> None:
        self.ways: list[Callable[[], None]] = []
        self.is_stopped = False

    def stop(self) -> None:
        """End it, as far as that can be."""
        self.is_stopped = True
        for way in self.ways:
            with suppress(Exception):
                way()


def _tables(engine: Engine, query: str, running: _Running) -> Generator[pl.DataFrame]:
    """The rows of a query, some thousand at a time. Where it is known how, they are taken from the
    driver itself: to have each as an object of the library takes longer than to read it."""
    name = engine.dialect.name
    try:
        with engine.connect() as connection:
            driver: Any = connection.connection.driver_connection
            ways = [getattr(driver, one, None) for one in ("cancel", "interrupt")]
            running.ways = [way for way in ways if way]
            if name == "postgresql":
                connection.execute(text("set local datestyle to iso"))
                connection.execute(text("set local time zone 'UTC'"))
                # A cursor with a name is one of the server, which sends some rows at a time.
                cursor = driver.cursor("jovial_atlas")
                cursor.execute(_bare(query))
                kinds = [one[1] for one in cursor.description]
                quick = _by_columns(engine.url, _bare(query), kinds, running)
                yield from quick or _of_cursor(cursor, kinds)
            elif name == "sqlite":
                yield from _of_cursor(driver.execute(_bare(query)))
            else:
                options = {"stream_results": True, "max_row_buffer": _ROWS}
                result = connection.execution_options(**options).execute(text(query))
                names = list(result.keys())
                for rows in result.partitions(_ROWS):
                    yield pl.DataFrame(list(map(_column, names, zip(*rows, strict=True))))
    finally:
        engine.dispose()


def _bare(query: str) -> str:
    """A query as drivers take it: colons may be escaped, as elsewhere in the library, but need not
    be here."""
    return query.replace("\\:", ":")


def _by_columns(
    url: URL, query: str, kinds: Sequence[int], running: _Running
) -> Iterator[pl.DataFrame] | None:
    """The rows of a query with columns of these types, by the faster way where there is one; None
    where there is none, or it does not get to the first of them."""
    if not reads_arrow(kinds):
        return None
    tables = arrow_tables(url, query, running.ways.append)
    try:
        first = next(tables, None)
    except OSError:
        if running.is_stopped:
            raise
        return None
    return iter(()) if first is None else chain([first], tables)


def _of_cursor(cursor: Any, kinds: Sequence[int] = ()) -> Iterator[pl.DataFrame]:
    """The rows of a cursor of a driver (PEP 249). `kinds` are the numbers of its types, where it
    has any. Raises OSError where it has no rows to give."""
    if cursor.description is None:
        raise OSError("it gives no rows; a query begins with select")
    names = [one[0] for one in cursor.description]
    while rows := cursor.fetchmany(_ROWS):
        columns = zip(*rows, strict=True)
        typed = zip_longest(names, columns, kinds)
        yield pl.DataFrame([_column(*one) for one in typed])


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


#: Types of PostgreSQL that come as texts, since these become columns many times as fast as objects
#: do: number of the type, its name, and how the texts are read.
_AS_TEXT: dict[int, tuple[str, Callable[[pl.Series], pl.Series]]] = {
    1082: ("date", lambda texts: texts.str.to_date("%Y-%m-%d", strict=False)),
    1114: ("timestamp", lambda texts: _moments(texts)),
    1184: (
        "timestamptz",
        lambda texts: _moments(texts.str.strip_suffix("+00")).dt.replace_time_zone("UTC"),
    ),
    1700: ("numeric", lambda texts: texts.cast(pl.Float64, strict=False)),
}


def _moments(texts: pl.Series) -> pl.Series:
    parts = "%.f" if texts.str.contains(".", literal=True).any() else ""
    form = f"%Y-%m-%d %H:%M:%S{parts}"
    return texts.str.to_datetime(form, strict=False, time_unit="us")


def _on_connecting(engine: Engine, url: URL) -> None:
    """The database itself refuses to write, whatever the query says; and it gives texts for what
    becomes a column faster from these."""
    if url.get_backend_name() != "postgresql":
        return
    from psycopg.types.string import TextLoader

    def set_up(connection: Any, _record: object) -> None:
        connection.read_only = True
        for name, _ in _AS_TEXT.values():
            connection.adapters.register_loader(name, TextLoader)

    event.listen(engine, "connect", set_up)


def _column(name: str, values: Sequence[Any], kind: int | None = None) -> pl.Series:
    """The values of a column; where they are of several kinds, as texts. `kind` is the number of
    its type, where it is known."""
    if kind in _AS_TEXT:
        return _AS_TEXT[kind][1](pl.Series(name, values, pl.String))
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
