"""Head data for each page, from verdicts and patterns."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import islice

import msgspec
import polars as pl

from jovial_atlas.head.context import NO_CONTEXT, HeadContext
from jovial_atlas.head.directives import directives_for, directives_of
from jovial_atlas.head.head import Head
from jovial_atlas.head.page_graph import page_graph
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.sharing import shared_picture
from jovial_atlas.head.texts import description_of, text_of, title_of
from jovial_atlas.head.videos import Film, sharing
from jovial_atlas.pages.page import Page, pages_of
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


class PageHead(msgspec.Struct, frozen=True):
    """A page and its head data."""

    page: Page
    head: Head


def _section(page: Page, settings: HeadSettings) -> Section | None:
    return settings.section_of(page)


def heads_by_section(
    decided: pl.DataFrame,
    settings: HeadSettings,
    films: Mapping[str, Sequence[Film]],
    context: HeadContext = NO_CONTEXT,
) -> Iterator[tuple[str, Iterator[PageHead]]]:
    """For each section its pages with their head data, by address, made while they are taken."""
    for part in decided.sort("section", "loc").partition_by("section", maintain_order=True):
        yield part["section"][0], heads_of(part, settings, films, context)


def heads_of(
    decided: pl.DataFrame,
    settings: HeadSettings,
    films: Mapping[str, Sequence[Film]],
    context: HeadContext = NO_CONTEXT,
) -> Iterator[PageHead]:
    """Pages with their head data, in order, made while they are taken."""
    for page in pages_of(decided):
        yield PageHead(page, head_data(page, settings, films.get(page.loc, ()), context))


def head_lines(heads: Iterator[PageHead]) -> Iterator[bytes]:
    """Head data as JSON Lines, some lines at a time."""
    encode = msgspec.json.Encoder().encode
    while some := b"".join([encode(one.head) + b"\n" for one in islice(heads, _TOGETHER)]):
        yield some


#: Lines that are written together.
_TOGETHER = 500
