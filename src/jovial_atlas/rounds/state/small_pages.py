"""The small pages at old addresses that a build wrote: they only send visitors on, and are none of
the site's content."""

from __future__ import annotations

from pathlib import Path

from jovial_atlas.files import FileSet
from jovial_atlas.moves.others import MOVED_SIGN
from jovial_atlas.rounds.state.names import MANIFEST
from jovial_atlas.sitefile import SiteFile

#: The sign stands within so many octets from the beginning.
_NEAR = 400


def small_pages_written(site: SiteFile) -> frozenset[str]:
    """The places of the small pages that stand as they were written."""
    return frozenset(
        str(path)
        for host in site.hosts
        for path in FileSet(host.output, host.state / MANIFEST).own_files(".html")
        if _is_signed(path)
    )


def _is_signed(path: Path) -> bool:
    try:
        with path.open("rb") as file:
            return MOVED_SIGN.encode() in file.read(_NEAR)
    except OSError:
        return False
