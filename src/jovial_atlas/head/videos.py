"""One model of the videos of a site, from which sitemap, structured data and head are all made.

Each value carries where it comes from: the page's element or data (as `found` of the page table
has it), field, file, service, page, site file, or the table of videos.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any
from urllib.parse import urljoin

import polars as pl
from msgspec import Struct
from msgspec.structs import asdict, replace

from jovial_atlas import addresses
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.texts import phrases_in
from jovial_atlas.media.fields import Price, price_of, segment_of
from jovial_atlas.pages import schema
from jovial_atlas.pages.page import Media, Page, Video
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.extensions import VIDEO_TYPE

#: What the protocol requires, in words.
_NEEDED = {"thumbnail": "still picture", "title": "title", "description": "description"}
_NO_MEDIA = "media file or player"
_COUNTRY = re.compile(r"[A-Z]{2}\Z")
#: Below the root of the site, the folder in which stills are served.
STILLS_PATH = "/video-stills/"
#: What is wrong with a media file of the site that is not there.
MISSING = "there is no such file"


class FilmValues(Struct, frozen=True, kw_only=True):
    """The fields of a video, as far as anything fills them: seconds, pixels, dates in the
    product's form; `countries` and `platforms` as `allow GB IE`."""

    content: str | None = None
    player: str | None = None
    thumbnail: str | None = None
    title: str | None = None
    description: str | None = None
    duration: int | None = None
    width: int | None = None
    height: int | None = None
    published: str | None = None
    expires: str | None = None
    category: str | None = None
    tags: list[str] | None = None
    rating: float | None = None
    views: int | None = None
    family_friendly: bool | None = None
    live: bool | None = None
    subscription: bool | None = None
    countries: str | None = None
    platforms: str | None = None
    listed: bool | None = None
    uploader: str | None = None
    uploader_page: str | None = None
    price: list[str] | None = None
    gallery: str | None = None
    gallery_title: str | None = None
    segments: list[str] | None = None
    ids: list[str] | None = None


class Film(Struct, frozen=True, kw_only=True):
    """One video on one page. `origin` says where each of its `values` comes from, `declared` how
    many seconds the page says that it lasts, `media` what it was found to be. `why_not` tells why
    it is not listed, empty where it is; `elsewhere` is the page that stands for it where several
    show it."""

    loc: str
    number: int
    page: Page
    values: FilmValues
    origin: dict[str, str]
    declared: int | None = None
    media: Media = Media()
    why_not: str = ""
    elsewhere: str = ""

    @property
    def still(self) -> str | None:
        """The name of the still that was taken of it."""
        return self.media.still

    @property
    def name(self) -> str:
        """What people call it: the name of its file, or the end of its player's address."""
        return _name(self.values.content, self.values.player, self.number)

    @property
    def missing(self) -> list[str]:
        """What the protocol requires and the video lacks, in words."""
        return _missing(self.values)


def films_of(pages: Iterable[Page], settings: HeadSettings, now: str) -> dict[str, list[Film]]:
    """The videos of pages, by address, in order. `now` is a date in the product's form."""
    films = {page.loc: list(_of_page(page, settings, now)) for page in pages}
    return {loc: chosen for loc, chosen in _chosen(films).items() if chosen}


def _of_page(page: Page, settings: HeadSettings, now: str) -> Iterable[Film]:
    section = settings.section_of(page)
    wanted = section.videos if section else True
    media = page.media or []
    for number, video in enumerate(page.videos or [], start=1):
        if wanted is False or (isinstance(wanted, tuple) and video.found not in wanted):
            continue
        looked = (media[number - 1] if number <= len(media) else None) or _NOT_LOOKED_AT
        given, origin = _filled(page, video, looked, settings)
        for override in settings.edited.get(page.loc, ()):
            if _is_about(override.video, number, page.loc, given):
                given |= override.sets
                origin |= dict.fromkeys(override.sets, "table of videos")
        values = FilmValues(**_within(given, page.loc, settings.site.url))
        yield Film(
            loc=page.loc, number=number, page=page, values=values, origin=origin,
            declared=video.duration, media=looked, why_not=_why_not(values, looked, now),
        )  # fmt: skip


_NOT_LOOKED_AT = Media()


def _is_about(named: str, number: int, loc: str, given: Mapping[str, Any]) -> bool:
    """Whether the table of videos names the video of a page by this."""
    if not named:
        return number == 1
    content, player = given.get("content"), given.get("player")
    values = (content, player, _name(content, player, number), str(number))
    return named in values or urljoin(loc, named) == content


def _name(content: str | None, player: str | None, number: int) -> str:
    address = content or player or ""
    return address.rstrip("/").rpartition("/")[2] or f"number {number}"


