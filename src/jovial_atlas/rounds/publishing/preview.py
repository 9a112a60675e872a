"""Previews of pages, and drawing them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import polars as pl

from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.preview import Line, Preview, preview
from jovial_atlas.head.sharing import shared_picture
from jovial_atlas.media import cards
from jovial_atlas.media.pictures import shared_copy
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.publishing.patterns import check_patterns
from jovial_atlas.rounds.state.last_survey import LastSurvey

#: Pages that are drawn together, at most.
MOST = 40


def previews(pages: pl.DataFrame, survey: LastSurvey) -> Iterator[Preview]:
    """The views of some pages, rows of the decided table. Raises SiteFileError."""
    site = survey.site
    check_patterns(site)
    for page in pages_of(pages):
        films = survey.films.get(page.loc, ())
        yield preview(
            head_data(page, survey.heads, films, survey.head_context),
            page,
            site.model.site,
            site.model.lengths,
        )


def notes_of(shown: Preview) -> tuple[list[cards.Note], list[cards.Note]]:
    """What is to be said of a page's results, and of its cards."""
    title, wide, narrow = shown.wide.title, shown.wide.description, shown.narrow.description
    results = [
        *_lengths("title", title, "the page has no title"),
        *_lengths("description", wide, "the page has no description; engines choose a passage"),
    ]
    if narrow.cut and not wide.cut:
        results.append(cards.Note(f"on a narrow screen cut after {narrow.of} px: {narrow.cut!r}"))
    shared = [
        cards.Note(f"title: {len(shown.card_title)} characters, from {shown.card_title_from}"),
        cards.Note(
            f"description: {len(shown.card_text)} characters, "
            f"from {shown.card_text_from or 'nowhere'}",
            not shown.card_text,
        ),
        _picture_note(shown),
    ]
    return results, shared


def _lengths(name: str, line: Line, none: str) -> Iterator[cards.Note]:
    if not line.text:
        yield cards.Note(none, warn=True)
        return
    said = f"{name}: {line.px:,} of {line.of:,} px, {len(line.text)} characters"
    yield cards.Note(f"{said}, from {line.source}")
    if line.cut:
        yield cards.Note(f"{name} is cut before: {line.cut!r}", warn=True)


def _picture_note(one: Preview) -> cards.Note:
    picture = one.picture
    if picture is None:
        return cards.Note("picture: none", warn=True)
    size = f"{picture.width}×{picture.height}, " if picture.width else "not measured, "
    copied = f", a copy of {picture.original}" if picture.original else ""
    alt = "" if picture.alt else "; no alt text"
    return cards.Note(f"picture: {size}from {picture.source}{copied}{alt}")


def draw(pages: pl.DataFrame, survey: LastSurvey, path: Path) -> int:
    """Draw the views of some pages, as a picture (.png) or a page (.html). Gives how many.
    Raises AtlasError."""
    if path.suffix.lower() not in (".png", ".html"):
        raise AtlasError(f"{path}: a preview ends in .png or .html.")
    if pages.height > MOST:
        message = f"{pages.height:,} pages are chosen; at most {MOST} are drawn together."
        raise AtlasError(f"{message} Narrow them with --match, --section or --limit.")
    site = survey.site
    drawn = [_card(one, shared_octets(page, survey)) for one, page in
             zip(previews(pages, survey), pages_of(pages), strict=True)]  # fmt: skip
    if path.suffix.lower() == ".png":
        write_whole(path, cards.draw(drawn))
    else:
        title = f"{site.model.site.name}: how pages are met"
        write_whole(path, cards.page(drawn, title, site.model.site.language))
    return len(drawn)


def shared_octets(page: Page, survey: LastSurvey) -> bytes | None:
    """The picture with which a page is shared; None where its file is not here."""
    section = survey.heads.section_of(page)
    films = survey.films.get(page.loc, ())
    shared = shared_picture(page, survey.heads, section, films, survey.pictures.look)
    if shared is None:
        return None
    try:
        if shared.copy:
            return shared_copy(shared.copy.place, shared.copy.how)
        original = survey.pictures.look(shared.picture.loc)
        return original.place.read_bytes() if original else None
    except (OSError, ValueError):
        return None


def _card(shown: Preview, picture: bytes | None) -> cards.Card:
    results, shared = notes_of(shown)
    return cards.Card(
        shown.loc, shown.hidden, shown.wide.trail, shown.wide.title.shown,
        shown.wide.description.shown, shown.narrow.description.shown, shown.host,
        shown.card_title, shown.card_text, picture,
        "its file is not here" if shown.picture else "no picture", results, shared,
    )  # fmt: skip


def chosen(urls: Sequence[str], survey: LastSurvey) -> pl.DataFrame:
    """The pages with these addresses, or paths from '/' on, in that order. Raises AtlasError for
    one that is no page."""
    from jovial_atlas.rounds.deciding.explain import page_at

    return pl.concat([page_at(url, survey) for url in urls])
