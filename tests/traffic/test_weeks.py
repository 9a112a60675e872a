"""Which weeks are compared: only those that are told of, and of engines that tell of all."""

from datetime import date, timedelta

import polars as pl
import pytest

from jovial_atlas.traffic.asking import Span
from jovial_atlas.traffic.columns import guessed_columns
from jovial_atlas.traffic.hearing import hear_performance
from jovial_atlas.traffic.keeping import Traffic
from jovial_atlas.traffic.reading import tables_of
from jovial_atlas.traffic.weeks import compared, matrix, week_totals, weekly
from tests.conftest import URL

LAST = date(2026, 11, 22)


def told(folder, engine, days):
    """Keep one click a day of one page, so many days before the last."""
    lines = [f"{LAST - timedelta(day)},{URL}/a,1,10" for day in days]
    place = folder / f"{engine}.csv"
    place.write_text("\n".join(["Day,Page,Clicks,Impressions", *lines]), "utf-8")
    traffic = Traffic(folder / "kept")
    for table in tables_of(place):
        hear_performance(traffic, engine, table, guessed_columns(table.header), [URL])
    return Traffic(folder / "kept")


@pytest.mark.parametrize(
    ("days", "weeks"),
    [
        (range(56), 4),
        (range(200), 4),
        (range(42), 3),
        (range(28), 2),
        # Fewer than two weeks on each side are too few to compare.
        (range(27), 2),
        (range(24), 0),
        (range(7), 0),
        # A week with less than four of its days is a gap.
        ([day for day in range(56) if not 14 <= day < 21], 0),
        ([day for day in range(56) if not 35 <= day < 39], 2),
        ([day for day in range(56) if not 35 <= day < 38], 4),
    ],
)
def test_as_many_weeks_as_are_told_of_without_a_gap(tmp_path, days, weeks):
    found = compared(told(tmp_path, "L", days))
    assert (found.ends, found.weeks, found.engines) == (LAST, weeks, ("L",))


def test_the_two_sides_meet_and_are_of_one_length(tmp_path):
    found = compared(told(tmp_path, "L", range(56)))
    assert found.now == Span(LAST - timedelta(27), LAST)
    assert found.before == Span(LAST - timedelta(55), LAST - timedelta(28))
    assert found.both == Span(LAST - timedelta(55), LAST)


def test_engines_that_tell_of_less_are_left_out_and_the_last_common_day_counts(tmp_path):
    told(tmp_path, "long", range(3, 70))
    traffic = told(tmp_path, "short", range(10))
    both = compared(traffic)
    assert (both.ends, both.engines) == (LAST - timedelta(3), ("long",))
    assert compared(traffic, engines=["short"]).weeks == 0
    assert compared(traffic, engines=["nobody"]) is None
    assert compared(Traffic(tmp_path / "nothing")) is None


def test_totals_of_weeks_begin_with_the_first_whole_one(tmp_path):
    totals = week_totals(told(tmp_path, "L", range(24)), ["L"], LAST)
    assert totals == [(LAST - timedelta(7 * week - 1), 7, 70) for week in (3, 2, 1)]
    gap = week_totals(told(tmp_path, "G", [*range(7), *range(14, 21)]), ["G"], LAST)
    assert [clicks for _, clicks, _ in gap] == [7, 0, 7]


def test_counts_are_added_up_by_week_and_stand_one_column_a_week():
    span = Span(LAST - timedelta(13), LAST)
    rows = pl.DataFrame(
        [
            (span.begins, "b", 1, 10),
            (span.begins + timedelta(6), "b", 2, 20),
            (LAST, "b", 4, 40),
            (LAST, "a", 8, 80),
        ],
        schema=["date", "loc", "clicks", "impressions"],
        orient="row",
    ).lazy()
    keys, counts = matrix(weekly(rows, "loc", span), "loc", "clicks", 2)
    assert keys.to_list() == ["a", "b"]
    assert counts.tolist() == [[0, 8], [3, 4]]
    only, shown = matrix(weekly(rows, "loc", span, pl.Series(["b"])), "loc", "impressions", 2)
    assert (only.to_list(), shown.tolist()) == (["b"], [[30, 40]])
