"""Tables on disk: the state folder's Parquet files, written whole.

A column in which all rows have one value may stand in the file's key-value metadata instead.
"""

from __future__ import annotations

import io
import json
import os
import tempfile
from collections.abc import Callable, Collection, Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, Literal

import polars as pl
from polars.io.plugins import register_io_source

from jovial_atlas.errors import ContentError, OutputError
from jovial_atlas.files import (
    cannot_write,
    forget,
    move_into_place,
    temporary_name,
    write_whole,
    writing,
)
from jovial_atlas.pages import schema

#: What Polars raises for tables that are damaged; a panic in it is no Exception.
BROKEN = (pl.exceptions.PolarsError, pl.exceptions.PanicException)

#: Rows that are written together, and that a reader needs in memory together.
ROW_GROUP = 128 * 1024
#: So many times as few where rows have all their links.
_WITH_LINKS = 4
#: The key of the metadata that holds the columns with one value, as JSON.
_CONSTANT = "constant"


def group_rows(columns: Collection[str]) -> int:
    """How many rows of a table with these columns are written together."""
    return max(1, ROW_GROUP // _WITH_LINKS) if "links" in columns else ROW_GROUP


def save(table: pl.DataFrame, path: Path, *, alike: bool = False) -> None:
    """Write a table as Parquet; `alike` looks for columns of the page table in which all rows have
    one value, which stands beside the rows then. Raises OutputError."""
    same = _of_one_value(table) if alike else {}
    buffer = io.BytesIO()
    table.drop(same).write_parquet(
        buffer, compression="zstd", statistics=False, metadata=_metadata(same)
    )
    write_whole(path, buffer.getvalue())


def _of_one_value(table: pl.DataFrame) -> dict[str, Any]:
    """Columns of texts or numbers in which all rows have one value, with that value."""
    names = [
        name
        for name, kind in table.schema.items()
        if name in schema.SCHEMA and name != "loc" and (kind == pl.String or kind.is_integer())
    ]
    if not names or not table.height:
        return {}
    ends = table.select(names)[[0, -1]]
    likely = [one.name for one in ends if not one.null_count() and one[0] == one[1]]
    found = table.select(pl.col(name).eq_missing(pl.col(name).first()).all() for name in likely)
    return {name: ends[name][0] for name in likely if found[name][0]} if likely else {}


def _metadata(same: Mapping[str, Any]) -> dict[str, str] | None:
    return {_CONSTANT: json.dumps(same)} if same else None


def sink(
    table: pl.LazyFrame,
    path: Path,
    constant: Mapping[str, Any] | None = None,
    compression: Literal["zstd", "lz4", "uncompressed"] = "zstd",
    *,
    statistics: bool = False,
) -> None:
    """Write a table as Parquet without having it in memory as a whole. `constant` names columns
    in which all rows have one value, a text or a number, with it; `statistics` let a reader
    pass over rows that it does not ask for. Raises OutputError where it cannot be written, and
    ContentError where what it is made from cannot be read."""
    beside = temporary_name(path.parent)
    try:
        with writing(path):
            path.parent.mkdir(parents=True, exist_ok=True)
        if constant:
            table = table.drop(*constant)
        table.sink_parquet(
            beside,
            compression=compression,
            compression_level=1 if compression == "zstd" else None,
            statistics=statistics,
            row_group_size=group_rows(table.collect_schema().names()),
            metadata=_metadata(constant or {}),
        )
    except OSError as error:
        forget(beside)
        raise cannot_write(path, error) from error
    except BROKEN as error:
        forget(beside)
        raise ContentError(f"It cannot be read ({said_of(error)}).") from error
    move_into_place(beside, path)


def made_in_pieces(
    columns: Mapping[str, pl.DataType], pieces: Callable[[], Iterator[pl.DataFrame]]
) -> pl.LazyFrame:
    """A table that is made some rows at a time while it is written, and never there as a whole. An
    error in making them comes out as it is."""

    def made(
        names: list[str] | None, keep: pl.Expr | None, most: int | None, _size: int | None
    ) -> Iterator[pl.DataFrame]:
        for whole in pieces():
            piece = whole if keep is None else whole.filter(keep)
            piece = piece if names is None else piece.select(names)
            yield piece if most is None else piece.head(most)
            most = most if most is None else most - piece.height
            if most is not None and most <= 0:
                return

    return register_io_source(made, schema=dict(columns))


@contextmanager
def without_panics() -> Iterator[None]:
    """Where a damaged table makes Polars panic, which is raised as any error is (`BROKEN`), what it
    prints of that itself helps nobody and is left out; anything else comes out in the end."""
    try:
        kept = os.dup(2)
    except OSError:
        yield
        return
    with tempfile.TemporaryFile() as held:
        os.dup2(held.fileno(), 2)
        panicked = False
        try:
            yield
        except BaseException as error:
            panicked = any(isinstance(one, pl.exceptions.PanicException) for one in _chain(error))
            raise
        finally:
            os.dup2(kept, 2)
            os.close(kept)
            held.seek(0)
            if not panicked and (said := held.read(1 << 16)):
                with suppress(OSError):
                    os.write(2, said)


def _chain(error: BaseException) -> Iterator[BaseException]:
    at: BaseException | None = error
    while at is not None:
        yield at
        at = at.__cause__ or at.__context__


def scan(path: Path) -> pl.LazyFrame | None:
    """The table that was saved there, to be read in pieces, or None where there is none.
    Raises OutputError."""
    if not path.exists():
        return None
    try:
        table = pl.scan_parquet(path)
        table.collect_schema()
        same = constants(path)
    except (*BROKEN, OSError, ValueError) as error:
        raise _unreadable(path, error) from error
    return table.with_columns(
        pl.lit(value, schema.SCHEMA[name]).alias(name) for name, value in same.items()
    )


def constants(path: Path) -> dict[str, Any]:
    """The columns of a saved table that are known to have one value in all rows."""
    found = json.loads(pl.read_parquet_metadata(path).get(_CONSTANT, "{}"))
    return found if isinstance(found, dict) else {}


def load(path: Path) -> pl.DataFrame | None:
    """The table that was saved there, or None where there is none. Raises OutputError."""
    table = scan(path)
    return collect(table, path) if table is not None else None


def collect(table: pl.LazyFrame, path: Path) -> pl.DataFrame:
    """A scanned table in memory. Raises OutputError where its file cannot be read."""
    try:
        return table.collect()
    except (*BROKEN, OSError) as error:
        raise _unreadable(path, error) from error


def said_of(error: BaseException) -> str:
    """What an error of Polars says, on one line."""
    return (str(error).strip() or type(error).__name__).splitlines()[0][:300]


def _unreadable(path: Path, error: BaseException) -> OutputError:
    return OutputError(
        f"{path} cannot be read ({said_of(error)}). Delete it and run `jovial-atlas survey` again."
    )
