"""The part of the ledger about rounds that nobody watches: what came of them, what needs a person,
who is to be told, and which machine tends the site."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

from sqlalchemy import Connection, Insert, Row, delete, func, insert, select, update

from jovial_atlas import foreign
from jovial_atlas.errors import LedgerError
from jovial_atlas.ledger import rows
from jovial_atlas.ledger.store import Store
from jovial_atlas.ledger.tables import MESSAGE, NOTICE, ROUND, TENDER
from jovial_atlas.records import DueMessage, OpenNotice, RoundStep, TendedRound
from jovial_atlas.values import asdict

_NOTHING = "nothing"


class RecordOfRounds(Store):
    """What rounds came to."""

    def note_round(self, done: TendedRound) -> int:
        """Record a round; one without changes after another such one of the same machine and day
        is added to that. Gives its number."""
        row = {
            "at": done.at, "last": done.at, "times": 1, "machine": done.machine,
            "state": done.state, "steps": json.dumps([asdict(one) for one in done.steps]),
            "changes": json.dumps(done.changes), "announced": done.announced,
            "told": json.dumps(done.told),
        }  # fmt: skip
        with self._transaction(writes=True) as connection:
            last = connection.execute(
                select(ROUND).order_by(ROUND.c.id.desc()).limit(1)
            ).first()
            quiet = done.state == _NOTHING and not done.told
            if quiet and last is not None and last.state == _NOTHING and (
                last.machine == done.machine
                and last.told == "[]"
                and last.at[:10] == done.at[:10]
            ):  # fmt: skip
                connection.execute(
                    update(ROUND).where(ROUND.c.id == last.id)
                    .values(last=done.at, times=ROUND.c.times + 1)
                )  # fmt: skip
                return int(last.id)
            return _new(connection, insert(ROUND).values(**row))

    def rounds(self, most: int = 0) -> list[TendedRound]:
        """The latest rounds, the newest first; all where `most` is 0."""
        wanted = select(ROUND).order_by(ROUND.c.id.desc())
        with self._transaction() as connection:
            found = connection.execute(wanted.limit(most) if most else wanted).all()
        return [_round(row) for row in found]

    def rounds_since(self, when: str) -> list[TendedRound]:
        """The rounds that ended since a time, the newest first."""
        wanted = select(ROUND).where(ROUND.c.last >= when).order_by(ROUND.c.id.desc())
        with self._transaction() as connection:
            return [_round(row) for row in connection.execute(wanted)]

    def first_round_at(self) -> str:
        """When the first round was that is in the record; empty for never."""
        with self._transaction() as connection:
            return str(connection.execute(select(func.min(ROUND.c.at))).scalar() or "")

    def last_round(self, *states: str) -> TendedRound | None:
        """The latest round with one of these states."""
        wanted = select(ROUND).where(ROUND.c.state.in_(states)).order_by(ROUND.c.id.desc())
        with self._transaction() as connection:
            found = connection.execute(wanted.limit(1)).first()
        return _round(found) if found else None

    def count_rounds(self) -> dict[str, int]:
        """State → how many rounds ended so."""
        wanted = select(ROUND.c.state, func.sum(ROUND.c.times)).group_by(ROUND.c.state)
        with self._transaction() as connection:
            return {str(state): int(count) for state, count in connection.execute(wanted)}

    def forget_rounds(self, before: str) -> None:
        """Forget rounds that ended before a time, and messages that were sent before it."""
        with self._transaction(writes=True) as connection:
            connection.execute(delete(ROUND).where(ROUND.c.last < before))
            connection.execute(delete(MESSAGE).where(MESSAGE.c.sent_at < before))
            connection.execute(delete(NOTICE).where(NOTICE.c.well_at < before))

    def open_notices(self) -> list[OpenNotice]:
        """What needs a person now, the oldest first."""
        wanted = select(NOTICE).where(NOTICE.c.well_at.is_(None)).order_by(NOTICE.c.id)
        with self._transaction() as connection:
            return [_notice(row) for row in connection.execute(wanted)]

    def note_notice(self, notice: OpenNotice) -> int:
        """Record that something needs a person from now on. Gives its number."""
        row = {
            "key": notice.key, "severity": notice.severity, "message": notice.message,
            "sections": json.dumps(notice.sections), "at": self.now(),
        }  # fmt: skip
        with self._transaction(writes=True) as connection:
            return _new(connection, insert(NOTICE).values(**row))

    def end_notice(self, number: int) -> None:
        """Record that it needs nobody any more."""
        with self._transaction(writes=True) as connection:
            connection.execute(
                update(NOTICE).where(NOTICE.c.id == number).values(well_at=self.now())
            )

    def notices_since(self, when: str) -> list[tuple[OpenNotice, bool]]:
        """Notices that began or ended since a time, and whether each is well again."""
        wanted = select(NOTICE).where((NOTICE.c.at >= when) | (NOTICE.c.well_at >= when))
        with self._transaction() as connection:
            found = connection.execute(wanted.order_by(NOTICE.c.id)).all()
        return [(_notice(row), row.well_at is not None) for row in found]

    def note_messages(self, messages: Iterable[DueMessage]) -> None:
        """Record what is to be told."""
        found = [
            {"notice": one.notice or None, "to": one.to, "kind": one.kind, "text": one.text,
             "at": self.now(), "due": one.due, "tries": 0, "trouble": ""}
            for one in messages
        ]  # fmt: skip
        if found:
            with self._transaction(writes=True) as connection:
                connection.execute(insert(MESSAGE), found)

    def unsent(self, until: str = "") -> list[DueMessage]:
        """What is not told yet, in its order; with `until` only what is due by then."""
        wanted = select(MESSAGE).where(MESSAGE.c.sent_at.is_(None)).order_by(MESSAGE.c.id)
        with self._transaction() as connection:
            found = connection.execute(wanted.where(MESSAGE.c.due <= until) if until else wanted)
            return [_message(row) for row in found]

    def told_of(self, notice: int) -> set[str]:
        """Who was told of a notice."""
        wanted = select(MESSAGE.c.to).where(
            MESSAGE.c.notice == notice, MESSAGE.c.sent_at.is_not(None)
        )
        with self._transaction() as connection:
            return {str(to) for (to,) in connection.execute(wanted)}

    def last_told(self, to: str, kind: str) -> str:
        """When a message of a kind was last made for somebody; empty for never."""
        wanted = select(func.max(MESSAGE.c.at)).where(MESSAGE.c.to == to, MESSAGE.c.kind == kind)
        with self._transaction() as connection:
            return str(connection.execute(wanted).scalar() or "")

    def note_sent(self, number: int) -> None:
        """Record that a message was taken."""
        with self._transaction(writes=True) as connection:
            connection.execute(
                update(MESSAGE).where(MESSAGE.c.id == number).values(sent_at=self.now())
            )

    def note_unsent(self, number: int, due: str, trouble: str) -> None:
        """Record that a message could not be given, why, and when that is tried again."""
        with self._transaction(writes=True) as connection:
            connection.execute(
                update(MESSAGE).where(MESSAGE.c.id == number)
                .values(tries=MESSAGE.c.tries + 1, due=due, trouble=trouble)
            )  # fmt: skip

    def drop_unsent(self, notice: int) -> None:
        """Forget what was to be told of a notice and was not: it is over."""
        with self._transaction(writes=True) as connection:
            connection.execute(
                delete(MESSAGE).where(MESSAGE.c.notice == notice, MESSAGE.c.sent_at.is_(None))
            )

    def note_tender(self, machine: str, doing: str) -> None:
        """Record that a machine tends the site, and what it does."""
        row = {"seen": self.now(), "doing": doing}
        with self._transaction(writes=True) as connection:
            changed = connection.execute(
                update(TENDER).where(TENDER.c.machine == machine).values(**row)
            )
            if not changed.rowcount:
                connection.execute(insert(TENDER).values(machine=machine, **row))

    def end_tending(self) -> None:
        """Record that no machine is at a round: whoever has the ledger for rounds alone knows."""
        with self._transaction(writes=True) as connection:
            connection.execute(update(TENDER).values(doing=""))

    def tenders(self) -> dict[str, tuple[str, str]]:
        """Machine → when it was seen last, and what it did."""
        with self._transaction() as connection:
            found = connection.execute(select(TENDER).order_by(TENDER.c.machine)).all()
        return {row.machine: (rows.moment(row.seen, "tender.seen"), row.doing) for row in found}


def _new(connection: Connection, row: Insert) -> int:
    key = connection.execute(row).inserted_primary_key
    assert key is not None
    return int(key[0])


def _round(row: Row[Any]) -> TendedRound:
    try:
        steps = [
            RoundStep(
                str(one["name"]), str(one["state"]), float(one["seconds"]), str(one["detail"])
            )
            for one in foreign.read_json(row.steps)
        ]
        told = [{str(k): str(v) for k, v in one.items()} for one in foreign.read_json(row.told)]
    except (ValueError, TypeError, KeyError, AttributeError):
        raise LedgerError(f"Round {row.id} of the ledger is not as this tool wrote it.") from None
    return TendedRound(
        rows.moment(row.at, "round.at"), row.machine, row.state, steps,
        rows.counts(row.changes, "round.changes"), rows.count(row.announced, "round.announced"),
        told, row.id, rows.moment(row.last, "round.last"), rows.count(row.times, "round.times"),
    )  # fmt: skip


def _notice(row: Row[Any]) -> OpenNotice:
    try:
        sections = tuple(str(one) for one in foreign.read_json(row.sections))
    except (ValueError, TypeError):
        raise LedgerError(f"Notice {row.id} of the ledger is not as this tool wrote it.") from None
    at = rows.moment(row.at, "notice.at")
    return OpenNotice(row.key, row.severity, sections, row.message, at, row.id)


def _message(row: Row[Any]) -> DueMessage:
    return DueMessage(
        row.to, row.kind, row.text, rows.moment(row.due, "message.due"), row.notice or 0,
        rows.count(row.tries, "message.tries"), row.trouble, row.id, row.at,
    )  # fmt: skip
