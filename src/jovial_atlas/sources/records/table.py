"""The source `table`: rows of CSV, JSON, Parquet files and workbooks (one, or a glob).

Parquet streams through Polars without being in memory; CSV and JSON Lines are read in
pieces, so that a ragged or broken line is told with its number; JSON documents and workbooks
are read as a whole.
"""

from __future__ import annotations

from collections.abc import Generator, Iterable, Iterator
from functools import partial
from itertools import chain, groupby
from pathlib import Path
from typing import Any

import polars as pl

from jovial_atlas.ahead import read_ahead
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.pages.gather import Batch
from jovial_atlas.pages.snapshot import BROKEN, said_of, without_panics
from jovial_atlas.sources.records.columns import (
    FieldMap,
    check_fields,
    constants,
    deliver,
    split_wrong,
    wrong,
)
from jovial_atlas.sources.records.content import PAGE_HTML
from jovial_atlas.sources.records.json_items import json_items
from jovial_atlas.sources.records.losses import Losses
from jovial_atlas.sources.records.numbered import Numbered, csv_rows, json_lines
from jovial_atlas.sources.records.pieces import Piece, together
from jovial_atlas.sources.records.sheets import sheets_of
from jovial_atlas.workbooks import ENDINGS

#: Rows with the HTML of their pages that are read at once.
_PAGES = 2_000
_FORMATS = {
    ".csv": "csv",
    ".tsv": "csv",
    ".jsonl": "jsonl",
    ".ndjson": "jsonl",
    ".json": "json",
    ".parquet": "parquet",
    **dict.fromkeys(ENDINGS, "sheets"),
}
#: Parquet with more octets or rows is never in memory as a whole.
_OCTETS, _ROWS, _STREAMED = 4 << 20, 50_000, "large parquet"
#: Formats that are packed themselves.
_PACKED = ("parquet", "sheets")

TABLE_ENDINGS = tuple(sorted(_FORMATS))


def read_table(folder: Path, path: str, how: FieldMap, items: str = "") -> Iterator[Batch]:
    """The rows of all files that `path` (relative to `folder`, maybe a glob) names, in order of
    name; `items` says where in a JSON document they are. Raises ContentError where there is none,
    or one cannot be read at all."""
    if Path(path).is_absolute():
        folder, path = Path("/"), path.lstrip("/")
    places = sorted(folder.glob(path)) if any(c in path for c in "*?[") else [folder / path]
    places = [file for file in places if file.is_file()]
    if not places:
        raise ContentError(f"There is no table {folder / path}. Correct `path` in its [[source]].")
    for kind, files in groupby(places, partial(_way, several=len(places) > 1)):
        if kind == "sheets":
            yield from chain.from_iterable(_of_sheets(file, how) for file in files)
        elif kind == _STREAMED:
            yield from chain.from_iterable(_parquet(file, how) for file in files)
        else:
            yield from _batches(_pieces(files, kind, items), how, guess=kind == "csv")


def _way(file: Path, *, several: bool) -> str:
    """How a file is read: its kind, or that it is Parquet which streams. Of several files small
    ones are read together."""
    ending = file.name.lower().removesuffix(".gz")
    kind = _FORMATS.get(Path(ending).suffix)
    if kind is None or (kind in _PACKED and ending != file.name.lower()):
        known = ", ".join(sorted(_FORMATS))
        raise ContentError(
            f"{file} is no table this tool reads; it reads {known}, and texts among them "
            "also with .gz."
        )
    return _STREAMED if kind == "parquet" and not (several and _is_small(file)) else kind


def _is_small(file: Path) -> bool:
    if file.stat().st_size > _OCTETS:
        return False
    try:
        with without_panics():
            rows = pl.scan_parquet(file).select(pl.len()).collect().item()
    except (*BROKEN, OSError):
        return True  # what is wrong is told where it is read
    return int(rows) <= _ROWS


def _pieces(files: Iterable[Path], kind: str, items: str) -> Generator[Piece]:
    """The rows of files of one kind, some at a time."""
    for file in files:
        before = f"{file.name}{_BEFORE.get(kind, ':')}"
        begins = True
        for table, numbers, faults in _numbered(file, kind, items):
            yield Piece(file.name, table, before, numbers, faults, begins)
            begins = False


#: What stands between the name of a file and the number of a row, where that is not of a line.
_BEFORE = {"json": ", item ", "parquet": ", row "}


