"""What can be wrong with the videos of a site: fields, pictures, files, places, agreement.

Nothing is opened here but pictures.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.faults import Fault, plural
from jovial_atlas.head.film_table import Asked, film_name
from jovial_atlas.media.pictures import look_at_picture
from jovial_atlas.robots import Matcher, RobotsFile
from jovial_atlas.rules import barred
from jovial_atlas.sitefile import SiteFile

#: A still is at least this wide and high, in pixels.
_STILL = (60, 30)
#: A player smaller than this is hardly one.
_USABLE = (200, 112)
#: A video below this many words is seldom seen.
_LOW = 500
#: How alike texts are from which on they count as saying the same, in percent.
_ALIKE = {"title": 60, "description": 45}
#: What a page shows of the same, and the places whose word is the page's own. A caption speaks of
#: the film, and need not say what the page does.
_SEEN = {
    "title": (("heading", "title"), ("page", "first sentences")),
    "description": (("description", "excerpt"), ("page", "first sentences", "video")),
}
#: Gives the files of those addresses of the site that have one.
FindFiles = Callable[[pl.Series], Mapping[str, Path]]
#: Gives those addresses of the site that lead nowhere.
FindLost = Callable[[pl.Series], list[str]]


_SHOWN_AT = ("width", "height", "words_before")
#: What is asked of videos for `check_films`.
TO_CHECK = Asked(
    ("listed", "thumbnail", "title", "description", "content", "player"),
    ("thumbnail", *_SEEN),
    {
        "videos": pl.struct(pl.col("videos").struct.field(*_SHOWN_AT)),
        **{name: pl.col(name) for names, _ in _SEEN.values() for name in names},
    },
)


def check_films(
    films: pl.DataFrame, site: SiteFile, robots: RobotsFile, find: FindFiles, lost: FindLost
) -> Iterator[Fault]:
    """Faults of the videos on listed pages: a table of films with what `TO_CHECK` asks for."""
    listed = films.filter("listed")
    shown = listed.filter(pl.col("why_not") == "")
    yield from _incomplete(listed)
    yield from _stills(shown, site, find, lost)
    yield from _barred(shown, site, robots)
    yield from _files(shown)
    for name in _SEEN:
        yield from _agreement(shown, name)
    yield from _places(shown)
    yield from _repeated(films)


def _value(name: str) -> pl.Expr:
    return pl.col("values").struct.field(name)


def _origin(name: str) -> pl.Expr:
    return pl.col("origin").struct.field(name)


def _media(name: str) -> pl.Expr:
    return pl.col("media").struct.field(name)


def _named(films: pl.DataFrame, *more: pl.Expr) -> Iterator[tuple[str, str, tuple[object, ...]]]:
    """Page and name of each film, and what else is asked of it."""
    asked = films.select("loc", _value("content"), _value("player"), "number", *more)
    for loc, content, player, number, *values in asked.iter_rows():
        yield loc, film_name(content, player, number), tuple(values)


def _incomplete(films: pl.DataFrame) -> Iterator[Fault]:
    wanted = _value("listed").fill_null(True)
    some = films.filter(wanted, pl.col("missing").list.len() > 0)
    for loc, name, (lacks,) in _named(some, pl.col("missing").list.join(" and no ")):
        yield Fault("video-incomplete", loc, f"The video {name} has no {lacks}.")


def _stills(
    films: pl.DataFrame, site: SiteFile, find: FindFiles, lost: FindLost
) -> Iterator[Fault]:
    still = _value("thumbnail")
    own = still.str.starts_with(f"{site.model.site.url}/") & (_origin("thumbnail") != "file")
    films = films.filter(own)
    asked = films.select(still.unique()).to_series()
    faulty = dict.fromkeys(lost(asked), "")
    faulty |= {address: said for address, path in find(asked).items() if (said := _wrong(path))}
    some = films.filter(still.is_in(list(faulty)))
    for loc, name, (address,) in _named(some, still.alias("still")):
        said = faulty[str(address)]
        message = f"{address} {said}." if said else (
            f"The picture {address} of the video {name} does not exist."
        )  # fmt: skip
        yield Fault("video-thumbnail", loc, message)


def _wrong(path: Path) -> str:
    """What is wrong with a still."""
    size = look_at_picture(path)
    if size is None:
        return "is no picture"
    if size.width < _STILL[0] or size.height < _STILL[1]:
        return f"has {size.width}×{size.height} pixels; {_STILL[0]}×{_STILL[1]} is the least"
    return ""


def _barred(films: pl.DataFrame, site: SiteFile, robots: RobotsFile) -> Iterator[Fault]:
    matcher = Matcher(robots, "*")
    for name, role in (
        ("thumbnail", "picture"), ("content", "media file"), ("player", "player"),
    ):  # fmt: skip
        address = _value(name)
        closed = barred(robots, address.str.replace("^https?://[^/]+", ""), ["*"])
        if closed is None:
            return
        own = address.str.starts_with(f"{site.model.site.url}/")
        for loc, film, (at,) in _named(films.filter(own, closed), address.alias("at")):
            rule = matcher.ask(addresses.path_and_query(str(at))).rule
            message = f"{str(rule)!r} bars the {role} of the video {film}."
            yield Fault("video-barred", loc, message)


def _files(films: pl.DataFrame) -> Iterator[Fault]:
    known = films.filter(_media("codecs") != "")
    silent = known.filter(~_media("plays").fill_null(False))
    for loc, name, (codecs,) in _named(silent, _media("codecs")):
        message = f"Browsers do not play {name} ({codecs})."
        yield Fault("video-not-played", loc, message)
    declared, real = pl.col("declared"), _media("duration").alias("real")
    far = (declared - real).abs() > pl.max_horizontal(2.0, 0.05 * real)
    other = known.filter((declared != 0) & (real != 0) & far)
    for loc, name, (said, lasts) in _named(other, declared, real):
        message = f"{name} is declared to last {said:,} seconds and lasts {lasts:,}."
        yield Fault("video-duration-differs", loc, message)


def _agreement(films: pl.DataFrame, field: str) -> Iterator[Fault]:
    """Texts that say something else than the page does."""
    names, own = _SEEN[field]
    texts = [pl.when(pl.col(name) != "").then(name) for name in names]
    published = _value(field)
    some = films.filter(~_origin(field).is_in(own), pl.coalesce(texts).is_not_null())
    some = some.filter(
        pl.all_horizontal(pl.col(name).ne_missing(published) for name in names)
    )
    if not some.height:
        return
    # Loaded where a video says something itself.
    from rapidfuzz import fuzz, process, utils

    said = some.select(published.fill_null("")).to_series().to_list()
    alike = [
        pl.Series(
            name,
            process.cpdist(
                said, some[name].fill_null("").to_list(), scorer=fuzz.token_set_ratio,
                processor=utils.default_process, workers=-1,
            ),
        )
        for name in names
    ]  # fmt: skip
    best = pl.DataFrame(alike).max_horizontal()
    first = pl.coalesce(texts).alias("first")
    for loc, name, (text, shown) in _named(
        some.filter(best < _ALIKE[field]), published.alias("said"), first
    ):
        message = f"The {field} of {name} is {_short(text)!r}; the page says {_short(shown)!r}."
        yield Fault("video-text-differs", loc, message)


def _short(text: object) -> str:
    said = str(text)
    return said if len(said) <= 70 else said[:67].rstrip() + "…"


def _places(films: pl.DataFrame) -> Iterator[Fault]:
    width, height, words = (pl.col("videos").struct.field(name) for name in _SHOWN_AT)
    small = ((width > 0) & (width < _USABLE[0])) | ((height > 0) & (height < _USABLE[1]))
    shown_at = (width.alias("w"), height.alias("h"))
    for loc, name, (across, up) in _named(films.filter(small), *shown_at):
        shown = f"{across or '?'}×{up or '?'}"
        yield Fault("video-small", loc, f"{name} is shown at {shown} pixels.")
    for loc, name, (before,) in _named(films.filter(words > _LOW), words):
        message = f"{name} stands below {plural(int(str(before)), 'word')}."
        yield Fault("video-low", loc, message)


def _repeated(films: pl.DataFrame) -> Iterator[Fault]:
    pages: dict[tuple[str, str], list[str]] = {}
    again = films.filter(pl.col("elsewhere") != "", pl.col("elsewhere") != pl.col("loc"))
    for loc, name, (elsewhere,) in _named(again, pl.col("elsewhere")):
        pages.setdefault((str(elsewhere), name), []).append(loc)
    for (first, name), locs in pages.items():
        paths = [addresses.path_and_query(loc) for loc in sorted(set(locs))]
        more = f" and {len(paths) - 4:,} more" if len(paths) > 4 else ""
        message = f"{name} is also on {', '.join(paths[:4])}{more}; it is listed here alone."
        yield Fault("video-repeated", first, message)
