"""The videos of a site as a table, from which sitemap, structured data and head are all made.

Each value is that of the first place that has it: the media file, the video itself (its page's
element or data, as `found` of the page table has it), its service, its page, the site file. What
the table of videos says stands before all of them.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from functools import partial
from typing import Any, NamedTuple
from urllib.parse import urljoin

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.address_columns import each_once
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.pages import schema
from jovial_atlas.sitefile.videos import VideoOverride
from jovial_atlas.sitemaps import protocol

#: Below the root of the site, the folder in which stills are served.
STILLS_PATH = "/video-stills/"
#: What is wrong with a media file of the site that is not there.
MISSING = "there is no such file"
#: What the protocol requires, in words.
_NEEDED = {"thumbnail": "still picture", "title": "title", "description": "description"}
_NO_MEDIA = "media file or player"
_COUNTRY = re.compile(r"[A-Z]{2}\Z")
_PLATFORMS = frozenset({"web", "mobile", "tv"})
#: Kinds of page that show what others are about.
_LISTS = ("home", "listing", "paged", "author", "search")
#: What is asked of the pages.
OF_PAGES = (
    "loc", "listed", "role", "section", "lastmod", "heading", "title", "description", "excerpt",
    "published", "expires", "categories", "tags", "phrase", "videos", "media",
)  # fmt: skip
#: What a video says that is no value of it.
_BESIDE = frozenset({"found", "service", "words_before"})
#: Its values: field → kind.
FILM_VALUES = {
    field.name: field.dtype for field in schema.ONE_VIDEO.fields if field.name not in _BESIDE
}
#: Fields with their longest text, and with the least and the greatest number (seconds, stars).
_LONGEST = {"description": 2_048, "category": 256, "uploader": 255}
_BETWEEN = {"duration": (1, 28_800), "rating": (0, 5)}


class Asked(NamedTuple):
    """What is asked of videos: which values, of which of them the origin, and what of their pages
    stands beside them (by name, `videos` with what the page says of this video)."""

    values: Collection[str] = FILM_VALUES
    origins: Collection[str] = ()
    beside: Mapping[str, pl.Expr] = {}


def film_table(
    pieces: Iterable[pl.DataFrame], settings: HeadSettings, now: str, asked: Asked | None = None
) -> pl.DataFrame:
    """The videos of pages (with the columns `OF_PAGES`), one a row, in order. There is a piece at
    least; of many only what is asked for is held of all at once.

    `loc`, `number` on its page, `listed` and `lastmod` of its page, `values` (a struct of
    `FILM_VALUES`), `declared` (seconds that the page says that it lasts), `media` (what it was
    found to be), what is `missing` of what the protocol requires, in words, `why_not` it is not
    listed ("" where it is), and `elsewhere`, the page that stands for it where several show it;
    `origin` says of values where they come from, and what is asked `beside` that has its own name.
    `now` is a date in the product's form."""
    asked = asked or Asked()
    chosen = _chosen(pl.concat(_of_pages(pages, settings, now, asked) for pages in pieces))
    origin = ["origin"] if asked.origins else []
    return chosen.select(
        "loc", "number", "listed", "lastmod", "values", "declared", "media", "missing", "why_not",
        "elsewhere", *origin, *asked.beside,
    )  # fmt: skip


def _of_pages(
    pages: pl.DataFrame, settings: HeadSettings, now: str, asked: Asked
) -> pl.DataFrame:
    """The videos of some pages, whichever others show them."""
    films = _each(pages, settings)
    places = _places(settings)
    origins = {name: places[name] for name in asked.origins}
    whole = films.select(
        "loc", "number", "listed", "lastmod", "role", "media",
        declared=_said("duration"), **_values(places), **_origins(origins),
        **{f"b.{name}": value for name, value in asked.beside.items()},
    )  # fmt: skip
    if settings.edited:
        whole = _edited(whole, settings.edited, asked.origins)
    whole = _within(whole, settings.site.url).with_columns(missing=_missing())
    whole = whole.with_columns(why_not=_why_not(now))
    values = pl.struct(pl.col(_value(name)).alias(name) for name in asked.values)
    said = [pl.col(_origin(name)).alias(name) for name in origins]
    return whole.select(
        "loc", "number", "listed", "lastmod", "role", "media", "declared", "missing", "why_not",
        values.alias("values"), *([pl.struct(said).alias("origin")] if said else ()),
        _key=pl.coalesce(*(_given(pl.col(_value(name)), pl.String()) for name in _SHOWN)),
        **{name: pl.col(f"b.{name}") for name in asked.beside},
    )  # fmt: skip


