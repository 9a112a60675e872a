"""Who is told what: once when a person is needed, once more when that is over, later where it could
not be told, and what happened in a day or a week."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta

from jovial_atlas import dates
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.findings.finding import SEVERITIES
from jovial_atlas.head.lengths import cut_at_word
from jovial_atlas.ledger import Ledger
from jovial_atlas.records import DueMessage, OpenNotice
from jovial_atlas.rounds.tending.around import Around
from jovial_atlas.rounds.tending.messages import ToldMessage, read_message
from jovial_atlas.rounds.tending.round import RoundOutcome
from jovial_atlas.rounds.tending.senders import tell
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.tending import Tell, quiet_hours, told_name
from jovial_atlas.values import replace

#: Seconds until a message that was not taken is tried again, by the number of tries.
_LATER = (60, 300, 900, 3_600, 14_400, 86_400)
_DIGESTS = {"day": timedelta(days=1), "week": timedelta(days=7)}

#: Tells somebody; raises AtlasError where it was not taken.
TellSomebody = Callable[[SiteFile, Tell, ToldMessage, int, Around], None]


class Teller:
    """Who is told of one site."""

    def __init__(
        self, site: SiteFile, ledger: Ledger, around: Around, by: TellSomebody = tell
    ) -> None:
        self._site, self._ledger, self._around, self._by = site, ledger, around, by
        self._ways = {told_name(one): one for one in site.model.tell}

    def settle(self, outcome: RoundOutcome) -> None:
        """Note what needs a person since this round, and what does not any more."""
        open_now = {one.key: one for one in self._ledger.open_notices()}
        found = {one.key: one for one in reversed(outcome.notices)}
        for key, notice in found.items():
            if key not in open_now:
                number = self._ledger.note_notice(notice)
                self._ledger.note_messages(self._troubles(notice, number))
        for key, notice in open_now.items():
            if key not in found and not key.startswith(outcome.unknown or ("\0",)):
                self._ledger.note_messages(self._well(notice))
                self._ledger.drop_unsent(notice.number)
                self._ledger.end_notice(notice.number)
        self._ledger.note_messages(self._digests())

    def _troubles(self, notice: OpenNotice, number: int) -> Iterator[DueMessage]:
        at = dates.write(self._around.now())
        title = _title(notice.message)
        said = ToldMessage(
            "trouble", self._site.model.site.name, title, notice.message, at,
            notice.severity, notice.sections, at,
        )  # fmt: skip
        for name, how in self._ways.items():
            if _wants(how, notice):
                yield DueMessage(name, "trouble", said.written(), self._due(how), number)

    def _well(self, notice: OpenNotice) -> Iterator[DueMessage]:
        """For those who were told of it."""
        at = dates.write(self._around.now())
        title = _title(notice.message)
        said = ToldMessage(
            "well", self._site.model.site.name, title, f"This is over: {notice.message}", at,
            notice.severity, notice.sections, notice.at,
        )  # fmt: skip
        for name in sorted(self._ledger.told_of(notice.number)):
            if how := self._ways.get(name):
                yield DueMessage(name, "well", said.written(), self._due(how))

    def _due(self, how: Tell) -> str:
        """From when on somebody may be told: not in quiet hours."""
        now = self._around.now()
        return dates.write(_after_quiet(how.quiet, now) if how.quiet else now)

    def _digests(self) -> Iterator[DueMessage]:
        now = self._around.now()
        for name, how in self._ways.items():
            every = _DIGESTS.get(how.digest)
            if every is None:
                continue
            last = self._ledger.last_told(name, "digest")
            begun = last or self._ledger.first_round_at() or dates.write(now)
            if now - dates.moment(begun) >= every:
                said = self._digest(begun, now)
                yield DueMessage(name, "digest", said.written(), self._due(how))

    def _digest(self, since: str, now: datetime) -> ToldMessage:
        """What happened since a time, with figures."""
        figures: Counter[str] = Counter()
        for one in self._ledger.rounds_since(since):
            figures["rounds"] += one.times
            figures["held or failed"] += one.state in ("held", "failed")
            figures["announced"] += one.announced
            figures.update(
                {f"pages {k}" if k in _OF_PAGES else k: n for k, n in one.changes.items()}
            )
        notices = self._ledger.notices_since(since)
        still = [one.message for one in self._ledger.open_notices()]
        figures["troubles"] = len(notices)
        figures["still open"] = len(still)
        open_ = "\n".join(f"- {one}" for one in still)
        title = f"{plural(figures['rounds'], 'round')}, {figures['announced']:,} announced"
        text = f"Since {since}." + (f" What still needs you:\n{open_}" if still else
                                    " Nothing needs you.")  # fmt: skip
        return ToldMessage("digest", self._site.model.site.name, title, text, dates.write(now),
                           since=since, figures=dict(figures))  # fmt: skip

    def send_due(self) -> list[dict[str, str]]:
        """Tell what is due, what is for the same one together; gives who was told what. What is not
        taken is told later."""
        told = []
        now = self._around.now()
        groups: dict[tuple[str, str], list[DueMessage]] = {}
        for one in self._ledger.unsent(dates.write(now)):
            if one.to in self._ways:  # others went out of the site file, and may come back
                groups.setdefault((one.to, one.kind), []).append(one)
        for (to, _), some in groups.items():
            try:
                message = _together([read_message(one.text) for one in some])
                self._by(self._site, self._ways[to], message, some[0].number, self._around)
            except (AtlasError, ValueError) as error:
                for one in some:
                    wait = _LATER[min(one.tries, len(_LATER) - 1)]
                    due = dates.write(now + timedelta(seconds=wait))
                    self._ledger.note_unsent(one.number, due, str(error))
                continue
            for one in some:
                self._ledger.note_sent(one.number)
            told.append({"to": to, "what": message.subject})
        return told


def _together(some: list[ToldMessage]) -> ToldMessage:
    """Several messages of a kind as one, the gravest first."""
    if len(some) == 1:
        return some[0]
    some = sorted(some, key=lambda one: SEVERITIES.index(_severity(one.severity or "advice")))
    first = some[0]
    return replace(
        first, title=f"{len(some):,} things, the first: {first.title}",
        message="\n\n".join(f"- {one.message}" for one in some),
        sections=tuple(dict.fromkeys(name for one in some for name in one.sections)),
        since=min(one.since for one in some),
    )  # fmt: skip


def _title(message: str) -> str:
    """What stands for a message in a line."""
    first = message.partition(". ")[0]
    if len(first) > _TITLE:
        first = first.partition(": ")[0]
    return cut_at_word(first, _TITLE) or first


_TITLE = 90


_OF_PAGES = ("added", "changed", "removed")


def _wants(how: Tell, notice: OpenNotice) -> bool:
    grave = SEVERITIES.index(_severity(notice.severity)) <= SEVERITIES.index(
        _severity(how.severity)
    )
    about = not how.sections or bool(set(how.sections) & set(notice.sections))
    return grave and about


def _severity(name: str) -> object:
    return next(one for one in SEVERITIES if one == name)


def _after_quiet(quiet: str, now: datetime) -> datetime:
    """The time itself, or the end of the quiet hours in which it is, by the machine's clock."""
    first, last = quiet_hours(quiet)
    here = now.astimezone()
    at = here.time()
    within = first <= at < last if first <= last else at >= first or at < last
    if not within:
        return now
    end = here.replace(hour=last.hour, minute=last.minute, second=0, microsecond=0)
    return (end if end > here else end + timedelta(days=1)).astimezone(now.tzinfo)
