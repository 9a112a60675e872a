"""Tables of text, read in pieces: rows as they are written, with the lines that they stand on, so
that a ragged or broken one is told with its number."""

from __future__ import annotations

import codecs
import io
import re
import shutil
import tempfile
from collections.abc import Generator, Iterable, Iterator, Sequence
from itertools import chain, islice
from pathlib import Path
from typing import Any, BinaryIO

import polars as pl

from jovial_atlas import delimited, foreign
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.files import packed
from jovial_atlas.sources.records.plain_text import (
    line_count,
    pieces,
    plain_records,
    plain_rows,
    whole_rows,
)
from jovial_atlas.sources.records.records import table_of

_ROWS = 50_000
#: A first line is no longer than this.
_LONGEST_HEAD = 100_000

#: Rows as they are written, the lines that they stand on, and what is wrong with others.
Numbered = tuple[pl.DataFrame, Sequence[int], list[Fault]]
#: A remark that some exports have before their first line, not a heading that is a number sign.
_REMARK = re.compile(r"#[^,;\t|]*\Z")


def csv_rows(path: Path) -> Generator[Numbered]:
    """The rows of a CSV with their line numbers. Pieces in which all is well, as in most, are
    parted into columns at once; others row by row."""
    text, faults = _text(path)
    beginning, done = text.readline(_LONGEST_HEAD), 0
    while _REMARK.match(beginning):
        beginning, done = text.readline(_LONGEST_HEAD), done + 1
    separator = delimited.separator_of(beginning)
    if delimited.has_hint(beginning):
        beginning, done = text.readline(_LONGEST_HEAD), done + 1
    text.seek(0)
    for _ in range(done):
        text.readline()
    lines = iter(text)
    header: list[str] = []
    if beginning.endswith("\n") and beginning.strip() and beginning.count('"') % 2 == 0:
        text.readline()
        ((_, cells, _),) = delimited.rows_of(iter([beginning]), separator)
        done += 1
        header = header_of(cells, path, done)
        for piece in whole_rows(text):
            found = _of_piece(piece, header, separator, path, done, faults)
            if found is None:
                lines = chain(io.StringIO(piece, newline=""), text)
                break
            (table, numbers), done = found
            yield table, numbers, faults.copy()
            faults.clear()
    yield from _csv_rows(lines, path, header, done, separator, faults)


def _of_piece(
    piece: str, header: list[str], separator: str, path: Path, done: int, faults: list[Fault]
) -> tuple[tuple[pl.DataFrame, Sequence[int]], int] | None:
    """The rows of a piece after `done` lines, with the lines that they end on, and how many lines
    were done then; None where it ends in the middle of a row."""
    plain = plain_rows(piece, header, separator)
    if plain is not None:
        table, ends = plain
        if isinstance(ends, range):
            numbers: Sequence[int] = range(ends.start + done, ends.stop + done)
        else:
            numbers = (ends + done).to_list()
        return (table, numbers), done + (ends[-1] if len(ends) else 0)
    end = "" if piece.endswith(("\n", "\r")) else "\n"
    lines = chain(io.StringIO(f"{piece}{end}", newline=""), [f"{_END}\n"])
    rows = list(delimited.rows_of(lines, separator, ends=False))
    last, cells, _ = rows.pop()
    if cells != [_END]:
        return None
    good = list(_good_rows(rows, header, path, done, faults))
    table = _columns(header, [row for _, row in good])
    return (table, [line for line, _ in good]), done + last - 1


#: A row that no table has: where it comes out by itself, the row before it had ended.
_END = "\x1fend of a piece\x1f"


def header_of(cells: list[str], where: Path | str, line: int) -> list[str]:
    """The names of columns, as the first line of a table has them. Raises ContentError where one
    has none, or that of another."""
    header = [name.strip() for name in cells]
    if len(set(header)) != len(header) or "" in header:
        raise ContentError(
            f"{where}:{line}: every column needs a name of its own in the first line."
        )
    return header


def _good_rows(
    rows: Iterable[delimited.Row], header: list[str], path: Path, done: int, faults: list[Fault]
) -> Iterator[tuple[int, list[str]]]:
    """The rows, after `done` lines, that have as many cells as the header, with their lines."""
    for line, row, wrong in rows:
        where = f"{path.name}:{line + done}"
        if wrong:
            faults.append(Fault("row-broken", where, f"{wrong[0].upper()}{wrong[1:]}."))
        elif len(row) != len(header):
            message = f"The line has {len(row)} cells, the header {len(header)}; it is left out."
            faults.append(Fault("row-ragged", where, message))
        else:
            yield line + done, row


def _csv_rows(
    lines: Iterator[str], path: Path, header: list[str], done: int, separator: str,
    faults: list[Fault],
) -> Iterator[Numbered]:  # fmt: skip
    """Rows one by one, after `done` lines; their first is the header, where none is given."""
    rows = delimited.rows_of(lines, separator)
    if not header:
        _, cells, wrong = next(rows, (0, [], ""))
        if wrong:
            raise ContentError(f"{path}:1 cannot be read as a table ({wrong}).")
        if not cells:
            raise ContentError(f"{path} is empty; a table has a line of names first.")
        header = header_of(cells, path, 1)
    good = _good_rows(rows, header, path, done, faults)
    while some := list(islice(good, _ROWS)):
        numbers, whole = zip(*some, strict=True)
        yield _columns(header, whole), numbers, faults.copy()
        faults.clear()
    yield _columns(header, []), [], faults


