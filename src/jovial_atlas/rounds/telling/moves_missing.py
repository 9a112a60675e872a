"""Server logs read for what was asked for in vain, with the page that was likely meant; and for how
often addresses that moved are asked for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from pathlib import Path

import polars as pl

from jovial_atlas import addresses, patterns
from jovial_atlas.logs.missing import Missed, MissedCount, count_missing, strangers
from jovial_atlas.logs.probing import asked_without_link, probe_finder
from jovial_atlas.moves.move import Move
from jovial_atlas.moves.nearest import NearestPage, NearestPages
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.rounds.deciding.moves import as_moves, proposed_moves
from jovial_atlas.rounds.publishing.redirects import redirects_of
from jovial_atlas.rounds.reading.departed import departed_pages, findable
from jovial_atlas.rounds.state.last_survey import LastSurvey, stored_pages
from jovial_atlas.rounds.state.names import PAGE_TABLE
from jovial_atlas.rounds.telling.logs import opened_log
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.values import replace

#: Pages that ask for an address, which are told.
_FROM = 3
#: Endings of addresses that a program answers.
_PROGRAMS = (".php", ".asp", ".aspx", ".jsp", ".cgi", ".pl", ".cfm", ".do")


@dataclass(frozen=True, slots=True)
class MissingAddress:
    """An address that was asked for in vain, by people and by crawlers, first and last, from which
    pages; and the page that was likely meant, how sure that is, and why."""

    number: int
    path: str
    hits: int
    people: int
    crawlers: int
    first: str
    last: str
    referers: tuple[str, ...]
    target: str
    sure: float
    why: str


@dataclass(slots=True)
class MissingRead:
    """What logs told: addresses that mean something, most asked for first; how many only strangers
    tried, with their requests; how many browsers ask for by themselves; those that are decided
    already (refused or gone), and that the server should send on and does not yet (`unserved`);
    rows of the table that were asked for since."""

    lines: int
    missing: list[MissingAddress]
    probes: int = 0
    probe_hits: int = 0
    by_themselves: int = 0
    decided: int = 0
    unserved: int = 0
    asked: list[Move] = field(default_factory=list)
    forgotten: int = 0
    #: What is odd about files, as sentences.
    odd: tuple[str, ...] = ()


def read_missing(survey: LastSurvey, files: Sequence[Path]) -> MissingRead:
    """Read log files, of any form, plain or packed; `-` is standard input. Raises AtlasError for a
    file that cannot be read."""
    site = survey.site
    host = site.model.site.url
    by = redirects_of(survey).by
    rows: dict[str, Move | None] = {}

    def row_of(path: str) -> Move | None:
        if path not in rows:
            rows[path] = _row_of(by, host, path)
        return rows[path]

    def counted_until(path: str) -> str:
        row = row_of(path)
        return row.last_hit if row else ""

    ignored = patterns.matcher(site.model.moves.not_found, (host,))
    is_probe = probe_finder(_endings(survey), lambda path: ignored(host + path))
    odd: list[str] = []
    with ExitStack() as stack:
        streams = (stack.enter_context(opened_log(one, odd)) for one in files)
        counted = count_missing(streams, sorted(site.crawlers), is_probe, counted_until)
    return replace(_told(survey, counted, is_probe, row_of), odd=tuple(odd))


def _row_of(by: MoveMap, host: str, path: str) -> Move | None:
    try:
        found = by.first(addresses.normalise(host + path))
    except ValueError:
        return None
    return found.by[0] if found and found.by else None


def _endings(survey: LastSurvey) -> set[str]:
    """The endings of programs that pages of the site have."""
    ending = pl.col("loc").str.replace(r"\?.*$", "").str.extract(r"(?i)(\.[a-z]{2,5})$")
    found = survey.pages.select(ending.str.to_lowercase().unique()).collect(engine="streaming")
    return set(found.to_series().drop_nulls()) & set(_PROGRAMS)


def _told(
    survey: LastSurvey,
    counted: MissedCount,
    is_probe: Callable[[str], bool],
    row_of: Callable[[str], Move | None],
) -> MissingRead:
    read = MissingRead(counted.lines, [], forgotten=counted.forgotten)
    foreign = strangers(counted)
    refused = {move.path for move in survey.site.moves if move.is_refused}
    wanted: list[tuple[str, Missed]] = []
    for path, one in counted.missing.items():
        row = row_of(path)
        if row is not None and not row.is_gone:
            read.unserved += 1
        elif row is not None or path in refused:
            read.decided += 1
        elif is_probe(path) or one.visitors <= foreign:
            read.probes += 1
            read.probe_hits += one.hits
        elif asked_without_link(path):
            read.by_themselves += 1
        else:
            wanted.append((path, one))
    wanted.sort(key=lambda item: (-item[1].people, -item[1].hits, item[0]))
    nearest = NearestPages(_locs(survey), _known_moves(survey)) if wanted else None
    for number, (path, one) in enumerate(wanted, start=1):
        target = nearest.of(survey.site.model.site.url, path) if nearest else None
        read.missing.append(_missing(number, path, one, target))
    read.asked = _asked(survey.site, counted, row_of)
    return read


def _locs(survey: LastSurvey) -> list[str]:
    """The pages of the host that visitors may be sent to."""
    pages = stored_pages(survey.site.shared_state / PAGE_TABLE)
    if pages is None:
        return []
    mine = pl.col("loc").str.starts_with(f"{survey.site.model.site.url}/")
    found = pages.filter(mine, findable()).select("loc").collect(engine="streaming")
    return found["loc"].sort().to_list()


def _known_moves(survey: LastSurvey) -> dict[str, NearestPage]:
    """Addresses of pages that went, with where the survey found them again."""
    found, patterns_ = {}, []
    for one in proposed_moves(survey):
        if one.is_pattern:
            patterns_.append(one)
        elif one.to:
            found[one.old] = NearestPage(one.to, one.sure, f"found by the survey: {one.why}")
    if patterns_:
        rows = as_moves(patterns_, survey.site, "", "")
        by = MoveMap(rows)
        why = {row.old: one for row, one in zip(rows, patterns_, strict=True)}
        for old in departed_pages(survey.site)["loc"]:
            if old not in found and (end := by.end(old)) and end.to:
                one = why[end.by[0].old]
                found[old] = NearestPage(end.to, one.sure, f"found by the survey: {one.why}")
    return found


def _missing(number: int, path: str, one: Missed, target: NearestPage | None) -> MissingAddress:
    referers = tuple(loc for loc, _ in one.referers.most_common(_FROM))
    loc, sure, why = target or ("", 0.0, "nothing on the site is like it")
    return MissingAddress(
        number, path, one.hits, one.people, one.crawlers, one.first, one.last, referers, loc,
        round(sure, 2), why,
    )  # fmt: skip


def _asked(
    site: SiteFile, counted: MissedCount, row_of: Callable[[str], Move | None]
) -> list[Move]:
    """The rows of the table that were asked for since the last count, with their new figures."""
    fresh: dict[str, tuple[int, str]] = {}
    for table in (counted.moved, counted.missing):
        for path, one in table.items():
            if one.fresh and (row := row_of(path)):
                hits, last = fresh.get(row.old, (0, ""))
                fresh[row.old] = (hits + one.fresh, max(last, one.last))
    return [
        replace(move, hits=move.hits + fresh[move.old][0], last_hit=fresh[move.old][1])
        for move in site.moves
        if move.old in fresh and not move.is_refused
    ]
