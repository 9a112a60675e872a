"""Measuring files, some at a time, as workers do: it loads nothing of tables."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec
import xxhash

from jovial_atlas.review.measures import MEASURED_FORM, measures_of
from jovial_atlas.sources.html_page.fulltext import html_of_file


class PageToMeasure(NamedTuple):
    """A page and its file, or the copy that a crawl kept; the digest of its bytes where a survey
    has it; the language that it is in, and the phrases that it wants to be found for. `filed` is
    the address that a file of Markdown would have if it were served as it lies: other files are
    linked to by their names, from there."""

    loc: str
    path: Path
    digest: str | None
    language: str
    phrases: tuple[str, ...]
    filed: str = ""

    @property
    def key(self) -> str:
        """What its measures rest on; empty where nobody knows."""
        if not self.digest:
            return ""
        said = "\0".join((MEASURED_FORM, self.digest, self.language, *self.phrases, self.filed))
        return xxhash.xxh3_128_hexdigest(said.encode())


def measure_files(pages: Sequence[PageToMeasure]) -> list[tuple[str, bytes]]:
    """The measures of some pages, packed, by address. A page that cannot be read or understood is
    left out."""
    return [(one.loc, packed) for one in pages if (packed := _packed(one, html_of_file(one.path)))]


def _packed(page: PageToMeasure, data: bytes) -> bytes | None:
    if not data:
        return None
    try:
        measures = measures_of(data, page.loc, page.language, page.phrases, page.filed)
    except Exception:  # noqa: BLE001 - as when it is read: no other page suffers
        return None
    return msgspec.msgpack.encode(measures)
