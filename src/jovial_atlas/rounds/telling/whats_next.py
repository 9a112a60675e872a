"""How a site stands, in a few lines, and what to do next.

What takes long on a large site (a build that writes nothing, a check, looking into its HTML) is
only done for one of moderate size; for larger ones it is said what to run."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime

from jovial_atlas import dates
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.rounds.deciding.moves import numbered_moves
from jovial_atlas.rounds.proving.check import check_site
from jovial_atlas.rounds.publishing.build.options import BuildOptions
from jovial_atlas.rounds.publishing.build.run import run_build
from jovial_atlas.rounds.publishing.inject import run_inject
from jovial_atlas.rounds.reading.unchanged import MODERATE, changed_since
from jovial_atlas.rounds.state.hiding import hides_first
from jovial_atlas.rounds.state.last_survey import LastSurvey, last_survey
from jovial_atlas.rounds.state.ledger import open_ledger
from jovial_atlas.rounds.state.record import load_record
from jovial_atlas.rounds.telling.status import run_status
from jovial_atlas.sitefile import HtmlSource, SiteFile

#: Days after which a survey is old, where nothing tells whether the content changed.
_OLD = 7
#: What is to be done of what is told of an engine.
_BEST_OF_ENGINE = 1


@dataclass(frozen=True, slots=True)
class NextStep:
    """One thing to do: the command (without the name of the program), and why."""

    command: str
    why: str


@dataclass(slots=True)
class SiteStanding:
    """How a site stands: pages and listed ones of the last survey, when it was read and built
    (None for never), what hides it, and what to do, the most urgent first."""

    name: str
    url: str
    stage: str
    pages: int | None = None
    listed: int | None = None
    surveyed: str | None = None
    built: str | None = None
    hidden: str = ""
    steps: list[NextStep] = field(default_factory=list)


def site_standing(site: SiteFile, now: datetime, environ: Mapping[str, str]) -> SiteStanding:
    """How a site stands. Raises AtlasError where what is kept of it cannot be read."""
    said = site.model.site
    standing = SiteStanding(said.name or said.url.partition("://")[2], said.url, said.stage)
    try:
        survey = last_survey(site, now)
    except AtlasError:
        standing.steps.append(NextStep("survey", "the content has not been read yet"))
        return standing
    standing.surveyed, standing.pages = survey.at, survey.count
    standing.built = load_record(site).at or None
    standing.hidden = hides_first(site, now)
    if survey.is_held:
        standing.listed = int(survey.decided["listed"].sum())
    standing.steps += _steps(site, survey, now, standing, environ)
    return standing


def _steps(
    site: SiteFile, survey: LastSurvey, now: datetime, standing: SiteStanding,
    environ: Mapping[str, str],
) -> Iterator[NextStep]:  # fmt: skip
    whole = survey.count <= MODERATE
    if reason := _content_changed(site, survey, now):
        yield NextStep("survey", reason)
    if reason := _build_due(site, survey, now, standing, whole=whole):
        yield NextStep("build", reason)
    if whole and (pages := _heads_due(site, survey)):
        lack = plural(pages, "page lacks", "pages lack")
        yield NextStep("inject", f"{lack} head data that is decided")
    yield from _finding(site, now, standing, whole=whole)
    if standing.stage == "live" and not standing.hidden:
        yield from _engines(site, now, environ)
    proposed = [one for one in numbered_moves(survey) if one.state == "proposed"]
    if proposed:
        pages = sum(one.covers for one in proposed)
        yield NextStep("moves", f"{plural(pages, 'page')} went or moved; nobody has decided where "
                   "old addresses lead")  # fmt: skip


def _content_changed(site: SiteFile, survey: LastSurvey, now: datetime) -> str:
    day = survey.at[:10]
    changed = changed_since(site.path)
    if changed:
        return f"content or settings changed since the survey of {day}"
    read = dates.read(survey.at)
    if changed is None and read and (now - dates.moment(read)).days >= _OLD:
        return f"the last survey is of {day}"
    return ""


def _build_due(
    site: SiteFile,
    survey: LastSurvey,
    now: datetime,
    standing: SiteStanding,
    *,
    whole: bool,
) -> str:
    if standing.built is None:
        return "nothing is built yet"
    if not whole:
        older = standing.built < survey.at
        return f"the last build is of {standing.built[:10]}, before the survey" if older else ""
    build = run_build(site, survey, now, BuildOptions(dry_run=True))
    files = sum(one.state in ("new", "changed", "removed") for one in build.files)
    if build.refused:
        return build.refused
    return f"{plural(files, 'file')} would change" if files else ""


def _heads_due(site: SiteFile, survey: LastSurvey) -> int:
    if not any(isinstance(one, HtmlSource) for one in site.model.source):
        return 0
    try:
        done = [one for host in site.hosts
                for one in run_inject(host, survey.of_host(host), dry_run=True)]  # fmt: skip
    except AtlasError:
        return 0
    return sum(one.state == "changed" for one in done)


def _finding(
    site: SiteFile, now: datetime, standing: SiteStanding, *, whole: bool
) -> Iterator[NextStep]:
    if not whole:
        yield NextStep("check", f"{standing.pages:,} pages were not checked for this")
        return
    findings = [one for one in check_site(site, now).findings
                if one.severity in ("blocker", "error", "warning")]  # fmt: skip
    if findings:
        worst = findings[0]
        alike = sum(one.code == worst.code for one in findings)
        other = len(findings) - alike
        more = f", and {other:,} findings more" if other else ""
        where = f"{worst.where}: " if worst.where else ""
        again = f" ({alike:,} times)" if alike > 1 else ""
        yield NextStep(
            "check", f"{worst.severity}: {where}{worst.message.rstrip('.')}{again}{more}"
        )


def _engines(site: SiteFile, now: datetime, environ: Mapping[str, str]) -> Iterator[NextStep]:
    """What to announce, and the worst that each engine tells."""
    due: list[str] = []
    gaps: list[NextStep] = []
    for host in site.hosts:
        ledger = open_ledger(host, lambda: now, environ)
        try:
            states = run_status(host, site.model.engine, ledger, None)
        finally:
            ledger.close()
        for state in states:
            waiting = [one for one in state.next if "jovial-atlas submit" in one]
            due += [f"{state.name}: {one.partition(': run')[0]}" for one in waiting]
            rest = [one for one in state.next if one not in waiting]
            gaps += [NextStep("status", f"{state.name}: {one}") for one in rest[:_BEST_OF_ENGINE]]
    if due:
        yield NextStep("submit", "; ".join(due))
    yield from gaps
