"""One HTML page that needs nothing else: what matters first, then findings, marks, pages, figures.

All findings stand in it as they are, so that it can be read without JavaScript; its own script adds
filters, sorting, search, and the sheets of pages. A policy in its head (Content Security Policy
Level 3, §3.3) lets it run that script alone, and ask no server for anything.
"""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

from jinja2 import Environment, PackageLoader
from markupsafe import Markup, escape

from jovial_atlas.report.clicks import ClickFigure, click_svg
from jovial_atlas.report.drawing import in_page
from jovial_atlas.report.figures import bars
from jovial_atlas.report.fitting import fitted
from jovial_atlas.report.links import drawn_crossings
from jovial_atlas.report.numbers import numbers_of
from jovial_atlas.report.sheets import packed_layers
from jovial_atlas.report.trends import Trend, as_svg
from jovial_atlas.report.values import Bars, Crossings, Report, Table

#: Bytes of a whole page, at most, and of the places of its findings.
MOST, _PLACES = 1_980_000, 750_000
#: The parts of the script, in order.
_SCRIPTS = ("page.js", "tables.js", "findings.js", "pages.js", "sheet.js", "start.js")


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure as it is shown: the question that it answers, the answer, the drawing, and its
    numbers as a table."""

    question: str
    answer: str
    drawing: str
    numbers: Table
    wide: bool


def render(report: Report) -> bytes:
    """The page."""
    script = _script()
    fits = fitted(report.faults, _PLACES)
    known: dict[str, object] = {
        "report": report,
        "faults": fits,
        "paths": {one.path for one in report.sheets.sheets} if report.sheets else set(),
        "not_shown": sum(one.left_out for one in fits),
        "course": _trend(course) if (course := report.score and report.score.course) else None,
        "figures": [
            *map(_chart, report.charts),
            *map(_crossing, report.crossings),
            *map(_trend, report.trends),
        ],
        "clicks": [*map(_clicked, report.clicks)],
        "look": _part("look.css"),
        "script": script,
        "script_hash": base64.b64encode(hashlib.sha256(script.encode()).digest()).decode(),
        "layers": [],
        "missing": [],
    }
    template = _environment().get_template("page.html")
    if report.sheets is not None:
        room = MOST - len(template.render(known).encode())
        known["layers"], known["missing"] = packed_layers(report.sheets, room)
    return (template.render(known) + "\n").encode("utf-8", "replace")


@cache
def _environment() -> Environment:
    loader = PackageLoader("jovial_atlas.report", "web")
    made = Environment(loader=loader, autoescape=True, trim_blocks=True, lstrip_blocks=True)
    made.filters["coded"] = _coded
    return made


def _coded(text: str) -> Markup:
    """A text in which `what is typed` stands between grave accents."""
    parts = text.split("`")
    if len(parts) % 2 == 0:
        return escape(text)
    return Markup("").join(
        _CODE.format(part) if place % 2 else part for place, part in enumerate(parts)
    )


_CODE = Markup("<code>{}</code>")


def _part(name: str) -> str:
    return files("jovial_atlas.report").joinpath("web", name).read_text("utf-8")


def _script() -> str:
    """The parts as one, in a scope of their own."""
    return '(() => {\n"use strict";\n' + "\n".join(map(_part, _SCRIPTS)) + "})();\n"


def _chart(chart: Bars) -> Figure:
    names = [name for name, _ in chart.series]
    rows = [
        [label, *(f"{values[number]:,.0f}" for _, values in chart.series)]
        for number, label in enumerate(chart.labels)
    ]
    numbers = Table(chart.question, "", ["", *names], rows, _after_first(names))
    drawing = in_page(bars(chart.labels, chart.series))
    return Figure(chart.question, chart.answer, drawing, numbers, wide=False)


def _crossing(told: Crossings) -> Figure:
    rows = [
        [name, *(f"{value:,}" if value else "" for value in values)]
        for name, values in zip(told.rows, told.values, strict=True)
    ]
    numbers = Table(told.question, "", ["", *told.columns], rows, _after_first(told.columns))
    return Figure(told.question, told.answer, in_page(drawn_crossings(told)), numbers, wide=True)


def _trend(trend: Trend) -> Figure:
    columns, rows = numbers_of(trend)
    numbers = Table(trend.title, "", columns, rows, _after_first(columns[1:]))
    return Figure(trend.title, trend.about, in_page(as_svg(trend)), numbers, wide=True)


def _clicked(one: ClickFigure) -> Figure:
    columns, rows = one.numbers()
    numbers = Table(one.title, "", columns, rows, _after_first(columns[1:]))
    return Figure(one.title, one.about, in_page(click_svg(one)), numbers, wide=True)


def _after_first(names: Sequence[str]) -> list[int]:
    return list(range(1, len(names) + 1))
