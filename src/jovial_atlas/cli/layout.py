"""How a table fits a terminal: which columns are shown, and how wide each is.

Nothing that counts is cut: numbers and short words stand whole, texts go on over several lines,
addresses are shortened in their middle. Where that does not do, columns are left out in the order
that the table says, and named; where it still does not do, each row is told line by line.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple, cast

import msgspec

#: "left" and "right" are never cut, "fold" goes on over several lines, "address" is shortened in
#: its middle.
ColumnKind = Literal["left", "right", "fold", "address"]

#: Between two columns, and at both edges.
_GAP, _EDGES = 2, 2
#: Narrower than that, a text or an address tells nothing.
_LEAST = {"fold": 16, "address": 20}
#: An address may be wider than a text that stands beside it: it is what a row is about.
_HEAVY = {"address": 3, "fold": 1}


class ShownColumn(NamedTuple):
    """A column of a table: its heading, what stands in it, and when it is left out: of the columns
    with a number above 0 the highest goes first."""

    heading: str
    kind: ColumnKind = "left"
    leaves: int = 0


def table_columns(*written: str) -> list[ShownColumn]:
    """Columns as they are written: `Heading`, `Heading: kind`, or `Heading: kind leaves`."""
    found = []
    for one in written:
        heading, _, rest = one.partition(": ")
        kind, _, leaves = rest.partition(" ")
        found.append(ShownColumn(heading, cast("ColumnKind", kind or "left"), int(leaves or 0)))
    return found


class TableLayout(msgspec.Struct, frozen=True):
    """The columns that are shown, by their numbers, each with its width, and those that are not."""

    widths: dict[int, int]
    left_out: list[int]


def lay_out_table(
    columns: Sequence[ShownColumn], wide: Sequence[int], width: int, longest: Sequence[int] = ()
) -> TableLayout | None:
    """How a table fits into `width`, whose columns are as `wide` as their cells, and at least as
    the `longest` word of each; None where rows are to be told line by line."""
    least = [_least(one, cells, word) for one, cells, word
             in zip(columns, wide, longest or wide, strict=True)]  # fmt: skip
    kept = list(range(len(columns)))
    leaving = sorted((n for n in kept if columns[n].leaves), key=lambda n: columns[n].leaves)
    while _total(least, kept) > width and leaving:
        kept.remove(leaving.pop())
    if _total(least, kept) > width:
        return None
    widths = {number: least[number] for number in kept}
    _spread(columns, wide, widths, width - _total(least, kept))
    return TableLayout(widths, [n for n in range(len(columns)) if n not in widths])


def _least(column: ShownColumn, wide: int, word: int) -> int:
    """The width that a column needs at least."""
    if column.kind not in _LEAST:
        return max(wide, longest_word(column.heading))
    return max(min(wide, max(_LEAST[column.kind], min(word, 24))), longest_word(column.heading))


def longest_word(text: str) -> int:
    """Length of the longest word."""
    return max((len(one) for one in text.split()), default=0)


def _total(widths: Sequence[int], kept: Sequence[int]) -> int:
    return sum(widths[n] for n in kept) + _GAP * max(0, len(kept) - 1) + _EDGES


def _spread(
    columns: Sequence[ShownColumn], wide: Sequence[int], widths: dict[int, int], free: int
) -> None:
    """Give what is free to columns that would be wider, headings among them."""
    wanted = {n: max(wide[n], len(columns[n].heading)) for n in widths}
    # Headings first: they need little.
    for n in widths:
        if columns[n].kind not in _HEAVY:
            more = min(free, wanted[n] - widths[n])
            widths[n] += more
            free -= more
    while free and (short := [n for n in widths if widths[n] < wanted[n]]):
        share = sum(_HEAVY.get(columns[n].kind, 1) for n in short)
        for n in short:
            part = max(1, free * _HEAVY.get(columns[n].kind, 1) // share)
            more = min(part, wanted[n] - widths[n], free)
            widths[n] += more
            free -= more


def in_the_middle(text: str, width: int) -> str:
    """A text shortened in its middle, so that its beginning and, longer, its end are seen."""
    if len(text) <= width:
        return text
    start = max(1, (width - 1) // 3)
    return f"{text[:start]}…{text[len(text) - (width - 1 - start) :]}"