def _numbered(file: Path, kind: str, items: str) -> Generator[Numbered]:
    if kind == "parquet":
        return _small_parquet(file)
    if kind == "json":
        return json_items(file, items)
    return csv_rows(file) if kind == "csv" else json_lines(file)


def _small_parquet(file: Path) -> Generator[Numbered]:
    try:
        with without_panics():
            table = pl.read_parquet(file)
    except (*BROKEN, OSError) as error:
        raise ContentError(f"{file} cannot be read: {said_of(error)}.") from error
    yield table, range(1, table.height + 1), []


def beginning_of_table(
    path: Path, rows: int, items: str = ""
) -> tuple[list[str], list[dict[str, Any]]]:
    """The names of the columns of a table, and its first rows. Raises ContentError."""
    kind = _FORMATS[Path(path.name.lower().removesuffix(".gz")).suffix]
    if kind == "parquet":
        try:
            table = pl.scan_parquet(path)
            return table.collect_schema().names(), table.head(rows).collect().to_dicts()
        except (*BROKEN, OSError) as error:
            raise ContentError(f"{path} cannot be read: {said_of(error)}.") from error
    if kind == "sheets":
        # Covers and notes have fewer columns than tables of pages, if any.
        sheets = list(sheets_of(path))
        widest = max(sheets, key=lambda one: (not one.wrong, len(one.header)), default=None)
        if widest is None:
            raise ContentError(f"{path} is empty; a table has a line of names first.")
        if widest.wrong:
            raise widest.wrong
        read = widest.rows
    else:
        read = _numbered(path, kind, items)
    first, _, _ = next(read, (pl.DataFrame(), [], []))
    return first.columns, first.head(rows).to_dicts()


def _parquet(path: Path, how: FieldMap) -> Iterator[Batch]:
    try:
        table = pl.scan_parquet(path)
        same = {"path": path.name, **constants(table.collect_schema().names(), how)}
        delivered = deliver(table, how)
        if PAGE_HTML in delivered.collect_schema():
            yield from _parquet_pages(delivered, path, how)
            return
    except (*BROKEN, OSError) as error:
        raise ContentError(f"{path} cannot be read: {said_of(error)}.") from error

    def tell(refused: pl.DataFrame) -> list[Fault]:
        lost = how.lost or Losses()
        lost.leave_out(refused, f"{path.name}, row ")
        return [] if how.lost else list(lost.faults(how.source, how.site))

    yield Batch(delivered.with_columns(path=pl.lit(path.name)), [], (wrong(how), tell), same)


def _parquet_pages(delivered: pl.LazyFrame, path: Path, how: FieldMap) -> Iterator[Batch]:
    """Rows that carry their pages, some at a time: these are read one by one."""
    start = 0
    while (some := delivered.slice(start, _PAGES).collect()).height:
        batch = split_wrong(some, how, f"{path.name}, row ", start)
        assert isinstance(batch.table, pl.DataFrame)
        yield Batch(batch.table.with_columns(path=pl.lit(path.name)), batch.faults)
        start += some.height


def _of_sheets(path: Path, how: FieldMap) -> Iterator[Batch]:
    """The rows of all sheets of a workbook that have the fields; at least one has to."""
    left, read = [], False
    for sheet in sheets_of(path):
        try:
            if sheet.wrong:
                raise sheet.wrong
            check_fields(sheet.header, how)
        except ContentError as error:
            left.append((sheet.name, error))
            continue
        read = True
        before = f"{path.name}, {sheet.name}, row "
        pieces = (
            Piece(path.name, table, before, numbers, faults, begins=not at)
            for at, (table, numbers, faults) in enumerate(sheet.rows)
        )
        yield from _batches(pieces, how, guess=True)
    if left and not read:
        raise left[0][1]
    for name, reason in left:
        why = str(reason).removeprefix(f"{how.source}: ")
        message = f"The sheet {name} is left out: {why}"
        yield Batch(faults=[Fault("sheet-left-out", path.name, message)])


def _batches(pieces: Generator[Piece], how: FieldMap, *, guess: bool) -> Iterator[Batch]:
    """Records as batches; types of the first ones of a file hold for all where nothing is lost by
    it. `guess`: the values are texts, and those that are all numbers become numbers."""
    kinds: dict[str, Any] = {}
    for one in read_ahead(together(pieces)):
        if isinstance(one, list):
            yield Batch(faults=one)
            continue
        table = one.table
        if one.pieces[0].begins:
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
        delivered = deliver(table.lazy(), how).collect().with_columns(one.files.alias("path"))
        yield split_wrong(delivered, how, "", one.places)


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
