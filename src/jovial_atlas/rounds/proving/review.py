"""The review of pages: what is known of each is brought together, and judged."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property

import polars as pl

from jovial_atlas.checks.texts import PublishedTexts, published_texts
from jovial_atlas.errors import AtlasError
from jovial_atlas.findings.finding import Finding
from jovial_atlas.head.sharing import shared_picture
from jovial_atlas.head.texts import phrase_of, phrases_in
from jovial_atlas.head.videos import Film
from jovial_atlas.pages.page import Page
from jovial_atlas.review.judging import judge_page
from jovial_atlas.review.measures import PageMeasures
from jovial_atlas.review.measuring import PageToMeasure
from jovial_atlas.review.reviewed import (
    KnownFault,
    MarkSetting,
    PageReview,
    PictureFile,
    ReviewedPage,
    ShownFilm,
    TextSizes,
)
from jovial_atlas.rounds.proving.check import check_site
from jovial_atlas.rounds.proving.named_files import filed_as, links_by_files
from jovial_atlas.rounds.proving.neighbours import Neighbours, targets_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.measured import Measuring
from jovial_atlas.rounds.state.page_files import page_place
from jovial_atlas.rounds.state.site_files import may_exist
from jovial_atlas.rounds.state.traffic import most_searched
from jovial_atlas.sitefile import CrawlSource, HtmlSource, SiteFile
from jovial_atlas.sitefile.overrides import names_in
from jovial_atlas.sources.settings import name_of
from jovial_atlas.words import proposed_phrase

#: Kinds of page that are about nothing of their own.
_NO_TEXT = frozenset({"listing", "paged", "search", "error", "picture", "author", "home"})
#: More pages are not reviewed together, and of a larger site it is not checked what is wrong.
_MOST = 200_000


def review_pages(
    survey: LastSurvey,
    locs: frozenset[str] | None,
    now: datetime,
    *,
    workers: int | None = None,
    findings: Sequence[Finding] | None = None,
) -> Iterator[PageReview]:
    """The reviews of pages of a survey: of these, or of all that are listed. `findings` are those
    of `check`, where they are at hand. Raises AtlasError."""
    site = survey.site
    count = survey.count if locs is None else len(locs)
    if count > _MOST:
        raise AtlasError(
            f"{count:,} pages are too many for one review, which takes {_MOST:,}. Choose some with "
            "--section, --match or --where."
        )
    whole = locs is None and survey.is_held
    texts = survey.published if whole else published_texts(_wanted(survey, locs), survey.heads)
    with closing(Measuring(site, list(_to_measure(texts, survey)), workers)) as measuring:
        # Checked while workers measure.
        if findings is None and survey.count <= _MOST:
            findings = check_site(site, now, survey=survey).findings
        faults = None if findings is None else _faults_by_page(findings, texts)
        # Of a large site only what is linked to is looked up, and that has to be known first.
        led = links_by_files(survey)
        targets = None
        if not survey.is_held:
            targets = targets_of(led(loc, one) for loc, one in measuring.all().items())
        neighbours = Neighbours(survey, texts, targets)

        def measures(loc: str) -> PageMeasures | None:
            found = measuring.of(loc)
            return led(loc, found) if found is not None else None

        about = AboutPages(survey, neighbours, measures, faults, survey.films)
        exempt = exemptions(site)
        names = {one.page.section for one in texts}
        of_section = {name: settings_of(site, name) for name in names}
        for one in texts:
            settings = of_section[one.page.section]
            yield judge_page(about.page(one), settings, exempt.get(one.page.loc))
        measuring.keep()
    survey.pictures.keep()


def _wanted(survey: LastSurvey, locs: frozenset[str] | None) -> pl.DataFrame:
    """The pages to review, as listed ones: who names a page wants to know of it."""
    if locs is None:
        return survey.table.filter("listed").collect(engine="streaming")
    named = pl.col("loc").is_in(pl.Series(sorted(locs), dtype=pl.String).implode())
    pages = survey.decided_where(named).collect(engine="streaming")
    return pages.with_columns(listed=pl.lit(True))


def _to_measure(texts: Iterable[PublishedTexts], survey: LastSurvey) -> Iterator[PageToMeasure]:
    place, filed = page_place(survey.site), filed_as(survey.site)
    usual = survey.site.model.site.language
    for one in texts:
        page = one.page
        path = place(page) if page.kind in (None, "page") else None
        if path is not None:
            phrases = tuple(phrases_in(phrase_of(page, survey.heads)))
            language = page.language or usual
            yield PageToMeasure(page.loc, path, page.digest, language, phrases, filed(page))


def _faults_by_page(
    findings: Iterable[Finding], texts: Sequence[PublishedTexts]
) -> dict[str, list[KnownFault]]:
    """Findings by the address of the page that they are about: its address, or its file."""
    by_path = {one.page.path: one.page.loc for one in texts if one.page.path}
    known = {one.page.loc for one in texts}
    found: dict[str, list[KnownFault]] = {}
    for one in findings:
        loc = one.where if one.where in known else by_path.get(one.where)
        if loc is not None and one.code not in _JUDGED_HERE:
            fault = KnownFault(one.code, str(one.severity), one.message)
            found.setdefault(loc, []).append(fault)
    return found


#: Findings that are marks themselves.
_JUDGED_HERE = frozenset({"phrase-absent", "title-site-name"}) | {
    f"{name}-{kind}"
    for name in ("title", "description")
    for kind in ("missing", "duplicate", "long", "short")
}


@dataclass(frozen=True)
class AboutPages:
    """All that is known of the pages that are reviewed: what was measured on the one at an address,
    by address what is wrong with each, and its films."""

    survey: LastSurvey
    neighbours: Neighbours
    measures: Callable[[str], PageMeasures | None]
    faults: Mapping[str, Sequence[KnownFault]] | None
    films: Mapping[str, Sequence[Film]]

    @cached_property
    def _may(self) -> Callable[[str], bool]:
        return may_exist(self.survey.site)

    @cached_property
    def _served(self) -> frozenset[str]:
        """Sources that give pages as they are served."""
        sources = self.survey.site.model.source
        return frozenset(
            name_of(one) for one in sources if isinstance(one, (HtmlSource, CrawlSource))
        )

    def page(self, one: PublishedTexts) -> ReviewedPage:
        """A page, ready to be judged."""
        page, near, site = one.page, self.neighbours, self.survey.site
        model, lengths = site.model, site.model.lengths
        measures = self.measures(page.loc)
        phrases = tuple(phrases_in(phrase_of(page, self.survey.heads)))
        names = (model.site.name, model.site.short_name)
        has_links = bool(self.survey.filled & {"links"})
        title, description = one.title.value, one.description.value
        return ReviewedPage(
            loc=page.loc, section=page.section,
            language=page.language or model.site.language,
            is_whole=page.source in self._served,
            declares_language="language=html" in (page.read_from or ""),
            title=title, heading=page.heading, description=description,
            own_title=one.title.source not in ("heading", "kind of page"),
            own_description=one.description.source != "excerpt",
            site_names=names,
            phrases=phrases,
            proposed=None if phrases else self._proposed(page, names),
            is_searched=page.loc in self._searched,
            important=bool(page.important),
            is_text=_is_text(page, measures), is_home=page.loc == f"{model.site.url}/",
            words=_comparable_words(page, measures),
            usual_words=near.usual_words.get((page.section, page.language)),
            links_in=near.links_in.get(page.loc, 0) if has_links else None,
            usual_links_in=near.usual_links_in.get(page.section) if has_links else None,
            same_title=self._others(near.by_title, title, page.loc),
            same_description=self._others(near.by_description, description, page.loc),
            rivals={p: self._others(near.by_phrase, p.casefold(), page.loc) or () for p in phrases},
            leads=self._leads(measures), films=list(self._films(page, measures)),
            pictures=self._pictures(page),
            faults=None if self.faults is None else self.faults.get(page.loc, ()),
            has_share_picture=self._has_share_picture(one), has_data=self._has_data(one),
            measures=measures,
            sizes=TextSizes(lengths.title_px, lengths.title_size, lengths.title_least,
                            lengths.description_px, lengths.description_size,
                            lengths.description_least),
        )  # fmt: skip

    def _proposed(self, page: Page, names: tuple[str, str]) -> str | None:
        """What people searched most that came to it, else a phrase of its heading."""
        return self._searched.get(page.loc) or proposed_phrase(page.heading, names)

    @cached_property
    def _searched(self) -> Mapping[str, str]:
        return most_searched(self.survey.site)

    def _others(
        self, groups: Mapping[str, Sequence[str]], value: str | None, loc: str
    ) -> list[str] | None:
        """The other pages of a group; None where no other page is known at all."""
        if not self.survey.count:
            return None
        return [one for one in groups.get(value or "", ()) if one != loc]

    def _leads(self, measures: PageMeasures | None) -> list[tuple[str, str]] | None:
        """Links of the main content to what is no good target, with why; None where nobody
        knows."""
        if measures is None or not self.survey.count:
            return None
        dead, known = self.neighbours.dead, self.neighbours.known
        gone = (one for one in measures.within if one not in known and not self._may(one))
        return [
            *((one, dead[one]) for one in measures.within if one in dead),
            *((one, "does not exist") for one in gone),
        ]

    def _films(self, page: Page, measures: PageMeasures | None) -> Iterator[ShownFilm]:
        told = measures is not None and (measures.has_transcript or measures.has_captions)
        for film in self.films.get(page.loc, ()):
            yield ShownFilm(film.name, bool(film.values.thumbnail), told)

    def _pictures(self, page: Page) -> dict[str, PictureFile]:
        found = {}
        for image in page.images or ():
            original = self.survey.pictures.look(image.loc) if image.loc else None
            if original is not None and image.loc:
                file = original.picture
                kind = file.type.partition("/")[2].partition("+")[0]
                found[image.loc] = PictureFile(file.bytes, file.width, file.height, kind)
        return found

    def _has_share_picture(self, one: PublishedTexts) -> bool:
        films = self.films.get(one.page.loc, ())
        return shared_picture(one.page, self.survey.heads, one.section, films) is not None

    def _has_data(self, one: PublishedTexts) -> bool:
        return bool(one.page.data) or bool(one.section and one.section.schema_type)


def _comparable_words(page: Page, measures: PageMeasures | None) -> int | None:
    """The words of a page, to be held against others; None where it is written without spaces,
    which the page table counts by."""
    spaced = measures is None or page.words is None or measures.words < 2 * page.words
    return page.words if spaced else None


def _is_text(page: Page, measures: PageMeasures | None) -> bool:
    """Whether a page is about something itself: no list of others, by its kind or by its links."""
    listed = measures is not None and 2 * measures.linked_words > measures.words
    return page.role not in _NO_TEXT and not listed


def settings_of(site: SiteFile, section: str) -> dict[str, MarkSetting]:
    """What a site says of marks, for a section."""
    settings: dict[str, MarkSetting] = {}
    review = site.model.review
    for choices in (review, *(one for one in review.for_sections if section in one.sections)):
        codes = {*choices.off, *choices.weights, *choices.least, *choices.most}
        for code in codes:
            had = settings.get(code, MarkSetting())
            settings[code] = MarkSetting(
                on=had.on and code not in choices.off,
                weight=choices.weights.get(code, had.weight),
                least=choices.least.get(code, had.least),
                most=choices.most.get(code, had.most),
            )
    return settings


def exemptions(site: SiteFile) -> dict[str, dict[str, str]]:
    """Address → the marks that do not count for it, with the owner's reasons."""
    return {
        one.loc: dict.fromkeys(names_in(cell), one.reason or "the owner says so")
        for one in site.overrides.with_texts()
        if (cell := one.texts.get("exempt"))
    }
