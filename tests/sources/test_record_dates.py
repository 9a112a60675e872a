"""Dates in fields of records: in the order of a country where the column shows it, and told where they cannot be used."""

from datetime import date, datetime

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.sources.records.record_dates import LostDates, date_column, days_stand_first
from tests.conftest import run_command

LAST = date(2026, 11, 30)


def read(values, *, lost=None, last=LAST):
    table = pl.LazyFrame({"d": values})
    kind = table.collect_schema()["d"]
    column = date_column("d", kind, last, lost, day_first=days_stand_first(table, "d", kind))
    return table.select(column).collect()["d"].to_list()


@given(st.lists(st.datetimes(datetime(1991, 1, 1), datetime(2026, 11, 29)), min_size=1, max_size=9), st.sampled_from("/-"),
       st.booleans(), st.sampled_from(["", " %H:%M", " %H:%M:%S", ", %I:%M %p"]))  # fmt: skip
def test_days_in_the_order_of_a_country_are_read_where_one_of_them_shows_it(moments, mark, days_first, time):
    moments.append(datetime(2020, 3, 31, 13, 5))
    order = mark.join(["%d", "%m", "%Y"] if days_first else ["%m", "%d", "%Y"])
    written = [one.strftime(f"{order}{time}") for one in moments]
    wanted = [one.strftime("%Y-%m-%d") if not time else
              one.replace(second=one.second if "S" in time else 0).strftime("%Y-%m-%dT%H:%M:%SZ") for one in moments]  # fmt: skip
    assert read(written) == wanted


@pytest.mark.parametrize(
    ("language", "text", "wanted"),
    [
        ("", "Jan 4, 2020", "2020-01-04"), ("", "Saturday, January 04, 2020", "2020-01-04"), ("", "04-Jan-2020", "2020-01-04"),
        ("", "January 4th, 2020 at 6:39 PM", "2020-01-04T18:39:00Z"), ("", "4 Jan. 2020, 12:05 a.m.", "2020-01-04T00:05:00Z"),
        ("", "4 January 2020 18:39:57 +0100", "2020-01-04T17:39:57Z"), ("", "Sat Jan 04 18:39:57 2020", "2020-01-04T18:39:57Z"),
        ("de", "4. Januar 2020", "2020-01-04"), ("de-AT", "Samstag, 4. Jänner 2020", "2020-01-04"), ("de", "4 January 2020", "2020-01-04"),
        ("fr", "le 1er août 2020", "2020-08-01"), ("fr", "4. Januar 2020", None), ("ja", "2020年1月4日 18:39", "2020-01-04T18:39:00Z"),
        ("", "2020/01/04", "2020-01-04"), ("", "2020.1.4 9:05", "2020-01-04T09:05:00Z"), ("", "20200104T183957Z", "2020-01-04T18:39:57Z"),
        ("", "Jan 4, 2020 25:00", None), ("", "Jan 34, 2020", None), ("", "by Wren, Jan 4, 2020 or Jan 5, 2020", None), ("", "the year 2020", None),
    ],
)  # fmt: skip
def test_names_of_months_and_other_forms_are_read(language, text, wanted):
    table = pl.LazyFrame({"d": [text, None, "2021-01-01", "soon"]})
    column = date_column("d", pl.String(), LAST, language=language)
    assert table.select(column).collect()["d"].to_list() == [wanted, None, "2021-01-01", None]


def test_a_column_of_texts_is_not_searched_for_dates():
    texts = pl.Series("d", [f"Report {n} of the year 2020" for n in range(30_000)])
    assert texts.to_frame().lazy().select(date_column("d", pl.String(), LAST)).collect()["d"].null_count() == len(texts)


@given(st.lists(st.datetimes(datetime(1991, 1, 1), datetime(2026, 11, 29)), min_size=1, max_size=9),
       st.sampled_from(["%d %B %Y", "%B %d, %Y", "%d-%b-%Y", "%a, %b %d, %Y"]), st.sampled_from(["", " %H:%M", ", %I:%M %p", " at %H:%M:%S"]))  # fmt: skip
