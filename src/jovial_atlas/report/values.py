"""What a report is made of, as plain values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from jovial_atlas.report.clicks import ClickFigure
from jovial_atlas.report.sheets import SheetSet
from jovial_atlas.report.trends import Course, Trend


@dataclass(frozen=True, slots=True)
class Bars:
    """A bar chart: the question that it answers, the answer, labels, and one or more series of
    numbers, stacked."""

    question: str
    answer: str
    labels: Sequence[str]
    series: Sequence[tuple[str, Sequence[float]]]


@dataclass(frozen=True, slots=True)
class Crossings:
    """A table of counts that is drawn: the question that it answers, the answer, what its rows and
    columns are, and `values[row][column]`, each as strong as it is a large part of its row."""

    question: str
    answer: str
    rows: Sequence[str]
    columns: Sequence[str]
    values: Sequence[Sequence[int]]


@dataclass(frozen=True, slots=True)
class Table:
    """A table: columns, the numbers among them right-aligned, and rows of text."""

    title: str
    about: str
    columns: Sequence[str]
    rows: Sequence[Sequence[str]]
    numbers: Sequence[int] = ()


@dataclass(frozen=True, slots=True)
class FaultPlace:
    """A place with a fault: its address or file, and the page's number among the sheets, if it is
    one."""

    where: str
    page: int | None = None


@dataclass(frozen=True, slots=True)
class ReportedFault:
    """What `check` found of one kind: how grave it is, its code, what it is, why it matters, what
    to do; in how many places, and what is said of which. `left_out` counts places that do not fit
    into a page."""

    severity: str
    code: str
    what: str
    why: str
    fix: str
    count: int
    said: Sequence[tuple[str, Sequence[FaultPlace]]] = ()
    left_out: int = 0

    @property
    def shared(self) -> list[tuple[str, Sequence[FaultPlace]]]:
        """What is said of several places."""
        return [(said, places) for said, places in self.said if len(places) > 1]

    @property
    def single(self) -> list[tuple[str, FaultPlace]]:
        """What is said of one place each."""
        return [(said, places[0]) for said, places in self.said if len(places) == 1]


@dataclass(frozen=True, slots=True)
class ReportedMark:
    """How a mark stands over the site: on how many pages it falls short, could be better, is good;
    the points that it costs, and where it is worst."""

    code: str
    what: str
    group: str
    why: str
    fix: str
    short: int
    better: int
    good: int
    cost: float
    worst: str


@dataclass(frozen=True, slots=True)
class SiteScore:
    """The score of the site over so many pages; in words how it moved, and its course, where there
    were reviews before."""

    score: float
    pages: int
    moved: str = ""
    course: Course | None = None


@dataclass(frozen=True, slots=True)
class Report:
    """A whole report. `first` is what must be said before anything else, if anything; `trends` are
    figures over time; `worst` is shown where the pages themselves cannot be looked up, and
    `not_reviewed` says why there is no score, if there is none."""

    site: str
    address: str
    language: str
    made: str
    first: Sequence[str]
    figures: Sequence[tuple[str, str]]
    faults: Sequence[ReportedFault] = ()
    score: SiteScore | None = None
    marks: Sequence[ReportedMark] = ()
    worst: Table | None = None
    charts: Sequence[Bars] = ()
    crossings: Sequence[Crossings] = ()
    trends: Sequence[Trend] = ()
    tables: Sequence[Table] = field(default=())
    sheets: SheetSet | None = None
    not_reviewed: str = ""
    #: What rounds that nobody watched came to.
    rounds: Sequence[Table] = field(default=())
    #: What people clicked.
    clicks: Sequence[ClickFigure] = field(default=())
    click_tables: Sequence[Table] = field(default=())