def _value(name: str) -> str:
    return f"v.{name}"


def _origin(name: str) -> str:
    return f"o.{name}"


def _each(pages: pl.DataFrame, settings: HeadSettings) -> pl.DataFrame:
    """The videos that sections want, with their pages."""
    shown = pages.select(OF_PAGES).filter(pl.col("videos").list.len() > 0)
    numbers = pl.int_ranges(1, pl.col("videos").list.len().cast(pl.Int64) + 1)
    each = _one_a_row(shown.with_columns(number=numbers))
    looked = pl.col("media").list.get(pl.col("number") - 1, null_on_oob=True)
    each, unwanted = each.with_columns(media=looked), []
    for name, section in settings.section.items():
        wanted, mine = section.videos, pl.col("section") == name
        if wanted is False:
            unwanted.append(mine)
        elif isinstance(wanted, tuple):
            unwanted.append(mine & ~_said("found").is_in(wanted).fill_null(False))
    return each.filter(~pl.any_horizontal(unwanted).fill_null(False)) if unwanted else each


def _one_a_row(pages: pl.DataFrame) -> pl.DataFrame:
    """Pages with their videos and the numbers of these, one a row."""
    if pages.height and pages["videos"].list.len().max() == 1:
        # Of pages with a single video nothing is repeated.
        singles = [one.list.explode() for one in (pages["videos"], pages["number"])]
        return pages.with_columns(singles)
    return pages.explode("videos", "number")


def _said(name: str) -> pl.Expr:
    return pl.col("videos").struct.field(name)


def _media(name: str) -> pl.Expr:
    return pl.col("media").struct.field(name)


def _given(value: pl.Expr, kind: pl.DataType) -> pl.Expr:
    """A value, null where it is empty."""
    if kind == pl.String:
        return pl.when(value != "").then(value)
    if isinstance(kind, pl.List):
        return pl.when(value.list.len() > 0).then(value)
    return value


#: Field → each place that may have it, and its value there, the best first.
Places = Mapping[str, Sequence[tuple[pl.Expr, pl.Expr]]]


def _places(settings: HeadSettings) -> Places:
    is_probed = _given(_media("codecs"), pl.String()).is_not_null()
    probed = pl.when(is_probed).then(pl.lit("file")).otherwise(pl.lit("service"))
    found = _given(_said("found"), pl.String()).fill_null("page")
    first: dict[str, list[tuple[pl.Expr, pl.Expr]]] = {
        # What the file itself says counts more than what the page does.
        "duration": [(probed, pl.when(is_probed).then(_media("duration")))],
        "width": [(probed, _media("width"))],
        "height": [(probed, _media("height"))],
    }
    last = _elsewhere(settings, probed)
    return {
        name: [
            (place, _given(value.cast(kind), kind))
            for place, value in (
                *first.get(name, ()), (found, _said(name)), *last.get(name, ()),
            )
        ]
        for name, kind in FILM_VALUES.items()
    }  # fmt: skip


