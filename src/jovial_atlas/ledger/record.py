"""The ledger, over SQLAlchemy Core.

A sent announcement cannot be rolled back. So the intent is recorded and committed first,
then the announcement is sent, then its outcome is recorded; what has an intent and no
outcome was cut off in between, and its addresses count as not announced.

| table        | one row is                                                        |
|--------------|-------------------------------------------------------------------|
| announcement | one message to one engine over one channel: intent, then outcome  |
| item         | one address or sitemap in that message, with the mark of its state|
| heard        | an address or sitemap as the engine last took it                  |
| report       | what an engine said of one sitemap, at one time                   |
| visit        | what a crawler was last seen to ask of one address, from logs       |
| reason       | how many pages an engine leaves out for a reason, at one time      |
| page         | what an engine said of one address, at one time                    |
| secret       | the part that nobody can guess of an unlisted sitemap's name      |
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import (
    Column,
    Connection,
    ForeignKey,
    Integer,
    MetaData,
    Row,
    String,
    Table,
    bindparam,
    create_engine,
    delete,
    event,
    func,
    insert,
    select,
    update,
)
from sqlalchemy.engine import URL
from sqlalchemy.exc import SQLAlchemyError

from jovial_atlas import dates
from jovial_atlas.errors import LedgerError

_TABLES = MetaData()
_ANNOUNCEMENT = Table(
    "announcement",
    _TABLES,
    Column("id", Integer, primary_key=True),
    Column("engine", String, nullable=False),
    Column("channel", String, nullable=False),
    Column("what", String, nullable=False),
    Column("count", Integer, nullable=False),
    Column("intended_at", String, nullable=False),
    Column("answered_at", String),
    Column("status", String, nullable=False),
    Column("detail", String, nullable=False, default=""),
)
_ITEM = Table(
    "item",
    _TABLES,
    Column("announcement", ForeignKey("announcement.id"), nullable=False, index=True),
    Column("loc", String, nullable=False),
    Column("mark", String),
)
_HEARD = Table(
    "heard",
    _TABLES,
    Column("engine", String, primary_key=True),
    Column("channel", String, primary_key=True),
    Column("loc", String, primary_key=True),
    Column("mark", String, nullable=False),
    Column("at", String, nullable=False),
    Column("urls", Integer),
)
_REPORT = Table(
    "report",
    _TABLES,
    Column("id", Integer, primary_key=True),
    Column("engine", String, nullable=False),
    Column("loc", String, nullable=False),
    Column("asked_at", String, nullable=False),
    Column("last_read", String),
    Column("state", String, nullable=False),
    Column("found", Integer),
    Column("indexed", Integer),
    Column("reasons", String, nullable=False, default="{}"),
)

_VISIT = Table(
    "visit",
    _TABLES,
    Column("engine", String, primary_key=True),
    Column("crawler", String, primary_key=True),
    Column("loc", String, primary_key=True),
    Column("at", String, nullable=False),
    Column("status", Integer, nullable=False),
    Column("count", Integer, nullable=False),
)
_REASON = Table(
    "reason",
    _TABLES,
    Column("id", Integer, primary_key=True),
    Column("engine", String, nullable=False),
    Column("asked_at", String, nullable=False),
    Column("reason", String, nullable=False),
    Column("pages", Integer, nullable=False),
)
_PAGE = Table(
    "page",
    _TABLES,
    Column("id", Integer, primary_key=True),
    Column("engine", String, nullable=False, index=True),
    Column("asked_at", String, nullable=False),
    Column("loc", String, nullable=False),
    Column("indexed", Integer),
    Column("reason", String, nullable=False, default=""),
    Column("last_crawl", String),
)
_SECRET = Table(
    "secret",
    _TABLES,
    Column("kind", String, primary_key=True),
    Column("token", String, nullable=False),
    Column("at", String, nullable=False),
)

#: Outcomes of an announcement. `intended` is one whose outcome is not known.
INTENDED, TAKEN, PENDING, REFUSED, FAILED = "intended", "taken", "pending", "refused", "failed"


@dataclass(frozen=True, slots=True)
class Visit:
    """What a crawler was last seen to ask of an address: when, with which answer, and how often in
    the logs in which that was."""

    engine: str
    crawler: str
    loc: str
    at: str
    status: int
    count: int


@dataclass(frozen=True, slots=True)
class PageReport:
    """What an engine said of one address: whether it is indexed (None where it did not say), why
    not, and when it was last fetched."""

    loc: str
    indexed: bool | None
    reason: str
    last_crawl: str | None


@dataclass(frozen=True, slots=True)
class Announcement:
    """One message to an engine, as the ledger has it."""

    engine: str
    channel: str
    what: str
    count: int
    status: str
    detail: str
    at: str


@dataclass(frozen=True, slots=True)
class SitemapReport:
    """What an engine said of one sitemap. Counts are None where it did not say."""

    loc: str
    last_read: str | None
    state: str
    found: int | None
    indexed: int | None
    reasons: dict[str, int]


@dataclass(frozen=True, slots=True)
class Heard:
    """A sitemap or address as an engine last took it; `urls` is what a sitemap then held."""

    mark: str
    at: str
    urls: int | None


class Ledger:
    """The record of one site. `now` gives the time in the product's form.

    Every method raises LedgerError where the database cannot be used.
    """

    def __init__(self, path: Path, now: Callable[[], str]) -> None:
        self.path = path
        self.now = now
        path.parent.mkdir(parents=True, exist_ok=True)
        self._engine = create_engine(URL.create("sqlite", database=str(path)))
        event.listen(self._engine, "connect", _careful)
        with self._transaction() as connection:
            _TABLES.create_all(connection)

    @contextmanager
    def _transaction(self) -> Iterator[Connection]:
        try:
            with self._engine.begin() as connection:
                yield connection
        except SQLAlchemyError as error:
            reason = str(getattr(error, "orig", None) or error).splitlines()[0]
            raise LedgerError(
                f"The ledger {self.path} cannot be used ({reason}). If another command is "
                "running, wait for it; if the file is damaged, restore it from a backup."
            ) from error

    def secrets(self) -> dict[str, str]:
        """The part that nobody can guess of each unlisted kind's name."""
        with self._transaction() as connection:
            rows = connection.execute(select(_SECRET.c.kind, _SECRET.c.token)).all()
        return dict(tuple(row) for row in rows)

    def keep_secret(self, kind: str, token: str) -> None:
        """Keep such a part for good."""
        with self._transaction() as connection:
            connection.execute(insert(_SECRET).values(kind=kind, token=token, at=self.now()))

    def intend(
        self,
        engine: str,
        channel: str,
        what: str,
        items: Sequence[tuple[str, str | None]],
    ) -> int:
        """Record that `items` (loc, mark; mark None for removed) are about to be announced."""
        with self._transaction() as connection:
            result = connection.execute(
                insert(_ANNOUNCEMENT).values(
                    engine=engine, channel=channel, what=what, count=len(items),
                    intended_at=self.now(), status=INTENDED, detail="",
                )
            )  # fmt: skip
            assert result.inserted_primary_key
            number = int(result.inserted_primary_key[0])
            if items:
                connection.execute(
                    insert(_ITEM),
                    [{"announcement": number, "loc": loc, "mark": mark} for loc, mark in items],
                )
        return number

    def settle(self, number: int, status: str, detail: str, urls: int | None = None) -> None:
        """Record the outcome; what was taken counts as heard by the engine from now on."""
        now = self.now()
        with self._transaction() as connection:
            connection.execute(
                update(_ANNOUNCEMENT)
                .where(_ANNOUNCEMENT.c.id == number)
                .values(status=status, detail=detail, answered_at=now)
            )
            if status not in (TAKEN, PENDING):
                return
            which = connection.execute(
                select(_ANNOUNCEMENT.c.engine, _ANNOUNCEMENT.c.channel).where(
                    _ANNOUNCEMENT.c.id == number
                )
            ).one()
            items = connection.execute(
                select(_ITEM.c.loc, _ITEM.c.mark).where(_ITEM.c.announcement == number)
            ).all()
            if not items:
                return
            here = {"of_engine": which.engine, "of_channel": which.channel}
            connection.execute(
                delete(_HEARD).where(
                    _HEARD.c.engine == bindparam("of_engine"),
                    _HEARD.c.channel == bindparam("of_channel"),
                    _HEARD.c.loc == bindparam("of_loc"),
                ),
                [{**here, "of_loc": loc} for loc, _ in items],
            )
            taken = [
                {"engine": which.engine, "channel": which.channel, "loc": loc, "mark": mark,
                 "at": now, "urls": urls}
                for loc, mark in items
                if mark is not None
            ]  # fmt: skip
            if taken:
                connection.execute(insert(_HEARD), taken)

    def heard(self, engine: str, channel: str) -> dict[str, Heard]:
        """What an engine last took over a channel, by address."""
        with self._transaction() as connection:
            rows = connection.execute(
                select(_HEARD.c.loc, _HEARD.c.mark, _HEARD.c.at, _HEARD.c.urls).where(
                    _HEARD.c.engine == engine, _HEARD.c.channel == channel
                )
            ).all()
        return {row.loc: Heard(row.mark, row.at, row.urls) for row in rows}

    def announced_today(self, engine: str, channel: str) -> int:
        """How many addresses an engine was sent over a channel within the last 24 hours, taken or
        not known to be."""
        since = dates.write(dates.moment(self.now()) - timedelta(hours=24))
        with self._transaction() as connection:
            total = connection.execute(
                select(func.sum(_ANNOUNCEMENT.c.count)).where(
                    _ANNOUNCEMENT.c.engine == engine,
                    _ANNOUNCEMENT.c.channel == channel,
                    _ANNOUNCEMENT.c.intended_at > since,
                    _ANNOUNCEMENT.c.status.in_((TAKEN, PENDING, INTENDED)),
                )
            ).scalar_one()
        return int(total or 0)

    def announcements(self, engine: str, most: int = 20) -> list[Announcement]:
        """The latest announcements to an engine, newest first."""
        with self._transaction() as connection:
            rows = connection.execute(
                select(_ANNOUNCEMENT)
                .where(_ANNOUNCEMENT.c.engine == engine)
                .order_by(_ANNOUNCEMENT.c.id.desc())
                .limit(most)
            ).all()
        return [
            Announcement(
                row.engine, row.channel, row.what, int(row[4]), row.status, row.detail,
                row.answered_at or row.intended_at,
            )
            for row in rows
        ]  # fmt: skip

    def cut_off(self, engine: str) -> int:
        """How many announcements to an engine have an intent and no outcome."""
        with self._transaction() as connection:
            return int(
                connection.execute(
                    select(func.count())
                    .select_from(_ANNOUNCEMENT)
                    .where(_ANNOUNCEMENT.c.engine == engine, _ANNOUNCEMENT.c.status == INTENDED)
                ).scalar_one()
            )

    def note_reports(self, engine: str, reports: Sequence[SitemapReport]) -> None:
        """Record what an engine said of its sitemaps, now."""
        now = self.now()
        with self._transaction() as connection:
            for report in reports:
                connection.execute(
                    insert(_REPORT).values(
                        engine=engine, loc=report.loc, asked_at=now, last_read=report.last_read,
                        state=report.state, found=report.found, indexed=report.indexed,
                        reasons=json.dumps(report.reasons, sort_keys=True),
                    )
                )  # fmt: skip

    def reports(self, engine: str) -> dict[str, SitemapReport]:
        """The latest report of each sitemap by an engine."""
        newest = select(func.max(_REPORT.c.id)).where(_REPORT.c.engine == engine)
        with self._transaction() as connection:
            rows = connection.execute(
                select(_REPORT).where(_REPORT.c.id.in_(newest.group_by(_REPORT.c.loc)))
            ).all()
        return {
            row.loc: SitemapReport(
                row.loc, row.last_read, row.state, row.found, row.indexed, json.loads(row.reasons)
            )
            for row in rows
        }

    def note_reasons(self, engine: str, reasons: Mapping[str, int]) -> None:
        """Record how many pages an engine leaves out for which reason, now."""
        now = self.now()
        rows = [{"engine": engine, "asked_at": now, "reason": reason, "pages": pages}
                for reason, pages in reasons.items()]  # fmt: skip
        if rows:
            with self._transaction() as connection:
                connection.execute(insert(_REASON), rows)

    def reasons(self, engine: str) -> dict[str, int]:
        """How many pages an engine leaves out for which reason, as it said last."""
        newest = select(func.max(_REASON.c.asked_at)).where(_REASON.c.engine == engine)
        with self._transaction() as connection:
            rows = connection.execute(
                select(_REASON.c.reason, _REASON.c.pages)
                .where(_REASON.c.engine == engine, _REASON.c.asked_at == newest.scalar_subquery())
                .order_by(_REASON.c.pages.desc(), _REASON.c.reason)
            ).all()
        return {str(reason): int(pages) for reason, pages in rows}

    def note_pages(self, engine: str, pages: Sequence[PageReport]) -> None:
        """Record what an engine said of single addresses, now."""
        now = self.now()
        rows = [{"engine": engine, "asked_at": now, "loc": one.loc, "indexed": one.indexed,
                 "reason": one.reason, "last_crawl": one.last_crawl} for one in pages]  # fmt: skip
        if rows:
            with self._transaction() as connection:
                connection.execute(insert(_PAGE), rows)

    def pages(self, engine: str) -> dict[str, PageReport]:
        """The latest word of an engine on each address."""
        newest = select(func.max(_PAGE.c.id)).where(_PAGE.c.engine == engine)
        with self._transaction() as connection:
            rows = connection.execute(
                select(_PAGE).where(_PAGE.c.id.in_(newest.group_by(_PAGE.c.loc)))
            ).all()
        return {
            row.loc: PageReport(
                row.loc, None if row.indexed is None else bool(row.indexed), row.reason,
                row.last_crawl,
            )
            for row in rows
        }  # fmt: skip

    def note_visits(self, visits: Sequence[Visit]) -> None:
        """Record visits of crawlers; what is known of a later time stays."""
        if not visits:
            return
        known = {
            (row.crawler, row.loc): row.at
            for engine in {one.engine for one in visits}
            for row in self._visits(engine)
        }
        newer = [one for one in visits if one.at > known.get((one.crawler, one.loc), "")]
        if not newer:
            return
        with self._transaction() as connection:
            connection.execute(
                delete(_VISIT).where(
                    _VISIT.c.engine == bindparam("of_engine"),
                    _VISIT.c.crawler == bindparam("of_crawler"),
                    _VISIT.c.loc == bindparam("of_loc"),
                ),
                [{"of_engine": o.engine, "of_crawler": o.crawler, "of_loc": o.loc} for o in newer],
            )
            connection.execute(
                insert(_VISIT),
                [
                    {"engine": o.engine, "crawler": o.crawler, "loc": o.loc, "at": o.at,
                     "status": o.status, "count": o.count}
                    for o in newer
                ],
            )  # fmt: skip

    def visits(self, engine: str) -> list[Visit]:
        """What the crawlers of an engine were last seen to ask for, by address."""
        return [Visit(**row._mapping) for row in self._visits(engine)]

    def _visits(self, engine: str) -> Sequence[Row[Any]]:
        with self._transaction() as connection:
            return connection.execute(
                select(_VISIT).where(_VISIT.c.engine == engine).order_by(_VISIT.c.loc)
            ).all()

    def close(self) -> None:
        """Let the database go."""
        self._engine.dispose()


def _careful(connection: object, _record: object) -> None:
    """Wait for another command instead of failing, and survive a power cut."""
    cursor = connection.cursor()  # type: ignore[attr-defined]
    cursor.execute("PRAGMA busy_timeout = 5000")
    cursor.execute("PRAGMA foreign_keys = ON")
    cursor.close()
