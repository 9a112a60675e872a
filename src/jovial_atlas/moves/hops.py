"""What is written for servers: moves with their chains gone, each one hop."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Mapping
from typing import NamedTuple

import msgspec

from jovial_atlas.addresses import path_and_query
from jovial_atlas.moves.move import Move
from jovial_atlas.moves.resolving import MoveMap, joined_status, led_on, through


class SingleHop(NamedTuple):
    """An old path (percent-encoded; with its query, where only that is meant), the address that it
    leads to ("" where it is gone), the status, and whether whoever asks keeps the query."""

    path: str
    to: str
    status: int
    keeps_query: bool


class PatternHop(NamedTuple):
    """A regular expression over paths as they are sent (`with_query`: and their queries), and where
    it leads, with `$1` to `$9` for its groups."""

    expression: str
    with_query: bool
    to: str
    status: int
    keeps_query: bool
    pattern: str


class Hops(msgspec.Struct, frozen=True):
    """All hops of one host. `staying` are paths under patterns that are not moved; `other_case`
    holds, in lower case, the paths that differ from an old one in capital letters alone."""

    single: list[SingleHop] = msgspec.field(default_factory=list)
    patterns: list[PatternHop] = msgspec.field(default_factory=list)
    staying: list[str] = msgspec.field(default_factory=list)
    other_case: frozenset[str] = frozenset()

    def __bool__(self) -> bool:
        return bool(self.single or self.patterns)


def hops_of(
    host: str,
    by: MoveMap,
    staying: Mapping[str, Iterable[str]],
    known: Iterable[str] = (),
    onward: Iterable[str] = (),
) -> Hops:
    """The hops of a host (scheme and host name), without those that lead in a circle. `staying`
    are, by pattern, the addresses of pages that exist under it; `known` are addresses that were
    listed once: those that a pattern alone would lead wrong get a hop of their own; `onward` are
    addresses that lead on by something else than the table."""
    stays = {old for old, pages in staying.items() if any(True for _ in pages)}
    patterns = [move for _, move in by.patterns if move.origin == host]
    hops = Hops(patterns=[_pattern_hop(move, by, stays) for move in patterns])
    mine = f"{host}/"
    olds = [*(old for old in by.single if old.startswith(mine)), *onward]
    hops.single.extend(hop for old in dict.fromkeys(olds) if (hop := _single_hop(old, by)))
    written = {hop.path for hop in hops.single}
    by_pattern = [(re.compile(hop.expression), hop) for hop in hops.patterns]
    for address in known:
        path = path_and_query(address)
        if not address.startswith(mine) or path in written:
            continue
        if hop := _unlike_its_pattern(address, path, by, by_pattern):
            hops.single.append(hop)
            written.add(path)
    for move in patterns:
        hops.staying.extend(path_and_query(one) for one in staying.get(move.old, ()))
    hops.single.sort()
    return Hops(hops.single, hops.patterns, sorted(set(hops.staying) - written))


def circling(by: MoveMap, stays: Collection[str]) -> set[str]:
    """The patterns that are not to be written, since others lead back to them: where there are
    pages under one of a circle again (`stays`), that one; else all of it."""
    out: set[str] = set()
    for _, move in by.patterns:
        circle = [move]
        while (other := through(circle[-1], by.patterns)) and other not in circle:
            circle.append(other)
        if other is move:
            alive = {one.old for one in circle if one.old in stays}
            out |= alive or {one.old for one in circle}
    return out


def _pattern_hop(move: Move, by: MoveMap, stays: Collection[str]) -> PatternHop:
    """One hop of a pattern. It is led on by others that surely take all of its targets, of which
    none is a page."""
    seen = {move.path}
    onward = move
    while True:
        other = through(onward, by.patterns)
        if other is None or other.old in stays or other.path in seen:
            break
        seen.add(other.path)
        to = led_on(onward, by.patterns)
        status = joined_status(onward.status, other.status)
        onward = Move(move.origin, move.path, to, status, move.query)
    keeps = onward.query == "keep" and not move.asks_query
    return PatternHop(
        move.regex, move.asks_query, onward.to, onward.status, keeps, move.path
    )  # fmt: skip


def _single_hop(old: str, by: MoveMap) -> SingleHop | None:
    """The one hop of an address; None where there is a page, and where it leads back to itself."""
    end = by.end(old)
    if end is None or end.loops:
        return None
    path = path_and_query(old)
    keeps = "?" not in path and all(move.query == "keep" for move in end.by)
    # Where the site file sends pages on, queries were dropped always.
    return SingleHop(path, end.to, end.status, keeps and bool(end.by))


def _unlike_its_pattern(
    address: str, path: str, by: MoveMap, patterns: list[tuple[re.Pattern[str], PatternHop]]
) -> SingleHop | None:
    """The hop of an address that the first pattern would not lead to its end."""
    end = by.end(address)
    if end is None or end.loops:
        return None
    bare = path.partition("?")[0]
    for regex, hop in patterns:
        if match := regex.search(path if hop.with_query else bare):
            if (hop.status, _target(hop.to, match)) == (end.status, end.to):
                return None
            break
    keeps = "?" not in path and all(move.query == "keep" for move in end.by)
    return SingleHop(path, end.to, end.status, keeps)


def _target(to: str, match: re.Match[str]) -> str:
    return re.sub(r"\$([1-9])", lambda one: match[int(one[1])] or "", to)


def in_other_case(single: Iterable[SingleHop], pages: Iterable[str]) -> frozenset[str]:
    """In lower case, the old paths beside which another old path, a target or a page differs in
    capital letters alone: a server that looks without minding these would take one for the
    other."""
    seen: dict[str, set[str]] = {}
    for hop in single:
        seen.setdefault(hop.path.lower(), set()).add(hop.path)
    for other in _others(single, pages):
        if (low := other.lower()) in seen:
            seen[low].add(other)
    return frozenset(low for low, paths in seen.items() if len(paths) > 1)


def _others(single: Iterable[SingleHop], pages: Iterable[str]) -> Iterator[str]:
    for hop in single:
        if hop.to:
            yield path_and_query(hop.to.partition("#")[0])
    yield from pages
