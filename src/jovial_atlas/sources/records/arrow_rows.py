"""Rows of a query to PostgreSQL as columns of Apache Arrow (Arrow Database Connectivity), where its
driver is installed: several times as fast as row by row. Only for types of which the columns are
the same either way."""

from __future__ import annotations

from collections.abc import Callable, Collection, Generator
from importlib.util import find_spec

import polars as pl
from sqlalchemy.engine import URL

#: What must be installed, beside the usual driver.
_NEEDED = ("adbc_driver_postgresql", "nanoarrow")
#: Types by number: truth values, whole numbers, texts, floats of 64 bits, days, moments, numerics,
#: lists of texts.
_SAME = frozenset({16, 20, 21, 23, 25, 1043, 701, 1082, 1114, 1184, 1700, 1009, 1015})
#: Moments that other parts of the tool can write: those of four-digit years.
_YEARS = (1, 9999)


def reads_arrow(kinds: Collection[int]) -> bool:
    """Whether columns of these types of PostgreSQL can be read here."""
    return _SAME.issuperset(kinds) and all(map(find_spec, _NEEDED))


def arrow_tables(
    url: URL, query: str, begun: Callable[[Callable[[], None]], object]
) -> Generator[pl.DataFrame]:
    """The rows of a query, some thousand at a time; `begun` is told what ends the query. Raises
    OSError where the database cannot be reached so, or the query fails."""
    import adbc_driver_postgresql.dbapi as driver
    from nanoarrow import c_array_stream

    place = url.set(drivername="postgresql").render_as_string(hide_password=False)
    try:
        with driver.connect(place) as connection, connection.cursor() as cursor:
            begun(cursor.adbc_cancel)
            cursor.execute("set transaction read only")
            cursor.execute(query)
            with c_array_stream(cursor.fetch_arrow()) as stream:
                for piece in stream:
                    yield pl.DataFrame(_column(one) for one in pl.DataFrame(piece).iter_columns())
    except (driver.Error, RuntimeError) as error:
        raise OSError(str(error)) from error


def _column(column: pl.Series) -> pl.Series:
    """A column with the type that it has when it is read row by row."""
    kind = column.dtype
    if kind.is_integer():
        return column.cast(pl.Int64)
    if isinstance(kind, pl.BaseExtension):  # a number of any length, as text
        return column.ext.storage().cast(pl.Float64, strict=False)
    if kind.is_temporal():
        usual = pl.col(column.name).dt.year().is_between(*_YEARS)
        return column.to_frame().select(pl.when(usual).then(column.name)).to_series()
    return column
