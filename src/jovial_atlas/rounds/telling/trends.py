"""What the ledger has over time, made ready to be drawn."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import groupby

from jovial_atlas.engines.published import PAGES
from jovial_atlas.ledger import Ledger, SitemapReport
from jovial_atlas.report.trends import Layers, Lines, Trend, Waits
from jovial_atlas.rounds.telling.coverage import COMPANIONS
from jovial_atlas.sitefile import Engine
from jovial_atlas.trends.series import over_time, stacked
from jovial_atlas.trends.waiting import curve, waits

#: Sections that get a panel, the largest first.
_PANELS = 9


def trends(engines: Sequence[Engine], ledger: Ledger) -> Iterator[Trend]:
    """The figures there is history for, engine by engine."""
    built = ledger.built()
    section_of = {one.loc: one.section for one in built}
    submitted = over_time((one.at, one.loc, one.section, one.urls) for one in built)
    for engine in engines:
        short = re.sub(r"[^a-z0-9]+", "-", engine.name.lower()).strip("-")
        reports = [one for one in ledger.report_history(engine.name) if one.loc in section_of]
        indexed = over_time(
            (one.asked_at, one.loc, section_of[one.loc], one.indexed)
            for one in reports
            if one.indexed is not None
        )
        largest = sorted(indexed, key=lambda name: (-submitted[name][-1][1], name))[:_PANELS]
        if any(len(indexed[name]) > 1 for name in largest):
            yield Lines(
                f"{short}-sections",
                f"How much of what was submitted is indexed at {engine.name}?",
                "What the sitemaps of each section held, and how many of it the engine said are "
                "indexed, whenever it was asked.",
                {n: {"submitted": submitted[n], "indexed": indexed[n]} for n in largest},
            )
        own = [one for one in reports if section_of[one.loc] not in COMPANIONS]
        yield from _statuses(engine, short, own)
        yield from _waiting(engine, short, ledger)


def _statuses(engine: Engine, short: str, told: Sequence[SitemapReport]) -> Iterator[Trend]:
    rows = []
    for at, some in groupby(told, key=lambda one: one.asked_at):
        counts: dict[str, int] = {}
        for one in some:
            if one.indexed is not None:
                counts["indexed"] = counts.get("indexed", 0) + one.indexed
            for reason, pages in one.reasons.items():
                counts[reason] = counts.get(reason, 0) + pages
        rows.append((at, counts))
    times, layers = stacked(rows)
    if len(times) > 1:
        yield Layers(
            f"{short}-statuses",
            f"What became of pages at {engine.name}?",
            "Pages of all sitemaps by what the engine said of them.",
            times,
            layers,
        )


def _waiting(engine: Engine, short: str, ledger: Ledger) -> Iterator[Trend]:
    began = ledger.first_announced(engine.name, (PAGES, "index-page"))
    if not began:
        return
    visited: dict[str, str] = {}
    seen = [(one.loc, at) for one in ledger.visit_history(engine.name)
            for at in (one.first, one.last)]  # fmt: skip
    seen += [(one.loc, one.last_crawl) for one in ledger.page_history(engine.name)
             if one.last_crawl]  # fmt: skip
    for loc, at in seen:
        # The first visit after the announcement: engines know many pages from before.
        if loc in began and at >= began[loc] and at < visited.get(loc, "9"):
            visited[loc] = at
    now = ledger.now()
    curves = {
        label: found
        for label, came in (
            ("first visit", visited),
            ("indexed", ledger.first_indexed(engine.name)),
        )
        if came and (found := curve(waits(began, came, now)))
    }
    if curves:
        yield Waits(
            f"{short}-waiting",
            f"How long do pages wait at {engine.name} for a visit, and for the index?",
            "The share of announced pages that still waits, by Kaplan and Meier: pages that wait "
            "to this day count as such. Bands are 95 % confidence intervals. Whether a page is "
            "indexed is only seen when the engine is asked.",
            curves,
        )
