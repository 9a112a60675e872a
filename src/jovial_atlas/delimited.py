"""Tables as delimited text (RFC 4180), as spreadsheets and exports of all countries write them:
parted by commas, semicolons, tabs or bars, in UTF-8, UTF-16 or Windows-1252."""

from __future__ import annotations

import csv
import io
import re
from collections import deque
from collections.abc import Iterator, Sequence
from itertools import chain, islice
from operator import methodcaller
from typing import TextIO

#: What may stand between two cells.
SEPARATORS = ",;\t|"
#: Spreadsheets may say in a line of its own what parts the cells of the others.
_HINT = re.compile(r"sep=(.)\s*\Z", re.I)
_QUOTED = re.compile(r'"(?:[^"]|"")*"')
#: How much of a table is looked at before it is read.
_BEGINNING = 8192

#: Line on which a row ends, its cells, and what is wrong with it in place of cells.
Row = tuple[int, list[str], str]


#: Windows code pages by language, where they are not the one of Western Europe (1252).
_CODE_PAGES = {
    1250: "cs pl sk sl hu hr bs ro sq", 1251: "ru uk be bg mk sr", 1253: "el", 1254: "tr az",
    1255: "he yi", 1256: "ar fa ur", 1257: "et lv lt", 1258: "vi", 874: "th", 932: "ja",
    936: "zh", 949: "ko",
}  # fmt: skip


