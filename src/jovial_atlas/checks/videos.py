"""What can be wrong with the videos of a site: fields, pictures, files, places, agreement.

No file is opened but pictures, for which `find` gives the place of an address of the site.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path

from rapidfuzz import fuzz, utils

from jovial_atlas import addresses
from jovial_atlas.faults import Fault, plural
from jovial_atlas.head.videos import Film
from jovial_atlas.media.pictures import Picture, look_at_picture
from jovial_atlas.robots import Matcher, RobotsFile
from jovial_atlas.sitefile import SiteFile

#: A still is at least this wide and high, in pixels.
_STILL = (60, 30)
#: A player smaller than this is hardly one.
_USABLE = (200, 112)
#: A video below this many words is seldom seen.
_LOW = 500
#: How alike texts are from which on they count as saying the same, in percent.
_ALIKE = {"title": 60, "description": 45}

FindMedia = Callable[[str], Path | None]


def check_films(
    films: Mapping[str, Sequence[Film]], site: SiteFile, robots: RobotsFile, find: FindMedia
) -> Iterator[Fault]:
    """Faults of the videos on listed pages."""
    matcher = Matcher(robots, "*")
    sizes: dict[str, Picture | None] = {}
    for loc, some in films.items():
        if not some[0].page.listed:
            continue
        for film in some:
            if film.missing and film.values.listed is not False:
                lacks = " and no ".join(film.missing)
                yield Fault("video-incomplete", loc, f"The video {film.name} has no {lacks}.")
            if film.why_not:
                continue
            yield from _thumbnail(film, site, find, sizes)
            yield from _barred(film, site, matcher)
            yield from _file(film)
            yield from _agreement(film)
            yield from _place(film)
    yield from _repeated(films)


def _thumbnail(
    film: Film, site: SiteFile, find: FindMedia, sizes: dict[str, Picture | None]
) -> Iterator[Fault]:
    address = film.values.thumbnail or ""
    if not address.startswith(f"{site.model.site.url}/") or film.origin["thumbnail"] == "file":
        return
    path = find(address)
    if path is None:
        message = f"The picture {address} of the video {film.name} does not exist."
        yield Fault("video-thumbnail", film.loc, message)
        return
    if address not in sizes:
        sizes[address] = look_at_picture(path)
    size = sizes[address]
    if size is None:
        yield Fault("video-thumbnail", film.loc, f"{address} is no picture.")
    elif size.width < _STILL[0] or size.height < _STILL[1]:
        said = f"{address} has {size.width}×{size.height} pixels"
        message = f"{said}; {_STILL[0]}×{_STILL[1]} is the least."
        yield Fault("video-thumbnail", film.loc, message)


def _barred(film: Film, site: SiteFile, matcher: Matcher) -> Iterator[Fault]:
    values = film.values
    for address, role in (
        (values.thumbnail, "picture"), (values.content, "media file"), (values.player, "player"),
    ):  # fmt: skip
        if address and address.startswith(f"{site.model.site.url}/"):
            answer = matcher.ask(addresses.path_and_query(address))
            if not answer.allowed:
                message = f"{str(answer.rule)!r} bars the {role} of the video {film.name}."
                yield Fault("video-barred", film.loc, message)


def _file(film: Film) -> Iterator[Fault]:
    media = film.media
    if not media.codecs:
        return
    if not media.plays:
        message = f"Browsers do not play {film.name} ({media.codecs})."
        yield Fault("video-not-played", film.loc, message)
    declared, real = film.declared, media.duration
    if declared and real and abs(declared - real) > max(2, 0.05 * real):
        message = f"{film.name} is declared to last {declared:,} seconds and lasts {real:,}."
        yield Fault("video-duration-differs", film.loc, message)


def _agreement(film: Film) -> Iterator[Fault]:
    page = film.page
    seen = {
        "title": [page.heading, page.title],
        "description": [page.description, page.excerpt],
    }
    for name, texts in seen.items():
        # A caption speaks of the film, and need not say what the page does.
        own = ("video",) if name == "description" else ()
        if film.origin.get(name) in (None, "page", "first sentences", *own):
            continue
        published_value = getattr(film.values, name)
        shown = [text for text in texts if text]
        best = max(
            (
                fuzz.token_set_ratio(published_value, text, processor=utils.default_process)
                for text in shown
            ),
            default=100.0,
        )
        if best < _ALIKE[name]:
            message = f"The {name} of {film.name} is {_short(published_value)!r}; the page says "
            yield Fault("video-text-differs", film.loc, f"{message}{_short(shown[0])!r}.")


def _short(text: str) -> str:
    return text if len(text) <= 70 else text[:67].rstrip() + "…"


def _place(film: Film) -> Iterator[Fault]:
    video = (film.page.videos or [])[film.number - 1]
    width, height = video.width, video.height
    if (width and width < _USABLE[0]) or (height and height < _USABLE[1]):
        shown = f"{width or '?'}×{height or '?'}"
        yield Fault("video-small", film.loc, f"{film.name} is shown at {shown} pixels.")
    if (video.words_before or 0) > _LOW:
        message = f"{film.name} stands below {plural(video.words_before or 0, 'word')}."
        yield Fault("video-low", film.loc, message)


def _repeated(films: Mapping[str, Sequence[Film]]) -> Iterator[Fault]:
    pages: dict[tuple[str, str], list[str]] = {}
    for some in films.values():
        for film in some:
            if film.elsewhere and film.elsewhere != film.loc:
                pages.setdefault((film.elsewhere, film.name), []).append(film.loc)
    for (first, name), locs in pages.items():
        paths = [addresses.path_and_query(loc) for loc in sorted(set(locs))]
        more = f" and {len(paths) - 4:,} more" if len(paths) > 4 else ""
        message = f"{name} is also on {', '.join(paths[:4])}{more}; it is listed here alone."
        yield Fault("video-repeated", first, message)
