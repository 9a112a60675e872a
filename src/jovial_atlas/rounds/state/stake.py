"""What is at stake when something is decided about pages: how much they are clicked and visited."""

from __future__ import annotations

import re
from collections.abc import Iterable

import polars as pl

from jovial_atlas.faults import plural
from jovial_atlas.moves.move import Move, whole_expression
from jovial_atlas.pages import snapshot
from jovial_atlas.pages.keys import key_of
from jovial_atlas.records import Stake as Stake
from jovial_atlas.rounds.state.names import PAGE_TABLE
from jovial_atlas.rounds.state.traffic import leading_on, page_figures, traffic_spans
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.values import replace

#: Pages that are named.
_NAMED = 3


def at_stake(site: SiteFile, locs: Iterable[str]) -> Stake | None:
    """What is at stake with some pages; None where nothing was heard of clicks or visits. Raises
    OutputError."""
    there, figures = traffic_spans(site).filled, page_figures(site)
    if not there or figures is None:
        return None
    counted = "clicks" if "clicks" in there else "visits"
    wanted = pl.Series(list(dict.fromkeys(locs)), dtype=pl.String)
    some = figures.filter(pl.col("loc").is_in(wanted.implode()))
    whole = int(figures[counted].sum())
    most = some.filter(pl.col(counted) > 0).sort([counted, "loc"], descending=[True, False])
    return Stake(
        wanted.len(),
        int(some["clicks"].sum()) if "clicks" in there else None,
        int(some["visits"].sum()) if "visits" in there else None,
        int(some[counted].sum()) / whole if whole else 0.0,
        tuple(most.head(_NAMED).select("loc", counted).iter_rows()),
    )


def unlisted_at_stake(site: SiteFile, keys: pl.Series) -> Stake | None:
    """What is at stake with pages that are no longer listed, by their keys. What leads on to
    another page loses nobody. Raises OutputError."""
    figures = page_figures(site)
    if figures is None:
        return None
    there = figures.filter(key_of(pl.col("loc")).is_in(keys.implode()))
    locs = there["loc"].to_list()
    onward = leading_on(site, locs)
    stake = at_stake(site, (loc for loc in locs if loc not in onward))
    return replace(stake, pages=keys.len() - len(onward)) if stake else None


def stake_in_words(stake: Stake | None, url: str = "") -> str:
    """What is at stake as a sentence, "" where nothing is known. Addresses are shown without the
    `url` of the site."""
    if stake is None or not stake.pages:
        return ""
    these = "this page" if stake.pages == 1 else f"these {stake.pages:,} pages"
    if not stake.counted:
        return f"{these} had no {'visits' if stake.clicks is None else 'clicks'} in 28 days."
    counts = ((stake.clicks, "click"), (stake.visits, "visit"))
    parts = [plural(count, word) for count, word in counts if count is not None]
    most = ", ".join(f"{loc.removeprefix(url) or '/'} ({count:,})" for loc, count in stake.most)
    named = f"; the most: {most}" if stake.pages > 1 and most else ""
    return f"{these} had {' and '.join(parts)} in 28 days, {share_of(stake)} of the site{named}."


def share_of(stake: Stake) -> str:
    """Its part of the site, as in `6 %`."""
    return "less than 1 %" if stake.share < 0.01 else f"{100 * stake.share:.0f} %"


def moved_at_stake(
    site: SiteFile, moves: Iterable[Move], *, alive: bool = False
) -> Stake | None:
    """What is at stake with the old addresses of moves, patterns too; `alive`: with those that are
    pages now, of whom a move takes their visitors. Raises OutputError."""
    figures = page_figures(site)
    if figures is None:
        return None
    single, patterns = [], []
    for move in moves:
        if move.is_single:
            single.append(move.old)
        else:
            patterns.append(re.compile(whole_expression(move)))
    fitting = [loc for loc in figures["loc"] if any(one.search(loc) for one in patterns)]
    old = [*single, *(fitting if patterns else [])]
    if alive and (pages := snapshot.scan(site.shared_state / PAGE_TABLE)) is not None:
        there = pages.filter(pl.col("loc").is_in(pl.Series(old, dtype=pl.String).implode()))
        old = there.select("loc").collect(engine="streaming")["loc"].to_list()
    return at_stake(site, old)
