"""Reviews as values for scripts, and as findings for pipelines."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from jovial_atlas.findings.entry import Severity
from jovial_atlas.findings.finding import Finding
from jovial_atlas.findings.marks import MarkState
from jovial_atlas.review.reviewed import Judged, PageReview
from jovial_atlas.review.whole_site import SiteReview

#: How grave it is that a mark stands so.
_SEVERITIES = {MarkState.SHORT: Severity.WARNING, MarkState.BETTER: Severity.ADVICE}


def told_as_json(reviews: Sequence[PageReview]) -> dict[str, Any]:
    """The pages with their marks, and what they come to."""
    scores = [one.score for one in reviews if one.score is not None]
    counted = [mark for one in reviews for mark in one.counted]
    states = Counter(str(mark.state) for mark in counted)
    short = Counter(mark.code for mark in counted if mark.state is MarkState.SHORT)
    return {
        "pages": [_page(one) for one in reviews],
        "site": {
            "score": round(sum(scores) / len(scores)) if scores else None,
            "states": {str(one): states.get(one, 0) for one in MarkState},
            "worst": [{"code": code, "pages": count} for code, count in short.most_common()],
        },
    }


def _page(review: PageReview) -> dict[str, Any]:
    page = review.page
    return {
        "loc": page.loc,
        "section": page.section,
        "score": review.score,
        "important": page.important,
        "phrases": list(page.phrases),
        **({"proposed": page.proposed, "searched": page.is_searched} if page.proposed else {}),
        "raise": [one.code for one in review.raising()],
        "marks": [_mark(one) for one in review.marks],
    }


def _mark(one: Judged) -> dict[str, Any]:
    told = {
        "code": one.code,
        "group": str(one.mark.group),
        "state": str(one.state),
        "measured": one.measured,
        "wanted": one.wanted,
        "why": one.mark.why,
        "fix": one.mark.fix,
        "weight": one.weight,
    }
    return {**told, "exempt": one.exempt} if one.exempt else told


def as_findings(reviews: Sequence[PageReview]) -> list[Finding]:
    """The marks that are not good, as findings: what falls short as warnings, what could be better
    as advice."""
    return [
        Finding(
            one.code, _SEVERITIES[one.state], review.page.loc,
            f"{one.mark.what}: {one.measured}; right is: {one.wanted}.", one.mark.fix,
        )
        for state in (MarkState.SHORT, MarkState.BETTER)
        for review in reviews
        for one in review.counted
        if one.state is state
    ]  # fmt: skip


def site_as_json(site: SiteReview, change: Any) -> dict[str, Any]:
    """The site as one, with what moved since the review before."""
    return {
        "score": None if site.score is None else round(site.score, 1),
        "states": {
            "good": sum(one.good for one in site.marks),
            "better": sum(one.better for one in site.marks),
            "short": sum(one.short for one in site.marks),
        },
        "worst": [{"code": one.code, "pages": one.short} for one in site.to_fix],
        "marks": [
            {
                "code": one.code, "good": one.good, "better": one.better, "short": one.short,
                "cost": round(one.cost, 2),
                "sections": [
                    {"name": name, "pages": bad, "of": count} for name, bad, count in one.worst
                ],
            }
            for one in site.marks
        ],
        "moved": _moved(change) if change is not None else None,
    }  # fmt: skip


def _moved(change: Any) -> dict[str, Any]:
    names = ("since", "before", "points", "said", "why")
    return {name: getattr(change, name) for name in names}
