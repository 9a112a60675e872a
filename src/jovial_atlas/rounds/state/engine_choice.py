"""The engines of a site file, by name."""

from __future__ import annotations

from collections.abc import Sequence

from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import nearest
from jovial_atlas.sitefile import Engine, SiteFile


def engines_named(site: SiteFile, names: Sequence[str]) -> list[Engine]:
    """The engines asked for, or all of them. Raises AtlasError for a name that is none."""
    known = {engine.name.lower(): engine for engine in site.model.engine}
    if not known:
        raise AtlasError(
            "The site file names no engine. Add an [[engine]] with its channels; "
            "`jovial-atlas demo` shows one at work."
        )
    chosen = []
    for name in names:
        if name.lower() not in known:
            best = nearest(name.lower(), known, 50)
            meant = f" Did you mean {known[best].name}?" if best else ""
            listed = ", ".join(engine.name for engine in known.values())
            raise AtlasError(f"{name!r} is no engine of the site file ({listed}).{meant}")
        chosen.append(known[name.lower()])
    return chosen or list(known.values())
