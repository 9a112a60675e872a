"""Beginning to read pages before all that a survey needs is loaded: where nothing is remembered,
every file is read anyway."""

from __future__ import annotations

from datetime import datetime

from jovial_atlas.errors import AtlasError
from jovial_atlas.rounds.build.places import MANIFEST
from jovial_atlas.rounds.surveyed import PAGES
from jovial_atlas.sitefile import HtmlSource, SiteFile
from jovial_atlas.sources.readers import Readers
from jovial_atlas.sources.settings import folder_of, reading_of, written_pages


def begin_reading(site: SiteFile, now: datetime, readers: Readers, *, full: bool) -> None:
    """Have workers begin with the folders of built HTML of a site, at the time `now` of its
    survey. What is wrong with one is told by the survey."""
    if not full and (site.state / PAGES).exists():
        return
    try:
        written = written_pages(site, MANIFEST)
        for source in site.model.source:
            if isinstance(source, HtmlSource):
                readers.begin(folder_of(source, site, written), reading_of(source, site, now))
    except AtlasError:
        return
