"""Hosting services of videos, as a data file describes them: known by the address of a player.

The form of the file is told in `services.toml`, which ships with made-up services.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Sequence
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import Any

import msgspec

from jovial_atlas.errors import AtlasError

_KEYS = {"name", "match", "player", "media", "page", "thumbnail", "oembed"}
#: Endings of media files, lower-case.
MEDIA_ENDINGS = (".mp4", ".m4v", ".webm", ".ogv", ".ogg", ".mov", ".mkv")


class Service(msgspec.Struct, frozen=True):
    """One hosting service: patterns of its addresses, and templates with {id} (empty: none)."""

    name: str
    match: tuple[str, ...]
    player: str = ""
    media: str = ""
    page: str = ""
    thumbnail: str = ""
    oembed: str = ""


class Recognised(msgspec.Struct, frozen=True):
    """A video at a service: its addresses, as far as they can be told."""

    service: str
    player: str | None
    content: str | None
    thumbnail: str | None


def read_services(text: str, name: str) -> tuple[Service, ...]:
    """The services of a data file. Raises AtlasError with the first thing that is wrong."""
    try:
        found = tomllib.loads(text).get("service", [])
    except tomllib.TOMLDecodeError as error:
        raise AtlasError(f"{name} is not TOML: {error}.") from None
    return tuple(_service(one, f"{name}, service {n}") for n, one in enumerate(found, start=1))


def _service(given: dict[str, Any], where: str) -> Service:
    if unknown := sorted(set(given) - _KEYS):
        raise AtlasError(
            f"{where}: {unknown[0]!r} is no key; there are {', '.join(sorted(_KEYS))}."
        )
    matches = given.get("match", [])
    if not given.get("name") or not isinstance(matches, list) or not matches:
        raise AtlasError(f"{where} needs a name, and match = [ … ] with at least one pattern.")
    for pattern in matches:
        try:
            named = re.compile(pattern).groupindex
        except (re.error, TypeError) as error:
            raise AtlasError(f"{where}: {pattern!r} is no regular expression ({error}).") from None
        if "id" not in named:
            raise AtlasError(f"{where}: {pattern!r} names no part (?P<id>…).")
    if not (given.get("player") or given.get("media")):
        raise AtlasError(f"{where} gives neither player nor media.")
    return Service(**{**given, "match": tuple(matches)})


@lru_cache(maxsize=8)
def services(own: Path | None = None) -> tuple[Service, ...]:
    """The owner's services before those that ship with the tool. Raises AtlasError."""
    shipped = files("jovial_atlas.media").joinpath("services.toml").read_text("utf-8")
    known = read_services(shipped, "services.toml")
    if own is None:
        return known
    try:
        return read_services(own.read_text("utf-8"), str(own)) + known
    except (OSError, UnicodeDecodeError) as error:
        raise AtlasError(f"{own} cannot be read ({error}).") from None


def recognise(address: str, known: Sequence[Service]) -> Recognised | None:
    """The video that an address of a service leads to, None where no service knows it."""
    for service in known:
        for pattern in service.match:
            if found := _compiled(pattern).match(address):
                number = found["id"]
                return Recognised(
                    service.name,
                    *(
                        template.replace("{id}", number) if template else None
                        for template in (service.player, service.media, service.thumbnail)
                    ),
                )
    return None


def page_of(address: str, known: Sequence[Service]) -> tuple[str, str] | None:
    """(address of the page about a video, oEmbed endpoint or "") for the address of a player."""
    for service in known:
        for pattern in service.match:
            if service.page and (found := _compiled(pattern).match(address)):
                return service.page.replace("{id}", found["id"]), service.oembed
    return None


@lru_cache(maxsize=256)
def _compiled(pattern: str) -> re.Pattern[str]:
    return re.compile(pattern)


def is_media(address: str) -> bool:
    """Whether an address ends like a media file."""
    return address.partition("?")[0].lower().endswith(MEDIA_ENDINGS)
