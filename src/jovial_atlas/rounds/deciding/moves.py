"""Moves that are proposed, and what the owner makes of them: taken, refused, gone, written by
hand."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.moves.checking import takes_all
from jovial_atlas.moves.finding import KNOWN_AGAIN, FoundMove, found_moves, known_again
from jovial_atlas.moves.move import GONE, REFUSED, Move, whole_expression
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.rounds.reading.departed import departed_pages, findable
from jovial_atlas.rounds.state.last_survey import LastSurvey, stored_pages
from jovial_atlas.rounds.state.names import PAGE_TABLE
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.move_table import move_table_text, new_address, old_address
from jovial_atlas.values import replace

#: From whom moves are taken.
SURVEY, BY_HAND = "survey", "hand"


@dataclass(frozen=True, slots=True)
class NumberedMove:
    """A move as it is shown: its number, state (proposed, taken, refused), and what is known of
    it. `sure` is 0 to 1, and 1 for what was decided."""

    number: int
    state: str
    old: str
    to: str
    status: int
    sure: float
    why: str
    covers: int = 1
    some: tuple[str, ...] = ()
    hits: int = 0
    last_hit: str = ""


def proposed_moves(survey: LastSurvey) -> list[FoundMove]:
    """The moves that the survey found and that nobody has decided about: patterns, then single
    ones, then pages of which nothing is left."""
    gone = departed_pages(survey.site)
    pages = stored_pages(survey.site.shared_state / PAGE_TABLE)
    if not gone.height or pages is None:
        return []
    gone = _undecided(gone, survey.site, pages)
    if not gone.height:
        return []
    here = pages.filter(findable()).select(known_again(pages.collect_schema()))
    return found_moves(gone, here.collect(engine="streaming"))


def _undecided(gone: pl.DataFrame, site: SiteFile, pages: pl.LazyFrame) -> pl.DataFrame:
    """The pages that went, without those that a row of the table is about. A pattern that leads to
    where there is nothing is not about a page that went after it was taken."""
    single = [move.old for move in site.moves if move.is_single]
    left = gone.filter(~pl.col("loc").is_in(pl.Series(single, dtype=pl.String).implode()))
    several = [move for move in site.moves if not move.is_single]
    if several and left.height:
        under = "|".join(f"(?:{whole_expression(move)})" for move in several)
        asked = left.filter(pl.col("loc").str.contains(under))["loc"]
        decided = _decided_by_patterns(asked, site, pages)
        left = left.filter(~pl.col("loc").is_in(pl.Series(decided, dtype=pl.String).implode()))
    return left.select(list(KNOWN_AGAIN))


def _decided_by_patterns(asked: pl.Series, site: SiteFile, pages: pl.LazyFrame) -> list[str]:
    """Of some addresses those that patterns refuse, or lead to a page that is there, to one that is
    gone on purpose, or off the site."""
    refusing = [move for move in site.moves if move.is_refused and not move.is_single]
    expressions = [re.compile(whole_expression(move)) for move in refusing]
    there = set(pages.filter(findable()).select("loc").collect(engine="streaming")["loc"])
    by = MoveMap(site.moves, there.__contains__)
    decided = []
    for loc in asked:
        end = by.end(loc)
        to = end.to.partition("#")[0].partition("?")[0] if end else ""
        leads = end and not end.loops and (to in there or addresses.origin(to) not in site.urls)
        if (end and not end.to) or (to and leads) or any(one.search(loc) for one in expressions):
            decided.append(loc)
    return decided


def numbered_moves(survey: LastSurvey) -> list[NumberedMove]:
    """All moves: those that are proposed first, then those of the table in its order."""
    shown = [
        NumberedMove(number, "proposed", one.old, one.to, 301 if one.to else GONE, one.sure,
                     one.why, one.covers, one.some)
        for number, one in enumerate(proposed_moves(survey), start=1)
    ]  # fmt: skip
    for number, move in enumerate(survey.site.moves, start=len(shown) + 1):
        state = "refused" if move.is_refused else "taken"
        shown.append(
            NumberedMove(number, state, move.old, move.to, move.status, 1.0, move.reason,
                         hits=move.hits, last_hit=move.last_hit)
        )  # fmt: skip
    return shown


def sent_moves(sent: Iterable[Mapping[str, str]], after: int) -> list[NumberedMove]:
    """The pages that the site file itself sends on, host by host, numbered behind the others."""
    pairs = [pair for one in sent for pair in sorted(one.items())]
    return [
        NumberedMove(number, "taken", old, to, 301, 1.0, "by a rule or policy of the site file")
        for number, (old, to) in enumerate(pairs, start=after + 1)
    ]


def chosen_moves(
    proposed: Sequence[FoundMove], names: Sequence[str], sure: float | None, site: SiteFile
) -> list[FoundMove]:
    """The proposals that are meant by numbers, ranges of numbers or old addresses, or all that are
    at least so sure; all, where neither is given. Raises AtlasError for what is none."""
    chosen: list[FoundMove] = []
    for name in names:
        chosen += _named(proposed, name, site)
    if not names:
        chosen = [one for one in proposed if sure is None or one.sure >= sure]
    elif sure is not None:
        chosen = [one for one in chosen if one.sure >= sure]
    return list(dict.fromkeys(chosen))


ListedT = TypeVar("ListedT")


def chosen_numbers(shown: Sequence[ListedT], names: Iterable[str]) -> list[ListedT]:
    """Those of a numbered list that numbers, or ranges of numbers, name. Raises AtlasError."""
    chosen: list[ListedT] = []
    for name in names:
        match = re.fullmatch(r"(\d+)(?:-(\d+))?", name)
        first, last = (int(match[1]), int(match[2] or match[1])) if match else (0, 0)
        if not 1 <= first <= last <= len(shown):
            there = f"1 to {len(shown)}" if shown else "none"
            raise AtlasError(f"There is no number {name} among these; the numbers are {there}.")
        chosen += shown[first - 1 : last]
    return chosen


def _named(proposed: Sequence[FoundMove], name: str, site: SiteFile) -> list[FoundMove]:
    if re.fullmatch(r"\d+(-\d+)?", name):
        return chosen_numbers(proposed, [name])
    try:
        old = "".join(old_address(name, site.urls))
    except ValueError as error:
        raise AtlasError(f"{name}: {error}.") from None
    found = [one for one in proposed if one.old == old]
    if not found:
        raise AtlasError(
            f"No move of {name} is proposed. `jovial-atlas moves` shows those that are; "
            f"`jovial-atlas moves add {name} NEW` writes one by hand."
        )
    return found


@dataclass(frozen=True, slots=True)
class TableChange:
    """What is done to the table of moves: rows that are added, and rows that are dropped since they
    would lead back."""

    added: list[Move]
    dropped: list[Move]


def as_moves(
    found: Iterable[FoundMove], site: SiteFile, today: str, reason: str, *, refused: bool = False
) -> list[Move]:
    """Proposals as rows of the table."""
    query = site.model.moves.query
    moves = []
    for one in found:
        origin = addresses.origin(one.old)
        status = REFUSED if refused else 301 if one.to else GONE
        to = "" if refused else one.to
        moves.append(
            Move(
                origin, one.old[len(origin) :], to, status, query, reason or one.why, today, SURVEY
            )
        )
    return moves


def change_of(site: SiteFile, added: Sequence[Move]) -> TableChange:
    """What adding rows does to the table: a row about the same address goes, and so does one that
    leads away from where a new one leads to."""
    olds = {move.old for move in added}
    targets = {move.to.partition("#")[0] for move in added if move.to}
    dropped = []
    for move in site.moves:
        again = move.old in olds
        back = move.is_single and move.old in targets
        if not move.is_single and not again:
            # `/b/**` → `/a/$1` is taken: from then on `/a/**` → `/b/$1` leads in a circle.
            back = any(_is_back(move, other) for other in added if not other.is_single)
        if again or back:
            dropped.append(move)
    return TableChange(list(added), dropped)


def _is_back(move: Move, other: Move) -> bool:
    """Whether two patterns lead to each other's beginnings."""
    begin = [re.split(r"[*#{$]", one, maxsplit=1)[0] for one in (move.path, other.path)]
    ends = [re.split(r"\$", one.to, maxsplit=1)[0] for one in (move, other)]
    return ends == [other.origin + begin[1], move.origin + begin[0]]


