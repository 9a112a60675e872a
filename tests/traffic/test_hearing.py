"""Tables of performance: read in the words of many countries, and one truth whatever was heard."""

import json
import tempfile
from datetime import date, timedelta
from pathlib import Path

import openpyxl
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from polars.testing import assert_frame_equal

from jovial_atlas.errors import AtlasError
from jovial_atlas.traffic import hearing, keeping, reading
from jovial_atlas.traffic.asking import by_page, chosen, span_to
from jovial_atlas.traffic.columns import guessed_columns, is_performance
from jovial_atlas.traffic.hearing import hear_performance
from jovial_atlas.traffic.keeping import TableKind, Traffic
from jovial_atlas.traffic.reading import tables_of
from tests.conftest import URL

ENGINE = "Lantern.fish / 2"


def hear(folder, name, data, columns=None, **more):
    """Hear one file; gives what came of each of its tables, and what is kept."""
    path = folder / name
    if data is not None:
        path.write_bytes(data if isinstance(data, bytes) else data.encode())
    traffic = Traffic(folder / "kept")
    heard = [hear_performance(traffic, ENGINE, table, columns or guessed_columns(table.header), [URL], **more)
             for table in tables_of(path)]  # fmt: skip
    return heard, traffic


def rows(traffic, kind=None):
    kind = kind or traffic.kinds(ENGINE)[0]
    return traffic.scan(ENGINE, kind).sort(pl.all()).collect().rows()


@pytest.mark.parametrize(
    ("header", "wanted"),
    [
        ("Top pages|Clicks|Impressions|CTR|Position", "loc clicks impressions position"),
        ("Datum|Seite|Suchanfrage|Einblendungen|Klicks|Klickrate|Rang", "date loc query impressions clicks position"),
        ("Página|Clics|Impresiones|Posición|Día|País|Dispositivo", "loc clicks impressions position date country device"),
        ("Search term|Landing page|Day|Shown|Clicks|Avg. position", "query loc date impressions clicks position"),
        ("Strona|Kliknięcia|Wyświetlenia|Pozycja", "loc clicks impressions position"),
        ("Запрос|Показы|Клики", "query impressions clicks"),
        ("Page|Clicks last 3 months|Clicks previous 3 months|Clicks difference", "loc clicks"),
    ],
)  # fmt: skip
def test_headings_of_many_languages_say_what_they_are(header, wanted):
    found = guessed_columns(header.split("|"))
    assert sorted(found) == sorted(wanted.split())
    assert is_performance(found)


@pytest.mark.parametrize("header", [["loc", "found", "indexed"], ["reason", "pages"], ["Clicks"], ["Page", "CTR"]])
def test_other_tables_are_no_performance(header):
    assert not is_performance(guessed_columns(header))


DAY = date(2026, 10, 3)


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("a.csv", f"date,loc,clicks,impressions,position\n2026-10-03,{URL}/a/,1234,56789,3.4\n"),
        ("a.csv", "# An export\n#\nTag;Seite;Klicks;Einblendungen;Rang\n03.10.2026;/a/;1.234;56.789;3,4\n"
                  "13.10.2026;/a/;0;0;–\n"),
        ("a.tsv", "Day\tPage\tClicks\tShown\tPosition\n10/3/2026\t/a/\t1,234\t56,789\t3.4\n10/13/2026\t/a/\t-\t-\t\n"
                  .encode("utf-16")),
        ("a.csv", "Date,Page,Clics,Impressions,Position\n3 oct. 2026,/a/,\"1 234\",56’789,\"3,40\"\n"),
        ("a.json", json.dumps({"of": 1, "rows": [{"Day": "2026-10-03", "page": "/a/", "clicks": 1234,
                                                   "impressions": 56789.0, "position": 3.4}]})),
        ("a.jsonl", json.dumps({"Day": "2026-10-03T00:00:00Z", "page": "/a/", "clicks": "1234",
                                "impressions": 56789, "position": 3.4}) + "\n"),
    ],
)  # fmt: skip
def test_days_counts_and_places_are_read_as_they_are_written(tmp_path, name, data):
    _, traffic = hear(tmp_path, name, data)
    first = rows(traffic)[0]
    assert (first[:4], round(first[4], 2)) == ((DAY, f"{URL}/a/", 1234, 56789), 3.4)


