"""A page that no survey has: where it would be served, and the survey of its site."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import TypeVar

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError
from jovial_atlas.pages import schema
from jovial_atlas.rounds.state.last_survey import LastSurvey, last_survey
from jovial_atlas.sitefile import HtmlSource, MarkdownSource, SiteFile
from jovial_atlas.sitefile.read import parse_site_file
from jovial_atlas.sources.workers.folder import address_of

#: Where a file would be served of which nobody says where.
NOWHERE = "http://localhost"
SourceT = TypeVar("SourceT", HtmlSource, MarkdownSource)


def address_of_file(path: Path, site: SiteFile | None) -> str | None:
    """The address that a file of HTML has by a source of the site; None where it lies in none."""
    there = source_of(path, site, HtmlSource)
    if there is None or site is None:
        return None
    source, inner = there
    host = source.host or site.model.site.url
    return address_of(inner, host, source.addresses, source.at)


def source_of(
    path: Path, site: SiteFile | None, kind: type[SourceT]
) -> tuple[SourceT, str] | None:
    """The source of a kind in whose folder a file is, with its path there."""
    for source in site.model.source if site else ():
        if isinstance(source, kind) and site:
            root = (site.folder / source.path).resolve()
            if path.resolve().is_relative_to(root):
                return source, path.resolve().relative_to(root).as_posix()
    return None


def survey_around(loc: str, site: SiteFile | None, now: datetime) -> LastSurvey:
    """The last survey of the page's site; one of nothing where there is none, or the page is of
    another site."""
    origin = addresses.origin(loc)
    if site and origin in {host.model.site.url for host in site.hosts}:
        try:
            return last_survey(site, now)
        except AtlasError:
            return LastSurvey("", site, schema.empty().lazy(), frozenset(), [], now)
    text = f'[site]\nurl = "{origin}"\n\n[[source]]\nkind = "html"\npath = "."\n'
    alone = parse_site_file(text, Path("atlas.toml"))
    return LastSurvey("", alone, schema.empty().lazy(), frozenset(), [], now)
