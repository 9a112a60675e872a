"""The picture with which a page is shared: its own, the first large one, its film's, its
section's, the site's; and the copy in the shape of a card, where copies are wanted."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path, PurePosixPath
from urllib.parse import unquote, urljoin, urlsplit

import msgspec
import xxhash

from jovial_atlas.head.head import HeadPicture
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.texts import text_of
from jovial_atlas.head.videos import Film
from jovial_atlas.media.pictures import SHARED_LEAST, Copying, Picture, copy_size, is_icon
from jovial_atlas.pages.page import Page
from jovial_atlas.sitefile.deciding import Section

#: Where copies stand on the site.
COPIES = "share"
#: Shapes (width by height) that cards show without cutting much off.
SHAPES = (1.7, 2.1)
#: Changes with what is done to copies, so that they get other names.
_MANNER = "1"


class Original(msgspec.Struct, frozen=True):
    """A picture file of the site: its place, the digest of its octets, and what it is."""

    place: Path
    digest: str
    picture: Picture


#: What a picture of the site is by its address; None where no file of the site is there.
Look = Callable[[str], Original | None]


def nothing_here(_address: str) -> Original | None:
    """A `Look` that knows no file."""
    return None


class Copy(msgspec.Struct, frozen=True):
    """A copy to be made: its path on the site, of which file, and how."""

    path: str
    place: Path
    how: Copying


class Shared(msgspec.Struct, frozen=True):
    """The picture of a page, and the copy to be made of it where one is shared instead."""

    picture: HeadPicture
    copy: Copy | None = None


def shared_picture(
    page: Page,
    settings: HeadSettings,
    section: Section | None,
    films: Sequence[Film] = (),
    look: Look = nothing_here,
) -> Shared | None:
    """The picture of a page; None where nobody named any."""
    found = _chosen(page, settings, section, films, look)
    if found is None:
        return None
    loc, alt, source = found
    original = look(loc)
    if original is None:
        return Shared(HeadPicture(loc, alt, source))
    picture = original.picture
    copy = _copy_of(loc, original, settings, look)
    if copy is None:
        size = (picture.width, picture.height)
        return Shared(HeadPicture(loc, alt, source, "", *size, picture.type))
    width, height = copy_size(picture.width, picture.height)
    at = f"{settings.site.url}/{copy.path}"
    return Shared(HeadPicture(at, alt, source, loc, width, height, "image/jpeg"), copy)


#: Drawings, which cards do not show.
_DRAWINGS = (".svg", ".svgz")


def _chosen(
    page: Page,
    settings: HeadSettings,
    section: Section | None,
    films: Sequence[Film],
    look: Look,
) -> tuple[str, str, str] | None:
    """Address, alt text and source of the picture."""
    base = f"{settings.site.url}/"
    alts = {one.loc: one.alt or "" for one in page.images or []}
    for source, given in (
        ("pattern", text_of("share_image", page, settings, section).value),
        ("page", page.share_image),
    ):
        if given:
            loc = urljoin(base, given)
            return loc, alts.get(loc, ""), source
    small = []
    for loc, alt in alts.items():
        if _path_of(loc).lower().endswith(_DRAWINGS):
            continue
        original = look(loc)
        if original is None or large_enough(original.picture):
            return loc, alt, "first picture" if original is None else "first large picture"
        if not is_icon(original.picture.width, original.picture.height):
            small.append(loc)
    still = next((f.values.thumbnail for f in films if f.values.thumbnail), None)
    if still:
        return still, "", "video"
    for source, said in (("section", section), ("site", settings.head)):
        if said and said.image:
            loc = urljoin(base, said.image)
            return loc, alts.get(loc) or said.image_alt, source
    return (small[0], alts[small[0]], "first picture") if small else None


def _path_of(loc: str) -> str:
    # An address is cut where its path ends, with all that stands before it.
    return loc.partition("#")[0].partition("?")[0]


def large_enough(picture: Picture) -> bool:
    """Whether cards show a picture large."""
    return picture.width >= SHARED_LEAST[0] and picture.height >= SHARED_LEAST[1]


def fits(picture: Picture, settings: HeadSettings) -> bool:
    """Whether a picture can be shared as it is: shape, size, weight and type."""
    few, many = SHAPES
    return (
        few <= picture.width / picture.height <= many
        and picture.width <= 2400
        and picture.bytes <= settings.sharing.most_bytes
        and picture.type in ("image/jpeg", "image/png", "image/webp")
    )


def _copy_of(loc: str, original: Original, settings: HeadSettings, look: Look) -> Copy | None:
    """The copy that is shared instead of a picture: None where the site wants none, the picture is
    right as it is and gets no mark, or it is too small to be cut."""
    sharing = settings.sharing
    if not sharing.copies or not large_enough(original.picture):
        return None
    mark = look(urljoin(f"{settings.site.url}/", sharing.mark)) if sharing.mark else None
    if mark is None and fits(original.picture, settings):
        return None
    path = unquote(urlsplit(loc).path)
    point = sharing.points.get(path)
    how = Copying(
        sharing.focus, point, sharing.most_bytes, mark.place if mark else None, sharing.corner
    )  # fmt: skip
    words = (_MANNER, original.digest, sharing.focus, point, sharing.most_bytes,
             mark.digest if mark else "", sharing.corner)  # fmt: skip
    name = xxhash.xxh3_64_hexdigest("|".join(map(str, words)).encode())[:12]
    stem = re.sub(r"[^a-z0-9]+", "-", PurePosixPath(path).stem.lower()).strip("-")[:40]
    return Copy(f"{COPIES}/{stem or 'picture'}-{name}.jpg", original.place, how)


def picture_tags(picture: HeadPicture) -> Iterator[tuple[str, str]]:
    """The Open Graph properties of a picture as head data has it, the structured ones behind it
    (https://ogp.me/#structured)."""
    yield "og:image", picture.loc
    if picture.loc.startswith("https://"):
        yield "og:image:secure_url", picture.loc
    if picture.type:
        yield "og:image:type", picture.type
    if picture.width and picture.height:
        yield "og:image:width", str(picture.width)
        yield "og:image:height", str(picture.height)
    if picture.alt:
        yield "og:image:alt", picture.alt
