"""One round that nobody watches: from the content to what engines know. Each step ends well, or
keeps what stands and says why; what a later step would do harm with is not begun."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, ExitStack, nullcontext
from dataclasses import dataclass, field

from jovial_atlas import dates
from jovial_atlas.errors import AtlasError, LossError
from jovial_atlas.faults import plural
from jovial_atlas.findings.entry import Severity
from jovial_atlas.findings.finding import at_or_above, counts
from jovial_atlas.findings.registry import CHECKS
from jovial_atlas.records import OpenNotice, RoundStep, TendedRound
from jovial_atlas.redact import redacted
from jovial_atlas.rounds.proving.check import check_site
from jovial_atlas.rounds.publishing.build.options import BuildOptions
from jovial_atlas.rounds.publishing.build.run import run_build
from jovial_atlas.rounds.publishing.changed import changed_links, changed_pages
from jovial_atlas.rounds.publishing.inject import keep_marks, run_inject
from jovial_atlas.rounds.reading.all_sources import SurveyOptions
from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.rounds.reading.unchanged import as_before, own_writes
from jovial_atlas.rounds.state.hiding import coming_robots, hiding_faults
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.rounds.state.names import INDEX
from jovial_atlas.rounds.state.unlisted_names import names_from_ledger
from jovial_atlas.rounds.telling.events import note_changes
from jovial_atlas.rounds.tending import trouble
from jovial_atlas.rounds.tending.at_engines import (
    DONE,
    FAILED,
    HELD,
    LATER,
    NOTHING,
    SKIPPED,
    AtEngines,
    HeldBackError,
)
from jovial_atlas.rounds.tending.publishing import note_public, publish, unpublished
from jovial_atlas.rounds.tending.standing import KeptBuild
from jovial_atlas.sitefile import HtmlSource
from jovial_atlas.sitefile.secrets import secrets_of
from jovial_atlas.values import replace

#: Steps that change anything, here or elsewhere.
_DOING = ("build", "inject", "publish", "submit", "hear")


@dataclass(slots=True)
class RoundOutcome:
    """What came of a round: itself, and what needs a person."""

    round: TendedRound
    notices: list[OpenNotice] = field(default_factory=list)
    #: Keys of notices that this round could not say anything about: they stay as they were.
    unknown: tuple[str, ...] = ()


@dataclass(slots=True)
class Rounding(AtEngines):
    """A round while it runs."""

    #: Whether what is there is looked at and written to, and not a copy of it.
    is_real: bool = True
    #: Whether every step is gone through, since a round before broke off.
    is_whole: bool = False
    steps: list[RoundStep] = field(default_factory=list)
    #: Whether pages, or files that were built of them, are others than before.
    is_changed: bool = False
    _held: ExitStack = field(default_factory=ExitStack)

    def run(self) -> RoundOutcome:
        """Run it to its end, or until it must not go on."""
        begun = dates.write(self.around.now())
        before = self.ledger.rounds(1)
        # What did not come to its end is gone through as a whole.
        whole = (
            self.is_whole
            or not before
            or before[0].state not in (DONE, NOTHING)
            or before[0].machine != self.around.machine
        )
        state = self._run_steps(whole)
        did = any(one.state == DONE for one in self.steps if one.name in _DOING)
        if state == DONE and not did and not any(self.changes.values()):
            state = NOTHING
        found = TendedRound(
            begun, self.around.machine, state, self.steps, self.changes, self.announced
        )
        secrets = secrets_of(self.site, self.around.environment)
        notices = [replace(one, message=redacted(one.message, secrets)) for one in self.notices]
        return RoundOutcome(found, notices, self._unknown())  # fmt: skip

    def _run_steps(self, whole: bool) -> str:
        state = DONE
        with self._held:
            for name, do in self._steps(whole):
                if self.around.ends():
                    self._note(name, SKIPPED, 0.0, "the round was told to end")
                    return HELD
                state = self._step(name, do)
                if state in (HELD, FAILED):
                    return state
        return DONE

    def _steps(self, whole: bool) -> Iterator[tuple[str, Callable[[], tuple[str, str]]]]:
        yield "survey", self._survey
        if not (whole or self.is_changed or self._is_due()):
            return
        yield "guard", self._guard
        yield "build", self._build
        yield "check", lambda: self._check(whole)
        if self.site.model.tend.inject:
            yield "inject", lambda: self._inject(whole)
        self._held.close()
        yield "publish", self._publish
        if self.site.model.engine:
            yield "look", self.look
            yield "submit", self.submit
            yield "hear", self.hear
            yield "status", self.status

    def _step(self, name: str, do: Callable[[], tuple[str, str]]) -> str:
        begun = time.monotonic()
        try:
            state, detail = do()
        except HeldBackError as error:
            state, detail = HELD, str(error)
            self.notices += error.notices
        except LossError as error:
            state, detail = HELD, f"{trouble.lost_in_short(error)}, so nothing was changed."
            self.notices.append(trouble.of_loss(f"loss {name}", error))
        except AtlasError as error:
            state, detail = FAILED, str(error)
            self.notices.append(trouble.of_error(f"failed {name}", error))
        self._note(name, state, time.monotonic() - begun, detail)
        return state

    def _note(self, name: str, state: str, seconds: float, detail: str) -> None:
        detail = redacted(detail, secrets_of(self.site, self.around.environment))
        self.steps.append(RoundStep(name, state, round(seconds, 3), detail))
        self.around.told(name, state, detail)

    def _unknown(self) -> tuple[str, ...]:
        """Beginnings of keys of which this round says nothing, since it did not come so far."""
        reached = {one.name for one in self.steps if one.state != SKIPPED and one.detail != LATER}
        about = {
            "survey": ("loss survey", "failed survey"), "guard": ("hidden ",),
            "build": ("loss build", "failed build"), "check": ("finding ", "failed check"),
            "inject": ("failed inject", "inject "), "publish": ("failed publish",),
            "look": ("behind", "failed look"),
            "submit": ("loss submit", "failed submit", "engine "),
            "hear": ("failed hear", "deaf "), "status": ("failed status",),
        }  # fmt: skip
        left = tuple(key for name, keys in about.items() if name not in reached for key in keys)
        checked = next((one for one in self.steps if one.name == "check"), None)
        if checked is not None and checked.state == NOTHING:
            left += ("finding ",)
        heard = next((one for one in self.steps if one.name == "hear"), None)
        if heard is not None and heard.state == NOTHING:
            left += ("deaf ",)
        known = self.steps and self.steps[0].detail == _AS_BEFORE
        return (*left, "source ") if known else left

    # The steps.

    def _survey(self) -> tuple[str, str]:
        around, site = self.around, self.site
        self._heal()
        survey = as_before(around.path, around.now()) if self.is_real else None
        if survey is not None and all((host.output / INDEX).exists() for host in site.hosts):
            return NOTHING, _AS_BEFORE
        self._held.enter_context(around.locks.writing())
        options = SurveyOptions(around.environment, swapping=around.locks.swapping)
        survey = run_survey(site, around.now(), around.client, options)
        changes = survey.changes
        self.changes |= {
            "added": changes.added, "changed": changes.changed, "removed": changes.removed,
        }  # fmt: skip
        self.is_changed = True
        self.notices += trouble.of_sources(survey.faults)
        said = ", ".join(f"{count:,} {name}" for name, count in self.changes.items() if count)
        return DONE, f"{plural(survey.pages, 'page')}; {said or 'no page changed'}"

    def _heal(self) -> None:
        """Put back what stood, where a round broke off before its build was checked."""
        standing = KeptBuild(self.site)
        if standing.is_kept:
            with self.around.locks.writing(), self.around.locks.swapping():
                standing.bring_back()

    def _guard(self) -> tuple[str, str]:
        survey = last_survey(self.site, self.around.now())
        notices = []
        for host in self.site.hosts:
            for fault in hiding_faults(survey.of_host(host), coming_robots(host)):
                check = CHECKS[fault.code]
                if check.severity == Severity.BLOCKER:
                    said = f"{fault.message} {check.fix}"
                    notices.append(OpenNotice(f"hidden {fault.code}", "blocker", (), said))
        if notices:
            raise HeldBackError(notices[0].message, notices)
        return DONE, "nothing would hide the site"

    def _build(self) -> tuple[str, str]:
        around, site = self.around, self.site
        self._held.enter_context(around.locks.writing())
        survey = last_survey(site, around.now())
        names = names_from_ledger(around.now(), around.environment)
        options = BuildOptions(swapping=around.locks.swapping, unlisted_names=names)
        KeptBuild(site).keep()
        try:
            with self._own_writes():
                build = run_build(site, survey, around.now(), options)
        except AtlasError:
            KeptBuild(site).forget()
            raise
        written = [one for one in build.files if one.state not in ("same", "kept")]
        self.changes["files"] = len(written)
        self.is_changed = bool(written) or self.is_changed
        kept = [one.path for one in build.files if one.state == "kept"]
        said = f"{plural(build.listed, 'page')} listed, {plural(len(written), 'file')} written"
        also = f"; of others, and left alone: {', '.join(kept)}" if kept else ""
        return (DONE if written else NOTHING), said + also

    def _check(self, whole: bool) -> tuple[str, str]:
        standing = KeptBuild(self.site)
        if not (whole or any(self.changes.values())):
            standing.forget()
            return NOTHING, "nothing changed"
        found = check_site(self.site, self.around.now()).findings
        self.notices += trouble.of_findings(found, self.site.model.tend.hold_at)
        said = ", ".join(plural(n, s, "advice" if s == "advice" else None)
                         for s, n in counts(found).items() if n) or "nothing found"  # fmt: skip
        if at_or_above(found, self.site.model.tend.hold_at):
            with self.around.locks.swapping():
                standing.bring_back()
            self.changes["files"] = 0
            worst = f"{found[0].code}: {found[0].where}: {found[0].message}"
            raise HeldBackError(f"{said}; the build of before stands. {worst}")
        standing.forget()
        survey = last_survey(self.site, self.around.now())
        changed = changed_pages(survey)
        note_changes(self.site, changed, self.around.now, self.around.environment)
        return DONE, said

    def _inject(self, whole: bool) -> tuple[str, str]:
        around, site = self.around, self.site
        if not (whole or self.is_changed) or not any(
            isinstance(one, HtmlSource) for one in site.model.source
        ):
            return NOTHING, "nothing changed"
        survey = last_survey(site, around.now())
        injected = []
        with self._own_writes():
            for host in site.hosts:
                part = survey.of_host(host)
                done = list(run_inject(host, part))
                with around.locks.swapping():
                    keep_marks(part, done)
                note_changes(host, changed_links(part, done), around.now, around.environment)
                injected += done
        written = sum(one.state == "changed" for one in injected)
        left = [one for one in injected if one.state == "skipped"]
        self.changes["injected"] = written
        if left:
            said = f"{plural(len(left), 'page')} could not be given head data, as {left[0].path}: "
            self.notices.append(OpenNotice("inject left", "warning", (), f"{said}{left[0].why}."))
        return (DONE if written else NOTHING), f"{plural(written, 'page')} written"

    def _publish(self) -> tuple[str, str]:
        settings = self.site.model.publish
        if not (settings.run or settings.commit):
            return NOTHING, "the site file describes nothing: the output folder is served as it is"
        with self.around.locks.reading():
            files = unpublished(self.site)
        if not files.any:
            return NOTHING, "nothing changed"
        said = publish(self.site, files, self.around)
        note_public(self.site, files)
        return DONE, said

    # What the steps ask.

    def _own_writes(self) -> AbstractContextManager[None]:
        return own_writes(self.site.path) if self.is_real else nullcontext()

    def _is_due(self) -> bool:
        """Whether anything is to be done though no content changed: engines are to be asked, or
        something waits to be announced or made public."""
        if self.hears() or self.waits():
            return True
        settings = self.site.model.publish
        return bool(settings.run or settings.commit) and unpublished(self.site).any


_AS_BEFORE = "nothing changed"
