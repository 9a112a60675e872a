"""One model of the videos of a site, from which sitemap, structured data and head are all made.

Each value carries where it comes from: the page's element or data (as `found` of the page table
has it), field, file, service, page, site file, or the table of videos.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urljoin

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.sitefile import Section, SiteFile
from jovial_atlas.sitefile.videos import VideoOverride
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.write import VIDEO_TYPE

#: The list column that the sitemap writer takes.
VIDEO_LIST = pl.List(VIDEO_TYPE)
#: What the protocol requires, in words.
_NEEDED = {"thumbnail": "still picture", "title": "title", "description": "description"}
_COUNTRY = re.compile(r"[A-Z]{2}\Z")
#: Below the root of the site, the folder in which stills are served.
STILLS_PATH = "/video-stills/"
#: What is wrong with a media file of the site that is not there.
MISSING = "there is no such file"


@dataclass(slots=True)
class Film:
    """One video on one page. `values` are those of `media.fields.FIELDS`, `origin` says where
    each comes from. `why_not` tells why it is not listed, empty where it is; `elsewhere` is the
    page that stands for it where several show it."""

    loc: str
    number: int
    page: Mapping[str, Any]
    values: dict[str, Any] = field(default_factory=dict)
    origin: dict[str, str] = field(default_factory=dict)
    declared: int | None = None
    media: Mapping[str, Any] = field(default_factory=dict)
    still: str | None = None
    why_not: str = ""
    elsewhere: str = ""

    @property
    def name(self) -> str:
        """What people call it: the name of its file, or the end of its player's address."""
        address = self.values.get("content") or self.values.get("player") or ""
        return str(address).rstrip("/").rpartition("/")[2] or f"number {self.number}"

    @property
    def missing(self) -> list[str]:
        """What the protocol requires and the video lacks, in words."""
        lacks = [words for name, words in _NEEDED.items() if not self.values.get(name)]
        media = self.values.get("content") or self.values.get("player")
        return lacks if media else [*lacks, "media file or player"]


def films_of(pages: Iterable[Mapping[str, Any]], site: SiteFile, now: str) -> dict[str, list[Film]]:
    """The videos of decided pages, by address, in order. `now` is a date in the product's form."""
    sections = {section.name: section for section in site.model.section}
    said: dict[str, list[VideoOverride]] = {}
    for one in site.video_overrides:
        said.setdefault(one.loc, []).append(one)
    found = {
        page["loc"]: list(
            _of_page(page, site, sections.get(page["section"]), said.get(page["loc"], []), now)
        )
        for page in pages
    }
    _choose(found)
    return {loc: films for loc, films in found.items() if films}


def _of_page(
    page: Mapping[str, Any],
    site: SiteFile,
    section: Section | None,
    said: list[VideoOverride],
    now: str,
) -> Iterable[Film]:
    wanted = section.videos if section else True
    media = page.get("media") or []
    for number, video in enumerate(page["videos"] or [], start=1):
        if wanted is False or (isinstance(wanted, tuple) and video["found"] not in wanted):
            continue
        looked = media[number - 1] if number <= len(media) else {}
        film = Film(page["loc"], number, page, media=looked or {}, declared=video["duration"])
        _fill(film, video, site)
        for one in said:
            if _is_about(one.video, film):
                film.values |= one.sets
                film.origin |= dict.fromkeys(one.sets, "table of videos")
        _finish(film, site)
        film.why_not = _why_not(film, now)
        yield film


def _is_about(named: str, film: Film) -> bool:
    if not named:
        return film.number == 1
    values = (film.values["content"], film.values["player"], film.name, str(film.number))
    return named in values or urljoin(film.loc, named) == film.values["content"]


def _fill(film: Film, video: Mapping[str, Any], site: SiteFile) -> None:
    """Each field from the first place that has it."""
    page, media, model = film.page, film.media, site.model.videos
    found = str(video["found"] or "page")

    def put(name: str, *places: tuple[str, Any]) -> None:
        for origin, value in places:
            if value not in (None, "", []):
                film.values[name], film.origin[name] = value, origin
                return
        film.values[name] = None

    still = media.get("still")
    film.still = still
    own = f"{site.model.site.url}{STILLS_PATH}{still}" if still else None
    put("content", (found, video["content"]))
    put("player", (found, video["player"]))
    put(
        "thumbnail", (found, video["thumbnail"]), ("service", media.get("thumbnail")), ("file", own)
    )
    put("title", (found, video["title"]), ("service", media.get("title")),
        ("page", page["heading"] or page["title"]))  # fmt: skip
    put("description", (found, video["description"]), ("page", page["description"]),
        ("first sentences", page["excerpt"]))  # fmt: skip
    probed = "file" if media.get("codecs") else "service"
    put("duration", ("file", media.get("duration") if probed == "file" else None),
        (found, video["duration"]), (probed, media.get("duration")))  # fmt: skip
    size = model.width, model.height
    for number, name in enumerate(("width", "height")):
        put(name, (probed, media.get(name)), (found, video[name]), ("site file", size[number]))
    put("published", (found, video["published"]), ("page", page["published"]),
        ("page", page["lastmod"]))  # fmt: skip
    put("expires", (found, video["expires"]), ("page", page.get("expires")))
    of_page = next(iter(page.get("categories") or []), "")
    put("category", (found, video["category"]), ("page", of_page), ("site file", model.category))
    put("tags", (found, video["tags"]), ("page", page.get("tags")))
    if page.get("phrase") and page["phrase"] not in (film.values["tags"] or []):
        film.values["tags"] = [*(film.values["tags"] or []), page["phrase"]]
        film.origin.setdefault("tags", "page")
    for name in ("rating", "views", "family_friendly", "live", "subscription", "countries",
                 "platforms", "listed"):  # fmt: skip
        put(name, (found, video[name]))
    put("uploader", (found, video["uploader"]), ("service", media.get("author")),
        ("site file", model.uploader))  # fmt: skip
    about = urljoin(f"{site.model.site.url}/", model.uploader_page) if model.uploader_page else ""
    put("uploader_page", (found, video["uploader_page"]), ("site file", about))


