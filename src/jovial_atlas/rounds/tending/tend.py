"""Tending a site: a round, what it tells of itself, and the record of it; one at a time, on one of
the machines that share a ledger."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta

from jovial_atlas import dates
from jovial_atlas.errors import AtlasError, BusyError, SiteFileError
from jovial_atlas.files import write_whole, writing
from jovial_atlas.ledger import Ledger
from jovial_atlas.place import STATE
from jovial_atlas.records import RoundStep, TendedRound
from jovial_atlas.rounds.state.ledger import open_ledger
from jovial_atlas.rounds.tending.around import Around
from jovial_atlas.rounds.tending.at_engines import FAILED, NOTHING
from jovial_atlas.rounds.tending.health import health_of
from jovial_atlas.rounds.tending.metrics import write_metrics
from jovial_atlas.rounds.tending.round import Rounding, RoundOutcome
from jovial_atlas.rounds.tending.senders import tell
from jovial_atlas.rounds.tending.telling import Teller, TellSomebody
from jovial_atlas.rounds.tending.trouble import of_error
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.read import parse_site_file, read_site_file
from jovial_atlas.values import asdict, replace

#: The site file as it was read well last: who is to be told stands there.
_GOOD = "tend-site.toml"
_ROUND = "round"


@dataclass(frozen=True, slots=True)
class TendedSite:
    """A round as it was recorded, and whether there was none, since another one runs."""

    round: TendedRound
    is_busy: bool = False


def tend_once(around: Around, by: TellSomebody = tell) -> TendedSite:
    """One round, and all that belongs to it. Raises SiteFileError where there is no site file that
    could be read, now or before, and LedgerError."""
    try:
        site, wrong = _site(around), None
    except SiteFileError as error:
        site, wrong = _good_before(around, error), error
    with _record(site, around) as ledger:
        try:
            with ledger.alone("tend"):
                return _round(site, ledger, around, by, wrong)
        except BusyError as error:
            return _busy(around, str(error))


def _site(around: Around) -> SiteFile:
    site = read_site_file(around.path)
    good = around.path.absolute().parent / STATE / _GOOD
    text = around.path.read_bytes()
    if not good.exists() or good.read_bytes() != text:
        write_whole(good, text)
    return site


def _good_before(around: Around, error: SiteFileError) -> SiteFile:
    """The site file as it was read well last, to tell somebody that it is wrong now."""
    good = around.path.absolute().parent / STATE / _GOOD
    try:
        return parse_site_file(good.read_bytes().decode("utf-8-sig"), around.path)
    except (OSError, ValueError, AtlasError):
        raise error from None


@contextmanager
def _record(site: SiteFile, around: Around) -> Iterator[Ledger]:
    ledger = open_ledger(site, around.now, around.environment)
    try:
        yield ledger
    finally:
        ledger.close()


def _busy(around: Around, why: str) -> TendedSite:
    step = RoundStep("begin", NOTHING, 0.0, why)
    at = dates.write(around.now())
    return TendedSite(TendedRound(at, around.machine, NOTHING, [step], {}), True)


def _round(
    site: SiteFile, ledger: Ledger, around: Around, by: TellSomebody, wrong: SiteFileError | None
) -> TendedSite:
    broke = any(doing == _ROUND for _, doing in ledger.tenders().values())
    ledger.note_tender(around.machine, _ROUND)
    if wrong is None:
        outcome = Rounding(around, site, ledger, is_whole=broke).run()
    else:
        outcome = _wrong_settings(around, wrong)
    teller = Teller(site, ledger, around, by)
    teller.settle(outcome)
    done = replace(outcome.round, told=teller.send_due())
    number = ledger.note_round(done)
    ledger.end_tending()
    done = replace(done, number=number)
    keep = around.now() - timedelta(days=site.model.tend.keep)
    ledger.forget_rounds(dates.write(keep))
    _tell_machines(site, ledger, around, done)
    return TendedSite(done)


def _wrong_settings(around: Around, wrong: SiteFileError) -> RoundOutcome:
    step = RoundStep("settings", FAILED, 0.0, str(wrong))
    around.told(step.name, step.state, step.detail)
    at = dates.write(around.now())
    notice = of_error("failed settings", wrong)
    # Of all else this round knows nothing.
    return RoundOutcome(TendedRound(at, around.machine, FAILED, [step], {}), [notice], ("",))


def _tell_machines(site: SiteFile, ledger: Ledger, around: Around, done: TendedRound) -> None:
    """The line of the log, and the figures. That they cannot be written ends no round."""
    tend = site.model.tend
    try:
        if tend.log:
            path = site.folder / tend.log
            with writing(path):
                path.parent.mkdir(parents=True, exist_ok=True)
                with path.open("a", encoding="utf-8") as file:
                    file.write(json.dumps(round_as_json(done), ensure_ascii=False) + "\n")
        if tend.metrics:
            write_metrics(site.folder / tend.metrics, ledger, health_of(ledger, around.now()), done)
    except AtlasError as error:
        around.told("figures", FAILED, str(error))


def round_as_json(one: TendedRound) -> dict[str, object]:
    """A round as JSON has it."""
    return {
        "round": one.number, "at": one.at, "last": one.last or one.at, "times": one.times,
        "machine": one.machine, "state": one.state, "steps": [asdict(step) for step in one.steps],
        "changes": one.changes, "announced": one.announced, "told": one.told,
    }  # fmt: skip
