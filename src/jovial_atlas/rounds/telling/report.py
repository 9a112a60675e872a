"""One report: the last survey, build and check, and what engines said last, on one page."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime, timedelta

import polars as pl

from jovial_atlas import dates
from jovial_atlas.addresses import path_and_query
from jovial_atlas.findings import Finding
from jovial_atlas.findings.finding import SEVERITIES
from jovial_atlas.findings.registry import check_of
from jovial_atlas.report import Bars, Report, Table, Trend, render
from jovial_atlas.review.whole_site import site_review
from jovial_atlas.rounds.proving.check import check_site
from jovial_atlas.rounds.proving.review import review_pages
from jovial_atlas.rounds.reading.whole_site import section_counts
from jovial_atlas.rounds.state.hiding import hides_first
from jovial_atlas.rounds.state.last_survey import LastSurvey, last_survey
from jovial_atlas.rounds.state.record import load_record
from jovial_atlas.rounds.telling.engine_state import EngineState
from jovial_atlas.rules import not_listed
from jovial_atlas.sitefile import SiteFile

#: Ages of pages, in days, with their names; what is older than the last has the name after it.
_AGES = ((30, "last 30 days"), (182, "last half year"), (365, "last year"), (1_095, "1 to 3 years"))
_OLDER, _UNDATED = "older", "no date known"


def report(
    site: SiteFile, states: list[EngineState], now: datetime, over_time: Sequence[Trend] = ()
) -> bytes:
    """The report as an HTML page; `over_time` are figures from the ledger.

    Raises AtlasError where there is no survey."""
    survey = last_survey(site, now)
    findings = check_site(site, now).findings
    listed, pictures = (
        survey.table.select(pl.col("listed").sum(), pl.col("images").list.len().sum())
        .collect(engine="streaming")
        .row(0)
    )
    films = [film for some in survey.films.values() for film in some]
    counts = {one: sum(f.severity == one for f in findings) for one in SEVERITIES}
    figures = [
        ("pages", f"{survey.count:,}"),
        ("listed", f"{listed:,}"),
        ("pictures", f"{pictures or 0:,}"),
        ("videos", f"{len(films):,}"),
        *((name if count == 1 else f"{name}s".replace("advices", "advice"), f"{count:,}")
          for name, count in counts.items()),
    ]  # fmt: skip
    about = site.model.site
    reviewed = list(_reviewed(survey, findings, now)) if survey.count <= _REVIEWED else []
    return render(
        Report(
            about.name,
            about.url,
            "en",
            dates.write(now).replace("T", " ").removesuffix(":00Z").removesuffix("Z"),
            [first] if (first := hides_first(site, now)) else [],
            figures,
            list(_charts(survey, site, now)),
            list(_grouped(findings)),
            [*reviewed, *_tables(site, states)],
            over_time,
        )
    )


#: Larger sites are reviewed by the command alone; and so many pages are shown.
_REVIEWED, _SHOWN = 20_000, 40


def _reviewed(survey: LastSurvey, findings: list[Finding], now: datetime) -> Iterator[Table]:
    """What a review comes to: the marks by what they cost, and the pages with most to gain."""
    reviews = list(review_pages(survey, None, now, findings=findings))
    site = site_review(reviews)
    if site.score is None:
        return
    yield Table(
        f"Review: {site.score:.0f} of 100",
        "How listed pages stand against the list of marks, what costs most first. The list is "
        "guidance; `jovial-atlas review --mark MARK` shows the pages of a line, and what to do.",
        ("Mark", "What", "Short", "Better", "Pages", "Costs", "Worst in"),
        [
            (one.code, one.mark.what, f"{one.short:,}", f"{one.better:,}", f"{one.pages:,}",
             f"{one.cost:.1f}", ", ".join(f"{name} ({bad:,} of {of:,})"
                                          for name, bad, of in one.worst[:2]))
            for one in site.marks
            if one.short or one.better
        ],
        (2, 3, 4, 5),
    )  # fmt: skip
    worst = sorted(reviews, key=lambda one: (not one.page.important, one.exact_score))
    yield Table(
        "Pages with most to gain",
        f"The first {_SHOWN} of {len(reviews):,}; important pages come first.",
        ("Page", "Section", "Score", "What would raise it most"),
        [
            (path_and_query(one.page.loc), one.page.section, str(one.score),
             " ".join(mark.mark.fix for mark in one.raising()))
            for one in worst[:_SHOWN]
            if one.score is not None and one.score < 100
        ],
        (2,),
    )  # fmt: skip


def _grouped(findings: list[Finding]) -> Iterator[tuple[str, str, str, int, str]]:
    seen: dict[str, list[Finding]] = {}
    for one in findings:
        seen.setdefault(one.code, []).append(one)
    for code, some in seen.items():
        check = check_of(code)
        yield check.severity, check.what, check.why, len(some), check.fix


def _charts(survey: LastSurvey, site: SiteFile, now: datetime) -> Iterator[Bars]:
    decided = survey.table
    sections = [one for one in section_counts(decided, site)[0] if one.pages]
    yield Bars(
        "Sections",
        "Pages of each section: listed in a sitemap, or not.",
        [one.name for one in sections],
        [
            ("listed", [one.listed for one in sections]),
            ("not listed", [one.pages - one.listed for one in sections]),
        ],
    )
    reasons = not_listed(decided).collect(engine="streaming").rows()
    if reasons:
        shown = [*reasons[:12]]
        if len(reasons) > 12:
            shown.append(("other reasons", sum(count for _, count in reasons[12:])))
        yield Bars(
            "Not listed, and why",
            "The reason of the rule, policy or fact that had the last word.",
            [text if len(text) <= 44 else f"{text[:43]}…" for text, _ in shown],
            [("pages", [count for _, count in shown])],
        )
    ages = _ages(decided, now)
    yield Bars(
        "Last change of listed pages",
        "By the dates that the sitemaps give.",
        list(ages),
        [("pages", list(ages.values()))],
    )


def _ages(decided: pl.LazyFrame, now: datetime) -> dict[str, int]:
    column = pl.lit(_OLDER)
    for days, name in reversed(_AGES):
        since = dates.write(now - timedelta(days=days))
        column = pl.when(pl.col("lastmod") >= since).then(pl.lit(name)).otherwise(column)
    named = pl.when(pl.col("lastmod").is_null()).then(pl.lit(_UNDATED)).otherwise(column)
    counted = decided.filter("listed").group_by(named.alias("age")).len()
    found = dict(counted.collect(engine="streaming").iter_rows())
    names = [name for _, name in _AGES] + [_OLDER, _UNDATED]
    return {name: found.get(name, 0) for name in names}


def _tables(site: SiteFile, states: list[EngineState]) -> Iterator[Table]:
    for host in site.hosts:
        record = load_record(host)
        if record.files:
            yield Table(
                "Sitemap files" + (f" of {host.host}" if host.host else ""),
                f"As built on {record.at.replace('T', ' ').removesuffix('Z')}.",
                ("File", "Addresses", "Pictures", "Videos", "Newest"),
                [
                    (one.path, f"{one.urls:,}", f"{one.images:,}", f"{one.videos:,}",
                     (one.lastmod or "")[:10])
                    for one in record.files.values()
                ],
                (1, 2, 3),
            )  # fmt: skip
    for state in states:
        if state.sitemaps:
            yield Table(
                state.name,
                " ".join(state.next) or "Nothing to do.",
                ("Sitemap", "Submitted", "Read", "State", "Found", "Indexed", "Share", "Change"),
                [
                    (
                        one.loc.rpartition("/")[2], _number(one.submitted_urls),
                        (one.last_read or "")[:10], one.state, _number(one.found),
                        _number(one.indexed),
                        "" if one.coverage is None else f"{one.coverage:.0%}",
                        "" if one.change is None else f"{one.change:+,}",
                    )
                    for one in state.sitemaps
                ],
                (1, 4, 5, 6, 7),
            )  # fmt: skip


def _number(value: int | None) -> str:
    return "" if value is None else f"{value:,}"
