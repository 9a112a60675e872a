"""Tables on disk: the state folder's Parquet files, written whole."""

from __future__ import annotations

import io
from pathlib import Path

import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.files import write_whole


def save(table: pl.DataFrame, path: Path) -> None:
    """Write a table as Parquet. Raises OutputError."""
    buffer = io.BytesIO()
    table.write_parquet(buffer, compression="zstd", statistics=False)
    write_whole(path, buffer.getvalue())


def load(path: Path) -> pl.DataFrame | None:
    """The table that was saved there, or None where there is none. Raises OutputError."""
    if not path.exists():
        return None
    try:
        return pl.read_parquet(path)
    except (pl.exceptions.PolarsError, OSError) as error:
        raise OutputError(
            f"{path} cannot be read ({error}). Delete it and run `jovial-atlas survey` again."
        ) from error
