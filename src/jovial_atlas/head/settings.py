"""What heads depend on: the parts of the site file that speak of texts, pictures, data and videos,
and what the tables beside it say of single pages."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from jovial_atlas.sitefile import Publisher, Section, Site, SiteFile
from jovial_atlas.sitefile.heads import HeadData, Sharing
from jovial_atlas.sitefile.model import Feed
from jovial_atlas.sitefile.publisher import Place, Structured
from jovial_atlas.sitefile.videos import VideoOverride, Videos


@dataclass(frozen=True, slots=True)
class HeadSettings:
    """The tables of the site file on which heads depend, under their own names. `texts` are those
    of the overrides file, by address and field; `ownership` the meta tags that prove to engines
    whose the site is; `edited` what the table of videos says, by address."""

    site: Site
    publisher: Publisher
    place: tuple[Place, ...]
    structured: Structured
    section: Mapping[str, Section]
    head: HeadData
    sharing: Sharing
    videos: Videos
    feed: Feed
    ownership: Mapping[str, str]
    texts: Mapping[str, Mapping[str, str]]
    edited: Mapping[str, list[VideoOverride]]


def head_settings(site: SiteFile) -> HeadSettings:
    """What heads depend on in a site file."""
    model = site.model
    edited: dict[str, list[VideoOverride]] = {}
    for override in site.video_overrides:
        edited.setdefault(override.loc, []).append(override)
    return HeadSettings(
        model.site,
        model.publisher,
        model.place,
        model.structured,
        {section.name: section for section in model.section},
        model.head,
        model.sharing,
        model.videos,
        model.feed,
        {name: tag for engine in model.engine for name, tag in engine.ownership.meta.items()},
        site.texts,
        edited,
    )
