"""A report put together."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, field
from datetime import datetime

import polars as pl

from jovial_atlas import dates
from jovial_atlas.addresses import path_and_query
from jovial_atlas.faults import plural
from jovial_atlas.findings import Finding
from jovial_atlas.findings.finding import SEVERITIES
from jovial_atlas.report import Report, Table, Trend, render
from jovial_atlas.report.values import ReportedMark, SiteScore
from jovial_atlas.review.reviewed import PageReview
from jovial_atlas.review.whole_site import SiteReview, site_review
from jovial_atlas.rounds.proving.check import check_site
from jovial_atlas.rounds.proving.review import review_pages
from jovial_atlas.rounds.state.hiding import hides_first
from jovial_atlas.rounds.state.last_survey import LastSurvey, last_survey
from jovial_atlas.rounds.state.ledger import open_ledger
from jovial_atlas.rounds.state.record import load_record
from jovial_atlas.rounds.telling.address_state import KnownPage, pages_known_to
from jovial_atlas.rounds.telling.engine_state import EngineState
from jovial_atlas.rounds.telling.links_figures import crossings
from jovial_atlas.rounds.telling.report.clicks import clicked
from jovial_atlas.rounds.telling.report.figures import charts, course
from jovial_atlas.rounds.telling.report.findings import reported_faults
from jovial_atlas.rounds.telling.report.rounds import SHOWN_ROUNDS, round_tables
from jovial_atlas.rounds.telling.report.sheets import KnownPages, marks_in_order, sheets_of
from jovial_atlas.rounds.telling.reviewed import ScoreChange, what_moved
from jovial_atlas.rounds.telling.status import joined_states, run_status
from jovial_atlas.rounds.telling.trends import trends
from jovial_atlas.sitefile import SiteFile

#: Larger sites are reviewed by the command alone, and their pages have no sheets.
_REVIEWED = 20_000
_NOT_REVIEWED = (
    f"A site of more than {_REVIEWED:,} pages has no score here, and its pages no sheets. "
    "`jovial-atlas review --section NAME` holds those of a section against the list of marks; "
    "`preview` and `explain` show single pages."
)
#: So many pages are named where no script runs.
_SHOWN = 40


@dataclass(slots=True)
class _Heard:
    """What engines said of a site: their states, figures over time, and what each knows of which
    page, by engine and address."""

    states: list[EngineState] = field(default_factory=list)
    over_time: list[Trend] = field(default_factory=list)
    rounds: list[Table] = field(default_factory=list)
    pages: dict[tuple[str, str], KnownPage] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class _Reviewed:
    """The reviews of pages, what they come to, and how that moved."""

    pages: Sequence[PageReview]
    site: SiteReview
    change: ScoreChange | None


def report(site: SiteFile, now: datetime, environment: Mapping[str, str]) -> bytes:
    """The report as an HTML page. A review of the site is recorded in its ledger, whose password
    is in the `environment`. No engine is asked. Raises AtlasError where there is no survey."""
    survey = last_survey(site, now)
    small = survey.count <= _REVIEWED
    heard = _heard(site, now, environment, survey if small else None)
    findings = check_site(site, now).findings
    reviewed = _reviewed(survey, findings, now, environment) if small else None
    sheets = None
    numbers: dict[str, int] = {}
    if reviewed is not None and survey.count:
        engines = [one.name for one in site.model.engine]
        known = KnownPages(reviewed.pages, reviewed.site, engines, heard.pages)
        sheets = sheets_of(survey, known)
        numbers = _numbers(survey)
    about = site.model.site
    return render(
        Report(
            about.name,
            about.url,
            "en",
            dates.write(now).replace("T", " ").removesuffix(":00Z").removesuffix("Z"),
            [first] if (first := hides_first(site, now)) else [],
            _figures(survey, findings),
            list(reported_faults(findings, numbers, about.url)),
            _score(reviewed, now) if reviewed else None,
            list(_marks(reviewed.site)) if reviewed else [],
            _worst(reviewed.pages) if reviewed and reviewed.pages else None,
            list(charts(survey, site, now)),
            list(crossings(survey)),
            heard.over_time,
            list(_tables(site, heard.states)),
            sheets,
            "" if small else _NOT_REVIEWED,
            heard.rounds,
            *clicked(survey),
        )
    )  # fmt: skip


def _heard(
    site: SiteFile, now: datetime, environment: Mapping[str, str], survey: LastSurvey | None
) -> _Heard:
    """What the ledgers of all hosts have; of single pages only with a `survey`."""
    heard = _Heard()
    for host in site.hosts:
        with closing(open_ledger(host, lambda: now, environment)) as ledger:
            states = run_status(host, site.model.engine, ledger, None)
            if not host.host:
                rounds = ledger.rounds(SHOWN_ROUNDS)
                heard.rounds = list(round_tables(rounds, ledger.open_notices()))
            heard.over_time += trends(site.model.engine, ledger)
            heard.states = joined_states(heard.states, states) if heard.states else states
            if survey is None:
                continue
            mine = survey.of_host(host).pages.select("loc").collect(engine="streaming")
            locs = mine["loc"].to_list()
            for engine in site.model.engine:
                for one in pages_known_to(engine, ledger, locs, {}):
                    if one.announced_at or one.visited_at or one.said_at:
                        heard.pages[one.engine, one.loc] = one
    return heard


def _reviewed(
    survey: LastSurvey, findings: list[Finding], now: datetime, environment: Mapping[str, str]
) -> _Reviewed:
    pages = list(review_pages(survey, None, now, findings=findings))
    site = site_review(pages)
    return _Reviewed(pages, site, what_moved(survey.site, site, now, environment))


def _numbers(survey: LastSurvey) -> dict[str, int]:
    """The numbers of pages by what findings call them: addresses, and files."""
    named = survey.decided.select("path", "loc").iter_rows()
    numbers: dict[str, int] = {}
    for number, (path, loc) in enumerate(named):
        numbers[loc] = number
        if path:
            numbers.setdefault(path, number)
    return numbers


def _figures(survey: LastSurvey, findings: list[Finding]) -> list[tuple[str, str]]:
    listed, pictures = (
        survey.table.select(pl.col("listed").sum(), pl.col("images").list.len().sum())
        .collect(engine="streaming")
        .row(0)
    )
    films = sum(len(some) for some in survey.films.values())
    counts = {one: sum(f.severity == one for f in findings) for one in SEVERITIES}
    return [
        ("pages", f"{survey.count:,}"),
        ("listed", f"{listed:,}"),
        ("pictures", f"{pictures or 0:,}"),
        ("videos", f"{films:,}"),
        *((name if count == 1 else f"{name}s".replace("advices", "advice"), f"{count:,}")
          for name, count in counts.items()),
    ]  # fmt: skip


def _score(reviewed: _Reviewed, now: datetime) -> SiteScore | None:
    score, change = reviewed.site.score, reviewed.change
    if score is None:
        return None
    moved = ""
    if change is not None:
        moved = " ".join([change.said, *([f"{'; '.join(change.why)}."] if change.why else [])])
    return SiteScore(score, reviewed.site.pages, moved, course(change, score, now))


def _marks(review: SiteReview) -> Iterator[ReportedMark]:
    """The marks of the site, in the order in which sheets number them."""
    by_code = {one.code: one for one in review.marks}
    for code in marks_in_order(review):
        if one := by_code.get(code):
            worst = ", ".join(f"{name} ({bad:,} of {of:,})" for name, bad, of in one.worst[:2])
            yield ReportedMark(
                code, one.mark.what, str(one.mark.group), one.mark.why, one.mark.fix,
                one.short, one.better, one.good, one.cost, worst,
            )  # fmt: skip


def _worst(reviews: Sequence[PageReview]) -> Table:
    """The pages with most to gain."""
    worst = sorted(reviews, key=lambda one: (not one.page.important, one.exact_score))
    return Table(
        "Pages with most to gain",
        f"The first {_SHOWN} of {plural(len(reviews), 'listed page')}; important pages come first.",
        ("Page", "Section", "Score", "What would raise it most"),
        [
            (path_and_query(one.page.loc), one.page.section, str(one.score),
             " ".join(mark.mark.fix for mark in one.raising()))
            for one in worst[:_SHOWN]
            if one.score is not None and one.score < 100
        ],
        (2,),
    )  # fmt: skip


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
