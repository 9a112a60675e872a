"""Pictures for sharing: there, large enough, light enough, of the right shape."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.checks.texts import PublishedTexts
from jovial_atlas.faults import Fault, plural
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.sharing import SHAPES, Look, large_enough, shared_picture
from jovial_atlas.head.videos import Film
from jovial_atlas.media.pictures import SHARED, SHARED_LEAST, Picture

#: Octets from which on readers of cards do not show a picture.
_HEAVY = 5_000_000


def check_shared_pictures(
    texts: Sequence[PublishedTexts],
    settings: HeadSettings,
    films: Mapping[str, Sequence[Film]],
    look: Look,
    find: Callable[[str], Path | None],
    may_exist: Callable[[str], bool],
) -> Iterator[Fault]:
    """Pictures of listed pages, each told once with the pages that it stands for. Those on other
    hosts are not looked at, nor those of a site whose files are not here."""
    if not settings.head.social:
        return
    bare: list[str] = []
    pages: dict[str, list[str]] = {}
    for one in texts:
        page = one.page
        shared = shared_picture(page, settings, one.section, films.get(page.loc, ()), look)
        if shared is None:
            bare.append(page.loc)
        elif not shared.picture.original:
            pages.setdefault(shared.picture.loc, []).append(page.loc)
    if bare:
        message = f"{plural(len(bare), 'page')} {_have(bare)} none: {_some(bare)}."
        yield Fault("share-picture-missing", bare[0], message)
    for loc, locs in sorted(pages.items()):
        said = f"It is shared with {_some(locs)}."
        if (original := look(loc)) is not None:
            yield from _measured(loc, said, original.picture)
        elif loc.startswith(f"{settings.site.url}/"):
            yield from _unusable(loc, said, find, may_exist)


def _have(locs: Sequence[str]) -> str:
    return "has" if len(locs) == 1 else "have"


def _some(locs: Sequence[str], most: int = 3) -> str:
    more = f" and {len(locs) - most:,} more" if len(locs) > most else ""
    return ", ".join(map(addresses.path_and_query, locs[:most])) + more


def _unusable(
    loc: str, pages: str, find: Callable[[str], Path | None], may_exist: Callable[[str], bool]
) -> Iterator[Fault]:
    there = find(loc) is not None
    if there or not may_exist(loc):
        wrong = "is no picture" if there else "does not exist"
        yield Fault("share-picture-unusable", loc, f"The picture {wrong}. {pages}")


def _measured(loc: str, pages: str, picture: Picture) -> Iterator[Fault]:
    size = f"{picture.width:,}×{picture.height:,} pixels"
    if not large_enough(picture):
        least = f"{SHARED_LEAST[0]}×{SHARED_LEAST[1]}"
        message = f"It has {size}; cards show pictures large from {least} on. {pages}"
        yield Fault("share-picture-small", loc, message)
    if picture.bytes > _HEAVY:
        yield Fault("share-picture-heavy", loc, f"It has {picture.bytes / 1e6:.1f} MB. {pages}")
    if picture.type not in ("image/jpeg", "image/png", "image/webp", "image/gif"):
        yield Fault("share-picture-unusable", loc, f"It is {picture.type or 'unknown'}. {pages}")
    elif large_enough(picture) and not SHAPES[0] <= picture.width / picture.height <= SHAPES[1]:
        wanted = f"{SHARED[0]}×{SHARED[1]}"
        yield Fault(
            "share-picture-shape",
            loc,
            f"It has {size}; cards cut it to the shape of {wanted}. {pages}",
        )