def test_dates_in_words_are_what_they_were_made_of(moments, form, time):
    made = date_column("d", pl.String(), LAST)
    written = pl.LazyFrame({"d": [one.strftime(form + time) for one in moments]})
    wanted = [one.strftime("%Y-%m-%d") if not time else
              one.replace(second=one.second if "S" in time else 0).strftime("%Y-%m-%dT%H:%M:%SZ") for one in moments]  # fmt: skip
    assert written.select(made).collect()["d"].to_list() == wanted


@pytest.mark.parametrize(
    ("values", "wanted", "told"),
    [
        (["1/2/2020", "3/4/2021"], [None, None], [("date-unreadable", "2 values of d cannot be read as a date, like '1/2/2020'. "
                                                   "Nothing in the table tells whether days or months stand first.")]),
        (["31/1/2020", "1/31/2020"], [None, None], [("date-unreadable", "2 values of d cannot")]),
        (["31/1/2020", "30/2/2020", "1/2/2020 25:00"], ["2020-01-31", None, None], [("date-unreadable", "2 values of d cannot")]),
        (["12/31/2020", "02/30/2021"], ["2020-12-31", None], [("date-unreadable", "1 value of d cannot be read as a date, like '02/30/2021'.")]),
        (["12/31/2020 0:30 PM", "12/31/2020 12:30 AM"], [None, "2020-12-31T00:30:00Z"], [("date-unreadable", "1 value of d cannot")]),
        (["", "0000-00-00", "NaT", "-", None, "2020-01-01"], [None] * 5 + ["2020-01-01"], []),
        (["1970-01-01", "2099-01-01", "2020-01-01"], [None, None, "2020-01-01"],
         [("date-implausible", "2 values of d cannot be right and are not used, like '1970-01-01'.")]),
        ([20200131, 20201399, 0], ["2020-01-31", None, None], [("date-unreadable", "1 value of d cannot be read as a date, like '20201399'.")]),
        ([date(1980, 1, 1), date(2020, 1, 1)], [None, "2020-01-01"], [("date-implausible", "1 value of d cannot be right and is not")]),
    ],
)  # fmt: skip
def test_what_cannot_be_used_is_told_once_a_field(values, wanted, told):
    lost = LostDates()
    assert read(values, lost=lost) == wanted
    faults = list(lost.faults("t.csv"))
    assert [(one.code, one.where) for one in faults] == [(code, "t.csv") for code, _ in told]
    for fault, (_, message) in zip(faults, told, strict=True):
        assert fault.message == message if message.endswith(".") else fault.message.startswith(message)


@pytest.mark.parametrize("ending", ["csv", "jsonl", "parquet"])
def test_dates_of_a_table_are_read_and_told_whatever_holds_it(tmp_path, ending):
    rows = pl.DataFrame({"loc": [f"/{n}" for n in range(400)], "changed": [*["1/2/2020"] * 398, "12/31/2020", "soon"]})
    {"csv": rows.write_csv, "jsonl": rows.write_ndjson, "parquet": rows.write_parquet}[ending](tmp_path / f"t.{ending}")
    (tmp_path / "atlas.toml").write_text(
        f'[site]\nurl = "https://www.marrowfen.example"\n[[source]]\nkind = "table"\npath = "t.{ending}"\ncolumns = {{ lastmod = "changed" }}\n'
    )
    run_command("survey", cwd=tmp_path)
    checked = run_command("check", "--format", "json", cwd=tmp_path)
    assert "1 value of changed cannot be read as a date, like 'soon'." in checked.out
    dated = pl.scan_parquet(tmp_path / ".jovial-atlas/pages.parquet").select("lastmod").collect()["lastmod"]
    assert set(dated.value_counts().rows()) == {("2020-01-02", 398), ("2020-12-31", 1), (None, 1)}