def _columns(header: Sequence[str], rows: Sequence[Sequence[str]]) -> pl.DataFrame:
    """Rows of texts as columns; empty cells are null."""
    columns = zip(*rows, strict=True) if rows else ((),) * len(header)
    named = zip(header, columns, strict=True)
    table = pl.DataFrame([pl.Series(name, cells, pl.String) for name, cells in named])
    return table.select(pl.when(pl.col(one) != "").then(pl.col(one)).alias(one) for one in header)


def _text(path: Path) -> tuple[io.TextIOWrapper, list[Fault]]:
    """The file as text, unpacked where it is gzipped: UTF-8 or, with its mark, UTF-16; else
    windows-1252 with a fault."""
    faults: list[Fault] = []
    encoding = "utf-8-sig"
    try:
        stream = unpacked(path, faults)
        if stream.read(2) in (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE):
            stream.seek(0)
            return io.TextIOWrapper(stream, "utf-16", errors="replace", newline=""), faults
        stream.seek(0)
        if line := _line_beyond_utf8(stream):
            said = "The line is not UTF-8; the file is read as windows-1252."
            faults.append(Fault("table-encoding", f"{path.name}:{line}", said))
            encoding = "windows-1252"
    except OSError as error:
        raise ContentError(f"{path} cannot be read ({error.strerror or error}).") from error
    stream.seek(0)
    errors = "replace" if encoding == "windows-1252" else "strict"
    return io.TextIOWrapper(stream, encoding=encoding, errors=errors, newline=""), faults


def _line_beyond_utf8(stream: BinaryIO) -> int:
    """The number of the first line that is not UTF-8; 0 where all are."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    at, octets = stream.tell(), b""
    try:
        while octets := stream.read(1 << 20):
            decoder.decode(octets)
            at += len(octets)
        decoder.decode(b"", final=True)
    except UnicodeDecodeError as error:
        # What is decoded now may begin with octets that stand before; no line ends among them.
        wrong = at + len(octets) - len(error.object) + error.start
        return _lines_before(stream, wrong) + 1
    return 0


def _lines_before(stream: BinaryIO, end: int) -> int:
    """How many lines end before a place in a file."""
    stream.seek(0)
    done = 0
    while end > 0 and (octets := stream.read(min(end, 1 << 20))):
        done += octets.count(b"\n")
        end -= len(octets)
    return done


def unpacked(path: Path, faults: list[Fault]) -> BinaryIO:
    """The octets of a table; those of one that is gzipped, from a file without a name."""
    with packed.opened(path) as (stream, unpacking):
        if unpacking is None:
            return path.open("rb")
        whole = tempfile.TemporaryFile()  # noqa: SIM115 - given on, open
        shutil.copyfileobj(stream, whole, 1 << 20)
        if unpacking.junk:
            said = "Something that is no gzip stands behind its end and is left out."
            faults.append(Fault("row-broken", path.name, said))
    whole.seek(0)
    return whole


def json_lines(path: Path) -> Generator[Numbered]:
    """The records of JSON Lines with their line numbers: plain ones as whole columns, others one
    by one."""
    stream, faults = _text(path)
    done = 0
    for piece in pieces(stream):
        lines = line_count(piece)
        table = plain_records(piece, lines)
        if table is not None:
            yield table, range(done + 1, done + 1 + table.height), faults
            done += lines
        else:
            some = list(io.StringIO(piece, newline=""))
            yield _one_by_one(some, f"{path.name}:", done, faults)
            done += len(some)
        faults = []
    if not done:
        yield table_of([]), [], faults


def as_numbered(lines: list[str], path: Path, done: int, faults: list[Fault]) -> Numbered:
    """Records of a JSON document, each on a line, with their numbers after `done` others: plain
    ones as whole columns, others one by one."""
    table = plain_records("".join(lines), len(lines)) if lines else table_of([])
    if table is not None:
        return table, range(done + 1, done + 1 + table.height), faults
    return _one_by_one(lines, f"{path.name}, item ", done, faults)


def _one_by_one(lines: list[str], before: str, done: int, faults: list[Fault]) -> Numbered:
    records: list[dict[str, Any]] = []
    numbers: list[int] = []
    for number, line in enumerate(lines, start=done + 1):
        if not line.strip():
            continue
        try:
            record = foreign.read_json(line)
            if not isinstance(record, dict):
                raise ValueError("it is no object")
        except (ValueError, RecursionError) as error:
            faults.append(Fault("row-broken", f"{before}{number}", f"Not a JSON object: {error}."))
            continue
        records.append(record)
        numbers.append(number)
    return table_of(records), numbers, faults
