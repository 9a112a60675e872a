"""The part of `review` about the whole site, and another beside it."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from jovial_atlas import __version__
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.common import Work
    from jovial_atlas.cli.output import Output
    from jovial_atlas.review.beside import SideBySide
    from jovial_atlas.review.reviewed import PageReview
    from jovial_atlas.review.whole_site import SiteReview
    from jovial_atlas.rounds.proving.beside import OtherSite
    from jovial_atlas.rounds.telling.reviewed import ScoreChange


def show_whole(
    work: Work,
    reviews: Sequence[PageReview],
    fail_under: int | None,
    other: Mapping[str, Any],
) -> int:
    """The site as one: score, what moved, and its marks by what they cost."""
    from jovial_atlas.review.beside import compare
    from jovial_atlas.review.whole_site import site_review
    from jovial_atlas.rounds.proving.review_told import as_findings, site_as_json, told_as_json
    from jovial_atlas.rounds.telling.reviewed import what_moved

    out = work.output
    site = site_review(reviews)
    change = what_moved(work.site(), site, work.now(), os.environ)
    theirs = _other(work, other) if other["beside"] else None
    compared = compare(reviews, theirs.reviews, theirs.of) if theirs else []
    if out.format == "json":
        told = {**told_as_json(reviews), "site": site_as_json(site, change)}
        out.json(told | ({"beside": [asdict(one) for one in compared]} if theirs else {}))
    elif out.format == "csv":
        header = ("code", "group", "short", "better", "good", "cost", "worst")
        out.csv(header, [
            (one.code, one.mark.group, one.short, one.better, one.good, round(one.cost, 2),
             "; ".join(name for name, _, _ in one.worst))
            for one in site.marks
        ])  # fmt: skip
    elif out.format in ("sarif", "junit"):
        from jovial_atlas.findings import exports

        findings = as_findings(reviews)
        if out.format == "sarif":
            out.json(exports.sarif(findings, __version__))
        else:
            out.exact(exports.junit(findings, ["the whole site"], "warning", "review").decode())
    else:
        _whole_table(out, site, change)
        if theirs is not None:
            _beside(out, theirs, compared)
    return 1 if fail_under is not None and (site.score or 0) < fail_under else 0


#: Points of a score that are shown as a number.
_LEAST_SHOWN = 0.05


def _whole_table(out: Output, site: SiteReview, change: ScoreChange | None) -> None:
    from jovial_atlas.faults import plural

    score = "no mark applies" if site.score is None else f"{site.score:.0f} of 100"
    out.say(f"{score}, over {plural(site.pages, 'listed page')}.", style="bold")
    if change is not None:
        out.indented(change.said, "; ".join(change.why))
    parts = (("What must be fixed", site.to_fix), ("What could be better", site.to_improve))
    for title, marks in parts:
        if not marks:
            continue
        out.say()
        out.say(title, style="bold")
        out.table(
            ["Mark", "Short: right", "Better: right 2", "Pages: right",
             "Costs: right", "Worst in: fold 1"],
            [
                [
                    one.code, one.short or "–", one.better or "–", one.pages,
                    f"{one.cost:.1f}" if one.cost >= _LEAST_SHOWN else "< 0.1",
                    "".join(f"{name} ({bad:,} of {of:,})" for name, bad, of in one.worst[:1]),
                ]
                for one in marks
            ],
        )  # fmt: skip
    if site.fine:
        out.say()
        out.indented("Good everywhere:", ", ".join(one.code for one in site.fine))
    out.say()
    if worst := next(iter(site.to_fix or site.to_improve), None):
        out.note(f"The pages, and what to do: jovial-atlas review --mark {worst.code}")


def _other(work: Work, other: Mapping[str, Any]) -> OtherSite:
    """Pages of the other site, reviewed."""
    from jovial_atlas.rounds.proving.beside import HowToAsk, other_site
    from jovial_atlas.web import new_client

    with (
        new_client(other["timeout"]) as client,
        work.output.progress("looking at the other site") as progress,
        work.apart(),
    ):
        how = HowToAsk(client, other["sample"], other["per_second"], progress=progress)
        return other_site(other["beside"], work.now(), how)


def _beside(out: Output, theirs: OtherSite, compared: Sequence[SideBySide]) -> None:
    """Both sites point by point."""
    from jovial_atlas.faults import plural
    from jovial_atlas.findings.marks import MARKS

    seen = plural(len(theirs.reviews), "page")
    of = f" of {theirs.of:,}" if theirs.of is not None else ", those nearest to the first"
    out.say()
    out.say(f"Beside {theirs.name}, by {seen}{of}", style="bold")
    for count, why in (
        (theirs.barred, "barred by its robots.txt, and not asked for"),
        (theirs.lost, "gave no page"),
    ):
        if count:
            out.indented("", f"{plural(count, 'address', 'addresses')} {why}")
    if not compared:
        out.say("Too few pages have marks in common to say anything.")
        return
    out.table(
        ["Good on", "Ours: right", "Theirs: right", "95 %: right",
         ": fold"],
        [
            [
                MARKS[one.code].what, f"{one.ours:.0%}", f"{one.theirs:.0%}",
                f"{one.low:.0%} to {one.high:.0%}" if one.low < one.high else "–",
                _in_words(one),
            ]
            for one in compared
        ],
    )  # fmt: skip


def _in_words(one: SideBySide) -> str:
    if one.differs:
        return "ours is better" if one.ours > one.theirs else "theirs is better"
    return "alike" if one.ours == one.theirs else "no more than chance"
