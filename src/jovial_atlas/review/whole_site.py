"""The reviews of all pages of a site taken together: its score, what costs it most, and where."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from jovial_atlas.findings.marks import MARKS, Mark, MarkState
from jovial_atlas.review.reviewed import PageReview

#: How much an important page counts for the score of its site, where others count once.
_IMPORTANT = 2


@dataclass(frozen=True, slots=True)
class SiteMark:
    """How a mark stands over a site: on how many pages it is good, could be better, falls short;
    how many points of the site's score it costs; and the sections where it is worst, each with the
    pages that are not good, and how many it has."""

    mark: Mark
    good: int
    better: int
    short: int
    cost: float
    worst: Sequence[tuple[str, int, int]] = ()

    @property
    def code(self) -> str:
        """The code of the mark."""
        return self.mark.code

    @property
    def pages(self) -> int:
        """The pages to which it applies."""
        return self.good + self.better + self.short


@dataclass(frozen=True, slots=True)
class SiteReview:
    """A site: its score (None where no page has one), how many pages were reviewed, and its marks,
    what costs most first."""

    score: float | None
    pages: int
    marks: Sequence[SiteMark]

    @property
    def to_fix(self) -> list[SiteMark]:
        """What falls short somewhere."""
        return [one for one in self.marks if one.short]

    @property
    def to_improve(self) -> list[SiteMark]:
        """What falls short nowhere, and could be better somewhere."""
        return [one for one in self.marks if one.better and not one.short]

    @property
    def fine(self) -> list[SiteMark]:
        """What is good on all pages."""
        return [one for one in self.marks if not one.better and not one.short]


@dataclass(slots=True)
class _Sum:
    states: Counter[MarkState] = field(default_factory=Counter)
    cost: float = 0.0
    #: Section → pages that are not good, and pages.
    sections: dict[str, list[int]] = field(default_factory=dict)


def site_review(reviews: Iterable[PageReview]) -> SiteReview:
    """The reviews of pages as one. What the marks cost adds up to what the score lacks."""
    sums: defaultdict[str, _Sum] = defaultdict(_Sum)
    score = whole = 0.0
    pages = 0
    for one in reviews:
        pages += 1
        if one.score is None:
            continue
        times = _IMPORTANT if one.page.important else 1
        whole += times
        score += times * one.exact_score
        for mark, cost in one.costs():
            summed = sums[mark.code]
            summed.states[mark.state] += 1
            summed.cost += times * cost
            counts = summed.sections.setdefault(one.page.section, [0, 0])
            counts[0] += mark.state is not MarkState.GOOD
            counts[1] += 1
    marks = [_site_mark(code, one, whole) for code, one in sums.items()]
    order = {code: place for place, code in enumerate(MARKS)}
    marks.sort(key=lambda one: (-round(one.cost, 6), order[one.code]))
    return SiteReview(score / whole if whole else None, pages, marks)


#: So many sections are named.
_SECTIONS = 3


def _site_mark(code: str, summed: _Sum, whole: float) -> SiteMark:
    worst = sorted(
        ((name, bad, count) for name, (bad, count) in summed.sections.items() if bad),
        key=lambda one: (-one[1] / one[2], -one[1], one[0]),
    )
    states = summed.states
    return SiteMark(
        MARKS[code], states[MarkState.GOOD], states[MarkState.BETTER], states[MarkState.SHORT],
        summed.cost / whole, worst[:_SECTIONS],
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Moved:
    """What changed between two reviews of a site: points of the score, and per mark the share of
    pages that are good, before and now, the largest change first."""

    points: float
    marks: Sequence[tuple[str, float, float]]


def moved(
    before_score: float, before: Mapping[str, Sequence[int]], now: SiteReview, most: int = 3
) -> Moved:
    """What moved since an earlier review: `before` has good, better and short by code."""
    changes = []
    for one in now.marks:
        had = before.get(one.code)
        if had and sum(had) and one.pages:
            worth_before = (had[0] + had[1] / 2) / sum(had)
            worth = (one.good + one.better / 2) / one.pages
            weight = one.mark.weight * abs(worth - worth_before)
            if weight > 1e-9:
                changes.append((weight, one.code, had[0] / sum(had), one.good / one.pages))
    changes.sort(key=lambda change: (-change[0], change[1]))
    return Moved((now.score or 0.0) - before_score, [change[1:] for change in changes[:most]])
