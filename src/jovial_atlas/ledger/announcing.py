"""What was announced: intent, then outcome, and what each engine has heard by that.

A sent announcement cannot be rolled back. So the intent is recorded and committed first, then the
announcement is sent, then its outcome is recorded. What has no known outcome is settled before
anything else is announced over that channel.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import timedelta

import polars as pl
from sqlalchemy import Connection, Select, bindparam, delete, func, insert, select, update

from jovial_atlas import dates
from jovial_atlas.ledger import rows
from jovial_atlas.ledger.store import Store
from jovial_atlas.ledger.tables import ANNOUNCEMENT, BUILT, HEARD, ITEM, SECRET
from jovial_atlas.records import (
    HEARD_AS,
    UNSETTLED,
    Announcement,
    Built,
    Heard,
    Status,
    Unsettled,
)

#: So many addresses are asked for in one query, and read at a time.
_AT_ONCE, _PIECE = 500, 100_000
_HEARD_PIECE = {"loc": pl.String, "mark": pl.String}
#: Channels whose messages are about what was announced over another.
_SPEAKS_OF = {"remove-sitemap": "submit-sitemap"}


class Announcing(Store):
    """The part of the ledger that is about what this side said."""

    def secrets(self) -> dict[str, str]:
        """The part that nobody can guess of each unlisted kind's name."""
        with self._transaction() as connection:
            found = connection.execute(select(SECRET.c.kind, SECRET.c.token)).all()
        return dict(tuple(row) for row in found)

    def keep_secret(self, kind: str, token: str) -> None:
        """Keep such a part for good."""
        with self._transaction(writes=True) as connection:
            connection.execute(insert(SECRET).values(kind=kind, token=token, at=self.now()))

    def intend(
        self, engine: str, channel: str, what: str, items: Sequence[tuple[str, str | None]]
    ) -> int:
        """Record that `items` (loc, mark; mark None for removed) are about to be announced."""
        with self._transaction(writes=True) as connection:
            result = connection.execute(
                insert(ANNOUNCEMENT).values(
                    engine=engine, channel=channel, what=what, count=len(items),
                    intended_at=self.now(), status=Status.INTENDED, detail="",
                )
            )  # fmt: skip
            assert result.inserted_primary_key
            number = int(result.inserted_primary_key[0])
            if items:
                connection.execute(
                    insert(ITEM),
                    [{"announcement": number, "loc": loc, "mark": mark} for loc, mark in items],
                )
        return number

    def settle(self, number: int, status: Status, detail: str, urls: int | None = None) -> None:
        """Record the outcome; what was taken counts as heard by the engine from now on."""
        now = self.now()
        with self._transaction(writes=True) as connection:
            connection.execute(
                update(ANNOUNCEMENT)
                .where(ANNOUNCEMENT.c.id == number)
                .values(status=status, detail=detail, answered_at=now)
            )
            if status not in HEARD_AS:
                return
            which = connection.execute(
                select(ANNOUNCEMENT.c.engine, ANNOUNCEMENT.c.channel).where(
                    ANNOUNCEMENT.c.id == number
                )
            ).one()
            items = connection.execute(
                select(ITEM.c.loc, ITEM.c.mark).where(ITEM.c.announcement == number)
            ).all()
            channel = _SPEAKS_OF.get(which.channel, which.channel)
            _hear(connection, which.engine, channel, [(i.loc, i.mark) for i in items], now, urls)

    def heard(self, engine: str, channel: str) -> dict[str, Heard]:
        """What an engine last took over a channel, by address."""
        with self._transaction() as connection:
            rows_found = connection.execute(
                select(HEARD.c.loc, HEARD.c.mark, HEARD.c.at, HEARD.c.urls).where(
                    HEARD.c.engine == engine, HEARD.c.channel == channel
                )
            ).all()
        return {
            row.loc: Heard(
                row.mark, rows.moment(row.at, "heard.at"), rows.count_if_any(row.urls, "heard.urls")
            )
            for row in rows_found
        }

    def heard_of(self, engine: str, channel: str, locs: Sequence[str]) -> dict[str, Heard]:
        """As `heard`, of some addresses."""
        found: dict[str, Heard] = {}
        asked = select(HEARD.c.loc, HEARD.c.mark, HEARD.c.at, HEARD.c.urls).where(
            HEARD.c.engine == engine, HEARD.c.channel == channel
        )
        with self._transaction() as connection:
            for start in range(0, len(locs), _AT_ONCE):
                some = locs[start : start + _AT_ONCE]
                for row in connection.execute(asked.where(HEARD.c.loc.in_(some))):
                    urls = rows.count_if_any(row.urls, "heard.urls")
                    found[row.loc] = Heard(row.mark, rows.moment(row.at, "heard.at"), urls)
        return found

    def marks_heard(self, engine: str, channel: str, locs: Sequence[str]) -> pl.DataFrame:
        """What an engine last took of some addresses, as `loc, mark`."""
        asked = select(HEARD.c.loc, HEARD.c.mark).where(
            HEARD.c.engine == engine, HEARD.c.channel == channel
        )
        found: list[tuple[str, str]] = []
        with self._transaction() as connection:
            for start in range(0, len(locs), _AT_ONCE):
                some = locs[start : start + _AT_ONCE]
                found += map(tuple, connection.execute(asked.where(HEARD.c.loc.in_(some))))
        return pl.DataFrame(found, schema=_HEARD_PIECE, orient="row")

    def taken(self, engine: str, channel: str) -> dict[int, str]:
        """The messages that an engine took over a channel, by number, in their order: when, and of
        how many addresses."""
        asked = select(ANNOUNCEMENT.c.id, ANNOUNCEMENT.c.answered_at, ANNOUNCEMENT.c.count)
        with self._transaction() as connection:
            found = connection.execute(
                asked.where(
                    ANNOUNCEMENT.c.engine == engine,
                    ANNOUNCEMENT.c.channel == channel,
                    ANNOUNCEMENT.c.status.in_(HEARD_AS),
                ).order_by(ANNOUNCEMENT.c.id)
            ).all()
        return {int(number): f"{at} {count}" for number, at, count in found}

    def told_in(self, numbers: Sequence[int], most: int) -> pl.Series | None:
        """The addresses in some messages; None where there are more than `most`."""
        found: list[str] = []
        with self._transaction() as connection:
            for start in range(0, len(numbers), _AT_ONCE):
                some = numbers[start : start + _AT_ONCE]
                asked = select(ITEM.c.loc).where(ITEM.c.announcement.in_(some))
                found += connection.execute(asked.limit(most + 1)).scalars()
                if len(found) > most:
                    return None
        return pl.Series(found, dtype=pl.String)

    def heard_in_pieces(self, engine: str, channel: str) -> Iterator[pl.DataFrame]:
        """What an engine last took over a channel, as tables of `loc, mark`."""
        asked = select(HEARD.c.loc, HEARD.c.mark).where(
            HEARD.c.engine == engine, HEARD.c.channel == channel
        )
        with self._transaction() as connection:
            if self.is_shared:
                found = connection.execution_options(yield_per=_PIECE).execute(asked)
                for part in found.partitions():
                    rows_found = list(map(tuple, part))
                    yield pl.DataFrame(rows_found, schema=_HEARD_PIECE, orient="row")
                return
            # The driver's own rows: to make others of millions takes as long as to read them.
            cursor = connection.execute(asked).cursor
            while some := cursor.fetchmany(_PIECE):
                yield pl.DataFrame(some, schema=_HEARD_PIECE, orient="row")

    def heard_count(self, engine: str, channel: str) -> int:
        """How many addresses an engine took over a channel."""
        asked = select(func.count()).where(HEARD.c.engine == engine, HEARD.c.channel == channel)
        with self._transaction() as connection:
            return int(connection.execute(asked).scalar_one())

    def announced_today(self, engine: str, channel: str) -> int:
        """How many addresses an engine was sent over a channel within the last 24 hours, taken or
        not known to be."""
        since = dates.write(dates.moment(self.now()) - timedelta(hours=24))
        with self._transaction() as connection:
            total = connection.execute(
                select(func.sum(ANNOUNCEMENT.c.count)).where(
                    ANNOUNCEMENT.c.engine == engine,
                    ANNOUNCEMENT.c.channel == channel,
                    ANNOUNCEMENT.c.intended_at > since,
                    ANNOUNCEMENT.c.status.in_((*HEARD_AS, *UNSETTLED)),
                )
            ).scalar_one()
        return int(total or 0)

    def announcements(self, engine: str = "", most: int = 20) -> list[Announcement]:
        """The latest announcements to an engine, or to all, newest first."""
        query: Select[tuple[object, ...]] = select(ANNOUNCEMENT)
        if engine:
            query = query.where(ANNOUNCEMENT.c.engine == engine)
        with self._transaction() as connection:
            latest = connection.execute(query.order_by(ANNOUNCEMENT.c.id.desc()).limit(most)).all()
        return [
            Announcement(
                row.engine, row.channel, row.what,
                rows.count(row._mapping["count"], "announcement.count"), rows.status(row.status),
                row.detail,
                rows.moment(row.answered_at or row.intended_at, "announcement.intended_at"),
            )
            for row in latest
        ]  # fmt: skip

    def unsettled(self, engine: str) -> list[Unsettled]:
        """Announcements to an engine of whose outcome nothing is known, oldest first."""
        with self._transaction() as connection:
            broken = connection.execute(
                select(ANNOUNCEMENT)
                .where(ANNOUNCEMENT.c.engine == engine, ANNOUNCEMENT.c.status.in_(UNSETTLED))
                .order_by(ANNOUNCEMENT.c.id)
            ).all()
            unsettled = []
            for row in broken:
                items = connection.execute(
                    select(ITEM.c.loc, ITEM.c.mark).where(ITEM.c.announcement == row.id)
                ).all()
                unsettled.append(
                    Unsettled(
                        int(row.id), row.channel, row.what,
                        rows.moment(row.intended_at, "announcement.intended_at"),
                        tuple((item.loc, item.mark) for item in items),
                    )
                )  # fmt: skip
        return unsettled

    def first_announced(self, engine: str, channels: Sequence[str]) -> dict[str, str]:
        """Address → when an engine first took it over one of these channels."""
        with self._transaction() as connection:
            firsts = connection.execute(
                select(ITEM.c.loc, func.min(ANNOUNCEMENT.c.intended_at))
                .join(ANNOUNCEMENT, ANNOUNCEMENT.c.id == ITEM.c.announcement)
                .where(
                    ANNOUNCEMENT.c.engine == engine,
                    ANNOUNCEMENT.c.channel.in_(channels),
                    ANNOUNCEMENT.c.status.in_(HEARD_AS),
                    ITEM.c.mark.is_not(None),
                )
                .group_by(ITEM.c.loc)
            ).all()
        return {str(loc): str(at) for loc, at in firsts}

    def note_built(self, now_built: Sequence[Built]) -> None:
        """Record what each sitemap holds, where that is not what was recorded last."""
        newest = select(func.max(BUILT.c.id)).group_by(BUILT.c.loc)
        with self._transaction() as connection:
            found = connection.execute(select(BUILT).where(BUILT.c.id.in_(newest))).all()
        known = {row.loc: row for row in found}
        now, given = self.now(), {one.loc for one in now_built}
        new = [
            {"at": now, "loc": one.loc, "section": one.section, "urls": one.urls, "gone": 0}
            for one in now_built
            if one.loc not in known
            or (known[one.loc].section, known[one.loc].urls, known[one.loc].gone)
            != (one.section, one.urls, 0)
        ]
        new += [
            {"at": now, "loc": loc, "section": row.section, "urls": 0, "gone": 1}
            for loc, row in known.items()
            if loc not in given and not row.gone
        ]
        if new:
            with self._transaction(writes=True) as connection:
                connection.execute(insert(BUILT), new)

    def built(self) -> list[Built]:
        """What sitemaps held from when on, in the order of time."""
        with self._transaction() as connection:
            history = connection.execute(select(BUILT).order_by(BUILT.c.id)).all()
        return [
            Built(
                row.loc, row.section, rows.count(row.urls, "built.urls"),
                rows.moment(row.at, "built.at"), bool(row.gone),
            )
            for row in history
        ]  # fmt: skip


def _hear(
    connection: Connection,
    engine: str,
    channel: str,
    items: Sequence[tuple[str, str | None]],
    now: str,
    urls: int | None,
) -> None:
    """Put what an engine now knows in the place of what it knew."""
    if not items:
        return
    here = {"of_engine": engine, "of_channel": channel}
    connection.execute(
        delete(HEARD).where(
            HEARD.c.engine == bindparam("of_engine"),
            HEARD.c.channel == bindparam("of_channel"),
            HEARD.c.loc == bindparam("of_loc"),
        ),
        [{**here, "of_loc": loc} for loc, _ in items],
    )
    taken = [
        {"engine": engine, "channel": channel, "loc": loc, "mark": mark, "at": now, "urls": urls}
        for loc, mark in items
        if mark is not None
    ]
    if taken:
        connection.execute(insert(HEARD), taken)
