"""A round against simulated engines with the real content: nothing of the site is touched and
nobody is told; what would be published, announced and told is said."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from tempfile import TemporaryDirectory

from jovial_atlas.files import FileSet, Locks, name_again
from jovial_atlas.ledger import Ledger
from jovial_atlas.records import TendedRound
from jovial_atlas.rounds.state.ledger import has_ledger, open_ledger
from jovial_atlas.rounds.state.names import HISTORY, LEDGER, MANIFEST
from jovial_atlas.rounds.state.sending import Sending
from jovial_atlas.rounds.telling.submit import waiting
from jovial_atlas.rounds.tending.around import Around
from jovial_atlas.rounds.tending.at_engines import NOTHING
from jovial_atlas.rounds.tending.messages import ToldMessage
from jovial_atlas.rounds.tending.publishing import unpublished
from jovial_atlas.rounds.tending.round import Rounding
from jovial_atlas.rounds.tending.telling import Teller
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.engines import LedgerPlace
from jovial_atlas.sitefile.parts import changed
from jovial_atlas.sitefile.tending import Tell, told_name
from jovial_atlas.values import replace
from jovial_atlas.web import simulated_client

#: What of the state folder a round does not need.
_LEFT = (HISTORY, LEDGER, "lock", "standing")


@dataclass(frozen=True, slots=True)
class Rehearsed:
    """A round as it would be: the files that would be published, what would be announced, and who
    would be told what."""

    round: TendedRound
    files: list[str]
    announced: list[str]
    told: list[str]


def rehearse(site: SiteFile, around: Around) -> Rehearsed:
    """Go through a round. Raises OutputError, LedgerError."""
    with (
        TemporaryDirectory(prefix="atlas-rehearsal-") as folder,
        _copied(site, around, Path(folder)) as (copy, ledger),
    ):
        apart = replace(around, locks=Locks(Path(folder) / "state"))
        told: list[str] = []

        def by(_site: SiteFile, how: Tell, message: ToldMessage, _n: int, _a: Around) -> None:
            told.append(f"{told_name(how)}: {message.subject}")

        folders = [host.model.output.folder for host in site.hosts]
        rounding = _Rehearsal(apart, copy, ledger, is_whole=True, folders=folders)
        outcome = rounding.run()
        teller = Teller(copy, ledger, apart, by)
        teller.settle(outcome)
        teller.send_due()
        return Rehearsed(outcome.round, rounding.files, rounding.waited, told)


@contextmanager
def _copied(site: SiteFile, around: Around, folder: Path) -> Iterator[tuple[SiteFile, Ledger]]:
    """The site with state, output and ledger of its own; its content is the real one."""
    state = folder / "state"
    _copy(site.shared_state, state)
    model = changed(site.model, ledger=LedgerPlace())
    outputs = []
    for number, host in enumerate(site.hosts):
        output = folder / f"output-{number}"
        for path in FileSet(host.output, host.state / MANIFEST).known_paths():
            name_again(host.output / path, output / path)
        outputs.append(str(output))
    hosts = [
        changed(host, folder=place)
        for host, place in zip(model.host, outputs[1:], strict=True)
    ]  # fmt: skip
    main = changed(model.output, folder=outputs[0])
    model = changed(model, output=main, host=tuple(hosts))
    copy = replace(site, model=model, kept_in=state)
    for real, host in zip(site.hosts, copy.hosts, strict=True):
        _copy_ledger(real, host, around, folder / "ledger")
    ledger = open_ledger(copy, around.now, around.environment)
    try:
        yield copy, ledger
    finally:
        ledger.close()


def _copy(state: Path, to: Path) -> None:
    to.mkdir(parents=True)
    for file in state.rglob("*") if state.is_dir() else ():
        below = file.relative_to(state)
        if file.is_file() and not set(below.parts) & set(_LEFT):
            name_again(file, to / below)


def _copy_ledger(site: SiteFile, copy: SiteFile, around: Around, folder: Path) -> None:
    if not has_ledger(site):
        return
    carried = folder / (site.host or "main")
    real = open_ledger(site, around.now, around.environment)
    try:
        real.carry_out(carried)
    finally:
        real.close()
    new = open_ledger(copy, around.now, around.environment)
    try:
        new.carry_in(carried)
    finally:
        new.close()


@dataclass(slots=True)
class _Rehearsal(Rounding):
    """A round of which no step leaves the copy."""

    files: list[str] = field(default_factory=list)
    waited: list[str] = field(default_factory=list)
    folders: Sequence[str] = ()
    is_real: bool = False

    def sending(self) -> Sending:
        return Sending(simulated_client(), self.around.environment, self.around.pause)

    def _inject(self, whole: bool) -> tuple[str, str]:
        return NOTHING, "not in a rehearsal: `jovial-atlas inject --dry-run` shows it"

    def _publish(self) -> tuple[str, str]:
        found = unpublished(self.site, self.folders)
        self.files = [*found.changed, *(f"{name} (gone)" for name in found.gone)]
        return NOTHING, "not in a rehearsal"

    def look(self) -> tuple[str, str]:
        for host, ledger in self.ledgers():
            items = waiting(host, host.model.engine, ledger)
            self.waited += [loc if mark is not None else f"{loc} (gone)" for loc, mark in items]
        return NOTHING, "not in a rehearsal"
