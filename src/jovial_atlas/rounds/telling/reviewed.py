"""How the review of a site moved since earlier ones, which the ledger keeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime

from jovial_atlas.records import SiteReviewed
from jovial_atlas.review.whole_site import SiteReview, moved
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.rounds.state.ledger import open_ledger
from jovial_atlas.sitefile import SiteFile

#: Less than that is no change of a score.
_POINT = 0.05


@dataclass(frozen=True, slots=True)
class ScoreChange:
    """What a site's score did since the review before the last that said something else: the time
    of that, the score then, points, a sentence, and what changed it most, in words; and all
    reviews before this one."""

    since: str
    before: float
    points: float
    said: str
    why: Sequence[str]
    earlier: Sequence[SiteReviewed] = ()


def what_moved(
    site: SiteFile, now: SiteReview, at: datetime, environment: Mapping[str, str]
) -> ScoreChange | None:
    """Hold a review against the last that the ledger has and that says something else, and record
    it; a password of the ledger is in the `environment`. None where there is none. Raises
    AtlasError."""
    if now.score is None:
        return None
    survey = last_survey(site, at).at
    marks = {one.code: (one.good, one.better, one.short) for one in now.marks}
    with closing(open_ledger(site, lambda: at, environment)) as ledger:
        ledger.note_review(survey, now.score, now.pages, marks)
        *earlier, _ = ledger.reviews()
    if not earlier:
        return None
    last = earlier[-1]
    found = moved(last.score, last.marks, now)
    day = last.at[:10]
    why = [
        f"{code} is good on {after:.0%}, was {before:.0%}"
        for code, before, after in found.marks
        if f"{after:.0%}" != f"{before:.0%}"
    ]
    if abs(found.points) < _POINT:
        said = f"As on {day}."
    else:
        more = "more" if found.points > 0 else "fewer"
        said = f"{abs(found.points):.1f} points {more} than on {day}{':' if why else '.'}"
    return ScoreChange(last.at, last.score, found.points, said, why, earlier)