#: What counts as not given.
_NOTHING: tuple[object, ...] = (None, "", [])


def _filled(
    page: Page, video: Video, media: Media, settings: HeadSettings
) -> tuple[dict[str, Any], dict[str, str]]:
    """Each field from the first place that has it, and where that is."""
    found_in = video.found or "page"
    said = asdict(video).items()
    values = {name: value for name, value in said if value not in _NOTHING and name in _FIELDS}
    origin = dict.fromkeys(values, found_in)
    probed = "file" if media.codecs else "service"
    #: What the file itself says counts more than what the page does.
    first: tuple[tuple[str, object], ...] = (
        ("duration", media.duration if media.codecs else None),
        ("width", media.width),
        ("height", media.height),
    )
    for name, value in first:
        if value not in _NOTHING:
            values[name], origin[name] = value, probed
    for name, where, value in _elsewhere(page, media, settings):
        if name not in values and value not in _NOTHING:
            values[name], origin[name] = value, where
    tags = video.tags or page.tags or []
    if phrases := [one for one in phrases_in(page.phrase) if one not in tags]:
        values["tags"] = [*tags, *phrases]
        origin.setdefault("tags", "page")
    return values, origin


_FIELDS = frozenset(FilmValues.__struct_fields__)


def _elsewhere(
    page: Page, media: Media, settings: HeadSettings
) -> tuple[tuple[str, str, object], ...]:
    """Field, place and value for what a video does not say itself, the best place first."""
    model, url = settings.videos, settings.site.url
    still = f"{url}{STILLS_PATH}{media.still}" if media.still else None
    about = urljoin(f"{url}/", model.uploader_page) if model.uploader_page else None
    return (
        ("thumbnail", "service", media.thumbnail),
        ("thumbnail", "file", still),
        ("title", "service", media.title),
        ("title", "page", page.heading or page.title),
        ("description", "page", page.description),
        ("description", "first sentences", page.excerpt),
        ("duration", "file" if media.codecs else "service", media.duration),
        ("width", "site file", model.width),
        ("height", "site file", model.height),
        ("published", "page", page.published),
        ("published", "page", page.lastmod),
        ("expires", "page", page.expires),
        ("category", "page", next(iter(page.categories or []), None)),
        ("category", "site file", model.category),
        ("tags", "page", page.tags),
        ("uploader", "service", media.author),
        ("uploader", "site file", model.uploader),
        ("uploader_page", "site file", about),
    )


def _within(given: Mapping[str, Any], loc: str, url: str) -> dict[str, Any]:
    """Values brought within what the protocol allows; what cannot be is dropped."""
    values = dict(given)
    for name, most in _LONGEST.items():
        if text := values.get(name):
            values[name] = text[:most]
    for name, (least, most) in _BETWEEN.items():
        if (number := values.get(name)) is not None and not least <= number <= most:
            values[name] = None
    about = values.get("uploader_page")
    if about and addresses.origin(about) != url:
        values["uploader_page"] = None
    if tags := values.get("tags"):
        values["tags"] = list(dict.fromkeys(tags))[: protocol.MAX_TAGS]
    # An address that is the page's own leads to no media.
    for name in ("content", "player"):
        if values.get(name) == loc:
            values[name] = None
    if countries := values.get("countries"):
        how, *codes = countries.split() or [""]
        codes = [one.upper() for one in codes]
        known = codes and all(map(_COUNTRY.match, codes))
        values["countries"] = " ".join([how, *codes]) if known else None
    if platforms := values.get("platforms"):
        known = {"web", "mobile", "tv"}.issuperset(platforms.split()[1:])
        values["platforms"] = platforms if known else None
    return values


#: Fields with their longest text, and with the least and the greatest number (seconds, stars).
_LONGEST = {"description": 2_048, "category": 256, "uploader": 255}
_BETWEEN = {"duration": (1, 28_800), "rating": (0, 5)}


def _why_not(values: FilmValues, media: Media, now: str) -> str:
    if values.listed is False:
        return "it is left out"
    if values.expires and values.expires < now:
        return f"it expired on {values.expires[:10]}"
    if media.problem == MISSING and not values.player:
        return "its media file does not exist"
    if missing := _missing(values):
        return f"it has no {' and no '.join(missing)}"
    return ""


def _missing(values: FilmValues) -> list[str]:
    lacks = [words for name, words in _NEEDED.items() if not getattr(values, name)]
    return lacks if values.content or values.player else [*lacks, _NO_MEDIA]


#: Kinds of page that show what others are about.
_LISTS = frozenset({"home", "listing", "paged", "author", "search"})


