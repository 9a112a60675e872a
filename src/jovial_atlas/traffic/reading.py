"""Tables of performance as they are written: CSV, TSV, JSON, JSON Lines, workbooks and Parquet,
read in pieces as texts, with the lines that they stand on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import polars as pl

from jovial_atlas import delimited, foreign
from jovial_atlas.errors import AtlasError
from jovial_atlas.pages.snapshot import BROKEN, said_of
from jovial_atlas.sources.records.numbered import csv_rows, json_lines
from jovial_atlas.values import replace
from jovial_atlas.workbooks import ENDINGS, read_workbook

#: TextRows that are worked on together.
PIECE = 500_000
#: Files from this size on are read on all cores, where their rows are as plain as most are.
_LARGE = 32 << 20
_LINES, _OTHERS = (".jsonl", ".ndjson"), (".json", ".parquet")
#: Octets of a JSON document that is held as a whole; longer ones are to be JSON Lines.
_LONGEST_JSON = 256 << 20


class NotPlainError(Exception):
    """Rows of a table are not as plain as was thought: they are to be read one by one."""


@dataclass(frozen=True, slots=True)
class TextRows:
    """Some rows as texts, and the lines that they stand on."""

    table: pl.DataFrame
    lines: Sequence[int]


@dataclass(frozen=True, slots=True)
class TableFile:
    """One table of a file: the sheet it stands on ("" where there are none), its headings, and
    where its rows come from."""

    path: Path
    sheet: str
    header: list[str]

    @property
    def shown(self) -> str:
        """What it is called in messages."""
        return f"{self.path}, sheet {self.sheet}" if self.sheet else str(self.path)

    @property
    def is_text(self) -> bool:
        """Whether it is delimited text, in a file that is not packed."""
        return Path(self.path.name.lower()).suffix not in (*ENDINGS, *_LINES, *_OTHERS, ".gz")

    @property
    def is_large(self) -> bool:
        """Whether its rows are first read on all cores, as if they were plain."""
        return self.is_text and _size(self.path) >= _LARGE

    def pieces(self) -> Iterator[TextRows]:
        """Its rows as texts, some at a time. Raises AtlasError."""
        return _pieces(self)

    def plain_pieces(self, kinds: Mapping[str, pl.DataType]) -> Iterator[TextRows]:
        """Its rows as if each were one line, on all cores; columns of `kinds` are read as these.
        Raises NotPlainError where it turns out that they are not so."""
        return _plain(self.path, kinds)


def tables_of(path: Path) -> list[TableFile]:
    """The tables of a file: one, or one a sheet of a workbook. Raises AtlasError."""
    if path.suffix.lower() in ENDINGS:
        return [
            TableFile(path, sheet.name, [cell.strip() for cell in sheet.rows[0]])
            for sheet in read_workbook(path)
        ]
    alone = TableFile(path, "", [])
    with suppress(NotPlainError):
        if alone.is_large:
            return [replace(alone, header=[name.strip() for name in _plain_header(path)[1]])]
    first = next(_of_file(path), None)
    if first is None or not first.table.columns:
        raise AtlasError(f"{path} holds no table.")
    return [replace(alone, header=first.table.columns)]


def _pieces(of: TableFile) -> Iterator[TextRows]:
    if of.sheet:
        (sheet,) = (one for one in read_workbook(of.path) if one.name == of.sheet)
        yield TextRows(_columns(of.header, sheet.rows[1:]), range(2, len(sheet.rows) + 1))
        return
    yield from _together(_of_file(of.path))


def _of_file(path: Path) -> Iterator[TextRows]:
    ending = Path(path.name.lower().removesuffix(".gz")).suffix
    if ending == ".parquet":
        yield from _parquet(path)
    elif ending in _LINES:
        yield from (TextRows(_texts(table), lines) for table, lines, _ in json_lines(path))
    elif ending == ".json":
        table = _json(path)
        yield TextRows(table, range(1, table.height + 1))
    else:
        _size(path)
        yield from _row_by_row(path)


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror or error}).") from error


def _row_by_row(path: Path) -> Iterator[TextRows]:
    for table, lines, faults in csv_rows(path):
        if faults and any(one.code == "row-broken" for one in faults) and not table.height:
            raise AtlasError(f"{faults[0].where}: {faults[0].message}")
        yield TextRows(table, lines)


def _plain(path: Path, kinds: Mapping[str, pl.DataType]) -> Iterator[TextRows]:
    """The rows of a large CSV in UTF-8."""
    separator, header = _plain_header(path)
    types = {name: kinds[name.strip()] for name in header if name.strip() in kinds}
    try:
        table = pl.scan_csv(
            path, separator=separator, infer_schema=False, schema_overrides=types,
        )  # fmt: skip
        named = dict(zip(header, map(str.strip, header), strict=True))
        yield from _batches(table.rename(named))
    except BROKEN as error:
        raise NotPlainError from error


def _plain_header(path: Path) -> tuple[str, list[str]]:
    """What parts the cells of a large CSV, and its headings as they are written."""
    with path.open("rb") as file:
        beginning = file.read(1 << 16)
    text = beginning.decode("utf-8-sig", "replace")
    others = beginning[:2] in (b"\xff\xfe", b"\xfe\xff") or "\r" in text.replace("\r\n", "")
    if others or delimited.has_hint(text) or text.startswith("#"):
        raise NotPlainError
    separator = delimited.separator_of(text)
    try:
        table = pl.scan_csv(path, separator=separator, infer_schema=False)
        header = table.collect_schema().names()
    except BROKEN as error:
        raise NotPlainError from error
    if len({name.strip() for name in header} - {""}) < len(header):
        raise NotPlainError
    return separator, header


def _batches(table: pl.LazyFrame) -> Iterator[TextRows]:
    done = 1
    for some in table.collect_batches(chunk_size=PIECE, maintain_order=True, engine="streaming"):
        yield TextRows(some, range(done + 1, done + 1 + some.height))
        done += some.height


def _parquet(path: Path) -> Iterator[TextRows]:
    try:
        table = pl.scan_parquet(path)
        names = table.collect_schema().names()
        for some in _batches(table.select(pl.col(names).cast(pl.String, strict=False))):
            yield TextRows(some.table, range(some.lines.start - 1, some.lines.stop - 1))  # type: ignore[attr-defined]
    except (*BROKEN, OSError) as error:
        raise AtlasError(f"{path} cannot be read: {said_of(error)}.") from error


def _together(pieces: Iterator[TextRows]) -> Iterator[TextRows]:
    """Small pieces as large ones: what is done with each costs more than their rows."""
    waiting: list[TextRows] = []
    for one in pieces:
        waiting.append(one)
        if sum(each.table.height for each in waiting) >= PIECE:
            yield _joined(waiting)
            waiting = []
    if waiting:
        yield _joined(waiting)


def _joined(pieces: list[TextRows]) -> TextRows:
    if len(pieces) == 1:
        return pieces[0]
    lines = [line for one in pieces for line in one.lines]
    return TextRows(pl.concat([one.table for one in pieces], how="diagonal"), lines)


def _json(path: Path) -> pl.DataFrame:
    """The rows of a JSON document: a list of objects, or the first such list in an object. Values
    in objects and lists within are columns named with dots (`keys.0`)."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror or error}).") from error
    if len(data) > _LONGEST_JSON:
        raise AtlasError(
            f"{path} is longer than {_LONGEST_JSON >> 20} MiB. Give it as JSON Lines (one object a "
            "line, .jsonl) or as CSV."
        )
    try:
        read = foreign.read_json(data)
    except ValueError as error:
        raise AtlasError(f"{path} is no JSON ({error}).") from None
    rows = _first_list(read)
    if rows is None:
        raise AtlasError(f"{path} holds no list of objects, so no table.")
    return flat_rows(rows)


