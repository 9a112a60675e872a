"""What is wrong with a table of moves, taken as a whole."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from typing import NamedTuple

from jovial_atlas.addresses import path_and_query
from jovial_atlas.faults import Fault, plural
from jovial_atlas.moves.move import Move
from jovial_atlas.moves.resolving import MoveMap, chained

#: So many addresses led to one home page are told as lost there.
_MANY_HOME = 3
#: What a pattern may stand for, to try whether an earlier one takes all of it.
_SAMPLES = (("a", "a", "7"), ("b-2", "b/c-2/", "2024"), ("q.html", "q/r/s.html", "10"))


class TargetState(NamedTuple):
    """How a page stands that moves lead to: whether it is there, may be indexed, and where it leads
    on by itself."""

    exists: bool
    indexable: bool = True
    onward: str = ""


def check_moves(
    moves: Sequence[Move],
    by: MoveMap,
    state: Callable[[str], TargetState | None],
    hidden: Iterable[tuple[Move, Sequence[str]]],
    homes: Collection[str],
    year_ago: str,
    circles: Collection[str] = (),
) -> Iterator[Fault]:
    """The faults of a table of moves. `state` tells of a target on the site, None of one that is
    not ours; `hidden` names the pages that exist at old addresses; `homes` are the home pages;
    `circles` the patterns that are not written, since others lead back to them; `year_ago` is the
    day before which a move should have been asked for since."""
    active = [move for move in moves if not move.is_refused]
    yield from _twice(active)
    yield from _hiding(hidden)
    yield from _loops(active, by, circles)
    for move in chained(active, by):
        end = by.end(move.old)
        if end and not end.loops:
            yield Fault(
                "move-chain", move.old,
                f"It leads to {short_target(move, move.to)}, which moved to "
                f"{short_target(move, end.to) or 'nowhere: it is gone'}.",
            )  # fmt: skip
    yield from _targets(active, by, state)
    yield from _swallowed(active)
    yield from _home(active, homes)
    yield from _unasked(active, year_ago)


def short_target(move: Move, address: str) -> str:
    """An address as a path, where it is on the host of the move."""
    within = address.startswith(f"{move.origin}/")
    return address[len(move.origin) :] if within else address


def _twice(moves: Sequence[Move]) -> Iterator[Fault]:
    first: dict[str, Move] = {}
    for move in moves:
        other = first.setdefault(move.old, move)
        if other is not move and (other.to, other.status) != (move.to, move.status):
            what = [short_target(one, one.to) or "nowhere (410)" for one in (other, move)]
            yield Fault(
                "move-contradicts", move.old,
                f"Line {other.line} leads it to {what[0]}, line {move.line} to {what[1]}; the "
                "first counts.",
            )  # fmt: skip


def _hiding(hidden: Iterable[tuple[Move, Sequence[str]]]) -> Iterator[Fault]:
    for move, pages in hidden:
        if not pages:
            continue
        if move.is_single:
            what = (
                "There is a page at this address, which is gone on purpose: it is not listed."
                if move.is_gone
                else "There is a page at this address, so nobody is sent on from it."
            )
        else:
            some = ", ".join(path_and_query(one) for one in pages[:3])
            more = f" and {len(pages) - 3:,} more" if len(pages) > 3 else ""
            what = f"{plural(len(pages), 'page')} under this pattern exist and stay: {some}{more}."
        yield Fault("move-hides-page", move.old, what)


def _loops(moves: Sequence[Move], by: MoveMap, circles: Collection[str]) -> Iterator[Fault]:
    for move in moves:
        if not move.is_single or move.is_gone or by.single.get(move.old) is not move:
            continue
        end = by.end(move.old)
        if end and end.loops:
            where = short_target(move, move.to)
            sentence = f"It is sent on to {where}, which leads back to it."
            yield Fault("move-loop", move.old, sentence)
    for old in sorted(circles):
        yield Fault("move-loop", old, "Other patterns lead back to this one.")


def _targets(
    moves: Sequence[Move], by: MoveMap, state: Callable[[str], TargetState | None]
) -> Iterator[Fault]:
    for move in moves:
        if not move.is_single or move.is_gone:
            continue
        end = by.end(move.old)
        if end is None or end.loops or not end.to:
            continue
        target = state(end.to.partition("#")[0])
        where = short_target(move, end.to)
        if target is None:
            continue
        if not target.exists:
            yield Fault("move-nowhere", move.old, f"It leads to {where}, where there is nothing.")
        elif target.onward:
            yield Fault(
                "move-outside", move.old,
                f"It leads to {where}, which sends visitors on to {target.onward}.",
            )  # fmt: skip
        elif not target.indexable:
            yield Fault(
                "move-noindex", move.old, f"It leads to {where}, which is kept out of the index."
            )


def _swallowed(moves: Sequence[Move]) -> Iterator[Fault]:
    earlier: list[tuple[re.Pattern[str], Move]] = []
    for move in moves:
        if move.is_single:
            continue
        taken = next((one for regex, one in earlier if takes_all(regex, one, move)), None)
        if taken is not None:
            yield Fault(
                "move-swallowed", move.old,
                f"The pattern of line {taken.line}, {taken.path}, takes all its addresses first.",
            )  # fmt: skip
        earlier.append((re.compile(move.regex), move))


def takes_all(regex: re.Pattern[str], other: Move, move: Move) -> bool:
    """Whether a pattern (`other`, with its `regex`) takes all addresses of another one."""
    if other.origin != move.origin:
        return False
    if move.is_expression or other.is_expression:
        return other.path == move.path
    return all(regex.search(_sample(move.path, *sample)) for sample in _SAMPLES)


def _sample(pattern: str, inside: str, run: str, digits: str) -> str:
    """An address that a pattern takes."""
    text = pattern.replace("**", "\0").replace("*", inside).replace("\0", run)
    text = text.replace("#", digits)
    return re.sub(r"\{([^{},]*)[^{}]*\}", r"\1", text)


def _home(moves: Sequence[Move], homes: Collection[str]) -> Iterator[Fault]:
    lost = [m for m in moves if m.to.partition("#")[0] in homes and m.old not in homes]
    if len(lost) >= _MANY_HOME or any(not move.is_single for move in lost):
        what = plural(len(lost), "move leads", "moves lead")
        yield Fault("move-home", lost[0].old, f"{what} to the home page: {_paths(lost)}.")


def _paths(moves: Sequence[Move]) -> str:
    some = ", ".join(move.path for move in moves[:3])
    return some + (f" and {len(moves) - 3:,} more" if len(moves) > 3 else "")


def _unasked(moves: Sequence[Move], year_ago: str) -> Iterator[Fault]:
    """Moves that nobody asked for in a year; nothing is said where no log was ever read."""
    if not any(move.last_hit for move in moves):
        return
    old = [m for m in moves if m.since and max(m.since, m.last_hit)[:10] < year_ago]
    if old:
        what = plural(len(old), "move was", "moves were")
        sentence = f"{what} not asked for in a year, by the logs that were read: {_paths(old)}."
        yield Fault("move-unasked", old[0].old, sentence)