def _chosen(films: Mapping[str, list[Film]]) -> dict[str, list[Film]]:
    """The same videos, where of several listed pages that show one a page that is no listing stands
    for it, then the page with the fewest videos, then the one with the shorter address."""

    def rank(film: Film) -> tuple[bool, int, int, str, int]:
        lists = film.page.role in _LISTS
        return lists, len(films[film.loc]), len(film.loc), film.loc, film.number

    shown: dict[str, list[Film]] = {}
    for on_page in films.values():
        for film in on_page:
            if film.page.listed and not film.why_not:
                key = film.values.content or film.values.player or ""
                shown.setdefault(key, []).append(film)
    stands: dict[tuple[str, int], str] = {}
    for same in shown.values():
        first = min(same, key=rank)
        stands |= {(film.loc, film.number): first.loc for film in same if film is not first}

    def settled(film: Film) -> Film:
        first = stands.get((film.loc, film.number))
        if first is None:
            return film
        why = f"{addresses.path_and_query(first)} stands for it"
        return replace(film, elsewhere=first, why_not=why)

    return {loc: [settled(film) for film in on_page] for loc, on_page in films.items()}


def sitemap_video(film: Film) -> dict[str, object]:
    """A listed video as the writer of sitemaps takes it."""
    values = film.values
    row: dict[str, object] = {
        "thumbnail_loc": values.thumbnail,
        "title": values.title,
        "description": values.description,
        "content_loc": values.content,
        "player_loc": values.player,
        "duration": _text(values.duration),
        "expiration_date": values.expires,
        "rating": _text(values.rating),
        "view_count": _text(values.views),
        "publication_date": values.published,
        "tag": values.tags,
        "category": values.category,
        "family_friendly": _yes_no(values.family_friendly),
        "requires_subscription": _yes_no(values.subscription),
        "uploader": values.uploader,
        "uploader@info": values.uploader_page if values.uploader else None,
        "live": _yes_no(values.live),
        "gallery_loc": values.gallery,
        "gallery_loc@title": values.gallery_title if values.gallery else None,
        "price": [_priced(one) for said in values.price or [] if (one := price_of(said))],
        "content_segment_loc": [_segment(*segment_of(one)) for one in values.segments or []],
        "id": [_identifier(one) for one in values.ids or []],
    }
    for name, said in (("restriction", values.countries), ("platform", values.platforms)):
        how, _, places = (said or "").partition(" ")
        row |= {name: places or None, f"{name}@relationship": how if places else None}
    return row


def _priced(price: Price) -> dict[str, str | None]:
    attributes = {"currency": price.currency, "type": price.type, "resolution": price.resolution}
    return {"text": price.amount, **attributes}


def _segment(address: str, seconds: str | None) -> dict[str, str | None]:
    return {"text": address, "duration": seconds}


def _identifier(said: str) -> dict[str, str | None]:
    """`tms:series 123` has its kind first; what has none is an identifier alone."""
    kind, _, value = said.rpartition(" ")
    return {"text": value, "type": kind or None}


def _text(value: object) -> str | None:
    return None if value is None else str(value)


def _yes_no(value: bool | None) -> str | None:
    return None if value is None else "yes" if value else "no"


def video_rows(films: Mapping[str, list[Film]]) -> pl.DataFrame:
    """The listed videos of listed pages, as `loc, lastmod, videos`."""
    locs, dates, videos = [], [], []
    for loc, some in films.items():
        shown = [sitemap_video(film) for film in some if not film.why_not]
        if shown and some[0].page.listed:
            locs.append(loc)
            dates.append(some[0].page.lastmod)
            videos.append(shown)
    texts = [pl.Series("loc", locs, pl.String), pl.Series("lastmod", dates, pl.String)]
    return pl.DataFrame([*texts, schema.lists_of_structs("videos", videos, VIDEO_TYPE)])


def sharing(films: Iterable[Film]) -> list[tuple[str, str]]:
    """`og:video` and a player card for the first video that other sites may play."""
    for film in films:
        values = film.values
        address = values.player or values.content
        if film.why_not or not address:
            continue
        kind = "text/html" if values.player else _mime(address)
        size = [("width", str(values.width)), ("height", str(values.height))]
        tags = [("og:video", address), ("og:video:type", kind)]
        tags += [(f"og:video:{name}", value) for name, value in size]
        if address.startswith("https://"):
            tags += [("twitter:card", "player"), ("twitter:player", address)]
            tags += [(f"twitter:player:{name}", value) for name, value in size]
        return tags
    return []


def _mime(address: str) -> str:
    endings = {".webm": "video/webm", ".ogv": "video/ogg", ".ogg": "video/ogg"}
    return next((kind for end, kind in endings.items() if address.endswith(end)), "video/mp4")
