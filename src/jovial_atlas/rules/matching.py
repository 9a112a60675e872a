"""Which of many patterns is the first that a path is like, for a whole column of paths.

To ask every pattern about every path takes as long as there are patterns. Most begin with text that
stands for itself: which of these beginnings a path has is looked up, and only patterns with that
beginning are compared with it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial
from typing import Any

import polars as pl

from jovial_atlas import patterns

#: Fewer groups of patterns than this are asked one after the other.
WORTH_LOOKING_UP = 4
#: Beginnings up to this long (`/`) say nothing of a path.
_SAYS_NOTHING = 1

#: A group's number and one of its patterns.
_Numbered = tuple[int, str]


def first_fitting(groups: Sequence[Sequence[str]]) -> pl.Expr:
    """The number (UInt32, from 0) of the first group one of whose patterns the column `_path` is
    like; null where none is."""
    work = partial(_first_of, groups=groups)
    return pl.col("_path").map_batches(work, return_dtype=pl.UInt32, is_elementwise=True)


def value_at(number: pl.Expr, values: Sequence[Any], kind: pl.DataType) -> pl.Expr:
    """The value that stands at each number (from 0) of a column; null where that is null. Polars'
    own ways of replacing need all rows at once."""
    table = pl.Series(values, dtype=kind)
    return number.map_batches(table.gather, return_dtype=kind, is_elementwise=True)


def _first_of(paths: pl.Series, groups: Sequence[Sequence[str]]) -> pl.Series:
    found = [pl.DataFrame(schema={"row": pl.UInt32, "number": pl.UInt32})]
    for rows, number in _hits(paths, groups):
        found.append(pl.DataFrame({"row": rows}).with_columns(number=pl.lit(number, pl.UInt32)))
    hits = pl.concat(found).group_by("row").agg(pl.col("number").min())
    none = pl.repeat(None, paths.len(), dtype=pl.UInt32, eager=True).alias(paths.name)
    return none.scatter(hits["row"], hits["number"]) if hits.height else none


def _hits(paths: pl.Series, groups: Sequence[Sequence[str]]) -> Iterator[tuple[pl.Series, int]]:
    """Rows and the number of a group that they are like; a row may come more than once."""
    by_beginning: dict[str, list[_Numbered]] = {}
    for number, group in enumerate(groups):
        for pattern in group:
            by_beginning.setdefault(patterns.beginning_of(pattern), []).append((number, pattern))
    lengths = {len(one) for one in by_beginning}
    some = [
        one for text, named in by_beginning.items() if len(text) <= _SAYS_NOTHING for one in named
    ]
    if some:
        wanted = patterns.any_of([pattern for _, pattern in some])
        yield from _compared(paths, paths.str.contains(wanted).arg_true(), some)
    for length in sorted(lengths):
        texts = [one for one in by_beginning if len(one) == length > _SAYS_NOTHING]
        if texts:
            codes = pl.Series(range(len(texts)), dtype=pl.UInt32)
            begun = paths.str.head(length).replace_strict(
                pl.Series(texts), codes, default=None, return_dtype=pl.UInt32
            )
            for code, text in enumerate(texts):
                yield from _compared(paths, (begun == code).arg_true(), by_beginning[text])


def _compared(
    paths: pl.Series, rows: pl.Series, some: Sequence[_Numbered]
) -> Iterator[tuple[pl.Series, int]]:
    if not rows.len():
        return
    there = paths.gather(rows)
    for number, pattern in some:
        if pattern == f"{patterns.beginning_of(pattern)}**":
            yield rows, number
        else:
            yield rows.filter(there.str.contains(patterns.to_regex(pattern))), number
