"""The source `table`: rows of CSV, JSON Lines or Parquet files (one, or a glob).

Parquet streams through Polars without being in memory; CSV and JSON Lines are read in
pieces, so that a ragged or broken line is told with its number.
"""

from __future__ import annotations

from collections.abc import Generator, Iterator
from pathlib import Path
from typing import Any

import polars as pl

from jovial_atlas.ahead import read_ahead
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.pages.gather import Batch
from jovial_atlas.pages.snapshot import BROKEN, said_of
from jovial_atlas.sources.records.columns import (
    FieldMap,
    constants,
    deliver,
    split_wrong,
    tell_wrong,
    wrong,
)
from jovial_atlas.sources.records.content import PAGE_HTML
from jovial_atlas.sources.records.numbered import Numbered, csv_rows, json_lines

#: Rows with the HTML of their pages that are read at once.
_PAGES = 2_000
_FORMATS = {
    ".csv": "csv",
    ".tsv": "csv",
    ".jsonl": "jsonl",
    ".ndjson": "jsonl",
    ".parquet": "parquet",
}

TABLE_ENDINGS = tuple(sorted(_FORMATS))


def read_table(folder: Path, path: str, how: FieldMap) -> Iterator[Batch]:
    """The rows of all files that `path` (relative to `folder`, maybe a glob) names, in order of
    name. Raises ContentError where there is none, or one cannot be read at all."""
    if Path(path).is_absolute():
        folder, path = Path("/"), path.lstrip("/")
    places = sorted(folder.glob(path)) if any(c in path for c in "*?[") else [folder / path]
    places = [file for file in places if file.is_file()]
    if not places:
        raise ContentError(f"There is no table {folder / path}. Correct `path` in its [[source]].")
    for file in places:
        ending = file.name.lower().removesuffix(".gz")
        kind = _FORMATS.get(Path(ending).suffix)
        if kind is None or (kind == "parquet" and ending != file.name.lower()):
            known = ", ".join(sorted(_FORMATS))
            raise ContentError(
                f"{file} is no table this tool reads; it reads {known}, and texts among them "
                "also with .gz."
            )
        if kind == "parquet":
            yield from _parquet(file, how)
        elif kind == "csv":
            yield from _batches(csv_rows(file), file, how, guess=True)
        else:
            yield from _batches(json_lines(file), file, how, guess=False)


def beginning_of_table(path: Path, rows: int) -> tuple[list[str], list[dict[str, Any]]]:
    """The names of the columns of a table, and its first rows. Raises ContentError."""
    kind = _FORMATS[Path(path.name.lower().removesuffix(".gz")).suffix]
    if kind == "parquet":
        try:
            table = pl.scan_parquet(path)
            return table.collect_schema().names(), table.head(rows).collect().to_dicts()
        except (*BROKEN, OSError) as error:
            raise ContentError(f"{path} cannot be read: {said_of(error)}.") from error
    first, _, _ = next(csv_rows(path) if kind == "csv" else json_lines(path))
    return first.columns, first.head(rows).to_dicts()


def _parquet(path: Path, how: FieldMap) -> Iterator[Batch]:
    try:
        table = pl.scan_parquet(path)
        same = ("path", *constants(table.collect_schema().names(), how))
        delivered = deliver(table, how)
        if PAGE_HTML in delivered.collect_schema():
            yield from _parquet_pages(delivered, path, how)
            return
    except (*BROKEN, OSError) as error:
        raise ContentError(f"{path} cannot be read: {said_of(error)}.") from error

    def tell(refused: pl.DataFrame) -> list[Fault]:
        return tell_wrong(refused, path.name, f"{path.name}, row ")

    yield Batch(delivered.with_columns(path=pl.lit(path.name)), [], (wrong(how), tell), same)


def _parquet_pages(delivered: pl.LazyFrame, path: Path, how: FieldMap) -> Iterator[Batch]:
    """Rows that carry their pages, some at a time: these are read one by one."""
    start = 0
    while (some := delivered.slice(start, _PAGES).collect()).height:
        batch = split_wrong(some, how, f"{path.name}, row ", start)
        assert isinstance(batch.table, pl.DataFrame)
        yield Batch(batch.table.with_columns(path=pl.lit(path.name)), batch.faults)
        start += some.height


def _batches(
    pieces: Generator[Numbered], path: Path, how: FieldMap, *, guess: bool
) -> Iterator[Batch]:
    """Records with their line numbers as batches; types of the first piece hold for all
    where nothing is lost by it.
    `guess`: the values are texts, and those that are all numbers become numbers."""
    kinds: dict[str, Any] | None = None
    for table, lines, faults in read_ahead(pieces):
        if kinds is None:
            table = _typed(table) if guess else table
            kinds = dict(table.schema)
        else:
            table = table.with_columns(
                column
                for name, kind in kinds.items()
                if name in table.columns
                for column in [table[name].cast(kind, strict=False)]
                if column.null_count() == table[name].null_count()  # nothing is lost by it
            )
        if not table.height:
            yield Batch(faults=faults)
            continue
        delivered = deliver(table.lazy(), how).collect()
        batch = split_wrong(delivered, how, f"{path.name}:", lines)
        assert isinstance(batch.table, pl.DataFrame)
        table = batch.table.with_columns(path=pl.lit(path.name))
        yield Batch(table, [*faults, *batch.faults])


def _typed(table: pl.DataFrame) -> pl.DataFrame:
    """Columns of text that hold only numbers, as numbers; leading zeros stay text."""
    for name, kind in table.schema.items():
        if kind != pl.String:
            continue
        values = table[name].drop_nulls()
        if not values.len() or values.str.contains(r"^-?0\d").any():
            continue
        for wanted in (pl.Int64, pl.Float64):
            numbers = values.cast(wanted, strict=False)
            if not numbers.null_count():
                table = table.with_columns(pl.col(name).cast(wanted))
                break
    return table
