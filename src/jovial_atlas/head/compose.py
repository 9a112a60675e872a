"""Head data for each page, from verdicts and patterns."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import msgspec
import polars as pl

from jovial_atlas.head.context import NO_CONTEXT, HeadContext
from jovial_atlas.head.head import Head
from jovial_atlas.head.page_graph import page_graph
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.sharing import shared_picture
from jovial_atlas.head.texts import description_of, text_of, title_of
from jovial_atlas.head.videos import Film, sharing
from jovial_atlas.pages.page import CrawlerVerdict, Page, pages_of
from jovial_atlas.robots.words import DECIDED, kept
from jovial_atlas.sitefile.deciding import Section


def head_data(
    page: Page,
    settings: HeadSettings,
    films: Sequence[Film] = (),
    context: HeadContext = NO_CONTEXT,
) -> Head:
    """What belongs into the head of one page with its videos. `context` is what is known beyond
    it."""
    section = _section(page, settings)
    title = title_of(page, settings, section)
    description = description_of(page, settings, section)
    picture = shared_picture(page, settings, section, films, context.look) if page.index else None
    texts = (title.value, description.value)
    graph = page_graph(page, settings, section, texts, films, context) if page.index else None
    shared, said = (text_of(f"share_{one}", page, settings, section).value for one in _TWO)
    cards = [text_of(f"card_{one}", page, settings, section).value for one in _TWO]
    return Head(
        loc=page.loc,
        title=title.value,
        title_from=title.source,
        description=description.value,
        description_from=description.source,
        # What somebody wrote into the page beats what would be put together, but not a pattern; a
        # card has the texts of sharing where it has none of its own.
        share_title=shared or page.share_title,
        share_description=said or page.share_description,
        share_type=page.share_type,
        card_title=cards[0] or (None if shared else page.card_title),
        card_description=cards[1] or (None if said else page.card_description),
        picture=picture.picture if picture else None,
        canonical=page.canonical or page.loc,
        directives=directives_of(page, settings.site.stage),
        directives_for=directives_for(page, settings.site.stage),
        meta=sharing(films) if settings.videos.elsewhere and page.index else [],
        json_ld=graph.document if graph else None,
    )


_TWO = ("title", "description")


@dataclass(frozen=True, slots=True)
class PageHead:
    """A page and its head data."""

    page: Page
    head: Head


def _section(page: Page, settings: HeadSettings) -> Section | None:
    return settings.section_of(page)


def directives_of(page: Page, stage: str) -> str:
    """The robots directives for all crawlers: only what differs from the default."""
    return ", ".join(_words(page, stage))


def directives_for(page: Page, stage: str) -> dict[str, str]:
    """Crawler → the directives for it alone. They add to those for all crawlers, so only what
    these do not say yet is there."""
    crawlers = page.crawlers
    if not crawlers:
        return {}
    general = _words(page, stage)
    own = {one.crawler: one.words for one in page.crawler_directives or ()}
    by_crawler = {
        token: [
            word
            for word in [
                *_words(decided, stage),
                # Only that crawler knows all of its words.
                *(_joined(*said) for said in _own(own.get(token)).items()),
            ]
            if word not in general
        ]
        for token, decided in crawlers.items()
        if decided is not None
    }
    return {token: ", ".join(words) for token, words in by_crawler.items() if words}


def _own(words: str | None) -> dict[str, str]:
    """What a page says that no field stands for, by directive."""
    return {name: value for name, value in kept(words).items() if name not in DECIDED}


def _joined(name: str, value: str) -> str:
    return f"{name}: {value}" if value else name


def _words(decided: Page | CrawlerVerdict, stage: str) -> list[str]:
    words = []
    if not decided.index or stage == "draft":
        words.append("noindex")
    if not decided.follow:
        words.append("nofollow")
    if decided.max_snippet == 0:
        words.append("nosnippet")
    for name, value in (
        ("max-snippet", decided.max_snippet or None),
        ("max-image-preview", decided.max_image_preview),
        ("max-video-preview", decided.max_video_preview),
        ("unavailable_after", decided.unavailable_after),
    ):
        if value is not None:
            words.append(f"{name}:{value}")
    if decided.archive is False:
        words.append("noarchive")
    if decided.translate is False:
        words.append("notranslate")
    if decided.image_index is False:
        words.append("noimageindex")
    if decided.embedded_index:
        words.append("indexifembedded")
    return words


def heads_by_section(
    decided: pl.DataFrame,
    settings: HeadSettings,
    films: Mapping[str, Sequence[Film]],
    context: HeadContext = NO_CONTEXT,
) -> Iterator[tuple[str, list[PageHead]]]:
    """For each section its pages with their head data, by address."""
    parts = decided.sort("section", "loc").partition_by("section", maintain_order=True)
    for part in parts:
        heads = [
            PageHead(page, head_data(page, settings, films.get(page.loc, ()), context))
            for page in pages_of(part)
        ]
        yield part["section"][0], heads


def head_lines(heads: Sequence[PageHead]) -> bytes:
    """Head data as JSON Lines."""
    return b"".join(msgspec.json.encode(one.head) + b"\n" for one in heads)
