"""What engines export as tables: read by a mapping of columns, in the forms of several languages.

Three kinds of table: `sitemaps` (loc, last_read, state, found, indexed), `reasons` (reason,
pages) and `addresses` (loc, indexed, reason, last_crawl).
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import msgspec

from jovial_atlas import dates, delimited
from jovial_atlas.errors import AtlasError

if TYPE_CHECKING:
    from dateparser.date import DateDataParser

#: Kind of table → its columns, those that it needs first.
EXPORT_COLUMNS: Mapping[str, tuple[str, ...]] = {
    "sitemaps": ("loc", "found", "indexed", "last_read", "state"),
    "reasons": ("reason", "pages"),
    "addresses": ("loc", "indexed", "reason", "last_crawl"),
}
NEEDED: Mapping[str, tuple[str, ...]] = {
    "sitemaps": ("loc", "found"), "reasons": ("reason", "pages"), "addresses": ("loc",),
}  # fmt: skip
_DATES = frozenset({"last_read", "last_crawl"})
_COUNTS = frozenset({"found", "indexed", "pages"})
YES = frozenset(
    ["yes", "true", "1", "indexed", "ja", "indexiert", "oui", "indexée", "sí", "si", "indexada",
     "indicizzata", "sì", "geïndexeerd", "tak", "sim"]
)  # fmt: skip
_TIME = re.compile(r"[\s,]+\d{1,2}:\d\d.*$")
_NUMERIC = re.compile(r"\s*(\d{1,4})[./-](\d{1,2})[./-](\d{1,4})\b")


class ExportTable(msgspec.Struct, frozen=True):
    """One table: its kind, and rows by our names. Counts are numbers, dates in the product's form,
    `indexed` of an address yes or no."""

    kind: str
    rows: list[dict[str, Any]]


def read_export(
    table: Sequence[Sequence[str]], kind: str, columns: Mapping[str, str]
) -> ExportTable:
    """The rows of an export, whose first row has its headings; `columns` maps our names to theirs.
    Raises AtlasError where a column is missing, or a row cannot be read."""
    header, *rows = table or [[]]
    places = {name.strip().casefold(): number for number, name in enumerate(header)}
    wanted = {ours: columns.get(ours, ours) for ours in EXPORT_COLUMNS[kind]}
    for ours in NEEDED[kind]:
        if wanted[ours].strip().casefold() not in places:
            raise AtlasError(
                f"There is no column {wanted[ours]!r} for {ours}; there are "
                f"{', '.join(name.strip() for name in header)}."
            )
    at = {o: places[t.strip().casefold()] for o, t in wanted.items()
          if t.strip().casefold() in places}  # fmt: skip
    first = day_first([row[at[name]] for name in _DATES & set(at) for row in rows
                            if len(row) > at[name]])  # fmt: skip
    records = []
    for number, row in enumerate(rows, start=2):
        if not any(cell.strip() for cell in row):
            continue
        if len(row) <= max(at.values()):
            raise AtlasError(f"Line {number} has {len(row)} cells, fewer than the first line.")
        records.append({o: _value(o, row[path].strip(), kind, first, number)
                      for o, path in at.items()})  # fmt: skip
    return ExportTable(kind, records)


def export_rows(data: bytes) -> list[list[str]]:
    """The rows of an export as delimited text. Raises AtlasError where one cannot be read."""
    text, _ = delimited.decoded(data)
    table = []
    for line, cells, wrong in delimited.rows(text):
        if wrong:
            raise AtlasError(f"Line {line} cannot be read as a table ({wrong}).")
        table.append(cells)
    return table


def _value(name: str, text: str, kind: str, first: bool, line: int) -> Any:
    if name in _DATES:
        if not text or text in ("-", "–", "N/A"):
            return None
        read = read_date(text, first)
        if read is None:
            raise AtlasError(f"Line {line}: {text!r} is no date.")
        return read
    if name in _COUNTS and not (name == "indexed" and kind == "addresses"):
        if not text or text in ("-", "–", "N/A"):
            return None
        number = read_number(text)
        if number is None:
            raise AtlasError(f"Line {line}: {text!r} is no number.")
        return number
    if name == "indexed":
        return text.casefold() in YES
    return text


def read_number(text: str) -> int | None:
    """A count with any sign between its thousands: `1,234`, `1.234`, `1 234`; None for none."""
    bare = re.sub(r"[\s\u00a0\u202f']", "", text)
    match = re.fullmatch(r"\d{1,3}(?:[.,]\d{3})+|\d+", bare)
    return int(re.sub(r"[.,]", "", bare)) if match else None


def read_date(text: str, days_first: bool = True) -> str | None:
    """A date as engines write it in many languages, in the product's form; None for none. Of two
    numbers that could be day or month the first is the day, or else the second."""
    # The time of day is none of the product's, and would make every text another one.
    return dates.read(text) or _worded(_TIME.sub("", text), "DMY" if days_first else "MDY")


@lru_cache(maxsize=4_096)
def _worded(text: str, order: str) -> str | None:
    """The day of a date with words or in the order of a country."""
    found = _parser(order).get_date_data(text).date_obj
    return found.date().isoformat() if found else None


@lru_cache(maxsize=2)
def _parser(order: str) -> DateDataParser:
    from dateparser.date import DateDataParser

    # No day, month or year is guessed, and nothing like "yesterday" is a date of a table.
    settings = {"STRICT_PARSING": True, "DATE_ORDER": order, "PARSERS": ["absolute-time"],
                "PREFER_LOCALE_DATE_ORDER": False, "RETURN_AS_TIMEZONE_AWARE": False}  # fmt: skip
    return DateDataParser(settings=settings)


def day_first(texts: Sequence[str]) -> bool:
    """Whether days stand before months: by the first date that can only be one of both."""
    for text in texts:
        match = _NUMERIC.match(text)
        if match and int(match[1]) <= 31:
            if int(match[1]) > 12:
                return True
            if int(match[2]) > 12:
                return False
            if "." in text:
                return True
    return True
