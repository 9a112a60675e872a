"""Whether a site is tended: the last round, the last one that went well, and what waits."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from jovial_atlas import dates
from jovial_atlas.ledger import Ledger
from jovial_atlas.records import OpenNotice

WELL, LATE, NEVER = "well", "late", "never"


@dataclass(frozen=True, slots=True)
class Health:
    """`well`; `held` or `failed`, as the last round; `late`, where none went well for longer than
    was asked for; or `never`. When the last round was, and the last that went well; what needs a
    person; how many messages could not be told yet; and the machines, with when each was seen."""

    state: str
    last_round: str
    last_success: str
    notices: list[OpenNotice]
    unsent: int
    machines: dict[str, str]

    @property
    def is_well(self) -> bool:
        """Whether nobody needs to look."""
        return self.state == WELL


def health_of(ledger: Ledger, now: datetime, within: float = 0) -> Health:
    """The health of a site. `within` seconds a round must have gone well; 0 for any time."""
    last = next(iter(ledger.rounds(1)), None)
    good = ledger.last_round("done", "nothing")
    state = NEVER if last is None else WELL if last.state in ("done", "nothing") else last.state
    if state == WELL and good and within:
        age = (now - dates.moment(good.last)).total_seconds()
        state = LATE if age > within else state
    return Health(
        state,
        last.last if last else "",
        good.last if good else "",
        ledger.open_notices(),
        len(ledger.unsent()),
        {machine: seen for machine, (seen, _) in ledger.tenders().items()},
    )