def _elsewhere(settings: HeadSettings, probed: pl.Expr) -> dict[str, list[tuple[pl.Expr, pl.Expr]]]:
    """Places and values for what a video does not say itself, the best place first."""
    model, url = settings.videos, settings.site.url
    service, file, page = pl.lit("service"), pl.lit("file"), pl.lit("page")
    site_file = pl.lit("site file")
    still = pl.lit(f"{url}{STILLS_PATH}") + _given(_media("still"), pl.String())
    about = urljoin(f"{url}/", model.uploader_page) if model.uploader_page else None
    called = pl.coalesce(_given(pl.col("heading"), pl.String()), "title")
    return {
        "thumbnail": [(service, _media("thumbnail")), (file, still)],
        "title": [(service, _media("title")), (page, called)],
        "description": [
            (page, pl.col("description")), (pl.lit("first sentences"), pl.col("excerpt")),
        ],
        "duration": [(probed, _media("duration"))],
        "width": [(site_file, pl.lit(model.width))],
        "height": [(site_file, pl.lit(model.height))],
        "published": [(page, pl.col("published")), (page, pl.col("lastmod"))],
        "expires": [(page, pl.col("expires"))],
        "category": [
            (page, pl.col("categories").list.first()), (site_file, pl.lit(model.category)),
        ],
        "tags": [(page, pl.col("tags"))],
        "uploader": [(service, _media("author")), (site_file, pl.lit(model.uploader))],
        "uploader_page": [(site_file, pl.lit(about, pl.String))],
    }  # fmt: skip


def _values(places: Places) -> dict[str, pl.Expr]:
    found = {name: pl.coalesce(value for _, value in some) for name, some in places.items()}
    found["tags"] = (
        pl.when(_PHRASES.list.len() > 0)
        .then(pl.concat_list(found["tags"].fill_null([]), _PHRASES))
        .otherwise(found["tags"])
    )
    return {_value(name): value for name, value in found.items()}


def _origins(places: Places) -> dict[str, pl.Expr]:
    found = {
        name: pl.coalesce(pl.when(value.is_not_null()).then(place) for place, value in some)
        for name, some in places.items()
    }
    phrased = pl.when(_PHRASES.list.len() > 0).then(pl.lit("page"))
    if "tags" in found:
        found["tags"] = pl.coalesce(found["tags"], phrased)
    return {_origin(name): value for name, value in found.items()}


#: The target phrases of pages, as `texts.phrases_in` reads them.
_PHRASES = (
    pl.col("phrase")
    .str.split(";")
    .list.eval(pl.element().str.strip_chars().filter(pl.element().str.strip_chars() != ""))
)


def _edited(
    films: pl.DataFrame, edited: Mapping[str, Sequence[VideoOverride]], origins: Collection[str]
) -> pl.DataFrame:
    """The films with what the table of videos says of some."""
    row = films.with_row_index("_row").filter(pl.col("loc").is_in(list(edited)))
    sets: dict[str, dict[int, Any]] = {}
    asked = row.select("_row", "loc", "number", _value("content"), _value("player"))
    for place, loc, number, content, player in asked.iter_rows():
        for override in edited[loc]:
            if _is_about(override.video, number, loc, content, player):
                for name, value in override.sets.items():
                    sets.setdefault(name, {})[place] = value
    numbered = films.with_row_index("_row")
    for name, values in sets.items():
        said = pl.DataFrame(
            {"_row": list(values), "_said": list(values.values())},
            schema={"_row": pl.UInt32, "_said": FILM_VALUES[name]},
        )
        is_said = pl.col("_said").is_not_null()
        put = [pl.when(is_said).then("_said").otherwise(_value(name)).alias(_value(name))]
        if name in origins:
            table = pl.when(is_said).then(pl.lit("table of videos"))
            put.append(table.otherwise(_origin(name)).alias(_origin(name)))
        joined = numbered.join(said, on="_row", how="left", maintain_order="left")
        numbered = joined.with_columns(put).drop("_said")
    return numbered.drop("_row")


def _is_about(named: str, number: int, loc: str, content: str | None, player: str | None) -> bool:
    """Whether the table of videos names the video of a page by this."""
    if not named:
        return number == 1
    values = (content, player, film_name(content, player, number), str(number))
    return named in values or urljoin(loc, named) == content


def film_name(content: str | None, player: str | None, number: int) -> str:
    """What people call a video: the name of its file, or the end of its player's address."""
    address = content or player or ""
    return address.rstrip("/").rpartition("/")[2] or f"number {number}"


