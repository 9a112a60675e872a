"""The steps of a round at the live site and at the engines: looking, announcing, asking, and what
is to be done there."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field

from jovial_atlas import dates
from jovial_atlas.engines.published import Outcome as Announced
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.files import Locks
from jovial_atlas.ledger import Ledger
from jovial_atlas.records import OpenNotice
from jovial_atlas.rounds.state.ledger import open_ledger
from jovial_atlas.rounds.state.sending import Sending
from jovial_atlas.rounds.telling.hear import heard_figures
from jovial_atlas.rounds.telling.performance import ask_performance
from jovial_atlas.rounds.telling.status import run_status
from jovial_atlas.rounds.telling.submit import run_submit, waiting
from jovial_atlas.rounds.tending.around import Around
from jovial_atlas.rounds.tending.looking import behind
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.tending import seconds_of

DONE, NOTHING, HELD, FAILED, SKIPPED = "done", "nothing", "held", "failed", "skipped"
#: Outcomes of announcements that need a person, and those that do not.
_REFUSED = ("failed", "refused", "unknown")
_TAKEN = ("taken", "assumed", "pending")
#: Seconds after which an engine that refused is told again.
_AGAIN = 3_600
_LIVE = "live"
#: Of more addresses than this, some are looked for.
_MANY = 10_000
LATER = "an engine that did not take all of it is told again later"


class HeldBackError(AtlasError):
    """A step keeps what stands: going on would do harm. `notices` say what needs a person."""

    def __init__(self, why: str, notices: list[OpenNotice] | None = None) -> None:
        super().__init__(why)
        self.notices = notices or []


class _Reading:
    """Reading what belongs together; what takes long is done apart, so that nobody waits for it."""

    def __init__(self, locks: Locks) -> None:
        self._locks = locks
        self._held = ExitStack()

    def __enter__(self) -> _Reading:
        self._held.enter_context(self._locks.reading())
        return self

    def __exit__(self, *_: object) -> None:
        self._held.close()

    @contextmanager
    def apart(self) -> Iterator[None]:
        """Do the block without holding anything; it is held again after."""
        self._held.close()
        yield
        self._held.enter_context(self._locks.reading())


@dataclass(slots=True)
class AtEngines:
    """What a round does at the live site and at the engines; each step gives its state, and what
    came of it in words."""

    around: Around
    site: SiteFile
    ledger: Ledger
    notices: list[OpenNotice] = field(default_factory=list)
    changes: dict[str, int] = field(default_factory=dict)
    announced: int = 0

    def look(self) -> tuple[str, str]:
        """Wait until the live site serves what was built. Raises HeldBackError where it does
        not."""
        limit = seconds_of(self.site.model.tend.look)
        if not limit or self.site.model.site.stage != _LIVE:
            return NOTHING, "it is not looked at"
        if not self._announces():
            return NOTHING, LATER
        looked = 0
        for host, ledger in self.ledgers():
            with self.around.locks.reading():
                items = waiting(host, host.model.engine, ledger, most=_MANY)
            looked += bool(items)
            pages = [loc for loc, mark in items if mark is not None]
            if items and (missing := behind(host, pages, self.around, limit)):
                said = "The live site does not serve yet what was built, so nothing is announced: "
                raise HeldBackError(
                    said + missing, [OpenNotice("behind", "error", (), said + missing)]
                )
        if not looked:
            return NOTHING, "nothing is to be announced"
        return DONE, "the live site serves what was built"

    def submit(self) -> tuple[str, str]:
        """Announce what changed."""
        if self.site.model.site.stage != _LIVE:
            return SKIPPED, "the site is a draft: nothing is announced"
        if not self._announces():
            return NOTHING, LATER
        sending = self.sending()
        sent = 0
        refused: dict[str, str] = {}
        for host, ledger in self.ledgers():
            for one in self._submitted(host, ledger, sending):
                if one.status in _TAKEN:
                    self.announced += one.count
                if one.status in _REFUSED:
                    refused.setdefault(one.engine, f"{one.channel}: {one.what}: {one.detail}")
                sent += one.status != "due"
        for engine, detail in refused.items():
            said = f"{engine} did not take what was announced ({detail}). "
            said += "Later rounds try it again."
            self.notices.append(OpenNotice(f"engine {engine}", "warning", (), said))
        if not sent:
            return NOTHING, "nothing is to be announced"
        taken = plural(self.announced, "address or file", "addresses and files")
        failed = f"; {', '.join(refused)} took not all of it" if refused else ""
        return DONE, f"{taken} announced{failed}"

    def hear(self) -> tuple[str, str]:
        """Ask engines what they know, where that is due."""
        if not self.hears():
            return NOTHING, "engines were asked not long ago"
        sending = self.sending()
        deaf = {}
        for host, ledger in self.ledgers():
            with _Reading(self.around.locks) as held:
                states = run_status(host, host.model.engine, ledger, sending, held.apart)
            for state in states:
                if state.trouble:
                    deaf[state.name] = state.trouble
        heard = self._hear_clicks(sending, deaf)
        for name, why in deaf.items():
            said = f"{name} could not be asked what it knows: {why}"
            self.notices.append(OpenNotice(f"deaf {name}", "warning", (), said))
        asked = plural(len(self.site.model.engine) - len(deaf), "engine")
        left = f", not {', '.join(deaf)}" if deaf else ""
        return DONE, f"{asked} asked{left}{heard}"

    def _hear_clicks(self, sending: Sending, deaf: dict[str, str]) -> str:
        """Ask engines that tell it what was searched and clicked; in words what came."""
        rows, told = 0, []
        with self.around.locks.counting(self.site.traffic_folder):
            for engine in self.site.model.engine:
                try:
                    heard, trouble = ask_performance(self.site, engine, sending, self.around.now())
                except AtlasError as error:
                    heard, trouble = None, str(error)
                if heard:
                    rows += heard.performance.new if heard.performance else 0
                    told.append(heard)
                if trouble:
                    deaf.setdefault(engine.name, trouble)
            if told:
                with self.around.locks.reading():
                    heard_figures(self.site, told)
        return f"; {plural(rows, 'new row')} of what was clicked" if told else ""

    def status(self) -> tuple[str, str]:
        """What is to be done at the engines."""
        steps: list[str] = []
        for host, ledger in self.ledgers():
            with self.around.locks.reading():
                states = run_status(host, host.model.engine, ledger, None)
            for state in states:
                steps += state.next
        return NOTHING, steps[0] if steps else "nothing is left to do at the engines"

    def sending(self) -> Sending:
        """How engines are reached."""
        return Sending(self.around.client, self.around.environment, self.around.pause)

    def _announces(self) -> bool:
        return bool(self.changes.get("files")) or self._may_try_again()

    def _may_try_again(self) -> bool:
        """Whether engines that took not all of it may be told again: not in every round."""
        if not any(one.key.startswith("engine ") for one in self.ledger.open_notices()):
            return True
        last = next((one for one in self.ledger.rounds(200) if one.state != NOTHING), None)
        return last is None or self._seconds_since(last.at) >= _AGAIN

    def _seconds_since(self, at: str) -> float:
        return (self.around.now() - dates.moment(at)).total_seconds()

    def hears(self) -> bool:
        """Whether engines are to be asked what they know."""
        every = seconds_of(self.site.model.tend.hear)
        if not (every and self.site.model.engine):
            return False
        for one in self.ledger.rounds(200):
            if any(step.name == "hear" and step.state == DONE for step in one.steps):
                return self._seconds_since(one.at) >= every
        return True

    def ledgers(self) -> Iterator[tuple[SiteFile, Ledger]]:
        """The hosts of the site, each with its ledger."""
        for host in self.site.hosts:
            if not host.host:
                yield host, self.ledger
                continue
            ledger = open_ledger(host, self.around.now, self.around.environment)
            try:
                yield host, ledger
            finally:
                ledger.close()

    def _submitted(
        self, host: SiteFile, ledger: Ledger, sending: Sending
    ) -> Iterator[Announced]:
        with _Reading(self.around.locks) as held:
            yield from run_submit(host, host.model.engine, ledger, sending, apart=held.apart)

    def waits(self) -> bool:
        """Whether anything is to be announced now."""
        return self.site.model.site.stage == _LIVE and self._may_try_again() and any(
            waiting(host, host.model.engine, ledger) for host, ledger in self.ledgers()
        )  # fmt: skip