def test_a_workbook_is_heard_sheet_by_sheet(tmp_path):
    book = openpyxl.Workbook()
    book.active.append(["Pages", "Clicks", "Impressions"])
    book.active.append([f"{URL}/a/", 5, 50])
    days = book.create_sheet("Days")
    days.append(["Date", "Clicks"])
    days.append([DAY, 7])
    book.save(tmp_path / "b.xlsx")
    heard, traffic = hear(tmp_path, "b.xlsx", None, period=(DAY, DAY + timedelta(27)))
    assert [one.kind.folder for one in heard] == ["period-page", "day"]
    assert rows(traffic, TableKind(("loc",))) == [(DAY, DAY + timedelta(27), f"{URL}/a/", 5, 50, None)]
    with pytest.raises(AtlasError, match="sheet Sheet has no column of days"):
        hear(tmp_path, "b.xlsx", None)


def test_what_cannot_be_used_is_left_out_and_told(tmp_path):
    lines = [f"2026-10-03,/p{number}/,1,10,2" for number in range(30)]
    lines += ["2026-10-03,https://other.example/,1,10,2", "soon,/a/,1,10,2", "2026-10-03,/b/,many,10,2",
              "2026-10-03,/c/,<10,10,2", f"2026-10-03,{URL.replace('https', 'http')}/d/,1,10,2"]  # fmt: skip
    (heard,), traffic = hear(tmp_path, "a.csv", "date,loc,clicks,impressions,position\n" + "\n".join(lines))
    assert (heard.rows, heard.elsewhere, heard.unread, heard.hidden) == (32, 1, 2, 1)
    assert "line 34: 'many' is no count" in heard.first
    assert (DAY, f"{URL}/d/", 1, 10, 2.0) in rows(traffic), "http and https are the same page"
    with pytest.raises(AtlasError, match=r"1 row of 1 cannot be read \(line 2: 'x' is no count"):
        hear(tmp_path, "a.csv", "date,loc,clicks\n2026-10-03,/a/,x\n")


def test_spellings_of_one_page_add_up_and_the_same_row_twice_does_not(tmp_path):
    text = "date,loc,clicks,impressions,position\n" + "".join(
        f"2026-10-03,{path},{clicks},{shown},{place}\n"
        for path, clicks, shown, place in
        [("/a/", 1, 10, 2), ("/a/#part", 2, 30, 4), ("/a/#part", 2, 30, 4), ("/ä/", 1, 1, 1), ("/%c3%a4/", 1, 1, 1)]
    )  # fmt: skip
    _, traffic = hear(tmp_path, "a.csv", text)
    assert rows(traffic) == [(DAY, f"{URL}/%C3%A4/", 2, 2, 1.0), (DAY, f"{URL}/a/", 3, 40, 3.5)]


def test_replace_takes_what_a_table_says_of_its_days(tmp_path):
    hear(tmp_path, "a.csv", "date,loc,clicks\n2026-10-03,/a/,9\n2026-10-03,/b/,9\n2026-10-04,/a/,9\n")
    (heard,), traffic = hear(tmp_path, "a.csv", "date,loc,clicks\n2026-10-03,/a/,4\n")
    assert (heard.other, heard.new, rows(traffic)[0][2]) == (1, 0, 9)
    hear(tmp_path, "a.csv", "date,loc,clicks\n2026-10-03,/a/,4\n", replace=True)
    assert [(day.day, clicks) for day, _, clicks, _, _ in rows(traffic)] == [(3, 4), (4, 9)]


def test_a_table_that_ends_at_a_round_number_may_be_cut_off(tmp_path):
    text = "date,loc,clicks\n" + "".join(f"2026-10-03,/{number}/,1\n" for number in range(1000))
    (heard,), _ = hear(tmp_path, "a.csv", text)
    assert heard.is_cut


EXPORTS = st.lists(
    st.lists(
        st.tuples(st.integers(1, 40), st.sampled_from("abc"), st.integers(0, 3), st.integers(0, 9), st.integers(1, 4)),
        max_size=6,
    ),
    min_size=1, max_size=4,
)  # fmt: skip


