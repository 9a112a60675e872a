"""Where a site file and what is remembered of its site lie."""

from __future__ import annotations

from pathlib import Path

from jovial_atlas.errors import Problem, SiteFileError

#: The site file, and beside it the folder of what is remembered of the site.
NAME, STATE = "atlas.toml", ".jovial-atlas"


def find_site_file(start: Path) -> Path:
    """`atlas.toml` in a folder or the nearest of its parents. Raises SiteFileError."""
    for folder in (start, *start.resolve().parents):
        if (folder / NAME).is_file():
            return folder / NAME
    message = (
        f"There is no {NAME} here or in a folder above. Run `jovial-atlas init` in the "
        "folder of the site, or say where it is with --site FILE."
    )
    raise SiteFileError(str(start / NAME), [Problem(None, "", message)])
