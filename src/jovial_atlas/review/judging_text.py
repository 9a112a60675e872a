"""What is thought of a page's words: its phrases, its title and description, how it reads."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from urllib.parse import unquote, urlsplit

from jovial_atlas import addresses
from jovial_atlas.faults import plural
from jovial_atlas.findings.marks import MarkState
from jovial_atlas.head.lengths import shown, width
from jovial_atlas.review.measures import PageMeasures
from jovial_atlas.review.reading import LEAST_WORDS, ease, formula_of
from jovial_atlas.review.reviewed import ReviewedPage
from jovial_atlas.review.verdict import Said, good_if, some
from jovial_atlas.words import says, shares_words, word_count

_Limits = Mapping[str, Mapping[str, float]]
_Marks = Iterator[tuple[str, Said]]
#: How much of a text is quoted.
_QUOTED = 70


def judge_phrases(page: ReviewedPage, limits: _Limits) -> _Marks:
    """Whether the phrases that a page wants to be found for stand where readers look. Of several
    phrases the title must say one, since it has room for no more."""
    if not page.phrases:
        return
    yield from _in_places(page)
    measures = page.measures
    if measures is not None and not measures.said.keys().isdisjoint(page.phrases):
        yield "phrase-often", _often(page, measures, limits["phrase-often"])
    if page.rivals is None:
        return
    told = [
        f"{phrase!r} is also that of {some(map(addresses.path_and_query, others))}"
        for phrase in page.phrases
        if (others := page.rivals.get(phrase))
    ]
    said = "; ".join(told) or "none"
    yield "phrase-shared", good_if(not told, said, "none", nearly=True)


def _in_places(page: ReviewedPage) -> _Marks:
    measures, language = page.measures, page.language
    places: list[tuple[str, str | None, bool]] = [
        ("phrase-title", page.title, False),
        ("phrase-heading", page.heading, False),
        ("phrase-description", page.description, True),
        ("phrase-address", _words_of_address(page.loc), True),
    ]
    if page.is_home:
        places.pop()
    if measures is not None:
        if measures.first:
            places.append(("phrase-beginning", measures.first, False))
        subheadings = [said for level, said, _ in measures.headings if level > 1]
        if len(subheadings) > 1:
            places.append(("phrase-subheading", " · ".join(subheadings), True))
        alts = [one.alt for one in measures.pictures if one.alt]
        if alts:
            places.append(("phrase-alt", " · ".join(alts), True))
    for code, text, lenient in places:
        told = [one for one in page.phrases if says(one, text, language)]
        lacking = [one for one in page.phrases if one not in told]
        measured = (
            f"says {some(map(repr, told))}" if told else f"does not say {some(map(repr, lacking))}"
        )
        yield (
            code,
            good_if(
                bool(told), measured, f"one of {some(map(repr, page.phrases))}", nearly=lenient
            ),
        )


def _words_of_address(loc: str) -> str:
    """The words in an address: letters beyond ASCII too, parted at signs."""
    return unquote(urlsplit(loc).path).replace("-", " ").replace("_", " ").replace("/", " ")


def _often(page: ReviewedPage, measures: PageMeasures, limits: Mapping[str, float]) -> Said:
    """Too often is what is said more than so many times, and in more than so many of 100 words."""
    rates = [
        (100 * count / max(1, measures.words), count, phrase)
        for phrase, count in measures.said.items()
        if phrase in page.phrases
    ]
    rate, count, phrase = max(rates, default=(0.0, 0, ""))
    most, least = limits["most"], int(limits["least"])
    crammed = rate > most and count >= least
    said = f"{phrase!r} {plural(count, 'time')} in {measures.words:,} words"
    wanted = f"at most {most:g} times in 100 words; under {least} times is never too often"
    return good_if(not crammed, said if count else "never", wanted, nearly=rate <= 1.5 * most)


def judge_texts(page: ReviewedPage, limits: _Limits) -> _Marks:
    """Title, description, length of the text, first paragraph."""
    yield from _judge_title(page)
    yield from _judge_description(page)
    if not page.is_text:
        return
    usual = page.usual_words
    if page.words is not None and usual:
        share, least = page.words / usual, limits["text-length"]["least"]
        said = f"{page.words:,} words; half of its section has {usual:,.0f} or more"
        wanted = f"at least {least:.0%} of what is usual in its section"
        yield "text-length", good_if(share >= least, said, wanted, nearly=share >= least / 2)
    if page.measures is not None and page.measures.words >= LEAST_WORDS:
        yield "opening", _opening(page.measures, limits["opening"])


def _judge_title(page: ReviewedPage) -> _Marks:
    sizes, title = page.sizes, page.title
    wanted = f"at least {sizes.title_least} characters, at most {sizes.title_px} px"
    if not title or not page.own_title:
        instead = f"; {title!r} stands in" if title else ""
        yield "title-size", Said(MarkState.SHORT, f"no title{instead}", wanted)
        return
    wide = width(title, sizes.title_size)
    measured = f"{len(title)} characters, {wide:,} px"
    if wide > sizes.title_px:
        cut = shown(title, sizes.title_size, sizes.title_px)
        measured += f"; cut after {cut[-30:]!r}"
    fine = wide <= sizes.title_px and len(title) >= sizes.title_least
    yield "title-size", good_if(fine, measured, wanted, nearly=True)
    if page.same_title is not None:
        yield "title-own", _own(page.same_title)
    names = {one.casefold() for one in page.site_names if one}
    only_site = title.casefold() in names and not page.is_home
    if only_site:
        yield "title-says", Said(MarkState.SHORT, f"only {title!r}", "what the page is about")
    elif page.heading and not page.is_home:
        alike = shares_words(page.heading, title, page.language)
        told = f"title {title[:_QUOTED]!r}, heading {page.heading[:_QUOTED]!r}"
        yield "title-says", good_if(alike, told, "what the heading says", nearly=True)


def _judge_description(page: ReviewedPage) -> _Marks:
    sizes, text = page.sizes, page.description
    wanted = f"at least {sizes.description_least} characters, at most {sizes.description_px} px"
    if not text or not page.own_description:
        instead = "; its first sentences stand in" if text else ""
        yield "description-size", Said(MarkState.SHORT, f"no description{instead}", wanted)
        return
    wide = width(text, sizes.description_size)
    fine = wide <= sizes.description_px and len(text) >= sizes.description_least
    measured = f"{len(text)} characters, {wide:,} px"
    yield "description-size", good_if(fine, measured, wanted, nearly=True)
    if page.same_description is not None:
        yield "description-own", _own(page.same_description)


def _own(others: Sequence[str]) -> Said:
    told = f"also that of {some(map(addresses.path_and_query, others))}" if others else "none"
    return good_if(not others, told, "none")


def _opening(measures: PageMeasures, limits: Mapping[str, float]) -> Said:
    count = word_count(measures.first)
    wanted = f"a paragraph of {limits['least']:g} to {limits['most']:g} words"
    if not count:
        return Said(MarkState.BETTER, "no paragraph", wanted)
    fine = limits["least"] <= count <= limits["most"]
    return good_if(fine, f"{count:,} words: {measures.first[:_QUOTED]!r}", wanted, nearly=True)


def judge_reading(page: ReviewedPage, limits: _Limits) -> _Marks:
    """How easily the text reads, and how long its sentences and paragraphs are."""
    measures = page.measures
    if measures is None or not page.is_text or sum(measures.paragraphs) < LEAST_WORDS:
        return
    value, formula = ease(measures.lengths, page.language), formula_of(page.language)
    if value is not None:
        plain, hard = limits["reading-ease"].get("least", formula.plain), formula.hard
        if not formula.rises:
            plain = limits["reading-ease"].get("most", formula.plain)
        fine = value >= plain if formula.rises else value <= plain
        nearly = value >= hard if formula.rises else value <= hard
        wanted = f"{plain:.0f} or {'more' if formula.rises else 'less'} reads plainly"
        # Never so that it looks like the limit while it is on the other side.
        shown_as = math.floor(value) if formula.rises else math.ceil(value)
        measured = f"{shown_as} ({formula.name})"
        yield "reading-ease", good_if(fine, measured, wanted, nearly=nearly)
    yield "sentence-length", _sentences(measures, limits["sentence-length"])
    most = limits["paragraph-length"]["most"]
    too_long = [one for one in measures.paragraphs if one > most]
    said = f"{len(too_long):,} of {len(measures.paragraphs):,} have more than {most:g} words"
    told = f"{said}; the longest has {max(measures.paragraphs):,}" if too_long else said
    yield (
        "paragraph-length",
        good_if(not too_long, told, f"at most {most:g} words each", nearly=True),
    )


def _sentences(measures: PageMeasures, limits: Mapping[str, float]) -> Said:
    most, share = limits["most"], limits["least"]
    counts = sorted(measures.sentences)
    if not counts:
        return Said(MarkState.GOOD, "no sentence", f"at most {most:g} words")
    part = sum(one > most for one in counts) / len(counts)
    middle = counts[len(counts) // 2]
    measured = (
        f"{part:.0%} of {len(counts):,} have more than {most:g} words; half have {middle} or "
        f"less, the longest {counts[-1]}"
    )
    if part > share and measures.longest:
        measured += f": {measures.longest[0][: 2 * _QUOTED]!r}"
    wanted = f"at most {share:.0%} with more than {most:g} words"
    return good_if(part <= share, measured, wanted, nearly=part <= 2 * share)
