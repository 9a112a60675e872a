"""Two sites point by point: on what share of their pages each mark is good, and whether they differ
by more than chance."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from jovial_atlas.checks.live import estimate
from jovial_atlas.findings.marks import MARKS, MarkGroup, MarkState
from jovial_atlas.review.reviewed import PageReview

#: What only the owner of a site knows, or only a survey, is not compared.
_OWN = frozenset({"found-errors", "found-warnings", "title-own", "description-own", "links-in",
                  "links-lead", "text-length"})  # fmt: skip
#: Of fewer pages nothing can be said.
_LEAST = 5


@dataclass(frozen=True, slots=True)
class SideBySide:
    """A mark on two sites: the shares of pages where it is good, the bounds of theirs at 95 % (the
    same where all of their pages were seen), and whether they differ by more than chance."""

    code: str
    ours: float
    theirs: float
    low: float
    high: float
    differs: bool


def compare(
    ours: Iterable[PageReview], theirs: Iterable[PageReview], of: int | None
) -> list[SideBySide]:
    """Compare all pages of ours with a sample of theirs, out of `of` (None where nobody knows),
    in the order of the table of marks. Marks that few pages have are left out."""
    mine, other = _counted(ours), _counted(theirs)
    found = []
    for code in MARKS:
        good, count = mine.get(code, (0, 0))
        their_good, asked = other.get(code, (0, 0))
        if min(count, asked) < _LEAST:
            continue
        # A sample out of nobody knows how many is one out of very many.
        whole = _VERY_MANY if of is None else max(asked, of)
        bad = estimate(asked, whole, asked - their_good)
        low, high = 1 - bad.high, 1 - bad.low
        share, their_share = good / count, their_good / asked
        differs = not _may_be_alike(share, their_share, low, high)
        found.append(SideBySide(code, share, their_share, low, high, differs))
    return found


_VERY_MANY = 10**9


def _counted(reviews: Iterable[PageReview]) -> dict[str, tuple[int, int]]:
    counts: dict[str, tuple[int, int]] = {}
    for review in reviews:
        for one in review.marks:
            if one.code in _OWN or one.mark.group is MarkGroup.PHRASE:
                continue
            good, count = counts.get(one.code, (0, 0))
            counts[one.code] = (good + (one.state is MarkState.GOOD), count + 1)
    return counts


def _may_be_alike(ours: float, theirs: float, low: float, high: float) -> bool:
    """Whether a difference may be none: its interval by Newcombe's square-and-add, where ours is
    no sample."""
    difference = ours - theirs
    down, up = math.fabs(high - theirs), math.fabs(theirs - low)
    return difference - down <= 0 <= difference + up and (down + up > 0 or difference == 0)
