"""Changes of pages, noted in the ledger with what led to them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from typing import TYPE_CHECKING

from jovial_atlas.rounds.publishing.changed import FoundChanges
from jovial_atlas.sitefile import SiteFile

if TYPE_CHECKING:
    from jovial_atlas.history.record import History

#: Commands that are told of as what led to a change.
_COMMANDS = 3


def note_changes(
    site: SiteFile,
    found: FoundChanges,
    now: Callable[[], datetime],
    environment: Mapping[str, str],
) -> None:
    """Note changes of pages, where there are any. Raises LedgerError, and OutputError; then they
    are found again."""
    if not found.changes:
        found.keep()
        return
    # Most builds change nothing that is noted, and loading the ledger takes as long as they do.
    from jovial_atlas.rounds.deciding.history import history_of
    from jovial_atlas.rounds.state.ledger import open_ledger

    ledger = open_ledger(site, now, environment)
    try:
        events = ledger.events()
        since = max((one.at for one in events if one.kind != "announcement"), default="")
        why = _what_led_to_it(history_of(site.path), since)
        for one in found.changes:
            ledger.note_event(one.kind, one.what, why, one.locs)
        found.keep()
    finally:
        ledger.close()


def _what_led_to_it(history: History, since: str) -> str:
    """The commands that changed settings since a time, with their reasons, the last few."""
    entries = [one for one in history.entries() if one.at > since]
    told = [
        f"{one.command or 'changed by hand'}{f' ({one.why})' if one.why else ''}"
        for one in entries[-_COMMANDS:]
    ]
    return "; ".join(told)
