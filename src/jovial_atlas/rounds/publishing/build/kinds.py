"""The kinds of sitemap files a site has: one a section, and those of videos and news."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import msgspec

from jovial_atlas.rounds.state.traffic import figures_mark
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import REST
from jovial_atlas.sitemaps import protocol

VIDEO, NEWS = "video", "news"
#: The order in which those stand first that are clicked most.
BY_CLICKS = "clicks"


class Kind(msgspec.Struct, frozen=True):
    """One series of files: how they are named, split, ordered and packed, what they show.

    `stem` is the path of a file without its number; `secret` says that its files stand in no
    index and no robots.txt.
    """

    name: str
    stem: str
    most: int
    compress: str
    order: str
    pictures: bool
    alternates: bool
    secret: bool

    @property
    def remembered(self) -> bool:
        """Whether what its files list is kept for `submit`: videos and news repeat pages that
        other files list."""
        return self.name not in (VIDEO, NEWS)

    def path(self, number: int) -> str:
        """The path of one of its files, before compression."""
        if self.name == NEWS and number == 1:
            return f"{self.stem}.xml"
        return f"{self.stem}-{number}.xml"


def kinds_of(
    site: SiteFile, named_by_sources: Iterable[str], tokens: Mapping[str, str]
) -> list[Kind]:
    """All kinds in the order of the index: sections of the site file, others that sources name,
    the rest, videos, news. `tokens` gives each unlisted kind the part of its name that nobody
    can guess."""
    known = [section.name for section in site.model.section]
    others = sorted({*named_by_sources} - {*known, REST})
    return [_kind(name, site, tokens) for name in [*known, *others, REST, VIDEO, NEWS]]


def _kind(name: str, site: SiteFile, tokens: Mapping[str, str]) -> Kind:
    own = next((one for one in site.model.section if one.name == name), None)
    every = site.model.sitemap

    def setting(key: str) -> object:
        value = getattr(own, key) if own else None
        return getattr(every, key) if value is None else value

    secret = name in every.unlisted
    middle = f"{tokens[name]}" if secret else name
    most, order = int(str(setting("max_urls"))), str(setting("order"))
    return Kind(
        name,
        # An unlisted file is named nowhere, so only the root may speak for all addresses.
        f"{'' if secret else every.folder[1:]}sitemap-{middle}",
        min(most, protocol.MAX_NEWS) if name == NEWS else most,
        str(setting("compress")),
        # What engines say of clicks is no part of a page: where it changed, files do.
        f"{BY_CLICKS} {figures_mark(site)}" if order == BY_CLICKS else order,
        bool(setting("pictures")),
        bool(setting("alternates")),
        secret,
    )


def wrong_unlisted(site: SiteFile, found: Iterable[str]) -> str | None:
    """The first name in `unlisted` that is no kind, or None."""
    names = {section.name for section in site.model.section} | {*found, REST, VIDEO, NEWS}
    return next((name for name in site.model.sitemap.unlisted if name not in names), None)