def decoded(data: bytes, language: str = "") -> tuple[str, str]:
    """A table's text, and the name of the encoding that it turned out to have. What is no Unicode
    is taken for the Windows code page of a language (BCP 47)."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", "replace"), "UTF-16"
    try:
        return data.decode("utf-8-sig"), "UTF-8"
    except UnicodeDecodeError:
        tongue = language.partition("-")[0].lower()
        page = next((page for page, used in _CODE_PAGES.items() if tongue in used.split()), 1252)
        return data.decode(f"cp{page}", "replace"), f"Windows-{page}"


def separator_of(beginning: str) -> str:
    """What parts the cells of a table, by its first line; what stands in quotes does not count."""
    first = re.split(r"[\r\n]", beginning, maxsplit=1)[0]
    if hint := _HINT.match(first):
        return hint[1]
    bare = _QUOTED.sub("", first)
    return max(SEPARATORS, key=bare.count)


def has_hint(beginning: str) -> bool:
    """Whether the first line says what parts the cells, and is no row."""
    return _HINT.match(re.split(r"[\r\n]", beginning, maxsplit=1)[0]) is not None


def rows(table: str | TextIO) -> Iterator[Row]:
    """The rows of a table, its first line too; empty ones are left out. All kinds of line ends end
    a line, those of old Macs too. A file is to be opened with `newline=""`."""
    if isinstance(table, str) and '"' not in table:
        return _unquoted_rows(table)
    return rows_of(iter(io.StringIO(table, newline="") if isinstance(table, str) else table))


def columns_of_lines(table: str) -> list[Sequence[str]] | None:
    """The columns of a table, each with its name first, where each row stands in a line of its own
    and has as many cells as the others; None where that is not so, or a row is empty or cannot be
    read. Much faster than `rows`, where there are very many."""
    beginning = table[:_BEGINNING]
    if not table or has_hint(beginning):
        return None
    separator = separator_of(beginning)
    if '"' not in table:
        table = table.replace("\r\n", "\n").replace("\r", "\n").removesuffix("\n")
        lines = table.split("\n")
        widths = set(map(methodcaller("count", separator), lines))
        if len(widths) > 1 or "" in lines:
            return None
        cells, width = table.replace("\n", separator).split(separator), widths.pop() + 1
        return [cells[n::width] for n in range(width)]
    reader = csv.reader(io.StringIO(table, newline=""), delimiter=separator)
    try:
        found = list(reader)
    except csv.Error:
        return None
    last = io.StringIO(table[table.rstrip("\r\n").rfind("\n") + 1 :], newline="")
    is_whole = reader.line_num == len(found) and [] not in found and len({*map(len, found)}) == 1
    return list(zip(*found, strict=True)) if is_whole and not _is_open([*last], separator) else None


def _unquoted_rows(table: str) -> Iterator[Row]:
    """The rows of a table in which nothing is quoted: each line is one. There may be very many, so
    that each costs little."""
    beginning = table[:_BEGINNING]
    lines, skipped = io.StringIO(table, newline=""), 0
    if has_hint(beginning):
        skipped, _ = 1, lines.readline()
    reader = csv.reader(lines, delimiter=separator_of(beginning))
    while True:
        try:
            for cells in reader:
                if cells:
                    yield skipped + reader.line_num, cells, ""
        except csv.Error as error:
            yield skipped + reader.line_num, [], str(error)
        else:
            return


def rows_of(lines: Iterator[str], separator: str = "", *, ends: bool = True) -> Iterator[Row]:
    """As `rows`, of lines with their ends; of what is read already, the `separator` is known. Where
    a quote is not closed, or not where its cell ends, the line is wrong, and those behind it are
    read without it. The table may go on behind these lines (`ends` is false)."""
    skipped = 0
    if not separator:
        ahead = list(islice(lines, 1))
        beginning = "".join(ahead)[:_BEGINNING]
        separator = separator_of(beginning)
        if has_hint(beginning):
            skipped, ahead = 1, []
        lines = chain(ahead, lines)
    taken = _Taken(lines)
    reader = csv.reader(taken, delimiter=separator)
    while True:
        taken.of_row.clear()
        wrong = ""
        try:
            cells = next(reader)
        except StopIteration:
            return
        except csv.Error as error:
            cells, wrong = [], _UNCLOSED if len(taken.of_row) > 1 else str(error)
        if len(taken.of_row) == 1 and not (taken.is_at_end or wrong):
            if cells:  # as nearly all rows
                yield skipped + reader.line_num, cells, ""
            continue
        if (ends or not taken.is_at_end) and taken.is_damaged(separator):
            cells, wrong = [], _UNCLOSED
        if wrong == _UNCLOSED:
            first = skipped + reader.line_num - len(taken.of_row) + 1
            yield first, [], wrong
            taken.again(taken.of_row[1:])
            skipped, reader = first, csv.reader(taken, delimiter=separator)
        elif cells or wrong:
            yield skipped + reader.line_num, cells, wrong


#: Signs of the longest cell: texts of whole pages stand in some.
_LONGEST = 8 << 20
csv.field_size_limit(_LONGEST)
_UNCLOSED = "a quote opens in it that is not closed where the cell ends"
#: A row that no table has.
_END = "\x1fend of lines\x1f"


def _is_open(lines: list[str], separator: str) -> bool:
    """Whether a quote is not closed in the last of some lines."""
    if not lines:
        return False
    last = lines[-1] if lines[-1].endswith(("\n", "\r")) else f"{lines[-1]}\n"
    *_, cells = csv.reader([*lines[:-1], last, _END], delimiter=separator)
    return cells != [_END]


class _Taken:
    """Lines one by one, with those of the row that is read now, which may be read again."""

    def __init__(self, lines: Iterator[str]) -> None:
        self._lines = lines
        self._again: deque[str] = deque()
        self.of_row: list[str] = []
        self.is_at_end = False

    def __iter__(self) -> Iterator[str]:
        self.is_at_end = False
        while self._again:
            self.of_row.append(self._again.popleft())
            yield self.of_row[-1]
        for line in self._lines:
            self.of_row.append(line)
            yield line
        self.is_at_end = True

    def again(self, lines: list[str]) -> None:
        """Give these out once more."""
        self._again.extendleft(reversed(lines))

    def is_damaged(self, separator: str) -> bool:
        """Whether a quote opens in the row that is not closed, or closed in another line where no
        cell ends."""
        lines = self.of_row
        if not (self.is_at_end or len(lines) > 1) or not any('"' in line for line in lines):
            return False
        if self.is_at_end and _is_open(lines, separator):
            return True
        if len(lines) == 1:
            return False
        # Spaces behind a quote are no harm.
        bare = re.sub(rf'"[ \t]+(?=[{re.escape(separator)}\r\n]|\Z)', '"', "".join(lines))
        try:
            list(csv.reader(io.StringIO(bare, newline=""), delimiter=separator, strict=True))
        except csv.Error:
            return True
        return False