@settings(deadline=None, max_examples=25)
@given(EXPORTS, st.randoms(use_true_random=False))
def test_overlapping_and_contradicting_tables_give_one_truth_in_any_order(exports, chance):
    found = []
    mixed = [list(one) for one in (*exports, *exports[:1])]
    for order in (exports, chance.sample(mixed, len(mixed))):
        with tempfile.TemporaryDirectory() as folder, pytest.MonkeyPatch.context() as patch:
            # Days are put together some at a time, as those of large tables are.
            patch.setattr(keeping, "_AT_ONCE", chance.choice([1, 3, 1000]))
            patch.setattr(hearing, "_HELD", chance.choice([0, 1000]))
            for export in order:
                given_ = export if order is exports else chance.sample(export, len(export))
                lines = [f"{date(2026, 9, 20) + timedelta(day)},/{loc}/,{clicks},{shown},{place}"
                         for day, loc, clicks, shown, place in given_]  # fmt: skip
                text = "date,loc,clicks,impressions,position\n" + "\n".join(lines)
                _, traffic = hear(Path(folder), "a.csv", text)
            kinds = traffic.kinds(ENGINE)
            found.append(rows(traffic, kinds[0]) if kinds else [])
    assert found[0] == found[1]
    truth = {}
    for day, loc, clicks, shown, _ in (row for one in exports for row in one):
        had = truth.get((day, loc), (0, 0))
        truth[day, loc] = (max(had[0], clicks), max(had[1], shown))
    assert {((day - date(2026, 9, 20)).days, loc[-2]): (clicks, shown) for day, loc, clicks, shown, _ in found[0]} == truth


def test_a_large_table_is_read_on_all_cores_as_it_is_row_by_row(tmp_path, monkeypatch):
    plain = "date,loc,query,clicks\n" + "".join(f"2026-10-{1 + n % 28:02d},/{n % 7}/,q{n},{n % 5}\n" for n in range(300))
    odd = plain.replace(",q9,", ',"q, ""9""\nmore",').replace("q8,3\n", "q8,3,too much\n")
    found = {}
    for name, text in (("plain", plain), ("odd", odd)):
        for size in (1, 1 << 40):
            monkeypatch.setattr(reading, "_LARGE", size)
            monkeypatch.setattr(reading, "PIECE", 100)
            place = tmp_path / f"{name}-{size}"
            place.mkdir()
            _, traffic = hear(place, "a.csv", text)
            found[name, size] = rows(traffic)
        assert found[name, 1] == found[name, 1 << 40]
    assert (len(found["plain", 1]), len(found["odd", 1])) == (300, 299)


def test_each_day_counts_once_by_the_table_that_says_most(tmp_path):
    by_query = "date,loc,query,clicks,impressions\n" + "".join(
        f"2026-10-{day:02d},/a/,{query},2,10\n" for day in (1, 2, 3) for query in ("x", "y")
    )
    hear(tmp_path, "q.csv", by_query)
    hear(tmp_path, "d.csv", "date,loc,device,clicks,impressions\n2026-10-02,/a/,phone,3,30\n2026-10-02,/a/,desk,4,40\n")
    _, traffic = hear(tmp_path, "p.csv", "date,loc,clicks,impressions\n2026-10-03,/a/,9,90\n")
    used = chosen(traffic, ENGINE, span_to(date(2026, 10, 3)))
    assert [(one.kind.folder, [day.day for day in one.days]) for one in used] == [
        ("day-page", [3]), ("day-page-device", [2]), ("day-page-query", [1])]  # fmt: skip
    pages, spans = by_page(traffic)
    assert pages.select("clicks", "impressions").rows() == [(9 + 7 + 4, 90 + 70 + 20)]
    assert spans[ENGINE].days == 28


def test_a_table_of_a_longer_time_is_brought_to_four_weeks(tmp_path):
    text = "loc,clicks,impressions,position\n/a/,300,3000,2\n"
    _, traffic = hear(tmp_path, "p.csv", text, period=(date(2026, 8, 1), date(2026, 10, 23)))
    pages, _ = by_page(traffic)
    assert pages.rows() == [(f"{URL}/a/", 100, 1000, 2.0)]


def test_what_is_added_up_by_page_is_what_the_rows_come_to(tmp_path):
    lines = [f"2026-10-{1 + n % 9:02d},/{n % 3}/,q{n},{n % 4},{n % 7},{1 + n % 5}" for n in range(90)]
    for some in (lines[:60], lines[30:]):
        _, traffic = hear(tmp_path, "q.csv", "date,loc,query,clicks,impressions,position\n" + "\n".join(some))
    (kind,) = traffic.kinds(ENGINE)
    places = (pl.col("position") * pl.col("impressions")).sum()
    sums = [
        traffic.scan(ENGINE, kind, by_page=by_page).group_by("date", "loc")
        .agg(pl.col("clicks", "impressions").sum(), places=places).sort("date", "loc").collect()
        for by_page in (True, False)
    ]  # fmt: skip
    assert_frame_equal(*sums, rel_tol=1e-4)
    assert traffic.scan(ENGINE, kind, by_page=True).collect().height == 9 < traffic.scan(ENGINE, kind).collect().height
