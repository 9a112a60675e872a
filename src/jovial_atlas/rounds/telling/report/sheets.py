"""What is known of each page, for its sheet in a report."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from jovial_atlas.faults import plural
from jovial_atlas.findings.marks import MARKS
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.head import Head
from jovial_atlas.head.preview import Preview, preview
from jovial_atlas.media.cards import as_data
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.report.sheets import (
    PageSheet,
    SheetLook,
    SheetMark,
    SheetSet,
    SheetWord,
)
from jovial_atlas.review.reviewed import PageReview
from jovial_atlas.review.whole_site import SiteReview
from jovial_atlas.rounds.publishing.patterns import check_patterns
from jovial_atlas.rounds.publishing.preview import shared_octets
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.published import PublishedSite
from jovial_atlas.rounds.state.record import load_record
from jovial_atlas.rounds.telling.address_state import KnownPage
from jovial_atlas.rounds.telling.report.findings import short_address

#: Pictures of cards that are shown, their size, and bytes of all of them.
_PICTURES, _WIDE, _HIGH, _BYTES = 40, 400, 210, 300_000


@dataclass(frozen=True, slots=True)
class KnownPages:
    """What sheets are made of: the reviews and what they come to, and what each engine knows of
    which address."""

    reviews: Sequence[PageReview]
    site_review: SiteReview
    engines: Sequence[str]
    words: Mapping[tuple[str, str], KnownPage]


def sheets_of(survey: LastSurvey, known: KnownPages) -> SheetSet:
    """The sheets of all pages, in the order of the page table. Raises SiteFileError."""
    check_patterns(survey.site)
    sheets = _Sheets(survey, known)
    site = survey.site.model
    made = list(sheets.made())
    return SheetSet(
        site.site.url, made, [_mark(code) for code in sheets.marks], known.engines,
        (site.lengths.title_px, site.lengths.description_px), sheets.pictures(),
    )  # fmt: skip


def marks_in_order(review: SiteReview) -> list[str]:
    """The codes of all marks: those of the site's review first, in its order."""
    return list(dict.fromkeys([*(one.code for one in review.marks), *MARKS]))


def _mark(code: str) -> tuple[str, str, str, str]:
    mark = MARKS[code]
    return mark.what, str(mark.group), mark.why, mark.fix


class _Sheets:
    """The sheets while they are made."""

    def __init__(self, survey: LastSurvey, known: KnownPages) -> None:
        self.survey, self.known = survey, known
        self.marks = {code: place for place, code in enumerate(marks_in_order(known.site_review))}
        self._reviews = {one.page.loc: one for one in known.reviews}
        self._files = _files(survey)
        #: Address of a picture → how often it is shared, and a page that does.
        self._shared: Counter[str] = Counter()
        self._sharing: dict[str, Page] = {}

    def made(self) -> Iterator[PageSheet]:
        """A sheet a page."""
        decided = self.survey.decided
        numbers = {loc: number for number, loc in enumerate(decided["loc"])}
        links = decided["links"].to_list()
        for page, targets in zip(pages_of(decided), links, strict=True):
            to = [numbers[one] for one in targets or () if one in numbers]
            yield self._sheet(page, to)

    def _sheet(self, page: Page, links: Sequence[int]) -> PageSheet:
        survey = self.survey
        head = head_data(
            page, survey.heads_of(page.loc), survey.films.get(page.loc, ()), survey.head_context
        )
        met = preview(head, page, survey.site.model.site, survey.site.model.lengths)
        if met.picture:
            self._shared[met.picture.loc] += 1
            self._sharing.setdefault(met.picture.loc, page)
        review = self._reviews.get(page.loc)
        return PageSheet(
            path=short_address(page.loc, survey.site.model.site.url),
            called=page.heading or page.title or "",
            section=page.section,
            listed=page.listed,
            reason=page.reason or "",
            modified=(page.lastmod or "")[:10],
            important=bool(page.important),
            phrases="; ".join(review.page.phrases) if review else "",
            score=review.score if review else None,
            raising=[self.marks[one.code] for one in review.raising()] if review else (),
            marks=list(self._judged(review)) if review else (),
            look=_look(met),
            links=links,
            published=list(self._published(page, head)),
            words=[_word(self.known.words.get((name, page.loc))) for name in self.known.engines],
        )

    def _judged(self, review: PageReview) -> Iterator[SheetMark]:
        for one in review.marks:
            place = self.marks[one.code]
            if one.exempt:
                yield SheetMark(place, "exempt", one.measured, one.exempt)
            else:
                yield SheetMark(place, str(one.state), one.measured, one.wanted)

    def _published(self, page: Page, head: Head) -> Iterator[tuple[str, str]]:
        url = self.survey.site.model.site.url
        if page.listed:
            files = self._files.get(page.loc)
            yield "Sitemap", ", ".join(files) if files else "in none until the next build"
        counts = (("picture", len(page.images or ())),
                  ("video", len(self.survey.films.get(page.loc, ()))))  # fmt: skip
        if said := ", ".join(plural(count, name) for name, count in counts if count):
            yield "With it", said
        if page.alternates:
            yield "Other languages", ", ".join(one.lang or "" for one in page.alternates)
        yield "Directives", head.directives or "none; it may be indexed"
        for crawler, words in head.directives_for.items():
            yield f"For {crawler}", words
        if sent := page.send_to or page.redirect:
            yield "Sends on to", short_address(sent, url)
        if head.canonical and head.canonical != page.loc:
            yield "Canonical", short_address(head.canonical, url)
        if types := _types(head):
            yield "Structured data", ", ".join(types)

    def pictures(self) -> dict[str, str]:
        """The pictures that most pages share, as cards cut them."""
        found: dict[str, str] = {}
        left = _BYTES
        for loc, _ in self._shared.most_common(_PICTURES):
            data = as_data(shared_octets(self._sharing[loc], self.survey), _WIDE, _HIGH, 70)
            if data and len(data) <= left:
                found[loc] = data
                left -= len(data)
        return found


def _files(survey: LastSurvey) -> dict[str, list[str]]:
    """Address → the sitemap files that list it; nothing where there was no build."""
    found: dict[str, list[str]] = {}
    for host in survey.site.hosts:
        files = load_record(host).files
        names = {name.replace("/", "-"): one.path for name, one in files.items()}
        if names:
            for loc, file in PublishedSite(host).listed.select("loc", "file").iter_rows():
                found.setdefault(loc, []).append(names.get(file, file))
    return found


def _look(met: Preview) -> SheetLook:
    title, wide, narrow = met.wide.title, met.wide.description, met.narrow.description
    return SheetLook(
        title.text, title.shown, title.px, title.source,
        wide.text, wide.shown, narrow.shown, wide.px, wide.source,
        met.card_title, met.card_text, met.picture.loc if met.picture else "",
    )  # fmt: skip


def _types(head: Head) -> list[str]:
    """Types of the nodes of a head's structured data."""
    nodes = (head.json_ld or {}).get("@graph", ())
    named = (one.get("@type", ()) for one in nodes)
    return list(
        dict.fromkeys(
            kind for one in named for kind in ([one] if isinstance(one, str) else one)
        )
    )


def _word(known: KnownPage | None) -> SheetWord | None:
    if known is None:
        return None
    return SheetWord(
        (known.announced_at or "")[:10], (known.visited_at or known.last_crawl or "")[:10],
        known.visit_status, known.indexed, known.reason, known.said_at[:10],
    )  # fmt: skip
