"""Variables of the environment that a site file names, whose values nobody may be shown."""

from __future__ import annotations

from collections.abc import Mapping

from jovial_atlas.sitefile.read import SiteFile

_KEYS = ("token_env", "password_env", "secret_env")


def secrets_of(site: SiteFile, environment: Mapping[str, str]) -> set[str]:
    """What the environment holds under the names that a site file gives: tokens of sources and
    engines, passwords of ledger and mail, secrets of webhooks."""
    model = site.model
    channels = [channel for engine in model.engine for channel in engine.channels]
    parts = [*model.source, *channels, *model.tell, model.ledger]
    names = {getattr(part, key, "") for part in parts for key in _KEYS}
    return {environment[name] for name in names if name and environment.get(name)}