def _within(films: pl.DataFrame, url: str) -> pl.DataFrame:
    """Values brought within what the protocol allows; what cannot be is dropped."""
    v = {name: pl.col(_value(name)) for name in FILM_VALUES}
    within = {name: v[name].str.head(most) for name, most in _LONGEST.items()}
    within |= {
        name: pl.when(v[name].is_between(*limits)).then(v[name])
        for name, limits in _BETWEEN.items()
    }
    within["tags"] = v["tags"].list.unique(maintain_order=True).list.head(protocol.MAX_TAGS)
    # An address that is the page's own leads to no media.
    for name in ("content", "player"):
        within[name] = pl.when(v[name].ne_missing(pl.col("loc"))).then(v[name])
    once: dict[str, Callable[[str], str | None]] = {
        "uploader_page": lambda address: address if addresses.origin(address) == url else None,
        "countries": _countries,
        "platforms": _platforms,
    }
    within |= {
        name: v[name].map_batches(partial(each_once, work=work), return_dtype=pl.String)
        for name, work in once.items()
    }
    return films.with_columns(**{_value(name): value for name, value in within.items()})


def _countries(said: str) -> str | None:
    how, *codes = said.split() or [""]
    codes = [one.upper() for one in codes]
    known = codes and all(map(_COUNTRY.match, codes))
    return " ".join([how, *codes]) if known else None


def _platforms(said: str) -> str | None:
    return said if _PLATFORMS.issuperset(said.split()[1:]) else None


def _missing() -> pl.Expr:
    lacks = {name: _lacks(name) for name in (*_NEEDED, *_SHOWN)}
    words = [pl.when(lacks[name]).then(pl.lit(words)) for name, words in _NEEDED.items()]
    no_media = pl.all_horizontal(lacks[name] for name in _SHOWN)
    words.append(pl.when(no_media).then(pl.lit(_NO_MEDIA)))
    return pl.concat_list(words).list.drop_nulls()


def _lacks(name: str) -> pl.Expr:
    return pl.col(_value(name)).fill_null("") == ""


def _why_not(now: str) -> pl.Expr:
    expires = pl.col(_value("expires"))
    return (
        pl.when(~pl.col(_value("listed")).fill_null(True))
        .then(pl.lit("it is left out"))
        .when((expires != "") & (expires < now))
        .then(pl.lit("it expired on ") + expires.str.head(10))
        .when((_media("problem") == MISSING) & _lacks("player"))
        .then(pl.lit("its media file does not exist"))
        .when(pl.col("missing").list.len() > 0)
        .then(pl.lit("it has no ") + pl.col("missing").list.join(" and no "))
        .otherwise(pl.lit(""))
    )


#: What shows it.
_SHOWN = ("content", "player")


def _chosen(films: pl.DataFrame) -> pl.DataFrame:
    """The same videos, where of several listed pages that show one a page that is no listing stands
    for it, then the page with the fewest videos, then the one with the shorter address."""
    numbered = films.select(
        "loc", "number", "listed", "why_not", "_key",
        _lists=pl.col("role").is_in(_LISTS).fill_null(False),
    ).with_row_index("_row")  # fmt: skip
    shown = numbered.filter(pl.col("listed"), pl.col("why_not") == "")
    if shown["_key"].n_unique() == shown.height:
        return films.with_columns(elsewhere=pl.lit(""))
    several = shown.filter(pl.col("_key").is_duplicated())
    many = numbered.group_by("loc").agg(_many=pl.len())
    length = pl.col("loc").str.len_chars()
    ranked = several.join(many, on="loc").sort("_lists", "_many", length, "loc", "number")
    first = ranked.group_by("_key").agg(
        elsewhere=pl.col("loc").first(), _first=pl.col("_row").first()
    )
    others = several.join(first, on="_key").filter(pl.col("_row") != pl.col("_first"))
    stands = pl.col("elsewhere").map_batches(
        partial(each_once, work=addresses.path_and_query), return_dtype=pl.String
    )
    told = others.select("_row", "elsewhere", _why=stands + " stands for it")
    beside = numbered.select("_row").join(told, on="_row", how="left", maintain_order="left")
    return films.with_columns(
        beside["elsewhere"].fill_null(""), why_not=pl.coalesce(beside["_why"], "why_not")
    )
