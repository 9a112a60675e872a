"""Figures of clicks: their numbers are those that are drawn, and they are drawn whatever the
numbers are."""

from datetime import date, timedelta
from pathlib import Path
from xml.etree import ElementTree

import pytest

from jovial_atlas.faults import change_in_words
from jovial_atlas.report.clicks import (
    ClickShares,
    EventCourse,
    SectionClicks,
    click_picture,
    click_svg,
)

DAY = date(2026, 10, 5)
WEEKS = [(DAY + timedelta(7 * week), 100.0 + week, 90.0) for week in range(-4, 4)]
LONG = "/species/the-very-long-name-of-a-small-brown-bird-that-nobody-sees/"

SECTIONS = SectionClicks(
    "Which sections?", "One fell.", [("species", 1200, 700), ("", 3, 0)], frozenset({"species"})
)
COURSE = EventCourse("Did it help?", "Clicks rose.", DAY, WEEKS, (-0.1, 0.2))
SHARES = ClickShares(
    "Which are clicked seldom?",
    "Two of them.",
    [(1.0, 0.3), (10.0, 0.02)],
    [(1.2, 0.28, 900), (8.0, 0.01, 40)],
    [(2.0, 0.05, LONG), (2.1, 0.04, "/too-near/"), (9.0, 0.001, "/far/")],
)


@pytest.mark.parametrize(
    ("figure", "columns", "row"),
    [
        (
            SECTIONS,
            ["Section", "Before", "Now", "Change"],
            ["species", "1,200", "700", "more than chance"],
        ),
        (
            COURSE,
            ["Week from", "Pages that changed", "Without the change"],
            ["2026-09-07", "96", "90"],
        ),
        (SHARES, ["Place", "Clicked", "Of"], ["place 1.0", "30.0%", ""]),
    ],
)
def test_the_numbers_are_told_beside_the_figure(figure, columns, row):
    told, rows = figure.numbers()
    assert told == columns
    assert rows[0] == row
    assert all(len(one) == len(columns) for one in rows)


def test_a_section_without_a_name_and_pages_that_are_clicked_seldom_are_told_too():
    assert SECTIONS.numbers()[1][1] == ["(not known)", "3", "0", ""]
    assert [row[2] for row in SHARES.numbers()[1][2:]] == [LONG, "/too-near/", "/far/"]


def test_names_do_not_stand_on_each_other_and_long_ones_are_cut():
    svg = click_svg(SHARES)
    assert "/far/" in svg
    assert "/too-near/" not in svg
    assert LONG not in svg
    assert LONG[:20] in svg


@pytest.mark.parametrize(
    "figure",
    [
        SECTIONS,
        COURSE,
        SHARES,
        SectionClicks("Nothing?", "Nothing.", [("a", 0, 0)], frozenset()),
        EventCourse("Nothing?", "Nothing.", DAY, [(DAY, 0.0, 0.0)]),
        EventCourse("Before?", "Not yet.", DAY + timedelta(90), WEEKS, (-0.1, 0.2)),
        ClickShares("Nothing?", "Nothing.", [], [], []),
    ],
)
def test_every_figure_is_drawn(figure):
    root = ElementTree.fromstring(click_svg(figure))
    assert root.tag.endswith("svg")
    assert len(list(root.iter())) > 20


@pytest.mark.parametrize(
    ("name", "begins"), [("clicks.svg", b"<svg"), ("CLICKS.SVG", b"<svg"), ("a.png", b"\x89PNG")]
)
def test_the_ending_of_the_file_says_what_is_written(name, begins):
    written = click_picture([SECTIONS, COURSE, SHARES], Path(name))
    assert begins in written[:600]
    if name == "clicks.svg":
        assert all(one.title.encode() in written for one in (SECTIONS, COURSE, SHARES))


@pytest.mark.parametrize(
    ("before", "now", "said"),
    [
        (100, 112, "+12%"),
        (100, 50, "-50%"),
        (100, 0, "-100%"),
        (1000, 1001, "0%"),
        (1000, 999, "0%"),
        (0, 7, "new"),
        (0, 0, "0%"),
    ],
)
def test_a_change_in_words(before, now, said):
    assert change_in_words(before, now) == said
