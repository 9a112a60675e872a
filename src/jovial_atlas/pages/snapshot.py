"""Tables on disk: the state folder's Parquet files, written whole.

A column in which all rows have one value may stand in the file's key-value metadata instead.
"""

from __future__ import annotations

import io
import json
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any, Literal

import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.files import move_into_place, temporary_name, write_whole, writing
from jovial_atlas.pages import schema

#: Rows that are written together, and that a reader needs in memory together.
ROW_GROUP = 128 * 1024
#: The key of the metadata that holds the columns with one value, as JSON.
_CONSTANT = "constant"


def save(table: pl.DataFrame, path: Path) -> None:
    """Write a table as Parquet. Raises OutputError."""
    buffer = io.BytesIO()
    table.write_parquet(buffer, compression="zstd", statistics=False)
    write_whole(path, buffer.getvalue())


def sink(
    table: pl.LazyFrame,
    path: Path,
    constant: Sequence[str] = (),
    compression: Literal["zstd", "uncompressed"] = "zstd",
) -> None:
    """Write a table as Parquet without having it in memory as a whole. `constant` names columns
    (of text or numbers) in which all rows have one value. Raises OutputError."""
    beside = temporary_name(path.parent)
    try:
        with writing(path):
            path.parent.mkdir(parents=True, exist_ok=True)
        same = table.select(constant).head(1).collect().to_dicts() if constant else []
        if same:
            table = table.drop(constant)
        table.sink_parquet(
            beside,
            compression=compression,
            compression_level=1 if compression == "zstd" else None,
            statistics=False,
            row_group_size=ROW_GROUP,
            metadata={_CONSTANT: json.dumps(same[0])} if same else None,
        )
    except (OSError, pl.exceptions.PolarsError) as error:
        with suppress(OSError):
            beside.unlink(missing_ok=True)
        raise OutputError(
            f"{path} cannot be written ({error}). Check that there is room on the disk, and that "
            "you may write there."
        ) from error
    move_into_place(beside, path)


def scan(path: Path) -> pl.LazyFrame | None:
    """The table that was saved there, to be read in pieces, or None where there is none."""
    if not path.exists():
        return None
    try:
        table = pl.scan_parquet(path)
        table.collect_schema()
        same = constants(path)
    except (pl.exceptions.PolarsError, OSError, ValueError) as error:
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
    except (pl.exceptions.PolarsError, OSError) as error:
        raise _unreadable(path, error) from error


def _unreadable(path: Path, error: Exception) -> OutputError:
    return OutputError(
        f"{path} cannot be read ({error}). Delete it and run `jovial-atlas survey` again."
    )
