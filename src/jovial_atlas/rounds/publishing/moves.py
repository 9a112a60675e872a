"""Where single addresses lead, without asking a server."""

from __future__ import annotations

from dataclasses import dataclass

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError
from jovial_atlas.moves.move import Move
from jovial_atlas.rounds.publishing.redirects import redirects_of
from jovial_atlas.rounds.state.last_survey import LastSurvey


@dataclass(frozen=True, slots=True)
class Followed:
    """Where an address leads: status and address, or, where no move is about it (`status` is None),
    what that means in words; and the rows that say it."""

    address: str
    status: int | None
    to: str
    by: tuple[str, ...]
    words: str = ""


def follow_address(survey: LastSurvey, written: str) -> Followed:
    """Where an address (or a path of the main host) leads. Raises AtlasError where it is none."""
    url = survey.site.urls[0]
    try:
        address = addresses.normalise(url + written if written.startswith("/") else written)
    except ValueError as error:
        raise AtlasError(f"{error}. Give an address, or a path from '/' on.") from None
    by = redirects_of(survey).by
    end = by.end(address)
    if end is None:
        there = survey.pages.filter(loc=address).head(1).collect().height
        words = "a page of the site" if there else "no page, and no move: not found (404)"
        return Followed(address, None, "", (), words)
    if end.loops:
        return Followed(
            address, None, end.to, _rows(end.by), "leads in a circle; it is not written"
        )
    return Followed(address, end.status, end.to, _rows(end.by))


def _rows(moves: tuple[Move, ...]) -> tuple[str, ...]:
    return tuple(
        f"line {move.line}: {move.path} → {move.to or 'gone'}"
        + (f" ({move.reason})" if move.reason else "")
        for move in moves
    )