def _first_list(value: Any) -> list[Any] | None:
    if isinstance(value, list):
        return value if any(isinstance(one, dict) for one in value) else None
    if isinstance(value, dict):
        return next((got for one in value.values() if (got := _first_list(one)) is not None), None)
    return None


def flat_rows(rows: Sequence[Any]) -> pl.DataFrame:
    """Objects as rows of texts; what stands within others is named with dots."""
    flat = [dict(_leaves(one, "")) for one in rows if isinstance(one, dict)]
    names = list(dict.fromkeys(name for one in flat for name in one))
    return pl.DataFrame(
        {name: [one.get(name) for one in flat] for name in names},
        schema=dict.fromkeys(names, pl.String),
    )


def _leaves(value: Any, name: str) -> Iterator[tuple[str, str | None]]:
    if isinstance(value, dict | list):
        inner = value.items() if isinstance(value, dict) else enumerate(value)
        for key, one in inner:
            yield from _leaves(one, f"{name}.{key}" if name else str(key))
    else:
        yield name, None if value is None else str(value)


def _texts(table: pl.DataFrame) -> pl.DataFrame:
    """A table of JSON Lines as texts."""
    nested = [one for one, kind in table.schema.items() if kind.is_nested()]
    if nested:
        return flat_rows(table.to_dicts())
    return table.select(pl.all().cast(pl.String, strict=False))


def _columns(header: Sequence[str], rows: Sequence[Sequence[str]]) -> pl.DataFrame:
    named = {name: [row[place] for row in rows] for place, name in enumerate(header) if name}
    return pl.DataFrame(named, schema=dict.fromkeys(named, pl.String))