def write_change(site: SiteFile, change: TableChange) -> None:
    """Write the table with a change. Raises AtlasError where the site file names no table, and
    OutputError."""
    dropped = {id(move) for move in change.dropped}
    table = [move for move in site.moves if id(move) not in dropped]
    for move in change.added:
        table.insert(_place_of(move, table), move)
    write_moves(site, table)


def _place_of(move: Move, table: Sequence[Move]) -> int:
    """Where a row belongs: behind all others, but before a wider pattern, which would be asked
    first."""
    if not move.is_single:
        for place, other in enumerate(table):
            if not other.is_single and takes_all(re.compile(other.regex), other, move):
                return place
    return len(table)


def write_moves(site: SiteFile, moves: Sequence[Move]) -> None:
    """Write the table of moves. Raises AtlasError where the site file names none, OutputError."""
    if not site.model.moves.file:
        raise AtlasError('[moves] names no table: set file = "moves.csv".')
    text = move_table_text(moves, site.urls)
    write_whole(site.folder / site.model.moves.file, text.encode(), durable=True)


def move_by_hand(
    site: SiteFile, old: str, to: str, status: int, query: str, reason: str, today: str
) -> Move:
    """A row from what somebody types. Raises AtlasError for what is no address."""
    try:
        origin, path = old_address(old, site.urls)
    except ValueError as error:
        raise AtlasError(f"{old!r}: {error}.") from None
    move = Move(origin, path, "", status, query or site.model.moves.query, reason, today, BY_HAND)
    if move.is_gone:
        return move
    try:
        return replace(move, to=new_address(to, site.urls, move))
    except ValueError as error:
        raise AtlasError(f"{to!r}: {error}.") from None
