"""A page as a review sees it: its texts, what was measured on it, and what is known of it from the
other pages; and what comes out: marks and a score."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from jovial_atlas.findings.marks import MARKS, Mark, MarkState
from jovial_atlas.review.measures import PageMeasures


@dataclass(frozen=True, slots=True)
class TextSizes:
    """What results show: pixels of titles and descriptions, size of their letters in pixels, and
    characters below which they say little."""

    title_px: int = 580
    title_size: int = 20
    title_least: int = 15
    description_px: int = 920
    description_size: int = 14
    description_least: int = 70


@dataclass(frozen=True, slots=True)
class PictureFile:
    """What is known of a picture's file: bytes, pixels, and its format ("" where nobody knows)."""

    bytes: int | None = None
    width: int | None = None
    height: int | None = None
    format: str = ""


@dataclass(frozen=True, slots=True)
class ShownFilm:
    """A film that a page shows: what it is called, whether it has a still, and whether captions or
    a transcript come with it."""

    name: str
    has_still: bool
    has_words: bool


@dataclass(frozen=True, slots=True)
class KnownFault:
    """What `check` knows of a page: the code, how grave it is, and what is the matter."""

    code: str
    severity: str
    message: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ReviewedPage:
    """A page to be judged. What nobody knows is None or empty: marks that rest on it do not apply.

    `is_whole` says that the page is seen as it is served, and not only its text; `own_title` and
    `own_description` that nothing else stands in for them; `is_text` that it is about something (no
    listing, search or error page). `usual_words` is the median of its section, `proposed` a phrase
    that it might want to be found for, where it has none (`is_searched`: what people searched
    most that came to it), `links_in` how many other pages link to
    it, `usual_links_in` the median of that. `same_title`, `same_description` and `rivals` (phrase →
    addresses) are other pages that say the same; `leads` are links of the page to what is no listed
    page, with why.
    """

    loc: str
    section: str = ""
    language: str = ""
    is_whole: bool = True
    declares_language: bool = True
    title: str | None = None
    own_title: bool = True
    heading: str | None = None
    description: str | None = None
    own_description: bool = True
    site_names: tuple[str, ...] = ()
    phrases: tuple[str, ...] = ()
    proposed: str | None = None
    is_searched: bool = False
    important: bool = False
    is_text: bool = True
    is_home: bool = False
    words: int | None = None
    usual_words: float | None = None
    links_in: int | None = None
    usual_links_in: float | None = None
    same_title: Sequence[str] | None = None
    same_description: Sequence[str] | None = None
    rivals: Mapping[str, Sequence[str]] | None = None
    leads: Sequence[tuple[str, str]] | None = None
    films: Sequence[ShownFilm] = ()
    pictures: Mapping[str, PictureFile] = field(default_factory=dict)
    faults: Sequence[KnownFault] | None = None
    has_share_picture: bool | None = None
    has_data: bool | None = None
    measures: PageMeasures | None = None
    sizes: TextSizes = TextSizes()


@dataclass(frozen=True, slots=True)
class MarkSetting:
    """What a site says of a mark: whether it counts at all, its weight, its limits; None: as it
    is."""

    on: bool = True
    weight: float | None = None
    least: float | None = None
    most: float | None = None

    def weight_of(self, mark: Mark) -> float:
        """The weight that counts."""
        return mark.weight if self.weight is None else self.weight

    def limits_of(self, mark: Mark) -> dict[str, float]:
        """The limits that count."""
        own = {"least": self.least, "most": self.most}
        return {**mark.limits, **{name: one for name, one in own.items() if one is not None}}


AS_IT_IS = MarkSetting()


@dataclass(frozen=True, slots=True)
class Judged:
    """How a mark stands on a page: what was measured, and what is thought right. `exempt` says why
    it does not count for this page, where the owner said so."""

    mark: Mark
    state: MarkState
    measured: str
    wanted: str
    weight: float
    exempt: str = ""

    @property
    def code(self) -> str:
        """The code of the mark."""
        return self.mark.code


#: The place of each mark among all.
_ORDER = {code: place for place, code in enumerate(MARKS)}
#: What a state is worth; on an important page what could be better counts for less.
_WORTH = {MarkState.GOOD: 1.0, MarkState.BETTER: 0.5, MarkState.SHORT: 0.0}
_WORTH_IMPORTANT = {**_WORTH, MarkState.BETTER: 0.25}


@dataclass(frozen=True, slots=True)
class PageReview:
    """The review of a page: its marks, and the score from 0 to 100 (None where no mark applies)."""

    page: ReviewedPage
    marks: Sequence[Judged]

    def _worth(self) -> dict[MarkState, float]:
        return _WORTH_IMPORTANT if self.page.important else _WORTH

    @property
    def counted(self) -> list[Judged]:
        """The marks that count for the score."""
        return [one for one in self.marks if not one.exempt and one.weight]

    def costs(self) -> list[tuple[Judged, float]]:
        """The marks that count, each with the points of the score that it costs."""
        counted, worth = self.counted, self._worth()
        whole = sum(one.weight for one in counted)
        return [(one, 100 * one.weight * (1 - worth[one.state]) / whole) for one in counted]

    @property
    def exact_score(self) -> float:
        """The weighted mean of what the marks are worth, times 100."""
        worth, whole, kept = self._worth(), 0.0, 0.0
        for one in self.marks:
            if not one.exempt:
                whole += one.weight
                kept += one.weight * worth[one.state]
        return 100 * kept / whole if whole else 100.0

    @property
    def score(self) -> int | None:
        """The score as it is shown: rounded, and None where no mark counts."""
        counts = any(one.weight and not one.exempt for one in self.marks)
        return round(self.exact_score) if counts else None

    def raising(self, most: int = 3) -> list[Judged]:
        """The marks that would raise the score most, the best first."""
        lost = [(cost, one) for one, cost in self.costs() if cost]
        lost.sort(key=lambda pair: (-pair[0], _ORDER[pair[1].code]))
        return [one for _, one in lost[:most]]
