"""How a build runs, as whoever runs it says."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import nullcontext

import msgspec

from jovial_atlas.rounds.state.survey_result import Swapping
from jovial_atlas.sitefile import SiteFile

#: For each unlisted kind of sitemap of a host, the part of its file names that nobody can guess.
#: The last argument says whether missing ones are made, or only stood in for.
UnlistedNames = Callable[[SiteFile, Sequence[str], bool], Mapping[str, str]]


def no_unlisted_names(site: SiteFile, _kinds: Sequence[str], _make: bool) -> Mapping[str, str]:
    """For builds of sites without unlisted sitemaps; any other raises SiteFileError."""
    raise site.error(
        ("sitemap", "unlisted"), "this build was given no names for unlisted sitemaps."
    )


class BuildOptions(msgspec.Struct, frozen=True):
    """With `dry_run` nothing is written; `fold` fills up files that have become near-empty, which
    moves addresses between files; `differences` are told address by address; `accept` goes on
    where much of what was listed would be lost. While files are put in place of others, nobody may
    read them: `swapping` sees to it."""

    dry_run: bool = False
    fold: bool = False
    differences: bool = False
    accept: bool = False
    swapping: Swapping = nullcontext
    unlisted_names: UnlistedNames = no_unlisted_names
