"""Files of others that stand where the tool would write."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from pathlib import Path

from jovial_atlas.errors import AtlasError, OutputError
from jovial_atlas.files import FileSet
from jovial_atlas.rounds.state.names import MANIFEST, REPLACED
from jovial_atlas.sitefile import SiteFile


def replace_foreign(site: SiteFile, names: Sequence[str]) -> list[Path]:
    """Move files that the tool did not write out of its way, into the state folder.

    Returns where they are now. Raises AtlasError for a name where no such file stands.
    """
    output = FileSet(site.output, site.state / MANIFEST)
    moved = []
    for name in names:
        path = site.output / name
        if "/" in name or not path.is_file():
            raise AtlasError(f"There is no file {name} in {site.output} to replace.")
        if output.owns(name):
            continue
        target = site.state / REPLACED / name
        number = 1
        while target.exists():
            number += 1
            target = target.with_name(f"{name}.{number}")
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.move(path, target)
        except OSError as error:
            raise OutputError(f"{path} cannot be moved to {target} ({error.strerror}).") from error
        moved.append(target)
    return moved
