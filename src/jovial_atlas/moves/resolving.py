"""Where an address leads: the first move that is about it, and the end of a chain of moves.

One address is decided by, in this order: a move of exactly this address with its query, one of its
path, then patterns in the order of the table. What exists stays: a page is never sent on by a move.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import NamedTuple

from jovial_atlas.addresses import normalise, origin, path_and_query
from jovial_atlas.moves.move import (
    GONE,
    REDIRECTS,
    Move,
    filled_in_target,
    references_in,
    wildcards,
)

#: So many hops are followed before a chain counts as endless.
_MOST_HOPS = 100


class Leads(NamedTuple):
    """Where an address leads: the answer's status, the new address ("" where it is gone), the moves
    on the way; `loops` where it comes back to itself."""

    status: int
    to: str
    by: tuple[Move, ...]
    loops: bool = False


class MoveMap:
    """A table of moves, ready to be asked. `exists` says whether there is a page at an address;
    `onward` are addresses that lead on by something else than the table."""

    def __init__(
        self,
        moves: Iterable[Move],
        exists: Callable[[str], bool] = lambda _address: False,
        onward: Mapping[str, str] | None = None,
    ) -> None:
        self.exists, self.onward = exists, onward or {}
        self.single: dict[str, Move] = {}
        self.patterns: list[tuple[re.Pattern[str], Move]] = []
        self._ends: dict[str, Leads | None] = {}
        for move in moves:
            if move.is_refused:
                continue
            if move.is_single:
                self.single.setdefault(move.old, move)
            else:
                self.patterns.append((re.compile(move.regex), move))
        # Most addresses begin like no pattern at all.
        self._begin = tuple(move.origin + move.beginning for _, move in self.patterns)
        self._asked = [(regex, move, move.asks_query) for regex, move in self.patterns]

    def first(self, address: str) -> Leads | None:
        """The answer to whoever asks for an address, hop by hop; None where no move is about it."""
        if address in self.onward:
            return Leads(301, self.onward[address], ())
        bare, mark, query = address.partition("?")
        if mark and (move := self.single.get(address)):
            return None if self._stays(move, address) else Leads(move.status, move.to, (move,))
        if move := self.single.get(bare):
            return None if self._stays(move, address) else self._answer(move, move.to, query)
        return self._by_pattern(address, query)

    def _by_pattern(self, address: str, query: str) -> Leads | None:
        if not address.startswith(self._begin):
            return None
        here, asked = origin(address), path_and_query(address)
        path = asked.partition("?")[0]
        for regex, move, with_query in self._asked:
            if move.origin != here:
                continue
            if match := regex.search(asked if with_query else path):
                if self._stays(move, address):
                    return None
                return self._answer(move, move.target(match), "" if with_query else query)
        return None

    def _stays(self, move: Move, address: str) -> bool:
        """Whether there is a page, which no move hides; one that is gone on purpose does not stay,
        where the row names it alone."""
        return not (move.is_gone and move.is_single) and self.exists(address)

    @staticmethod
    def _answer(move: Move, to: str, query: str) -> Leads:
        if move.is_gone:
            return Leads(GONE, "", (move,))
        return Leads(move.status, with_query(to, query) if move.query == "keep" else to, (move,))

    def end(self, address: str) -> Leads | None:
        """Where an address leads in the end, as one hop; None where no move is about it."""
        if address not in self._ends:
            self._ends[address] = self._end(address)
        return self._ends[address]

    def _end(self, address: str) -> Leads | None:
        first = self.first(address)
        if first is None:
            return None
        status, to, by, _ = first
        seen = {address}
        for _ in range(_MOST_HOPS):
            if not to:
                return Leads(status, to, by)
            bare, mark, fragment = to.partition("#")
            if bare in seen:
                return Leads(status, to, by, loops=True)
            seen.add(bare)
            more = self.first(_normal(bare))
            if more is None:
                return Leads(status, to, by)
            onward = more.to if "#" in more.to or not more.to else more.to + mark + fragment
            status, to, by = joined_status(status, more.status), onward, by + more.by
        return Leads(status, to, by, loops=True)


def _normal(address: str) -> str:
    try:
        return normalise(address)
    except ValueError:
        return address


def joined_status(first: int, second: int) -> int:
    """The status of two hops as one: for good where both are, with the method where both keep it;
    gone where the second is."""
    if second == GONE:
        return GONE
    lasts, keeps = (all(pair) for pair in zip(REDIRECTS[first], REDIRECTS[second], strict=True))
    return next(status for status, said in REDIRECTS.items() if said == (lasts, keeps))


def with_query(to: str, query: str) -> str:
    """An address with what somebody asked behind it, before its fragment."""
    if not query:
        return to
    bare, mark, fragment = to.partition("#")
    return f"{bare}{'&' if '?' in bare else '?'}{query}{mark}{fragment}"


#: What stands for each group while one pattern is laid on another: no address holds it. One that
#: may hold a slash says so.
_MARKED = re.compile("\ue000/?([1-9])\ue001")


def through(move: Move, moves: Iterable[tuple[re.Pattern[str], Move]]) -> Move | None:
    """The first other pattern that takes all that a pattern's target may be: of `/a/**` → `/b/$1`
    the move `/b/**`. None where there is none that surely does."""
    return next((other for other, _ in _taking(move, moves)), None)


def led_on(move: Move, moves: Iterable[tuple[re.Pattern[str], Move]]) -> str:
    """The target of a pattern as the first other pattern that takes all of it leads it on:
    `/c/$1`, where that is `/b/**` → `/c/$1`."""
    return next((to for _, to in _taking(move, moves)), move.to)


def _taking(
    move: Move, moves: Iterable[tuple[re.Pattern[str], Move]]
) -> Iterator[tuple[Move, str]]:
    if "#" in move.to or not references_in(move.to):
        return
    marked = filled_in_target(move.to, tuple(_markers(move)))
    here = origin(marked)
    asked = marked[len(here) :]
    for regex, other in moves:
        if other.origin != here or other.is_gone or other.query != move.query:
            continue
        match = regex.search(asked if other.asks_query else asked.partition("?")[0])
        if match and all(_MARKED.sub("", one or "").isprintable() for one in match.groups()):
            yield other, _MARKED.sub(r"$\1", other.target(match))
            return


def _markers(move: Move) -> Iterator[str]:
    """A sign for each part of the old address that the new one may name."""
    kinds = wildcards(move.path) if not move.is_expression else []
    for number in range(1, move.groups + 1):
        inside = number <= len(kinds) and kinds[number - 1] != "**"
        yield f"\ue000{'' if inside else '/'}{number}\ue001"


def chained(moves: Iterable[Move], by: MoveMap) -> Iterator[Move]:
    """The moves whose target is moved itself."""
    for move in moves:
        if move.to and not move.is_refused and move.is_single and by.first(_normal(move.to)):
            yield move
