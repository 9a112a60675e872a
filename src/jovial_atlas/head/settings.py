"""What heads depend on: the parts of the site file that speak of texts, pictures, data and videos,
and what the tables beside it say of single pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from jovial_atlas.pages.page import Page
from jovial_atlas.sitefile import Publisher, Section, Site, SiteFile
from jovial_atlas.sitefile.heads import HeadData, Sharing
from jovial_atlas.sitefile.model import Feed
from jovial_atlas.sitefile.parts import changed
from jovial_atlas.sitefile.publisher import Place, Structured
from jovial_atlas.sitefile.videos import VideoOverride, Videos
from jovial_atlas.sitefile.visiting import Trial


class HeadSettings(msgspec.Struct, frozen=True):
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
    #: Section → the trials of its pages.
    trials: Mapping[str, Sequence[Trial]] = msgspec.field(default_factory=dict)

    def section_of(self, page: Page) -> Section | None:
        """The section of a page as it is set for that page: with what a trial gives its half."""
        section = self.section.get(page.section)
        trying = [one for one in self.trials.get(page.section, ()) if one.takes(page.loc)]
        if not trying:
            return section
        texts = {key: value for one in trying for key, value in one.texts.items()}
        return changed(section or Section(name=page.section, match=()), **texts)


def head_settings(site: SiteFile) -> HeadSettings:
    """What heads depend on in a site file."""
    model = site.model
    edited: dict[str, list[VideoOverride]] = {}
    trials: dict[str, list[Trial]] = {}
    for one in model.trial:
        trials.setdefault(one.section, []).append(one)
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
        trials,
    )
