"""The hosts of films that pages show: which service each is, and how to describe those that are
none yet."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from urllib.parse import parse_qsl, urlsplit

import polars as pl

from jovial_atlas.rounds.state.last_survey import LastSurvey

#: Parameters of players that name a film.
_PARAMETERS = ("v", "id", "video", "clip", "mediaid")


@dataclass(frozen=True, slots=True)
class FilmHost:
    """A host of players or media files: the service it is of ("" for none that is described), how
    many videos and pages it is met on, an example, and how many videos lack a title or a picture.
    `described` has the lines that would describe it, "" where that is not needed."""

    host: str
    service: str
    videos: int
    pages: int
    example: str
    lacking: int
    described: str = ""


def film_hosts(survey: LastSurvey) -> list[FilmHost]:
    """The hosts of all films of a survey, those without a service first, then those met most."""
    if "videos" not in survey.filled:
        return []
    field = pl.col("videos").struct.field
    shown = (
        survey.pages.filter(pl.col("videos").list.len() > 0)
        .select("loc", "videos")
        .explode("videos")
        .select(
            "loc",
            service=field("service").fill_null(""),
            address=pl.coalesce(field("player"), field("content")),
            plays=field("player").is_not_null(),
            lacks=field("title").is_null() | field("thumbnail").is_null(),
        )
        .collect(engine="streaming")
    )
    site = urlsplit(survey.site.model.site.url).netloc
    hosts: dict[tuple[str, str, bool], list[tuple[str, str, bool]]] = {}
    for loc, service, address, plays, lacks in shown.iter_rows():
        host = urlsplit(address or "").netloc
        hosts.setdefault((host, service, plays), []).append((loc, address, lacks))
    found = [_host(*key, rows, site) for key, rows in hosts.items()]
    return sorted(found, key=lambda one: (not one.described, -one.videos, one.host))


def _host(
    host: str, service: str, plays: bool, rows: Iterable[tuple[str, str, bool]], site: str
) -> FilmHost:
    given = list(rows)
    example = given[0][1] or ""
    own = host == site
    return FilmHost(
        host,
        service or ("this site" if own else ""),
        len({address for _, address, _ in given}),
        len({loc for loc, _, _ in given}),
        example,
        sum(lacks for _, _, lacks in given),
        description_of(example) if plays and not service and not own else "",
    )


def description_of(player: str) -> str:
    """The lines of a file of services that describe the service of a player, by its address: what
    tells its films apart is a parameter, or the last part of the path."""
    parts = urlsplit(player)
    query = dict(parse_qsl(parts.query))
    name = next((one for one in _PARAMETERS if one in query), None)
    head = f"{parts.scheme}://{parts.netloc}"
    if name:
        before, after = f"{head}{parts.path}?{name}=", ""
        pattern = rf"https?://{re.escape(parts.netloc + parts.path)}\?(?:.*&)?{name}=(?P<id>[^&#]+)"
    else:
        above, _, last = parts.path.rstrip("/").rpartition("/")
        stem, dot, ending = last.partition(".")
        after = f"{dot}{ending}" if stem else ""
        before = f"{head}{above}/"
        place = re.escape(f"{parts.netloc}{above}/")
        pattern = rf"https?://{place}(?P<id>[^/?#.]+){re.escape(after)}"
    return (
        f"[[service]]\nname = \"{parts.netloc}\"\nmatch = ['{pattern}']\n"
        f'player = "{before}{{id}}{after}"'
    )
