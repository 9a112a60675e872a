"""The fields of a video, and how people write them in front matter, tables and structured data."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple, TypedDict, Unpack, cast

from jovial_atlas import dates, foreign
from jovial_atlas.media.services import Service, recognise

_ISO_LENGTH = re.compile(
    r"P(?:(\d+)D)?T?(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?\Z", re.IGNORECASE
)
_CLOCK = re.compile(r"(?:(\d+):)?(\d{1,2}):(\d\d)\Z")


class VideoRow(TypedDict, total=False):
    """A video that a page shows."""

    content: str | None
    player: str | None
    thumbnail: str | None
    title: str | None
    description: str | None
    duration: int | None
    width: int | None
    height: int | None
    published: str | None
    expires: str | None
    category: str | None
    tags: list[str] | None
    rating: float | None
    views: int | None
    family_friendly: bool | None
    live: bool | None
    subscription: bool | None
    countries: str | None
    platforms: str | None
    uploader: str | None
    uploader_page: str | None
    price: list[str] | None
    gallery: str | None
    gallery_title: str | None
    segments: list[str] | None
    ids: list[str] | None
    listed: bool | None
    found: str | None
    service: str | None
    words_before: int | None


#: The fields of a video.
VIDEO_KEYS = tuple(VideoRow.__annotations__)


def video(**given: Unpack[VideoRow]) -> VideoRow:
    """A video with these fields; empty ones count as not given."""
    found = cast(VideoRow, dict.fromkeys(VIDEO_KEYS))
    said = {name: value for name, value in given.items() if value not in (None, "", [])}
    found.update(cast(VideoRow, said))
    return found


def plain_text(value: object) -> str | None:
    """Text of a value of structured data or a field: itself, or what names a node."""
    if isinstance(value, dict):
        value = value.get("name") or value.get("url") or value.get("value")
    if isinstance(value, bool) or not isinstance(value, (str, int, float)):
        return None
    return " ".join(str(value).split()) or None


def whole(value: object) -> int | None:
    """A whole number greater than nothing, as pixels and seconds are."""
    try:
        number = int(float(str(value).removesuffix("px")))
    except (ValueError, OverflowError):
        return None
    return number if number > 0 else None


def seconds(value: object) -> int | None:
    """A length: seconds, `12:30`, `1:02:03`, or ISO 8601 as `PT12M30S`."""
    written = str(value).strip() if value is not None else ""
    if clock := _CLOCK.match(written):
        hours, minutes, rest = (int(part or 0) for part in clock.groups())
        return hours * 3600 + minutes * 60 + rest or None
    iso = _ISO_LENGTH.match(written)
    if written and iso and any(iso.groups()):
        days, hours_, minutes_, rest_ = (float(part or 0) for part in iso.groups())
        return round(days * 86_400 + hours_ * 3600 + minutes_ * 60 + rest_) or None
    return whole(written)


def words(value: object) -> list[str] | None:
    """A list of words: a list, or text with commas between."""
    items = value if isinstance(value, list) else str(value).split(",") if value else []
    return [said for one in items if (said := " ".join(str(one).split()))] or None


_PRICE = re.compile(
    r"(?P<amount>\d+(?:[.,]\d\d?)?)\s+(?P<currency>[A-Za-z]{3})"
    r"(?:\s+(?P<type>rent|own|purchase|subscription))?(?:\s+(?P<resolution>hd|sd))?\Z",
    re.IGNORECASE,
)
_SEGMENT = re.compile(r"(?P<address>\S+?)(?:\s+(?P<seconds>\d{1,5}))?\Z")


class Price(NamedTuple):
    """What a video costs: amount, currency (ISO 4217), how it is had, resolution."""

    amount: str
    currency: str
    type: str | None
    resolution: str | None


def price_of(said: str) -> Price | None:
    """A price as owners write it (`3.99 GBP`, `3.99 GBP rent hd`); None where it is none."""
    match = _PRICE.match(said.strip())
    if match is None:
        return None
    how, size = ((match[name] or "").lower() or None for name in ("type", "resolution"))
    return Price(match["amount"].replace(",", "."), match["currency"].upper(), how, size)


def segment_of(said: str) -> tuple[str, str | None]:
    """The address of a piece of a video, and its seconds, as in `/part-1.mp4 120`."""
    match = _SEGMENT.match(said.strip())
    return (match["address"], match["seconds"]) if match else (said, None)


def texts(value: object) -> list[str] | None:
    """Several texts: a list, or text with semicolons between."""
    items = value if isinstance(value, list) else str(value).split(";") if value else []
    return [said for one in items if (said := " ".join(str(one).split()))] or None


def _prices(value: object) -> list[str] | None:
    found = [one for one in texts(value) or [] if price_of(one)]
    return found or None


def _rating(value: object) -> float | None:
    try:
        return float(cast(str, value))
    except (TypeError, ValueError):
        return None


def truth(value: object) -> bool | None:
    """Yes or no, in the ways it is written."""
    said = str(value).strip().lower()
    if said in ("true", "yes", "1", "https://schema.org/true"):
        return True
    return False if said in ("false", "no", "0", "https://schema.org/false") else None


def relation(how: str, value: object) -> str | None:
    """`allow GB IE`, from a list of places or text; a table {allow = […]} says itself how."""
    if isinstance(value, dict):
        named = [(key, value[key]) for key in ("allow", "deny") if value.get(key)]
        return relation(*named[0]) if named else None
    items = value if isinstance(value, list) else str(value or "").replace(",", " ").split()
    places = [str(one.get("name") if isinstance(one, dict) else one).strip() for one in items]
    if places[:1] in (["allow"], ["deny"]):
        how, *places = places
    return f"{how} {' '.join(places)}" if places and all(places) else None


#: Names under which a field may stand, the first that is given counts; else its own.
VIDEO_ALIASES = {
    "content": ("content", "src", "url", "file"),
    "player": ("player", "embed"),
    "thumbnail": ("thumbnail", "poster", "still"),
    "published": ("published", "date"),
    "expires": ("expires", "expiry"),
}
_READ: dict[str, Callable[[object], Any]] = {
    "duration": seconds, "width": whole, "height": whole, "views": whole, "tags": words,
    "published": lambda value: dates.read(str(value)), "expires": lambda v: dates.read(str(v)),
    "price": _prices, "ids": texts, "rating": _rating,
    "family_friendly": truth, "live": truth, "subscription": truth, "listed": truth,
    "countries": lambda value: relation("allow", value),
    "platforms": lambda value: relation("allow", value),
}  # fmt: skip
_REFERENCES = frozenset({"content", "player", "thumbnail", "uploader_page", "gallery"})
_PLAIN = frozenset({"title", "description", "category", "uploader", "gallery_title"})


def read_field(name: str, value: object, resolve: Callable[[str], str | None]) -> Any:
    """A field of a video as owners write it; None where that is nothing. `resolve` gives the
    address to which a reference leads."""
    if name in _REFERENCES:
        return resolve(str(value)) if value else None
    if name in _PLAIN:
        return plain_text(value)
    if name == "segments":
        return [_resolved(one, resolve) for one in texts(value) or []]
    return _READ[name](value) if name in _READ else value


def of_fields(
    value: object, resolve: Callable[[str], str | None], services: Sequence[Service]
) -> list[VideoRow]:
    """Videos that a field names: an address, a table with the fields of a video, a list of these,
    or any of them as JSON text. What names no media file and no player is left out."""
    if isinstance(value, str) and value.lstrip().startswith(("{", "[")):
        try:
            value = foreign.read_json(value)
        except ValueError:
            return []
    if isinstance(value, str) and ";" in value:
        value = [one.strip() for one in value.split(";") if one.strip()]
    items = value if isinstance(value, list) else [value] if value else []
    found = [_of_field(one if isinstance(one, dict) else {"src": one}, resolve, services)
             for one in items]  # fmt: skip
    return [one for one in found if one["content"] or one["player"]]


def _of_field(
    given: Mapping[str, Any], resolve: Callable[[str], str | None], services: Sequence[Service]
) -> VideoRow:
    said = {
        name: next((given[one] for one in VIDEO_ALIASES.get(name, (name,))
                    if given.get(one) is not None), None)
        for name in VIDEO_KEYS
    }  # fmt: skip
    values: dict[str, Any] = {
        name: None if value is None else read_field(name, value, resolve)
        for name, value in said.items()
    }
    address = values["player"] or values["content"] or ""
    if at := recognise(address, services):
        values |= {"player": at.player, "service": at.service,
                   "content": at.content if values["content"] == address else values["content"],
                   "thumbnail": values["thumbnail"] or at.thumbnail}  # fmt: skip
    return video(**{**values, "found": "field", "words_before": None})


def _resolved(segment: str, resolve: Callable[[str], str | None]) -> str:
    address, length = segment_of(segment)
    return " ".join(one for one in (resolve(address) or address, length) if one)
