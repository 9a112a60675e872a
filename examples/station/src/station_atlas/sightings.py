"""A source: sightings, as lines of JSON."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any

import msgspec

from jovial_atlas.extend import ContentError, ReaderContext, RecordReader


class Settings(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`file`: its path, relative to the site file."""

    file: str


class Sightings(RecordReader):
    """Every line is an object; its fields become those of a page by `url` and `columns`."""

    settings = Settings

    def records(self, settings: Settings, context: ReaderContext) -> Iterator[Mapping[str, Any]]:
        place = context.folder / settings.file
        try:
            lines = place.read_text(encoding="utf-8").splitlines()
        except (OSError, UnicodeDecodeError) as error:
            raise ContentError(f"{place} cannot be read ({error}).") from error
        for number, line in enumerate(lines, start=1):
            try:
                yield json.loads(line)
            except ValueError as error:
                raise ContentError(f"{place}:{number} is no JSON ({error}).") from error
