"""The part of the ledger about changes of pages: what changed when, and of which pages."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sqlalchemy import func, insert, select

from jovial_atlas.ledger import rows
from jovial_atlas.ledger.store import Store
from jovial_atlas.ledger.tables import ANNOUNCEMENT, EVENT, EVENT_PAGE, ITEM
from jovial_atlas.records import HEARD_AS, SiteEvent

#: Rows that are written at a time.
_ROWS = 5_000
#: What stands before the number of an announcement, among events.
_ANNOUNCED = "a"
_ANNOUNCEMENT, _PROOF = "announcement", "verify-site"


class RecordOfEvents(Store):
    """Changes of pages. Announcements of pages are events too, numbered `a1`, `a2`…"""

    def note_event(
        self,
        kind: str,
        what: str,
        why: str,
        locs: Iterable[str],
        *,
        at: str = "",
        control: Iterable[str] = (),
    ) -> str:
        """Record that pages changed, now or at a time; `control` are pages that were chosen by lot
        not to. Gives back the event's name."""
        changed = list(dict.fromkeys(locs))
        sides = [*((loc, 1) for loc in changed), *((loc, 0) for loc in dict.fromkeys(control))]
        row = {"at": at or self.now(), "kind": kind, "what": what, "why": why,
               "pages": len(changed)}  # fmt: skip
        with self._transaction(writes=True) as connection:
            number = connection.execute(insert(EVENT).values(row)).inserted_primary_key[0]  # type: ignore[index]
            for start in range(0, len(sides), _ROWS):
                some = [{"event": number, "loc": loc, "side": side}
                        for loc, side in sides[start : start + _ROWS]]  # fmt: skip
                connection.execute(insert(EVENT_PAGE), some)
        return str(number)

    def events(self) -> list[SiteEvent]:
        """All of them, announcements of pages too, the oldest first."""
        with self._transaction() as connection:
            found = connection.execute(select(EVENT).order_by(EVENT.c.id)).all()
            told = connection.execute(
                select(ANNOUNCEMENT, func.count(ITEM.c.loc).label("pages"))
                .join(ITEM, ITEM.c.announcement == ANNOUNCEMENT.c.id)
                .where(ANNOUNCEMENT.c.status.in_(HEARD_AS), ITEM.c.mark.is_not(None),
                       ANNOUNCEMENT.c.channel != _PROOF,
                       ~ITEM.c.loc.like("%.xml"), ~ITEM.c.loc.like("%.xml.gz"))
                .group_by(ANNOUNCEMENT.c.id)
                .order_by(ANNOUNCEMENT.c.id)
            ).all()  # fmt: skip
        events = [
            SiteEvent(str(row.id), rows.moment(row.at, "event.at"), row.kind, row.what, row.why,
                      rows.count(row.pages, "event.pages"))
            for row in found
        ]  # fmt: skip
        events += [
            SiteEvent(f"{_ANNOUNCED}{row.id}",
                      rows.moment(row.intended_at, "announcement.intended_at"), _ANNOUNCEMENT,
                      f"{row.engine}, {row.channel}", "", rows.count(row.pages, "event.pages"))
            for row in told
        ]  # fmt: skip
        return sorted(events, key=lambda one: (one.at, one.name))

    def pages_of_event(self, name: str) -> tuple[Sequence[str], Sequence[str]]:
        """The pages that an event changed, and those that were chosen by lot not to be."""
        if name.startswith(_ANNOUNCED):
            with self._transaction() as connection:
                locs = connection.execute(
                    select(ITEM.c.loc)
                    .where(ITEM.c.announcement == int(name[1:]), ITEM.c.mark.is_not(None))
                    .order_by(ITEM.c.loc)
                ).scalars()
                return list(locs), []
        with self._transaction() as connection:
            found = connection.execute(
                select(EVENT_PAGE.c.loc, EVENT_PAGE.c.side)
                .where(EVENT_PAGE.c.event == int(name))
                .order_by(EVENT_PAGE.c.loc)
            ).all()
        return [row.loc for row in found if row.side], [row.loc for row in found if not row.side]
