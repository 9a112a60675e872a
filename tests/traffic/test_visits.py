"""Visits of people are kept by month, added to what is there, and read once."""

from datetime import date, timedelta

import polars as pl
import pytest

from jovial_atlas.errors import OutputError
from jovial_atlas.traffic.asking import Span
from jovial_atlas.traffic.visits import (
    keep_times,
    keep_visits,
    scan_visits,
    times_read,
    visits_by_page,
)

OCTOBER, NOVEMBER = date(2026, 10, 31), date(2026, 11, 1)


def visits(*rows):
    return pl.DataFrame(rows, schema=["date", "loc", "visits"], orient="row")


def kept(folder, span=None):
    return scan_visits(folder, span).sort("date", "loc").collect().rows()


def test_visits_are_added_to_those_of_the_same_day_and_page(tmp_path):
    keep_visits(tmp_path, visits((OCTOBER, "/a", 2), (NOVEMBER, "/a", 1)))
    keep_visits(tmp_path, visits((NOVEMBER, "/b", 5), (NOVEMBER, "/a", 3)))
    assert kept(tmp_path) == [(OCTOBER, "/a", 2), (NOVEMBER, "/a", 4), (NOVEMBER, "/b", 5)]
    assert kept(tmp_path, Span(OCTOBER, OCTOBER)) == [(OCTOBER, "/a", 2)]


def test_nothing_is_kept_where_nobody_came(tmp_path):
    assert kept(tmp_path) == []
    table, span = visits_by_page(tmp_path)
    assert (len(table), span) == (0, None)


def test_the_last_weeks_are_added_up_by_page(tmp_path):
    days = [NOVEMBER - timedelta(day) for day in range(40)]
    keep_visits(tmp_path, visits(*((day, "/a", 1) for day in days)))
    table, span = visits_by_page(tmp_path)
    assert span == Span(NOVEMBER - timedelta(27), NOVEMBER)
    assert table.select("loc", "visits").rows() == [("/a", 28)]


def test_times_that_were_read_grow_and_never_shrink(tmp_path):
    assert times_read(tmp_path) == {}
    keep_times(tmp_path, {OCTOBER: ("08:00:00", "12:00:00")})
    keep_times(tmp_path, {OCTOBER: ("09:00:00", "18:00:00"), NOVEMBER: ("00:00:01", "00:00:02")})
    keep_times(tmp_path, {OCTOBER: ("07:00:00", "07:30:00")})
    assert times_read(tmp_path) == {
        OCTOBER: ("07:00:00", "18:00:00"),
        NOVEMBER: ("00:00:01", "00:00:02"),
    }


@pytest.mark.parametrize("text", ["{", "[]", '{"soon": ["a", "b"]}', '{"2026-11-01": ["a"]}'])
def test_times_that_cannot_be_read_are_told_of_and_stay(tmp_path, text):
    keep_times(tmp_path, {})
    (place,) = (one for one in tmp_path.rglob("*") if one.is_file())
    place.write_text(text, "utf-8")
    with pytest.raises(OutputError, match="read all logs again"):
        keep_times(tmp_path, {NOVEMBER: ("00:00:01", "00:00:02")})
    assert place.read_text("utf-8") == text
