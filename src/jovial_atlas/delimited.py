"""Tables as delimited text (RFC 4180), as spreadsheets and exports of all countries write them:
parted by commas, semicolons, tabs or bars, in UTF-8, UTF-16 or Windows-1252."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator
from itertools import chain, islice
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
    return rows_of(iter(io.StringIO(table, newline="") if isinstance(table, str) else table))


def rows_of(lines: Iterator[str], separator: str = "") -> Iterator[Row]:
    """As `rows`, of lines with their ends; of what is read already, the `separator` is known."""
    skipped = 0
    if not separator:
        ahead = list(islice(lines, 1))
        beginning = "".join(ahead)[:_BEGINNING]
        separator = separator_of(beginning)
        if has_hint(beginning):
            skipped, ahead = 1, []
        lines = chain(ahead, lines)
    reader = csv.reader(lines, delimiter=separator)
    while True:
        try:
            cells = next(reader)
        except StopIteration:
            return
        except csv.Error as error:
            yield skipped + reader.line_num, [], str(error)
            continue
        if cells:
            yield skipped + reader.line_num, cells, ""
