"""Drops that are more than chance, waiting times, and series."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.trends.drops import FISHER, LEVEL, MCNEMAR, Share, compare, drops
from jovial_atlas.trends.series import over_time, stacked
from jovial_atlas.trends.waiting import curve, waits

DAY = "2026-11-01T00:00:00Z"


def case(before, now, pairs=()):
    return compare(Share(*before), Share(*now), DAY, pairs)


@pytest.mark.parametrize(
    ("before", "now", "pairs", "test", "p"),
    [
        ((8, 8), (0, 8), [(True, False)] * 8, MCNEMAR, 1 / 256),
        (
            (8, 10),
            (7, 10),
            [(True, False)] * 2 + [(False, True)] + [(True, True)] * 6,
            MCNEMAR,
            0.5,
        ),
        ((8, 8), (8, 8), [(True, True)] * 8, MCNEMAR, 1.0),
        ((50, 50), (40, 50), (), FISHER, 0.00059),
        ((50, 50), (40, 50), [(True, False)] * 3, FISHER, 0.00059),  # too few are known of
        ((40, 50), (50, 50), (), FISHER, 1.0),
        ((0, 0), (5, 5), (), FISHER, 1.0),
    ],
)
def test_a_fall_is_tested_by_pages_where_they_are_known_else_by_counts(before, now, pairs, test, p):
    found = case(before, now, pairs)
    assert found.test == test
    assert found.p == pytest.approx(p, rel=0.02)
    assert found.least <= found.p * (1 + 1e-9)


def test_a_drop_is_found_among_sections_of_which_nothing_changed():
    cases = {f"s{n}": case((9, 9), (9, 9), [(True, True)] * 9) for n in range(40)}
    assert drops(cases) == {}
    cases["field-notes"] = case((8, 8), (0, 8), [(True, False)] * 8)
    assert list(drops(cases)) == ["field-notes"]
    assert drops({"one": case((3, 3), (2, 3), [(True, False)])}) == {}
    assert drops({}) == {}


def test_false_alarms_stay_below_the_level():
    """Two thousand runs of six sections in which pages come and go by chance alone."""
    chance = random.Random(7)
    alarms = 0
    for _ in range(2_000):
        cases = {}
        for name in range(6):
            pairs = [(chance.random() < 0.9, chance.random() < 0.9) for _ in range(30)]
            before, now = (sum(one[n] for one in pairs) for n in (0, 1))
            cases[str(name)] = case((before, 30), (now, 30), pairs)
        alarms += bool(drops(cases))
    assert alarms / 2_000 < LEVEL


def test_waiting_counts_those_that_still_wait():
    began = dict.fromkeys("abcd", DAY) | {"old": "2026-11-05T00:00:00Z"}
    came = {"a": "2026-11-02T00:00:00Z", "b": "2026-11-03T12:00:00Z", "old": DAY}
    waited = waits(began, came, "2026-11-11T00:00:00Z")
    assert sorted(waited) == [(1.0, True), (2.5, True), (10.0, False), (10.0, False)]
    found = curve(waited)
    assert (found.days, found.waiting) == ((0.0, 1.0, 2.5, 10.0), (1.0, 0.75, 0.5, 0.5))
    assert (found.came, found.wait, found.median, found.longest) == (2, 2, 2.5, 10.0)


def test_leaving_out_those_that_wait_would_be_too_bright():
    waited = [(1.0, True)] * 5 + [(30.0, False)] * 15
    assert curve(waited).median is None
    nobody = curve([(4.0, False), (2.0, False)])
    assert (nobody.waiting, nobody.came, nobody.longest) == ((1.0, 1.0), 0, 4.0)
    assert curve([]) is None


@given(st.lists(st.tuples(st.floats(0, 400), st.booleans()), min_size=1, max_size=60))
def test_a_curve_falls_from_one_within_its_bounds(waited):
    found = curve(waited)
    assert found.waiting[0] == 1.0
    assert list(found.waiting) == sorted(found.waiting, reverse=True)
    for share, low, high in zip(found.waiting, found.low, found.high, strict=True):
        assert 0 <= low <= share + 1e-9
        assert share - 1e-9 <= high <= 1
    assert found.came + found.wait == len(waited)


def test_series_carry_on_what_is_not_said_anew():
    known = [("1", "a", "notes", 3), ("1", "b", "notes", 4), ("2", "a", "notes", 5),
             ("2", "c", "tags", 1), ("3", "b", "notes", 0)]  # fmt: skip
    assert over_time(known) == {"notes": [("1", 7), ("2", 9), ("3", 5)], "tags": [("2", 1)]}
    told = [("1", {"in": 9, "x": 1, "y": 1}), ("2", {"in": 8, "z": 2})]
    assert stacked(told, most=2) == (["1", "2"], {"in": [9, 8], "z": [0, 2], "other": [2, 0]})
