"""What came back: reports of engines, and visits of crawlers. Rows are added, never changed."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Row, func, insert, select

from jovial_atlas.ledger import rows
from jovial_atlas.ledger.store import Store
from jovial_atlas.ledger.tables import PAGE, REASON, REPORT, VISIT
from jovial_atlas.records import PageReport, SitemapReport, Visit


class Hearing(Store):
    """The part of the ledger that is about what others said and did."""

    def note_reports(self, engine: str, reports: Sequence[SitemapReport]) -> None:
        """Record what an engine said of its sitemaps, now."""
        now = self.now()
        values = [
            {"engine": engine, "loc": one.loc, "asked_at": now, "last_read": one.last_read,
             "state": one.state, "found": one.found, "indexed": one.indexed, "videos": one.videos,
             "reasons": json.dumps(one.reasons, sort_keys=True)}
            for one in reports
        ]  # fmt: skip
        if values:
            with self._transaction(writes=True) as connection:
                connection.execute(insert(REPORT), values)

    def reports(self, engine: str, before: str = "") -> dict[str, SitemapReport]:
        """The latest report of each sitemap by an engine, or the latest from before a time."""
        newest = select(func.max(REPORT.c.id)).where(REPORT.c.engine == engine)
        if before:
            newest = newest.where(REPORT.c.asked_at < before)
        with self._transaction() as connection:
            found = connection.execute(
                select(REPORT).where(REPORT.c.id.in_(newest.group_by(REPORT.c.loc)))
            ).all()
        return {row.loc: _sitemap_report(row) for row in found}

    def report_history(self, engine: str) -> list[SitemapReport]:
        """All that an engine said of sitemaps, in the order of time."""
        with self._transaction() as connection:
            found = connection.execute(
                select(REPORT).where(REPORT.c.engine == engine).order_by(REPORT.c.id)
            ).all()
        return [_sitemap_report(row) for row in found]

    def note_reasons(self, engine: str, reasons: Mapping[str, int]) -> None:
        """Record how many pages an engine leaves out for which reason, now."""
        now = self.now()
        values = [{"engine": engine, "asked_at": now, "reason": reason, "pages": pages}
                for reason, pages in reasons.items()]  # fmt: skip
        if values:
            with self._transaction(writes=True) as connection:
                connection.execute(insert(REASON), values)

    def reasons(self, engine: str) -> dict[str, int]:
        """How many pages an engine leaves out for which reason, as it said last."""
        newest = select(func.max(REASON.c.asked_at)).where(REASON.c.engine == engine)
        with self._transaction() as connection:
            counts = connection.execute(
                select(REASON.c.reason, REASON.c.pages)
                .where(REASON.c.engine == engine, REASON.c.asked_at == newest.scalar_subquery())
                .order_by(REASON.c.pages.desc(), REASON.c.reason)
            ).all()
        return {str(reason): rows.count(pages, "reason.pages") for reason, pages in counts}

    def note_pages(self, engine: str, pages: Sequence[PageReport]) -> None:
        """Record what an engine said of single addresses, now, where it is not what it said last:
        history needs no more, and a large site says the same of most."""
        now = self.now()
        known = self.pages(engine)
        values = [
            {"engine": engine, "asked_at": now, "loc": one.loc, "reason": one.reason,
             "indexed": None if one.indexed is None else int(one.indexed),
             "last_crawl": one.last_crawl, "canonical": one.canonical}
            for one in pages
            if not _is_same(known.get(one.loc), one)
        ]  # fmt: skip
        if values:
            with self._transaction(writes=True) as connection:
                connection.execute(insert(PAGE), values)

    def pages(self, engine: str, before: str = "") -> dict[str, PageReport]:
        """The latest word of an engine on each address, or the latest from before a time."""
        newest = select(func.max(PAGE.c.id)).where(PAGE.c.engine == engine)
        if before:
            newest = newest.where(PAGE.c.asked_at < before)
        with self._transaction() as connection:
            found = connection.execute(
                select(PAGE).where(PAGE.c.id.in_(newest.group_by(PAGE.c.loc)))
            ).all()
        return {row.loc: _page_report(row) for row in found}

    def tells_of_pages(self, engine: str) -> bool:
        """Whether an engine ever said anything of a single address."""
        with self._transaction() as connection:
            found = connection.execute(select(PAGE.c.id).where(PAGE.c.engine == engine).limit(1))
            return found.first() is not None

    def page_history(self, engine: str) -> list[PageReport]:
        """All that an engine said of single addresses, in the order of time."""
        with self._transaction() as connection:
            found = connection.execute(
                select(PAGE).where(PAGE.c.engine == engine).order_by(PAGE.c.id)
            ).all()
        return [_page_report(row) for row in found]

    def first_indexed(self, engine: str) -> dict[str, str]:
        """Address → when an engine first said that it is indexed."""
        with self._transaction() as connection:
            firsts = connection.execute(
                select(PAGE.c.loc, func.min(PAGE.c.asked_at))
                .where(PAGE.c.engine == engine, PAGE.c.indexed == 1)
                .group_by(PAGE.c.loc)
            ).all()
        return {str(loc): str(at) for loc, at in firsts}

    def note_visits(self, visits: Sequence[Visit]) -> None:
        """Record visits of crawlers. Of logs that were read before only what is new counts."""
        if not visits:
            return
        known = {
            (one.crawler, one.loc): one.last
            for engine in {one.engine for one in visits}
            for one in self.visits(engine)
        }
        values = []
        for one in visits:
            had = known.get((one.crawler, one.loc), "")
            first = one.first or one.last
            if one.last <= had:
                continue
            values.append(
                {"engine": one.engine, "crawler": one.crawler, "loc": one.loc, "last": one.last,
                 # Where the same log is read again, all that is known is that the last is new.
                 "first": first if first > had else one.last, "status": one.status,
                 "count": one.count}
            )  # fmt: skip
        if values:
            with self._transaction(writes=True) as connection:
                connection.execute(insert(VISIT), values)

    def visits(self, engine: str) -> list[Visit]:
        """What the crawlers of an engine were last seen to ask for, by address."""
        newest = select(func.max(VISIT.c.id)).where(VISIT.c.engine == engine)
        newest = newest.group_by(VISIT.c.crawler, VISIT.c.loc)
        with self._transaction() as connection:
            found = connection.execute(
                select(VISIT).where(VISIT.c.id.in_(newest)).order_by(VISIT.c.loc)
            ).all()
        return [_visit(row) for row in found]

    def visit_history(self, engine: str) -> list[Visit]:
        """All visits that are known, in the order in which logs were read."""
        with self._transaction() as connection:
            found = connection.execute(
                select(VISIT).where(VISIT.c.engine == engine).order_by(VISIT.c.id)
            ).all()
        return [_visit(row) for row in found]


def _visit(row: Row[Any]) -> Visit:
    return Visit(
        row.engine, row.crawler, row.loc, rows.moment(row.last, "visit.last"),
        rows.count(row.status, "visit.status"), rows.count(row._mapping["count"], "visit.count"),
        rows.moment(row.first, "visit.first"),
    )  # fmt: skip


def _page_report(row: Row[Any]) -> PageReport:
    return PageReport(
        row.loc, None if row.indexed is None else bool(row.indexed), row.reason, row.last_crawl,
        row.canonical, rows.moment(row.asked_at, "page.asked_at"),
    )  # fmt: skip


def _sitemap_report(row: Row[Any]) -> SitemapReport:
    return SitemapReport(
        row.loc, row.last_read, row.state, rows.count_if_any(row.found, "report.found"),
        rows.count_if_any(row.indexed, "report.indexed"),
        rows.counts(row.reasons, "report.reasons"),
        rows.count_if_any(row.videos, "report.videos"),
        rows.moment(row.asked_at, "report.asked_at"),
    )  # fmt: skip


def _is_same(known: PageReport | None, said: PageReport) -> bool:
    told = (said.indexed, said.reason, said.last_crawl, said.canonical)
    return known is not None and told == (
        known.indexed, known.reason, known.last_crawl, known.canonical
    )  # fmt: skip
