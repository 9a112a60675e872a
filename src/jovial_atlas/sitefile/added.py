"""Settings of what other packages add, in the tables of kind `package`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from jovial_atlas.errors import AtlasError
from jovial_atlas.installed import Addition, load


def added(group: str, name: str) -> Addition:
    """What a package adds to a group under a name. Raises ValueError with a sentence that has no
    full stop."""
    try:
        return load(group, name, Addition)
    except AtlasError as error:
        raise ValueError(str(error).removesuffix(".")) from None


def check_settings(group: str, name: str, settings: Mapping[str, Any]) -> None:
    """Check that a package takes these settings. Raises ValueError as `added`."""
    try:
        settings_of(added(group, name), settings)
    except msgspec.ValidationError as error:
        raise ValueError(f"settings: {error}") from None


def settings_of(addition: Addition, settings: Mapping[str, Any]) -> msgspec.Struct:
    """The settings in the structure that the package takes. Raises msgspec.ValidationError."""
    return msgspec.convert(dict(settings), addition.settings)
