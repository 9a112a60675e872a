"""The parts of names of unlisted sitemaps that nobody can guess: kept in the ledger, made once."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime

from jovial_atlas.rounds.state.ledger import has_ledger, open_ledger
from jovial_atlas.sitefile import SiteFile

#: Stands for one that is not made yet.
NOT_MADE = "unlisted-name"


def names_from_ledger(
    now: datetime, environment: Mapping[str, str]
) -> Callable[[SiteFile, Sequence[str], bool], Mapping[str, str]]:
    """Gives a function that tells the names of a host's unlisted kinds, and makes missing ones
    where it is told to. `environment` holds the password of a ledger that wants one. That function
    raises LedgerError."""

    def unlisted_names(site: SiteFile, kinds: Sequence[str], make: bool) -> Mapping[str, str]:
        if not make and not has_ledger(site):
            return dict.fromkeys(kinds, NOT_MADE)
        ledger = open_ledger(site, lambda: now, environment)
        try:
            known = ledger.secrets()
            for name in kinds:
                if name not in known:
                    known[name] = secrets.token_hex(12) if make else NOT_MADE
                    if make:
                        ledger.keep_secret(name, known[name])
        finally:
            ledger.close()
        return known

    return unlisted_names
