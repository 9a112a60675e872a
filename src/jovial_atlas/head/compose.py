"""Head data for each page, from verdicts and patterns.

The result is one JSON object a page: loc, title, title_from, description, description_from,
share_title, share_description, card_title, card_description, picture, canonical, directives,
directives_for, meta, json_ld.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import orjson
import polars as pl

from jovial_atlas.head.around import ALONE, Around
from jovial_atlas.head.data import page_graph
from jovial_atlas.head.sharing import shared_picture
from jovial_atlas.head.texts import description_of, text_of, title_of
from jovial_atlas.head.videos import Film, sharing
from jovial_atlas.robots.directives import KNOWN
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import Section


def head_data(
    page: Mapping[str, Any],
    site: SiteFile,
    films: Sequence[Film] = (),
    around: Around = ALONE,
) -> dict[str, Any]:
    """What belongs into the head of one page (a row of the decided table) with its videos.
    `around` is what is known beyond its row."""
    section = _section(page, site)
    title = title_of(page, site, section)
    description = description_of(page, site, section)
    picture = shared_picture(page, site, section, films, around.look) if page["index"] else None
    texts = (title.value, description.value)
    graph = page_graph(page, site, section, texts, films, around) if page["index"] else None
    return {
        "loc": page["loc"],
        "title": title.value,
        "title_from": title.source,
        "description": description.value,
        "description_from": description.source,
        "share_title": text_of("share_title", page, site, section).value,
        "share_description": text_of("share_description", page, site, section).value,
        "card_title": text_of("card_title", page, site, section).value,
        "card_description": text_of("card_description", page, site, section).value,
        "picture": picture.as_dict() if picture else None,
        "canonical": page["canonical"] or page["loc"],
        "directives": directives_of(page, site),
        "directives_for": directives_for(page, site),
        "meta": sharing(films) if site.model.videos.elsewhere and page["index"] else [],
        "json_ld": graph.document if graph else None,
    }


@dataclass(frozen=True, slots=True)
class Head:
    """A page (a row of the decided table, without its links) and its head data."""

    page: dict[str, Any]
    data: dict[str, Any]


def _section(page: Mapping[str, Any], site: SiteFile) -> Section | None:
    return next((s for s in site.model.section if s.name == page["section"]), None)


def directives_of(page: Mapping[str, Any], site: SiteFile) -> str:
    """The robots directives for all crawlers: only what differs from the default. Words of the
    page that are nobody's decision are kept where crawlers know them."""
    return ", ".join(_words(page, page, site))


def directives_for(page: Mapping[str, Any], site: SiteFile) -> dict[str, str]:
    """Crawler → the directives for it alone. They add to those for all crawlers, so only what
    these do not say yet is there."""
    crawlers = page.get("crawlers")
    if not crawlers:
        return {}
    general = _words(page, page, site)
    own = {one["crawler"]: one["words"] for one in page.get("crawler_directives") or ()}
    found = {
        token: [
            word
            for word in [*_words(decided, page, site), *_kept(own.get(token))]
            if word not in general
        ]
        for token, decided in crawlers.items()
    }
    return {token: ", ".join(words) for token, words in found.items() if words}


#: Words that a decided field stands for; all others of a page are its own.
_DECIDED = frozenset(
    ["all", "index", "follow", "none", "noindex", "nofollow", "nosnippet", "noarchive",
     "notranslate", "max-snippet", "max-image-preview", "max-video-preview", "unavailable_after"]
)  # fmt: skip


_OWN = KNOWN - _DECIDED


def _kept(words: str | None) -> list[str]:
    """Words of a tag for one crawler that no field stands for: only that crawler knows them all."""
    said = (words or "").split(", ")
    return [word for word in said if word and word.partition(":")[0].lower() not in _DECIDED]


def _words(decided: Mapping[str, Any], page: Mapping[str, Any], site: SiteFile) -> list[str]:
    words = []
    if not decided["index"] or site.model.site.stage == "draft":
        words.append("noindex")
    if not decided["follow"]:
        words.append("nofollow")
    words += [
        word for word in (page["directives"] or "").split(", ")
        if word and word.partition(":")[0].lower() in _OWN
    ]  # fmt: skip
    if decided.get("max_snippet") == 0:
        words.append("nosnippet")
    for name in ("max-snippet", "max-image-preview", "max-video-preview", "unavailable_after"):
        value = decided.get(name.replace("-", "_"))
        if value is not None and (name, value) != ("max-snippet", 0):
            words.append(f"{name}:{value}")
    if decided.get("archive") is False:
        words.append("noarchive")
    if decided.get("translate") is False:
        words.append("notranslate")
    return words


def heads_by_section(
    decided: pl.DataFrame,
    site: SiteFile,
    films: Mapping[str, Sequence[Film]],
    around: Around = ALONE,
) -> Iterator[tuple[str, list[Head]]]:
    """For each section its pages with their head data, by address."""
    parts = decided.sort("section", "loc").partition_by("section", maintain_order=True)
    for part in parts:
        heads = [
            Head(page, head_data(page, site, films.get(page["loc"], ()), around))
            for page in _rows(part)
        ]
        yield part["section"][0], heads


def _rows(part: pl.DataFrame) -> Iterator[dict[str, Any]]:
    """The rows of a table without its links. Columns that hold nothing are not taken apart row by
    row: most columns of most sites do."""
    empty = [one.name for one in part.iter_columns() if one.null_count() == part.height]
    nothing = dict.fromkeys(empty)
    for row in part.drop([*empty, *(["links"] if "links" not in empty else [])]).to_dicts():
        yield {**nothing, **row}


def head_lines(heads: Sequence[Head]) -> bytes:
    """Head data as JSON Lines."""
    return b"".join(orjson.dumps(one.data) + b"\n" for one in heads)
