"""Rows of a large table whose address stands more than once: found by hashes, and merged some at a
time, in the order of the rows that they are merged into.

Rows have numbers over all pieces of the table. A row is later where another of its address comes
before it; the first one of that address is its `first`.
"""

from __future__ import annotations

from collections.abc import Generator, Iterator, Sequence
from itertools import accumulate, pairwise
from typing import Literal

import polars as pl

from jovial_atlas.pages.merge import Repeats, merge, merge_into
from jovial_atlas.pages.snapshot import ROW_GROUP

#: Hashes that are looked at together: to find what stands twice takes as much room again.
_AT_ONCE = 16_000_000
#: Later rows that are fetched together; and how often a piece is read for it at most.
_FETCHED, _PASSES = 250_000, 16
#: Rows so many times further apart than there are of them are looked for in all of a piece.
_SPREAD = 4
_NUMBER = pl.UInt32


def later_rows(hashes: pl.Series) -> pl.DataFrame:
    """The later rows as `first, row`, by the hashes of all addresses: in the order of the first
    ones."""
    found = [pl.DataFrame(schema={"first": _NUMBER, "row": _NUMBER})]
    for some in _shares(hashes, _AT_ONCE):
        if some["hash"].n_unique() < some.height:
            again = pl.col("hash") == pl.col("hash").shift(1)
            alike = some.sort("hash", maintain_order=True).with_columns(again=again)
            first = pl.when(~pl.col("again").fill_null(False)).then("row").forward_fill()
            found.append(alike.with_columns(first=first).filter("again").select("first", "row"))
    return pl.concat(found).sort("first", "row")


