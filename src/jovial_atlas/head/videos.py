"""The videos of pages as values: what the table of a site's videos says, for what is done film by
film; and how sitemaps have them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

import msgspec
import polars as pl
from msgspec import Struct
from polars._typing import PolarsDataType

from jovial_atlas.head.film_table import FILM_VALUES, Asked, film_name, film_table
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.media.fields import price_of, segment_of
from jovial_atlas.pages.page import Media, Page, pages_of
from jovial_atlas.sitemaps.extensions import VIDEO_TYPE


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
    many seconds the page says that it lasts, `media` what it was found to be. `missing` is what
    the protocol requires and the video lacks, in words; `why_not` tells why it is not listed, empty
    where it is; `elsewhere` is the page that stands for it where several show it."""

    loc: str
    number: int
    page: Page
    values: FilmValues
    origin: dict[str, str]
    declared: int | None = None
    media: Media = Media()
    missing: list[str] = []
    why_not: str = ""
    elsewhere: str = ""

    @property
    def still(self) -> str | None:
        """The name of the still that was taken of it."""
        return self.media.still

    @property
    def name(self) -> str:
        """What people call it: the name of its file, or the end of its player's address."""
        return film_name(self.values.content, self.values.player, self.number)


def films_of(pages: pl.DataFrame, settings: HeadSettings, now: str) -> dict[str, list[Film]]:
    """The videos of pages (a table with verdicts), by address, in order. `now` is a date in the
    product's form."""
    return films_in(film_table([pages], settings, now, Asked(origins=FILM_VALUES)), pages)


def films_in(table: pl.DataFrame, pages: pl.DataFrame) -> dict[str, list[Film]]:
    """The videos of pages by address, in order, of which the table is known."""
    shown = pages.filter(pl.col("loc").is_in(table["loc"].unique().implode()))
    by_loc = {page.loc: page for page in pages_of(shown)}
    films: dict[str, list[Film]] = {}
    for row in table.drop("listed", "lastmod").iter_rows(named=True):
        loc = row["loc"]
        origin = {name: place for name, place in row["origin"].items() if place is not None}
        known = {**row, "origin": origin, "media": row["media"] or {}, "page": by_loc[loc]}
        films.setdefault(loc, []).append(msgspec.convert(known, Film))
    return films


#: Elements of a sitemap's video that are written as the table has them.
_AS_THEY_ARE = {
    "thumbnail_loc": "thumbnail", "title": "title", "description": "description",
    "content_loc": "content", "player_loc": "player", "expiration_date": "expires",
    "publication_date": "published", "tag": "tags", "category": "category",
    "uploader": "uploader", "gallery_loc": "gallery", "duration": "duration",
    "rating": "rating", "view_count": "views",
}  # fmt: skip
_YES_NO = {
    "family_friendly": "family_friendly", "requires_subscription": "subscription", "live": "live",
}  # fmt: skip
_RELATIONS = {"restriction": "countries", "platform": "platforms"}


def _priced(said: str) -> dict[str, str | None] | None:
    price = price_of(said)
    if price is None:
        return None
    attributes = {"currency": price.currency, "type": price.type, "resolution": price.resolution}
    return {"text": price.amount, **attributes}


def _segment(said: str) -> dict[str, str | None]:
    address, length = segment_of(said)
    return {"text": address, "duration": length}


def _identifier(said: str) -> dict[str, str | None]:
    """`tms:series 123` has its kind first; what has none is an identifier alone."""
    kind, _, value = said.rpartition(" ")
    return {"text": value, "type": kind or None}


#: Elements that may stand several times, with attributes: the field, and how one is read.
_SEVERAL: dict[str, tuple[str, Callable[[str], Mapping[str, str | None] | None]]] = {
    "price": ("price", _priced),
    "content_segment_loc": ("segments", _segment),
    "id": ("ids", _identifier),
}


def _sitemap_video() -> pl.Expr:
    """A video as the writer of sitemaps takes it, of its `values`."""
    value = pl.col("values").struct.field
    kinds = {field.name: field.dtype for field in VIDEO_TYPE.fields}
    made = {element: value(name) for element, name in _AS_THEY_ARE.items()}
    for element, name in _YES_NO.items():
        made[element] = (
            pl.when(value(name)).then(pl.lit("yes")).when(~value(name)).then(pl.lit("no"))
        )
    for element, name in _RELATIONS.items():
        parts = value(name).str.splitn(" ", 2).struct
        made |= {
            element: parts[1],
            f"{element}@relationship": pl.when(parts[1] != "").then(parts[0]),
        }
    for element, (name, read) in _SEVERAL.items():
        made[element] = _read_each(value(name), read, kinds[element])
    made["uploader@info"] = pl.when(value("uploader").is_not_null()).then(value("uploader_page"))
    shown_in = value("gallery").is_not_null()
    made["gallery_loc@title"] = pl.when(shown_in).then(value("gallery_title"))
    return pl.struct(made[name].cast(kind).alias(name) for name, kind in kinds.items())


def _read_each(
    lists: pl.Expr, read: Callable[[str], Mapping[str, Any] | None], kind: PolarsDataType
) -> pl.Expr:
    """What is read of each text in lists. Few films have any."""

    def work(values: pl.Series) -> pl.Series:
        if values.null_count() == values.len():
            return pl.Series(values.name, [None], kind).new_from_index(0, values.len())
        items = ([one for said in some or () if (one := read(said))] for some in values.to_list())
        return pl.Series(values.name, list(items), kind)

    return lists.map_batches(work, return_dtype=kind)


def video_rows(films: pl.DataFrame) -> pl.DataFrame:
    """The listed videos of listed pages of a table of films, as `loc, lastmod, videos`."""
    shown = films.filter(pl.col("listed"), pl.col("why_not") == "")
    rows = shown.select("loc", "lastmod", videos=_sitemap_video())
    if rows["loc"].n_unique() < rows.height:
        return rows.group_by("loc", maintain_order=True).agg(pl.col("lastmod").first(), "videos")
    return rows.with_columns(pl.concat_list("videos"))


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
