"""The copies of pictures that heads name."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from jovial_atlas.head.compose import PageHead
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.sharing import Copy, Look, shared_picture
from jovial_atlas.head.videos import Film


def copies_of(
    one: PageHead, settings: HeadSettings, films: Mapping[str, Sequence[Film]], look: Look
) -> Iterator[Copy]:
    """The copies of pictures that a head names."""
    if (picture := one.head.picture) and picture.original:
        section, of_page = settings.section_of(one.page), films.get(one.page.loc, ())
        shared = shared_picture(one.page, settings, section, of_page, look)
        if shared and shared.copy:
            yield shared.copy
