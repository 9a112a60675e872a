"""The part of the ledger about links to other sites: how each address was met, and since when."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import islice
from typing import Any

from sqlalchemy import delete, insert, select

from jovial_atlas.ledger import rows
from jovial_atlas.ledger.store import Store
from jovial_atlas.ledger.tables import OUTSIDE
from jovial_atlas.records import OutsideRecord

#: Addresses that are looked up together: databases take only so many values at once.
_TOGETHER = 500
#: What says nothing of a page, and does not take back what was known of it.
_TELLS_NOTHING, _KNOWN = ("silent", "closed"), ("gone", "moved", "suspect")


class RecordOfOutside(Store):
    """How addresses of other sites were met."""

    def note_outside(self, met: Iterable[OutsideRecord]) -> None:
        """Record how some addresses were met now. Of one that is gone and now gives no answer it
        is still known that it is gone."""
        waiting = iter(met)
        while some := list(islice(waiting, _TOGETHER)):
            locs = [one.loc for one in some]
            with self._transaction(writes=True) as connection:
                chosen = select(OUTSIDE).where(OUTSIDE.c.loc.in_(locs))
                had = {row.loc: _record(row._mapping) for row in connection.execute(chosen)}
                fresh = [self._joined(one, had.get(one.loc)) for one in some]
                connection.execute(delete(OUTSIDE).where(OUTSIDE.c.loc.in_(locs)))
                connection.execute(insert(OUTSIDE), fresh)

    def _joined(self, met: OutsideRecord, had: OutsideRecord | None) -> dict[str, object]:
        at = self.now()
        state, status, final = met.state, met.status, met.final
        if had and met.state in _TELLS_NOTHING and had.state in _KNOWN:
            state, status, final = had.state, had.status, had.final
        same = had is not None and had.state == state
        return {
            "loc": met.loc, "state": state, "status": status, "final": final,
            "detail": met.detail, "at": at, "since": had.since if had and same else at,
            "times": had.times + 1 if had and same else 1,
        }  # fmt: skip

    def outside(self) -> Iterator[OutsideRecord]:
        """How each address was met last, in the order of addresses."""
        with self._transaction() as connection:
            found: Sequence[OutsideRecord] = [
                _record(row._mapping)
                for row in connection.execute(select(OUTSIDE).order_by(OUTSIDE.c.loc))
            ]
        yield from found


def _record(row: Mapping[Any, Any]) -> OutsideRecord:
    status = row["status"]
    return OutsideRecord(
        str(row["loc"]), str(row["state"]),
        None if status is None else rows.count(status, "outside.status"),
        row["final"], str(row["detail"]), rows.moment(row["at"], "outside.at"),
        rows.moment(row["since"], "outside.since"), rows.count(row["times"], "outside.times"),
    )  # fmt: skip
