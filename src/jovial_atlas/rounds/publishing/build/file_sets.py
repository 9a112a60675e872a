"""The sets of files that one build writes, together or not at all."""

from __future__ import annotations

from collections.abc import Iterator

from jovial_atlas.files import FileSet
from jovial_atlas.rounds.state.names import (
    HEAD_DATA,
    HEAD_FRAGMENTS,
    INDEX,
    MANIFEST,
    ROBOTS,
    SERVERS,
)
from jovial_atlas.rounds.state.record import listed_set
from jovial_atlas.signs import signed_files
from jovial_atlas.sitefile import SiteFile


class BuildFiles:
    """What is `public`; and in the state folder head data, their `fragments`, what each sitemap
    file lists (`listed`), and configuration of `servers`."""

    def __init__(self, site: SiteFile, *, dry: bool) -> None:
        def kept(name: str, record: str) -> FileSet:
            return FileSet(site.state / name, site.state / record, dry=dry)

        self.public = FileSet(site.output, site.state / MANIFEST, dry=dry)
        if not self.public.is_known:
            # What was remembered is lost, or there was nothing yet.
            self.public.claim(signed_files(site.output, site.model.visitors.page))
        self.heads = kept(HEAD_DATA, f"{HEAD_DATA}.json")
        self.fragments = kept(HEAD_FRAGMENTS, f"{HEAD_FRAGMENTS}.json")
        self.listed = listed_set(site, dry=dry)
        self.servers = kept(SERVERS, f"{SERVERS}.json")

    def commit(self) -> None:
        """Put all in place: the index and robots.txt when what they name stands there."""
        self.public.commit(last=(INDEX, ROBOTS))
        for files in self._beside():
            files.commit()

    def discard(self) -> None:
        """Forget what was put, and leave everything as it was."""
        for files in (self.public, *self._beside()):
            files.discard()

    def _beside(self) -> Iterator[FileSet]:
        yield from (self.heads, self.fragments, self.servers, self.listed)
