"""The table of moves against the site: what is wrong with it as a whole."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import timedelta

import polars as pl

from jovial_atlas import addresses, dates
from jovial_atlas.faults import Fault
from jovial_atlas.moves.checking import TargetState, check_moves
from jovial_atlas.moves.move import Move
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.rounds.publishing.redirects import SiteRedirects, redirects_of
from jovial_atlas.rounds.publishing.server_files import unwritten
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.site_files import may_exist
from jovial_atlas.sitefile import SiteFile

_YEAR = timedelta(days=365)


def move_faults(survey: LastSurvey, redirects: SiteRedirects | None = None) -> Iterator[Fault]:
    """The faults of the table of moves, and of what the site file sends on. Raises
    SiteFileError."""
    redirects = redirects or redirects_of(survey)
    site = survey.site
    moves = [move for move in site.moves if _is_mine(move, site)]
    yield from redirects.faults
    if moves:
        hidden = [(move, redirects.staying.get(move.old, ())) for move in moves]
        homes = frozenset(f"{url}/" for url in site.urls)
        year_ago = dates.write(survey.now - _YEAR)[:10]
        states = _states(survey, moves, redirects.by)
        circles = redirects.circles
        yield from check_moves(moves, redirects.by, states, hidden, homes, year_ago, circles)
    yield from unwritten(site, redirects)


def _is_mine(move: Move, site: SiteFile) -> bool:
    """Whether a move is of this host; those of hosts that are none of the site are the main
    one's."""
    if move.origin == site.model.site.url:
        return True
    return not site.host and move.origin not in site.urls


def _states(
    survey: LastSurvey, moves: list[Move], by: MoveMap
) -> Callable[[str], TargetState | None]:
    """Gives the state of a target; None of one that is on no host of the site."""
    ends = (by.end(move.old) for move in moves if move.is_single)
    asked = {end.to.partition("#")[0] for end in ends if end and end.to}
    # What a query adds is the page's own matter.
    asked |= {one.partition("?")[0] for one in asked}
    wanted = pl.col("loc").is_in(pl.Series(sorted(asked), dtype=pl.String).implode())
    rows = survey.decided_where(wanted).select("loc", "index", "status", "kind", "redirect")
    pages = {row["loc"]: row for row in rows.collect(engine="streaming").iter_rows(named=True)}
    may = may_exist(survey.site)
    urls = set(survey.site.urls)

    def state(address: str) -> TargetState | None:
        if addresses.origin(address) not in urls:
            return None
        page = pages.get(address) or pages.get(address.partition("?")[0])
        if page is None:
            return TargetState(may(address))
        exists = page["status"] in (None, 200) and page["kind"] != "error"
        return TargetState(exists, bool(page["index"]), page["redirect"] or "")

    return state