def _finish(film: Film, site: SiteFile) -> None:
    """Values brought within what the protocol allows; what cannot be is dropped."""
    values = film.values
    if values["description"]:
        values["description"] = values["description"][:2_048]
    if values["duration"] and not 1 <= values["duration"] <= 28_800:
        values["duration"] = None
    if values["rating"] is not None and not 0 <= values["rating"] <= 5:
        values["rating"] = None
    if values["category"]:
        values["category"] = values["category"][:256]
    if values["uploader"]:
        values["uploader"] = values["uploader"][:255]
    if values["uploader_page"] and addresses.origin(values["uploader_page"]) != site.model.site.url:
        values["uploader_page"] = None
    values["tags"] = list(dict.fromkeys(values["tags"] or []))[: protocol.MAX_TAGS] or None
    for name in ("content", "player"):
        # An address that is the page's own leads to no media.
        if values[name] == film.loc:
            values[name] = None
    countries = (values["countries"] or "").upper().split()[1:]
    if not countries or not all(_COUNTRY.match(one) for one in countries):
        values["countries"] = None
    else:
        values["countries"] = " ".join([values["countries"].split()[0], *countries])
    if values["platforms"] and set(values["platforms"].split()[1:]) - {"web", "mobile", "tv"}:
        values["platforms"] = None


def _why_not(film: Film, now: str) -> str:
    if film.values.get("listed") is False:
        return "it is left out"
    if film.values["expires"] and film.values["expires"] < now:
        return f"it expired on {film.values['expires'][:10]}"
    if film.media.get("problem") == MISSING and not film.values["player"]:
        return "its media file does not exist"
    if film.missing:
        return f"it has no {' and no '.join(film.missing)}"
    return ""


def _choose(found: Mapping[str, list[Film]]) -> None:
    """Where several listed pages show one video, the page with the fewest videos stands for it;
    of equals the one with the shorter address."""
    shown: dict[str, list[Film]] = {}
    for films in found.values():
        for film in films:
            if film.page["listed"] and not film.why_not:
                key = film.values["content"] or film.values["player"]
                shown.setdefault(key, []).append(film)
    for same in shown.values():
        first = min(same, key=lambda one: (len(found[one.loc]), len(one.loc), one.loc, one.number))
        for film in same:
            if film is not first:
                film.elsewhere = first.loc
                film.why_not = f"{addresses.path_and_query(first.loc)} stands for it"


def sitemap_video(film: Film) -> dict[str, Any]:
    """A listed video as the writer of sitemaps takes it."""
    values = film.values
    row: dict[str, Any] = {
        "thumbnail_loc": values["thumbnail"],
        "title": values["title"],
        "description": values["description"],
        "content_loc": values["content"],
        "player_loc": values["player"],
        "duration": _text(values["duration"]),
        "expiration_date": values["expires"],
        "rating": _text(values["rating"]),
        "view_count": _text(values["views"]),
        "publication_date": values["published"],
        "tag": values["tags"],
        "category": values["category"],
        "family_friendly": _yes_no(values["family_friendly"]),
        "requires_subscription": _yes_no(values["subscription"]),
        "uploader": values["uploader"],
        "uploader@info": values["uploader_page"] if values["uploader"] else None,
        "live": _yes_no(values["live"]),
    }
    for name, ours in (("restriction", "countries"), ("platform", "platforms")):
        how, _, places = (values[ours] or "").partition(" ")
        row |= {name: places or None, f"{name}@relationship": how if places else None}
    return row


def _text(value: object) -> str | None:
    return None if value is None else str(value)


def _yes_no(value: bool | None) -> str | None:
    return None if value is None else "yes" if value else "no"


def video_rows(films: Mapping[str, list[Film]]) -> pl.DataFrame:
    """The listed videos of listed pages, as `loc, lastmod, videos`."""
    rows = []
    for loc, some in films.items():
        videos = [sitemap_video(film) for film in some if not film.why_not]
        if videos and some[0].page["listed"]:
            rows.append({"loc": loc, "lastmod": some[0].page["lastmod"], "videos": videos})
    return pl.DataFrame(rows, schema={"loc": pl.String, "lastmod": pl.String, "videos": VIDEO_LIST})


def sharing(films: Iterable[Film]) -> list[tuple[str, str]]:
    """`og:video` and a player card for the first video that other sites may play."""
    for film in films:
        values = film.values
        address = values["player"] or values["content"]
        if film.why_not or not address:
            continue
        kind = "text/html" if values["player"] else _mime(address)
        size = [(name, str(values[name])) for name in ("width", "height")]
        found = [("og:video", address), ("og:video:type", kind)]
        found += [(f"og:video:{name}", value) for name, value in size]
        if address.startswith("https://"):
            found += [("twitter:card", "player"), ("twitter:player", address)]
            found += [(f"twitter:player:{name}", value) for name, value in size]
        return found
    return []


def _mime(address: str) -> str:
    endings = {".webm": "video/webm", ".ogv": "video/ogg", ".ogg": "video/ogg"}
    return next((kind for end, kind in endings.items() if address.endswith(end)), "video/mp4")
