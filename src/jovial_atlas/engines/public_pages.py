"""The pages that are public, piece by piece: a large site has more of them than can be held. What
an engine has not heard is told by keys of addresses and of marks; addresses are read where they are
sent."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from itertools import accumulate
from typing import Protocol, overload

import msgspec
import polars as pl

from jovial_atlas.pages.keys import key_of, keys_of, places_in

#: One address with the mark of its content; None for one that is gone.
Item = tuple[str, str | None]
#: Gives a piece: `loc, mark, section`.
ReadPiece = Callable[[], pl.DataFrame]
#: What the rows of a piece weigh, where a quota makes it matter.
Weigh = Callable[[pl.DataFrame], pl.Series]
#: So many pieces are read ahead.
_AHEAD = 2
_MARK = pl.col("mark").fill_null("").hash(2)
_PIECE = {"loc": pl.String, "mark": pl.String, "section": pl.String}


class Unheard(msgspec.Struct, frozen=True):
    """What an engine has not heard: places of pages that are new to it, and of those that changed;
    addresses that are gone. `known` counts the addresses of the site that it has heard."""

    added: pl.Series
    changed: pl.Series
    gone: list[str]
    known: int


class FileHeard(msgspec.Struct, frozen=True, array_like=True):
    """One file as it was compared: its digest, its pages, and those of them that were new to the
    engine, or had changed."""

    digest: str
    pages: int
    added: int
    changed: int


class Remembered(msgspec.Struct, frozen=True):
    """What a comparison came to: the announcements that had been taken by then, with a digest of
    them; how many addresses the engine knew; and each file. `key` is that of one address: keys are
    the same only for as long as that one is."""

    key: int
    taken: Sequence[int]
    digest: str
    known: int
    files: Mapping[str, FileHeard]


class HeardMemory(Protocol):
    """Where comparisons are remembered, by engine."""

    def load(self, engine: str) -> Remembered | None:
        """The last one."""

    def save(self, engine: str, what: Remembered) -> None:
        """Keep one, as far as that can be done."""


class PageFiles(msgspec.Struct, frozen=True):
    """The files that pieces of public pages are: names and digests in their order, and where it is
    remembered what of them was heard."""

    digests: Mapping[str, str]
    key: int
    memory: HeardMemory


class PublicPages:
    """Public pages in pieces, each read where it is needed. `keys` gives the keys of all addresses
    where they are had without reading the pieces, `sizes` says how many pages each piece has,
    `holding` which pieces may hold pages with some keys, and `files` what the pieces are, where
    that is known; `files` needs `sizes`."""

    def __init__(
        self,
        pieces: Sequence[ReadPiece],
        keys: Callable[[], pl.Series] | None = None,
        sizes: Sequence[int] | None = None,
        holding: Callable[[pl.Series], Iterable[int]] | None = None,
        files: PageFiles | None = None,
    ) -> None:
        self.files = files
        self._pieces = pieces
        self._given_keys = keys
        self._sizes = sizes
        self._holding = holding

    @classmethod
    def of(cls, marks: Mapping[str, str], section: str = "") -> PublicPages:
        """A few pages, by address."""
        rows = [(loc, mark, section) for loc, mark in marks.items()]
        table = pl.DataFrame(rows, schema=_PIECE, orient="row")
        return cls([lambda: table])

    @cached_property
    def keys(self) -> pl.Series:
        """The keys of all addresses, sorted."""
        if self._given_keys is not None:
            return self._given_keys().sort()
        none = pl.Series([], dtype=pl.UInt64)
        return pl.concat([none, *(keys_of(one["loc"]) for _, one in self.pieces())]).sort()

    def __len__(self) -> int:
        return self.keys.len()

    def within(self, locs: Collection[str]) -> int:
        """How many of these are public."""
        asked = keys_of(pl.Series(list(locs), dtype=pl.String))
        return places_in(self.keys, asked).count()

    def marks_of(self, locs: Collection[str]) -> dict[str, str]:
        """The marks of those that are public."""
        wanted = pl.Series(list(locs), dtype=pl.String)
        if self._holding is not None:
            pieces = (self._pieces[number]() for number in self._holding(keys_of(wanted)))
        elif places_in(self.keys, keys_of(wanted)).count():
            pieces = (piece for _, piece in self.pieces())
        else:
            return {}
        found: dict[str, str] = {}
        for piece in pieces:
            some = piece.filter(pl.col("loc").is_in(wanted.implode()))
            found |= dict(some.select("loc", "mark").iter_rows())
            if len(found) == len(locs):
                break
        return found

    @property
    def starts(self) -> list[int]:
        """The place of the first page of each piece, and the number of all pages."""
        if self._sizes is None:
            self._sizes = [read().height for read in self._pieces]
        return [0, *accumulate(self._sizes)]

    def piece(self, number: int) -> pl.DataFrame:
        """One piece."""
        return self._pieces[number]()

    def holding(self, keys: pl.Series) -> Iterable[int]:
        """The numbers of pieces that may hold pages with some keys."""
        return range(len(self._pieces)) if self._holding is None else self._holding(keys)

    def unheard(self, heard: Callable[[], Iterable[pl.DataFrame]], url: str) -> Unheard:
        """What differs from what was `heard` (pieces of `loc, mark`), of a site at `url`."""
        known, own = known_of(heard(), url)
        if not known.height and self._sizes is not None:
            none = pl.Series([], dtype=pl.UInt64)
            return Unheard(pl.int_range(sum(self._sizes), dtype=pl.UInt64, eager=True), none, [], 0)
        met: list[pl.Series] = [pl.Series([], dtype=pl.UInt32)]
        new: list[pl.Series] = [pl.Series([], dtype=pl.UInt64)]
        other = list(new)
        for start, piece in self.pieces():
            added, changed, at = differing(piece, known)
            new.append(added + start)
            other.append(changed + start)
            met.append(at)
        is_met = pl.repeat(False, known.height, dtype=pl.Boolean, eager=True)
        is_met = is_met.scatter(pl.concat(met), True)
        lost = known["key"].filter(~is_met)
        gone = [loc for piece in heard() for loc in _among(lost, piece)] if lost.len() else []
        return Unheard(pl.concat(new), pl.concat(other), gone, own)

    def in_order(self, groups: Iterable[pl.Series], weigh: Weigh | None) -> pl.Series:
        """Groups of places one after the other, in each the pages that weigh most first."""
        ordered = (self._by_weight(one, weigh) if weigh else one for one in groups)
        return pl.concat(ordered)

    def _by_weight(self, places: pl.Series, weigh: Weigh) -> pl.Series:
        weights = [weigh(rows) for rows in self._at(places)]
        if not weights:
            return places
        return places[pl.concat(weights).arg_sort(descending=True, nulls_last=True)]

    def placed(self, places: pl.Series, others: Sequence[Item]) -> PlacedItems:
        """The pages at places, then others."""
        return PlacedItems(self, places, others)

    def items(self, places: pl.Series) -> list[Item]:
        """Addresses and marks at places, in their order."""
        order = places.arg_sort()
        rows = pl.concat([pl.DataFrame(schema=_PIECE), *self._at(places[order])])
        back = pl.DataFrame({"at": order}).with_row_index().sort("at")["index"]
        return list(rows[back].select("loc", "mark").iter_rows())

    def pieces(self) -> Iterator[tuple[int, pl.DataFrame]]:
        """Each piece with the place of its first page."""
        start, sizes = 0, list[int]()
        with ThreadPoolExecutor(_AHEAD) as ahead:
            waiting = deque(ahead.submit(read) for read in self._pieces[:_AHEAD])
            for number in range(len(self._pieces)):
                piece = waiting.popleft().result()
                if number + _AHEAD < len(self._pieces):
                    waiting.append(ahead.submit(self._pieces[number + _AHEAD]))
                yield start, piece
                start += piece.height
                sizes.append(piece.height)
        self._sizes = sizes

    def _at(self, places: pl.Series) -> Iterator[pl.DataFrame]:
        """The rows at places, which are in ascending order, piece by piece."""
        starts = self.starts
        for number, read in enumerate(self._pieces):
            begun, ended = places.search_sorted(pl.Series(starts[number : number + 2])).to_list()
            if begun < ended:
                yield read()[places.slice(begun, ended - begun) - starts[number]]


def differing(
    piece: pl.DataFrame, known: pl.DataFrame
) -> tuple[pl.Series, pl.Series, pl.Series]:
    """The rows of a piece that are not `known` (keys of addresses and of marks, sorted), those that
    are with another mark, and where the known ones stand there."""
    at = places_in(known["key"], keys_of(piece["loc"])).alias("at")
    row = pl.int_range(pl.len(), dtype=pl.UInt64)
    rows = piece.select(at, _MARK.alias("mark"), row=row)
    same = rows.drop_nulls("at")
    changed = same.filter(pl.col("mark") != known["mark"][same["at"]])["row"]
    return rows.filter(pl.col("at").is_null())["row"], changed, same["at"]


def known_of(heard: Iterable[pl.DataFrame], url: str) -> tuple[pl.DataFrame, int]:
    """Keys of addresses and of marks, sorted; and how many are of the site at `url`."""
    own, tables = 0, [pl.DataFrame(schema={"key": pl.UInt64, "mark": pl.UInt64})]
    for piece in heard:
        own += int(piece["loc"].str.starts_with(f"{url}/").sum())
        tables.append(piece.select(key=key_of(pl.col("loc")), mark=_MARK))
    return pl.concat(tables).sort("key"), own


def _among(lost: pl.Series, piece: pl.DataFrame) -> list[str]:
    is_lost = places_in(lost, keys_of(piece["loc"])).is_not_null()
    return piece["loc"].filter(is_lost).to_list()


@dataclass(frozen=True)
class PlacedItems(Sequence[Item]):
    """Pages at places, then others: read each time that they are asked for, since there may be more
    than can be held."""

    pages: PublicPages
    places: pl.Series
    others: Sequence[Item]

    def __len__(self) -> int:
        return self.places.len() + len(self.others)

    def __iter__(self) -> Iterator[Item]:
        yield from self.pages.items(self.places) if self.places.len() else ()
        yield from self.others

    @overload
    def __getitem__(self, at: int) -> Item: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[Item]: ...
    def __getitem__(self, at: int | slice) -> Item | Sequence[Item]:
        if isinstance(at, int):
            (one,) = self[at : at + 1] if at != -1 else self[at:]
            return one
        start, end, step = at.indices(len(self))
        assert step == 1
        here = self.places.len()
        others = self.others[max(0, start - here) : max(0, end - here)]
        return PlacedItems(self.pages, self.places.slice(start, max(0, end - start)), others)
