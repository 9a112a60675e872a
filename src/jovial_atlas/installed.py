"""What other installed packages add: sources, channels and checks, found by their entry points.

Nothing is looked for until a site file names it, or a check runs.
"""

from __future__ import annotations

from abc import ABC
from functools import cache
from typing import TYPE_CHECKING, ClassVar, TypeVar

import msgspec

from jovial_atlas.errors import AtlasError

if TYPE_CHECKING:
    from importlib.metadata import EntryPoint

#: Groups of entry points: each names a class that is made without arguments.
SOURCES, CHANNELS, CHECKS = (f"jovial_atlas.{name}" for name in ("sources", "channels", "checks"))


class Addition(ABC):
    """Something that another package adds, with the structure of the settings that it takes."""

    settings: ClassVar[type[msgspec.Struct]]


A = TypeVar("A")


def names(group: str) -> tuple[str, ...]:
    """The names under which installed packages add something of a group."""
    return tuple(sorted(_entries(group)))


@cache
def _entries(group: str) -> dict[str, EntryPoint]:
    # Slow to load, and hardly any site file names a package.
    from importlib.metadata import entry_points

    return {entry.name: entry for entry in entry_points(group=group)}


def load(group: str, name: str, wanted: type[A]) -> A:
    """What a package adds under a name. Raises AtlasError where no package adds it, or where it
    cannot be loaded or is none of the wanted kind."""
    made = _made(group, name)
    if not isinstance(made, wanted):
        raise AtlasError(f"{_called(group, name)} is no {wanted.__name__} of this version.")
    return made


@cache
def _made(group: str, name: str) -> object:
    entry = _entries(group).get(name)
    if entry is None:
        some = ", ".join(names(group)) or "none"
        raise AtlasError(
            f"no installed package adds {name!r} to {group}; those that are added: {some}. "
            "Install the package into the same Python as Jovial Atlas."
        )
    try:
        return entry.load()()
    except Exception as error:
        raise AtlasError(f"{_called(group, name)} cannot be loaded ({error!r}).") from error


def _called(group: str, name: str) -> str:
    entry = _entries(group)[name]
    package = f"package {entry.dist.name} {entry.dist.version}" if entry.dist else "a package"
    return f"{name!r} of {package}"
