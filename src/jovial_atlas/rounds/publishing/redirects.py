"""Where the server sends visitors on to: by the table of moves, and as decided page by page; worked
out for all at once, so that every old address leads to its end in one hop."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import msgspec
import polars as pl

from jovial_atlas import addresses
from jovial_atlas.faults import Fault
from jovial_atlas.moves.hops import Hops, circling, hops_of, in_other_case
from jovial_atlas.moves.move import Move, whole_expression
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.rounds.reading.departed import departed_pages
from jovial_atlas.rounds.state.last_survey import LastSurvey, stored_pages
from jovial_atlas.rounds.state.names import PAGE_TABLE
from jovial_atlas.rules import layers_of
from jovial_atlas.values import replace


class SiteRedirects(msgspec.Struct, frozen=True):
    """All hops of one host, the map that they come from, the pages that exist at old addresses (by
    the move's old address), and what cannot be sent on."""

    hops: Hops
    by: MoveMap
    staying: dict[str, list[str]] = msgspec.field(default_factory=dict)
    faults: list[Fault] = msgspec.field(default_factory=list)
    #: Patterns that are not written, since others lead back to them.
    circles: frozenset[str] = frozenset()
    #: The pages that the site file sends on, by rules and policies: to the page that shows a
    #: picture, to a file, or to an address.
    sent: Mapping[str, str] = msgspec.field(default_factory=dict)


def redirects_of(survey: LastSurvey) -> SiteRedirects:
    """The hops that the table of moves and the site file decide. Chains are one hop; loops are left
    out. Raises SiteFileError where the table is wrong."""
    sent, faults = _sent_on(survey)
    moves = [move for move in survey.site.moves if not move.is_refused]
    if not moves and not sent:
        return SiteRedirects(Hops(), MoveMap(()), faults=faults)
    staying = pages_at(survey, moves)
    existing = {loc for locs in staying.values() for loc in locs}
    onward = _onward(survey, moves) | sent
    by = MoveMap(moves, existing.__contains__, onward)
    if circles := circling(by, staying):
        moves = [move for move in moves if move.old not in circles]
        by = MoveMap(moves, existing.__contains__, onward)
    host = survey.site.model.site.url
    stays = {move.old: staying.get(move.old, ()) for _, move in by.patterns}
    known = _departed_under(survey, by)
    hops = hops_of(host, by, stays, known, sent)
    faults += _circles(hops, sent)
    if hops.single:
        hops = replace(hops, other_case=in_other_case(hops.single, _alike(survey, hops)))
    return SiteRedirects(hops, by, staying, faults, frozenset(circles), sent)


def pages_at(survey: LastSurvey, moves: list[Move]) -> dict[str, list[str]]:
    """The pages that exist at old addresses, by the move's old address."""
    pages = stored_pages(survey.site.shared_state / PAGE_TABLE)
    if pages is None or not moves:
        return {}
    alive = pages.filter(_answers())
    found: dict[str, list[str]] = {}
    single = pl.Series([move.old for move in moves if move.is_single], dtype=pl.String)
    if single.len():
        there = alive.select("loc").filter(pl.col("loc").is_in(single.implode()))
        found |= {loc: [loc] for loc in there.collect(engine="streaming")["loc"]}
    patterns = [move for move in moves if not move.is_single]
    if patterns:
        whole = "|".join(f"(?:{whole_expression(move)})" for move in patterns)
        under = alive.select("loc").filter(pl.col("loc").str.contains(whole))
        locs = under.collect(engine="streaming")["loc"].sort()
        for move in patterns:
            if (some := locs.filter(locs.str.contains(whole_expression(move)))).len():
                found[move.old] = some.to_list()
    return found


def _answers() -> pl.Expr:
    """Whether a row of the page table is a page that answers by itself."""
    fine = pl.col("status").is_null() | (pl.col("status") == 200)
    return (
        fine
        & pl.col("redirect").is_null()
        & (pl.col("kind").is_null() | (pl.col("kind") != "error"))
    )


def _departed_under(survey: LastSurvey, by: MoveMap) -> list[str]:
    """The addresses of pages that went and that a pattern is about."""
    if not by.patterns:
        return []
    whole = "|".join(f"(?:{whole_expression(move)})" for _, move in by.patterns)
    gone = departed_pages(survey.site)["loc"]
    return gone.filter(gone.str.contains(whole)).sort().to_list()


def _alike(survey: LastSurvey, hops: Hops) -> list[str]:
    """The paths of pages that may be an old path in other capital letters."""
    host = survey.site.model.site.url
    low = pl.Series([(host + hop.path).lower() for hop in hops.single], dtype=pl.String)
    pages = stored_pages(survey.site.shared_state / PAGE_TABLE)
    if pages is None:
        return []
    alike = pages.select("loc").filter(pl.col("loc").str.to_lowercase().is_in(low.implode()))
    return [addresses.path_and_query(loc) for loc in alike.collect(engine="streaming")["loc"]]


def _circles(hops: Hops, sent: dict[str, str]) -> Iterator[Fault]:
    """The pages that the site file sends on, and that come back to themselves."""
    written = {hop.path for hop in hops.single}
    for loc, to in sent.items():
        if addresses.path_and_query(loc) not in written:
            sentence = f"It is sent on to {to}, which leads back to it."
            yield Fault("redirect-loop", loc, sentence)


def _sent_on(survey: LastSurvey) -> tuple[dict[str, str], list[Fault]]:
    """The pages that the site file sends on, with where to; and those that have nowhere to go."""
    layers = layers_of(survey.site, survey.now, survey.pages, survey.filled)
    if not any("send_to" in layer.sets for layer in layers):
        return {}, []
    names = ["loc", "send_to", "parent", "images", "redirect"]
    sent = survey.lazy.filter(pl.col("send_to").is_not_null()).select(names).collect()
    if not sent.height:
        return {}, []
    hops: dict[str, str] = {}
    faults: list[Fault] = []
    neighbours = _Neighbours(survey)
    for page in sent.iter_rows(named=True):
        target = neighbours.target(page)
        if target is None:
            what = "page that shows it" if page["send_to"] == "parent" else "picture"
            sentence = f"It is to be sent on to its {page['send_to']}, but has no {what}."
            faults.append(Fault("redirect-nowhere", page["loc"], sentence))
        elif target != page["loc"]:
            hops[page["loc"]] = target
    return hops, faults


def _onward(survey: LastSurvey, moves: list[Move]) -> dict[str, str]:
    """The pages that send visitors on by themselves, where hops may lead to."""
    if "redirect" not in survey.filled:
        return {}
    pages = survey.pages.filter(pl.col("redirect").is_not_null()).select("loc", "redirect")
    # A page that only stands where something moved says nothing beside the move.
    old = {move.old for move in moves if move.is_single}
    found = pages.collect(engine="streaming").iter_rows()
    return {loc: to for loc, to in found if loc not in old}


class _Neighbours:
    """The pages around those that are sent on."""

    def __init__(self, survey: LastSurvey) -> None:
        stays = survey.lazy.filter(pl.col("send_to").is_null())
        pages = stays.select("loc", "words", "images", "variant").collect()
        self.locs = set(pages["loc"])
        shown = (
            pages.select(
                "loc",
                "words",
                pl.col("variant").is_null().alias("own"),
                pl.col("images").list.eval(pl.element().struct["loc"]),
            )
            .explode("images")
            .drop_nulls("images")
            .sort(["own", "words", "loc"], descending=[True, True, False])
            .unique("images", keep="first", maintain_order=True)
        )
        #: Picture → the page with the most words that shows it.
        self.shows = dict(shown.select("images", "loc").iter_rows())

    def target(self, page: dict[str, object]) -> str | None:
        """The address that a page is sent on to, None where there is none."""
        send_to, loc = str(page["send_to"]), str(page["loc"])
        images = page["images"]
        picture = images[0]["loc"] if isinstance(images, list) and images else None
        if send_to == "file":
            return picture
        if send_to != "parent":
            return send_to
        parent = str(page["parent"] or "")
        if parent.startswith("http"):
            return parent
        above = loc.rstrip("/").rpartition("/")[0] + "/"
        return self.shows.get(picture or "") or (above if above in self.locs else None)
