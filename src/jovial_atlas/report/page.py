"""One HTML page that needs nothing else: what matters first, then figures, then tables."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from importlib.resources import files

from jinja2 import Environment

from jovial_atlas.report.figures import bars
from jovial_atlas.report.trends import Trend, as_svg


@dataclass(frozen=True, slots=True)
class Bars:
    """A bar chart: labels, and one or more series of numbers, stacked."""

    title: str
    about: str
    labels: Sequence[str]
    series: Sequence[tuple[str, Sequence[float]]]


@dataclass(frozen=True, slots=True)
class Table:
    """A table: columns, the numbers among them right-aligned, and rows of text."""

    title: str
    about: str
    columns: Sequence[str]
    rows: Sequence[Sequence[str]]
    numbers: Sequence[int] = ()


@dataclass(frozen=True, slots=True)
class Report:
    """A whole report. `first` is what must be said before anything else, if anything."""

    site: str
    address: str
    language: str
    made: str
    first: Sequence[str]
    figures: Sequence[tuple[str, str]]
    charts: Sequence[Bars] = ()
    findings: Sequence[tuple[str, str, str, int, str]] = ()
    tables: Sequence[Table] = field(default=())
    #: Figures over time, which take the whole width.
    trends: Sequence[Trend] = ()


def render(report: Report) -> bytes:
    """The page. Findings are (severity, heading, why it matters, count, what to do)."""
    template = files("jovial_atlas.report").joinpath("page.html").read_text("utf-8")
    environment = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    charts = [(chart, bars(chart.labels, chart.series)) for chart in report.charts]
    text = environment.from_string(template).render(
        report=report, charts=charts, trends=[(one, as_svg(one)) for one in report.trends]
    )
    return (text + "\n").encode()
