"""Tables on disk: the state folder's Parquet files, written whole."""

from __future__ import annotations

import io
from pathlib import Path

import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.files import write_whole

#: Rows that are written together, and that a reader needs in memory together.
_ROW_GROUP = 128 * 1024


def save(table: pl.DataFrame, path: Path) -> None:
    """Write a table as Parquet. Raises OutputError."""
    buffer = io.BytesIO()
    table.write_parquet(buffer, compression="zstd", statistics=False)
    write_whole(path, buffer.getvalue())


def sink(table: pl.LazyFrame, path: Path) -> None:
    """Write a table as Parquet without having it in memory as a whole. Raises OutputError."""
    beside = path.with_name(f".{path.name}.new")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        table.sink_parquet(
            beside,
            compression="zstd",
            compression_level=1,
            statistics=False,
            row_group_size=_ROW_GROUP,
        )
        beside.replace(path)
    except (OSError, pl.exceptions.PolarsError) as error:
        beside.unlink(missing_ok=True)
        raise OutputError(f"{path} cannot be written ({error}).") from error


def scan(path: Path) -> pl.LazyFrame | None:
    """The table that was saved there, to be read in pieces, or None where there is none."""
    if not path.exists():
        return None
    try:
        table = pl.scan_parquet(path)
        table.collect_schema()
    except (pl.exceptions.PolarsError, OSError) as error:
        raise _unreadable(path, error) from error
    return table


def load(path: Path) -> pl.DataFrame | None:
    """The table that was saved there, or None where there is none. Raises OutputError."""
    table = scan(path)
    return collect(table, path) if table is not None else None


def collect(table: pl.LazyFrame, path: Path) -> pl.DataFrame:
    """A scanned table in memory. Raises OutputError where its file cannot be read."""
    try:
        return table.collect()
    except (pl.exceptions.PolarsError, OSError) as error:
        raise _unreadable(path, error) from error


def _unreadable(path: Path, error: Exception) -> OutputError:
    return OutputError(
        f"{path} cannot be read ({error}). Delete it and run `jovial-atlas survey` again."
    )
