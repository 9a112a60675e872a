"""The ledger of one host of a site, where the site file says that it is kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from types import MappingProxyType

from jovial_atlas import dates
from jovial_atlas.errors import LedgerError
from jovial_atlas.ledger import Ledger, schema_of
from jovial_atlas.rounds.state.names import LEDGER
from jovial_atlas.sitefile import SiteFile

_NOTHING: Mapping[str, str] = MappingProxyType({})


def open_ledger(
    site: SiteFile,
    now: Callable[[], datetime] = lambda: datetime.now(UTC),
    environment: Mapping[str, str] = _NOTHING,
) -> Ledger:
    """Open it; it is made, or brought up to date, where it has to be. Raises LedgerError."""
    place = site.model.ledger

    def written() -> str:
        return dates.write(now())

    if not place.connect:
        return Ledger(site.state / LEDGER, written)
    password = environment.get(place.password_env, "") if place.password_env else ""
    if place.password_env and not password:
        raise LedgerError(
            f"The environment variable {place.password_env} holds no password for the ledger. "
            "Set it, or correct `password_env` in [ledger]."
        )
    schema = schema_of(site.model.site.url.partition("://")[2])
    return Ledger(place.connect, written, schema=schema, password=password)


def has_ledger(site: SiteFile) -> bool:
    """Whether there is a record already, as far as can be told without making one."""
    return bool(site.model.ledger.connect) or (site.state / LEDGER).exists()
