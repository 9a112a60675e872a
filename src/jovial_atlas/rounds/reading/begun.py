"""The beginning of a survey, before all that it needs is loaded: what it rests on is noted; and
where nothing is remembered, workers begin to read, since every file is read anyway."""

from __future__ import annotations

from datetime import datetime

import msgspec

from jovial_atlas.errors import AtlasError
from jovial_atlas.rounds.reading.unchanged import Inputs
from jovial_atlas.rounds.state.names import PAGE_TABLE, ROBOTS
from jovial_atlas.rounds.state.small_pages import small_pages_written
from jovial_atlas.sitefile import HtmlSource, SiteFile
from jovial_atlas.sources.settings import folder_of, reading_of, written_pages
from jovial_atlas.sources.workers.folder import HTML_ENDINGS
from jovial_atlas.sources.workers.readers import Readers


class Begun(msgspec.Struct, frozen=True):
    """A survey that has begun: its time, who reads pages, what it rests on with the mark of that
    (None where it cannot be told), and the pages that this tool wrote itself."""

    now: datetime
    readers: Readers
    inputs: Inputs | None
    mark: str | None
    written: frozenset[str]


def begin_survey(
    site: SiteFile,
    now: datetime,
    workers: int | None = None,
    *,
    full: bool = False,
    cluster: str = "",
) -> Begun:
    """Begin a survey; `full` reads all files again. Pages are read by the `cluster` at that
    address, else that of the site file, else here, by so many `workers`. What is wrong with a
    source is told when it is read."""
    inputs = _inputs(site)
    # The mark is taken before anything is read: what changes later is known by it.
    mark = inputs.mark(site.folder) if inputs else None
    readers = Readers(workers, "" if workers else cluster or site.model.survey.cluster)
    written = written_pages(site) | small_pages_written(site)
    begun = Begun(now, readers, inputs, mark, written)
    if full or not (site.state / PAGE_TABLE).exists():
        _read(site, begun)
    return begun


def _read(site: SiteFile, begun: Begun) -> None:
    try:
        for source in site.model.source:
            if isinstance(source, HtmlSource):
                folder = folder_of(source, site, begun.written)
                begun.readers.begin(folder, reading_of(source, site, begun.now))
    except AtlasError:
        return


def _inputs(site: SiteFile) -> Inputs | None:
    """What a survey of folders of HTML rests on; None where there are other sources."""
    folders = []
    for source in site.model.source:
        if not isinstance(source, HtmlSource):
            return None
        folders.append((source.path, (*HTML_ENDINGS, *(one.lower() for one in source.documents))))
    files = (
        site.path.name, site.model.overrides.file, site.model.videos.file, site.model.moves.file,
        f"{site.model.output.folder}/{ROBOTS}", *site.bases,
    )  # fmt: skip
    return Inputs(tuple(file for file in files if file), tuple(folders))
