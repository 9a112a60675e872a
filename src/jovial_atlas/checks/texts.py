"""Titles and descriptions as they are published: lengths, language, what they say. Habits of
display, so mostly advice."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Any

import msgspec
import polars as pl

from jovial_atlas.faults import Fault
from jovial_atlas.head.lengths import shown, width
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.texts import Text, description_of, phrase_of, phrases_in, title_of
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import Section
from jovial_atlas.sitefile.heads import Lengths
from jovial_atlas.words import is_plainly_in, says

#: Texts of fewer words do not tell their language; nor does a guess that is less sure than this.
_WORDS, _SURE = 10, 0.97
#: Languages that are taken for each other.
_ALIKE = (
    {"no", "nb", "nn", "da"}, {"hr", "bs", "sr", "sl"}, {"id", "ms", "jv"}, {"cs", "sk"},
    {"es", "gl", "an", "ca"}, {"pt", "gl"}, {"de", "lb"}, {"nl", "af"}, {"hi", "mr", "ne"},
    {"ru", "uk", "be", "bg", "mk"},
)  # fmt: skip


class PublishedTexts(msgspec.Struct, frozen=True):
    """The texts of one listed page as its head has them."""

    page: Page
    section: Section | None
    title: Text
    description: Text


def published_texts(decided: pl.DataFrame, settings: HeadSettings) -> list[PublishedTexts]:
    """The texts of all listed pages."""
    published = []
    for page in pages_of(decided.filter("listed")):
        section = settings.section_of(page)
        title, said = title_of(page, settings, section), description_of(page, settings, section)
        published.append(PublishedTexts(page, section, title, said))
    return published


def with_published(decided: pl.DataFrame, texts: Sequence[PublishedTexts] | None) -> pl.DataFrame:
    """The decided table with titles and descriptions as they are published. What only stands in
    for one, as a heading or first sentences do, is none."""
    if texts is None:
        return decided
    rows = {
        "loc": [one.page.loc for one in texts],
        "title": [_meant(one.title) for one in texts],
        "description": [_meant(one.description) for one in texts],
    }
    said = pl.DataFrame(rows, schema=dict.fromkeys(rows, pl.String))
    return decided.drop("title", "description").join(said, on="loc", how="left")


def _meant(text: Text) -> str | None:
    return None if text.source in ("heading", "excerpt", "kind of page") else text.value


def check_lengths(
    texts: Sequence[PublishedTexts], settings: HeadSettings, limits: Lengths
) -> Iterator[Fault]:
    """Titles and descriptions that are cut in results, or say little, titles that only name the
    site, patterns that give nothing, and target phrases that a page never says."""
    site = settings.site
    names = {site.name.casefold(), site.short_name.casefold()}
    for published in texts:
        page, section = published.page, published.section
        for name, found in (("title", published.title), ("description", published.description)):
            said = [getattr(at, name) for at in (section, settings.head) if at]
            yield from _empty(name, found, page, said)
        if title := published.title.value:
            yield from _length("title", page.loc, title, limits.title_px, limits.title_size,
                               limits.title_least)  # fmt: skip
            home = page.loc == f"{site.url}/"
            if title.casefold() in names and not home:
                yield Fault("title-site-name", page.loc, f"Its title is only {title!r}.")
        if published.description.value and published.description.source != "excerpt":
            yield from _length("description", page.loc, published.description.value,
                               limits.description_px, limits.description_size,
                               limits.description_least)  # fmt: skip
        language = page.language or site.language
        yield from _phrase(published, phrase_of(page, settings), language)


def _phrase(published: PublishedTexts, phrase: str, language: str) -> Iterator[Fault]:
    phrases = phrases_in(phrase)
    if not phrases:
        return
    places = {
        "title": published.title.value,
        "heading": published.page.heading,
        "description": published.description.value,
        "first sentences": published.page.excerpt,
    }
    lacking = [
        name
        for name, text in places.items()
        if not any(says(one, text, language) for one in phrases)
    ]
    if lacking:
        said = " or ".join(map(repr, phrases))
        message = f"Its target phrase {said} is not in its {', '.join(lacking)}."
        yield Fault("phrase-absent", published.page.loc, message)


def _empty(name: str, found: Text, page: Page, patterns: Sequence[str]) -> Iterator[Fault]:
    """A pattern that gives nothing for a page, which then falls back to its own text."""
    given = ("overrides file", "pattern", "pattern of its kind", "site pattern")
    if any(patterns) and found.source not in given:
        message = f"The pattern of its {name} gives nothing; the page's own {name} is used."
        yield Fault("pattern-empty", page.loc, message)


def _length(name: str, loc: str, text: str, most: int, size: int, least: int) -> Iterator[Fault]:
    wide = width(text, size)
    if wide > most:
        message = (
            f"The {name} is {len(text):,} characters or {wide:,} px; results show about "
            f"{most:,} px, as far as {shown(text, size, most)[-40:]!r}."
        )
        yield Fault(f"{name}-long", loc, message)
    elif len(text) < least:
        yield Fault(f"{name}-short", loc, f"The {name} is {len(text)} characters: {text!r}.")


def check_languages(texts: Sequence[PublishedTexts], site: SiteFile) -> Iterator[Fault]:
    """Titles with descriptions in another language than their page says it is in."""
    for published in texts:
        declared = (published.page.language or site.model.site.language).partition("-")[0].lower()
        text = ". ".join(
            part for part in (published.title.value, published.description.value) if part
        )
        # What is plain needs no model, which takes a second to load.
        if len(text.split()) < _WORDS or is_plainly_in(text, declared):
            continue
        language, sure = _identifier().classify(text)
        alike = any({language, declared} <= group for group in _ALIKE)
        if language != declared and sure >= _SURE and not alike:
            message = (
                f"The page is in {declared!r}; its title and description read as {language!r}: "
                f"{text[:80]!r}."
            )
            yield Fault("text-language", published.page.loc, message)


@lru_cache(maxsize=1)
def _identifier() -> Any:
    from py3langid.langid import MODEL_FILE, LanguageIdentifier

    return LanguageIdentifier.from_model_file(MODEL_FILE, norm_probs=True)