def _shares(hashes: pl.Series, most: int) -> Iterator[pl.DataFrame]:
    """Hashes with the numbers of their rows, in shares of about as many, by their first bits."""
    shares = 1 << max(0, ((hashes.len() - 1) // most).bit_length())
    if shares == 1:
        yield pl.DataFrame({"hash": hashes}).with_row_index("row")
        return
    width = 2**64 // shares
    for share in range(shares):
        low, high = (pl.lit(share * width + end, pl.UInt64) for end in (0, width - 1))
        mine = hashes.is_between(low, high)
        yield pl.DataFrame({"row": mine.arg_true(), "hash": hashes.filter(mine)})


def merged_alone(
    table: pl.LazyFrame, later: pl.DataFrame, winners: Sequence[str], told: Repeats
) -> pl.LazyFrame:
    """A table with few later rows: all that they have nothing to do with, then what they come to
    with their first ones."""
    concerned = pl.concat([later["first"], later["row"]]).unique()
    numbered = table.with_row_index("_at")

    def kept(how: Literal["semi", "anti"]) -> pl.LazyFrame:
        found = numbered.join(
            pl.LazyFrame({"_at": concerned}), on="_at", how=how, maintain_order="left"
        )
        return found.drop("_at")

    merged = merge(kept("semi").collect(engine="streaming"), winners, told)
    return pl.concat([kept("anti"), merged.lazy()])


class MergedPieces:
    """The pieces of a table, alike in their columns, with their `later` rows merged into the first
    ones; what is told of that goes to `told`."""

    def __init__(
        self,
        pieces: Sequence[pl.LazyFrame],
        later: pl.DataFrame,
        winners: Sequence[str],
        told: Repeats,
    ) -> None:
        self._pieces = pieces
        self._firsts, self._rows = later["first"], later["row"]
        self._out = later["row"].sort()
        self._winners = winners
        self._told = told
        heights = [one.select(pl.len()).collect().item() for one in pieces]
        self._starts = [0, *accumulate(heights)]
        #: Later rows that are at hand, and the place of the first of them.
        self._hand, self._begun = pl.DataFrame(), 0

    def __iter__(self) -> Generator[pl.DataFrame]:
        """All rows, some at a time."""
        for piece, (start, end) in zip(self._pieces, pairwise(self._starts), strict=True):
            for at in range(start, end, ROW_GROUP):
                upto = min(at + ROW_GROUP, end)
                out, into = _span(self._out, at, upto), _span(self._firsts, at, upto)
                if len(out) == upto - at:
                    continue
                rows = piece.slice(at - start, upto - at).collect()
                if out or into:
                    rows = self._merged(rows, self._out[out.start : out.stop] - at, into, at)
                yield rows

    def _merged(self, rows: pl.DataFrame, gone: pl.Series, into: range, at: int) -> pl.DataFrame:
        """Rows, the first of which has the number `at`: without those that are `gone`, and with the
        later ones that go `into` them."""
        numbered = rows.with_row_index("_at")
        numbers = self._firsts[into.start : into.stop] - at
        new = numbers.is_first_distinct()
        firsts = numbers.filter(new)
        of_merged = _marked(rows.height, firsts)
        alone = numbered.filter(~(of_merged | _marked(rows.height, gone)))
        if not into:
            return alone.drop("_at")
        of = new.cum_sum() - 1
        merged = self._of_addresses(rows.filter(of_merged), self._later(into), of)
        if not alone.height:
            return merged
        # Where two addresses have one hash, there are more rows than first ones.
        place = firsts.extend_constant(rows.height, merged.height - firsts.len())
        whole = pl.concat([alone, merged.select(place.alias("_at"), pl.all())])
        return whole.sort("_at", maintain_order=True).drop("_at")

    def _of_addresses(
        self, first: pl.DataFrame, later: pl.DataFrame, of: pl.Series
    ) -> pl.DataFrame:
        """Rows merged into those at the places `of`, with whose addresses they share hashes."""
        if (later["loc"] == first["loc"][of]).all():
            return merge_into(first, later, of, self._winners, self._told)
        return merge(pl.concat([first, later]), self._winners, self._told)

    def _later(self, span: range) -> pl.DataFrame:
        """Later rows, in their order; so many are fetched with them that each piece is read some
        times at most."""
        if span.stop > self._begun + self._hand.height:
            most = max(_FETCHED, self._rows.len() // _PASSES, len(span))
            self._hand, self._begun = self._fetched(self._rows.slice(span.start, most)), span.start
        return self._hand.slice(span.start - self._begun, len(span))

    def _fetched(self, wanted: pl.Series) -> pl.DataFrame:
        """The rows of these numbers."""
        order = None if wanted.is_sorted() else wanted.arg_sort()
        ascending, found = wanted if order is None else wanted[order], []
        for piece, (start, end) in zip(self._pieces, pairwise(self._starts), strict=True):
            span = _span(ascending, start, end)
            if span:
                found.append(_rows_at(piece, ascending[span.start : span.stop] - start))
        whole = pl.concat(found)
        if order is None:
            return whole
        return whole[pl.DataFrame({"at": order}).with_row_index().sort("at")["index"]]


def _marked(height: int, places: pl.Series) -> pl.Series:
    """So many truth values, true at some places."""
    return pl.Series([False]).new_from_index(0, height).scatter(places, True)


def _span(ordered: pl.Series, start: int, end: int) -> range:
    """The places of the numbers from `start` to `end` among some in order."""
    begun, ended = ordered.search_sorted(pl.Series([start, end], dtype=_NUMBER)).to_list()
    return range(begun, ended)


def _rows_at(piece: pl.LazyFrame, places: pl.Series) -> pl.DataFrame:
    """Rows of a piece at places, which are in order."""
    begun, height = int(places[0]), int(places[-1]) - int(places[0]) + 1
    if height <= _SPREAD * places.len():
        near = piece.slice(begun, height).collect()
        return near if height == places.len() else near[places - begun]
    wanted = pl.LazyFrame({"_at": places})
    numbered = piece.with_row_index("_at")
    return (
        numbered.join(wanted, on="_at", how="semi", maintain_order="left")
        .drop("_at")
        .collect(engine="streaming")
    )
