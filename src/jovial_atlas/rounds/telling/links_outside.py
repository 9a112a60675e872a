"""Links to other sites: which addresses are asked for now, and what the ledger knows of all."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from contextlib import closing
from datetime import datetime, timedelta
from itertools import islice

import polars as pl

from jovial_atlas import dates
from jovial_atlas.faults import Fault, plural
from jovial_atlas.findings.finding import Finding, findings_of
from jovial_atlas.linking.outside import OutsideAnswer, OutsideLimits, OutsideState, look_outside
from jovial_atlas.linking.states import LinkState
from jovial_atlas.records import OutsideRecord
from jovial_atlas.rounds.proving.links import SiteLinks
from jovial_atlas.rounds.state.ledger import has_ledger, open_ledger
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.workers.html_folder import Progress
from jovial_atlas.web import Client

#: Answers that are recorded together: who breaks off loses no more.
_TOGETHER = 20
_CODES = {
    OutsideState.GONE: "link-gone", OutsideState.MOVED: "link-moved",
    OutsideState.SUSPECT: "link-suspect", OutsideState.SILENT: "link-silent",
}  # fmt: skip
_SHOWN = 3


def outside_pages(links: SiteLinks) -> pl.DataFrame:
    """The addresses of other sites that links lead to, as `target, pages, some`: with how many
    pages link there, and the first of these. Those of most pages first."""
    outside = pl.col("state") == str(LinkState.OUTSIDE)
    found = (
        links.stated.filter(outside, pl.col("kind") == "link")
        .group_by("target")
        .agg(pages=pl.col("page").n_unique(), some=pl.col("page").unique().sort().head(_SHOWN))
        .collect(engine="streaming")
    )
    kept = [not links.is_ignored(target) for target in found["target"]]
    return found.filter(pl.Series(kept, dtype=pl.Boolean)).sort(
        ["pages", "target"], descending=[True, False]
    )


def known_outside(
    site: SiteFile, now: datetime, environment: Mapping[str, str]
) -> dict[str, OutsideRecord]:
    """How addresses of other sites were met last. Raises LedgerError."""
    if not has_ledger(site):
        return {}
    with closing(open_ledger(site, lambda: now, environment)) as ledger:
        return {one.loc: one for one in ledger.outside()}


def due_outside(
    pages: pl.DataFrame, known: Mapping[str, OutsideRecord], now: datetime, days: float
) -> list[str]:
    """The addresses that were not asked for within so many days: those never asked for first, then
    those asked for longest ago."""
    since = dates.write(now - timedelta(days=days))
    due = [one for one in pages["target"] if one not in known or known[one].at <= since]
    return sorted(due, key=lambda one: known[one].at if one in known else "")


def ask_outside(
    due: Iterable[str],
    client: Client,
    limits: OutsideLimits,
    site: SiteFile,
    now: datetime,
    environment: Mapping[str, str],
    progress: Progress | None = None,
) -> list[OutsideAnswer]:
    """Ask for addresses, record how each was met, and give that. Raises LedgerError."""
    locs = list(due)
    answers: list[OutsideAnswer] = []
    with closing(open_ledger(site, lambda: now, environment)) as ledger:
        coming = _counted(look_outside(locs, client, limits), min(len(locs), limits.most), progress)
        while some := list(islice(coming, _TOGETHER)):
            ledger.note_outside(
                OutsideRecord(one.loc, str(one.state), one.status, one.final, one.detail)
                for one in some
            )
            answers += some
    return answers


def _counted(
    coming: Iterator[OutsideAnswer], of: int, progress: Progress | None
) -> Iterator[OutsideAnswer]:
    for number, one in enumerate(coming, start=1):
        if progress:
            progress(number, of)
        yield one


def outside_findings(pages: pl.DataFrame, known: Mapping[str, OutsideRecord]) -> list[Finding]:
    """What is wrong with links to other sites, as far as they were ever asked for."""
    faults = []
    for target, count, some in pages.iter_rows():
        record = known.get(target)
        code = _CODES.get(OutsideState(record.state)) if record else None
        if record and code:
            faults.append(Fault(code, target, _message(record, count, some)))
    return findings_of(faults)


def _message(record: OutsideRecord, pages: int, some: list[str]) -> str:
    met = {
        "gone": f"It answers with status {record.status}",
        "moved": f"It moved for good to {record.final}",
        "suspect": record.detail[:1].upper() + record.detail[1:],
        "silent": (record.detail[:1].upper() + record.detail[1:]).rstrip(".")
        + (f" (status {record.status})" if record.status else ""),
    }[record.state]
    since = record.since[:10]
    often = f"since {since}, met so {plural(record.times, 'time')}" if record.times > 1 else since
    more = f" and {pages - len(some):,} more" if pages > len(some) else ""
    return f"{met} ({often}). Linked from {', '.join(some)}{more}."
