"""Tables that are whole documents: JSON and workbooks, by the installed command and by their readers."""

import codecs
import gzip
import json
from datetime import UTC, datetime

import openpyxl
import polars as pl
import pytest
import xlwt
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_atlas.errors import ContentError
from jovial_atlas.sources.records import json_items as documents
from jovial_atlas.sources.records import pieces, table
from jovial_atlas.sources.records.columns import FieldMap
from jovial_atlas.sources.records.json_items import json_items, lists_in
from tests.conftest import URL, run_command

HOW = FieldMap("t", URL, datetime(2026, 11, 1, tzinfo=UTC))
ONE = {"slug": "a", "title": "A\nB", "tags": ["x"], "seo": {"index": True}}
VALUES = st.one_of(st.none(), st.booleans(), st.integers(-9, 9), st.text("aé\u2028\n\"\\", max_size=3), st.lists(st.text("ab", max_size=2), max_size=2))


def rows(path, items=""):
    """All rows of a document, with their numbers and faults."""
    tables, numbers, faults = zip(*json_items(path, items), strict=True)
    return [row for table in tables for row in table.to_dicts()], [n for some in numbers for n in some], [f for some in faults for f in some]


@pytest.mark.parametrize(
    ("document", "items", "said"),
    [
        ([ONE], "", ["a"]), ([], "", []), ({"data": {"posts": [ONE], "total": 3}}, "", ["a"]), ({"a": [ONE, ONE], "b": [ONE]}, "b", ["a"]),
        ({"a": [ONE], "b": {"c": [ONE]}}, "b.c", ["a"]), ({"a": [1], "b": [ONE]}, "", ["a"]),
        ({"a": [ONE], "b": [ONE, ONE]}, "", 'several lists of records: a (1), b (2). Name the one with the pages in its [[source]], like items = "a".'),
        ({"a": [ONE]}, "a.b", "no list of records under 'a.b'"), ({"a": 1}, "", "no list of records (objects)"), ([1, "b"], "", "no list of records (objects)"),
        ("x", "", "no list of records (objects)"),
        ({"a": {"slug": "a", "n": 1}, "b": {"slug": "b"}}, "", ["a", "b"]), ({"all": {"x": ONE, "y": ONE}, "n": 1}, "all", ["a", "a"]),
        ({"site": {"name": "W"}, "by": {"mail": "a"}}, "", "no list of records (objects)"), ({"x": ONE, "y": ONE, "list": [ONE]}, "list", ["a"]),
        ({f"n{n}": {**ONE, "slug": f"{n}", "walks": [ONE]} for n in range(20)}, "", [f"{n}" for n in range(20)]),
    ],
)  # fmt: skip
def test_the_list_of_records_is_found(tmp_path, document, items, said):
    for indent in (None, 2):
        (tmp_path / "t.json").write_text(json.dumps(document, indent=indent))
        if isinstance(said, str):
            with pytest.raises(ContentError) as error:
                rows(tmp_path / "t.json", items)
            assert said in str(error.value)
        else:
            found, numbers, faults = rows(tmp_path / "t.json", items)
            assert ([one["slug"] for one in found], numbers, faults) == (said, list(range(1, len(said) + 1)), [])


@given(st.lists(st.dictionaries(st.sampled_from(["slug", "title", "n", "tags"]), VALUES, min_size=1, max_size=4), max_size=6), st.booleans(), st.sampled_from([1, 60, 4 << 20]))
@settings(max_examples=60)
def test_a_document_is_read_as_its_records_on_lines_are(tmp_path_factory, records, ascii_only, together):
    folder = tmp_path_factory.mktemp("t")
    (folder / "t.json").write_text(json.dumps(records, ensure_ascii=ascii_only, indent=1), "utf-8")
    whole, usual = documents._PIECE, {"slug", "title", "n", "tags"}
    documents._PIECE = together
    try:
        found, _, faults = rows(folder / "t.json") if records else ([], [], [])
    finally:
        documents._PIECE = whole
    assert not faults and len(found) == len(records)
    for row, record in zip(found, records, strict=True):
        for name in usual & {*record}:
            value = row.get(name)
            assert record[name] in (None, "", [], value) or str(value) in (str(record[name]), json.dumps(record[name], ensure_ascii=False, separators=(",", ":")))


NAMES = st.text("aé\"\\ .", max_size=3)


@given(st.dictionaries(NAMES, st.fixed_dictionaries({"slug": st.text("ab", max_size=2), "n": VALUES}, optional={"key": VALUES}), min_size=2, max_size=30), st.sampled_from([None, 1]))
@settings(max_examples=60)
def test_records_by_their_names_are_those_of_a_list_with_the_names_as_keys(tmp_path_factory, records, indent):
    folder = tmp_path_factory.mktemp("t")
    (folder / "named.json").write_text(json.dumps({"all": records, "n": 1}, indent=indent), "utf-8")
    (folder / "list.json").write_text(json.dumps([{"key": name, **record} for name, record in records.items()], indent=indent), "utf-8")
    named, numbers, faults = rows(folder / "named.json", "all")
    assert (named, numbers, faults) == rows(folder / "list.json")
    assert lists_in(folder / "named.json") == {"all": len(records)}


@pytest.mark.parametrize(
    "encoded",
    [lambda text: text.encode(), lambda text: b"\n" * 99 + text.encode(), lambda text: codecs.BOM_UTF8 + text.encode(), lambda text: text.encode("utf-16"), lambda text: gzip.compress(text.encode()),
     lambda text: text.replace("ü", "\\ud800").encode()],
)  # fmt: skip
def test_documents_may_be_packed_or_in_other_encodings(tmp_path, encoded):
    (tmp_path / "t.json").write_bytes(encoded('[{"slug": "ü"}, 5]'))
    assert lists_in(tmp_path / "t.json") == {"": 2}
    found, numbers, faults = rows(tmp_path / "t.json")
    assert (found[0]["slug"] in ("ü", "\ufffd"), numbers) == (True, [1])
    assert [(one.code, one.where) for one in faults] == [("row-broken", "t.json, item 2")]


def test_sheets_with_the_fields_are_read_and_others_told(tmp_path):
    book = openpyxl.Workbook()
    for row in (["Report", "of Wren"], ["", "", "a cell without a name"]):
        book.active.append(row)
    for name in ("Pages", "More"):
        sheet = book.create_sheet(name)
        for row in (["Our pages"], [None, "Path", "Title", None, "Changed"], [None, f"/{name}/1", f"{name} 1", None, f"Jan {len(name)}, 2024"], [], [None, "", "No address"]):
            sheet.append(row)
    book.create_sheet("Notes").append(["Call Wren"])
    book.save(tmp_path / "w.xlsx")
    run_command("init", "--yes", "--content", "w.xlsx", "--url", URL, cwd=tmp_path)
    assert run_command("survey", cwd=tmp_path).code == 0
    pages = pl.scan_parquet(tmp_path / ".jovial-atlas/pages.parquet").select("loc", "title", "lastmod").collect().sort("loc")
    assert pages.rows() == [(f"{URL}/More/1", "More 1", "2024-01-04"), (f"{URL}/Pages/1", "Pages 1", "2024-01-05")]
    checked = json.loads(run_command("check", "--format", "json", cwd=tmp_path).out)
    told = {(one["code"], one["where"]) for one in checked["findings"]}
    assert told >= {("sheet-left-out", "w.xlsx"), ("row-no-address", "w.xlsx, Pages, row 5"), ("row-no-address", "w.xlsx, More, row 5")}


def test_workbooks_of_old_programs_are_read(tmp_path):
    book = xlwt.Workbook()
    sheet = book.add_sheet("Walks")
    day = xlwt.easyxf(num_format_str="DD.MM.YYYY")
    for number, row in enumerate([("Slug", "Titel", "Stand"), ("otter", "Öter", datetime(2026, 3, 1)), (7, "Seven", None)]):
        for at, value in enumerate(row):
            sheet.write(number, at, value, day if isinstance(value, datetime) else xlwt.Style.default_style)
    book.save(str(tmp_path / "walks.xls"))
    run_command("init", "--yes", "--url", URL, "--content", "walks.xls", "--addresses", "/w/{Slug}/", cwd=tmp_path)
    run_command("survey", cwd=tmp_path)
    found = run_command("pages", "--fields", "loc,title,lastmod", "--format", "json", cwd=tmp_path).json
    assert [(one["loc"], one["title"]) for one in found] == [(f"{URL}/w/7/", "Seven"), (f"{URL}/w/otter/", "Öter")]


@pytest.mark.parametrize(("head", "said"), [(["loc", "loc"], "every column needs a name of its own"), (["title"], "has no field loc or url"), (["loc", None, "x"], "needs a name")])
def test_a_workbook_without_names_or_fields_is_refused(tmp_path, head, said):
    book = openpyxl.Workbook()
    book.active.append(head)
    book.active.append(["/a", "b", "c"][: len(head)])
    book.save(tmp_path / "w.xlsx")
    (tmp_path / "atlas.toml").write_text(f'[site]\nurl = "{URL}"\n[[source]]\nkind = "table"\npath = "w.xlsx"\n')
    ran = run_command("survey", cwd=tmp_path)
    assert ran.code == 2 and said in ran.err


PIECES = st.lists(st.tuples(st.sampled_from(["loc,n", "loc,n,more", "loc,code"]), st.lists(st.sampled_from(["/a,1", "/b,x", "/b,2.5", ",3", "/c,01", "/d", "https://else.example/,1"]), max_size=3)),
                  min_size=1, max_size=6)  # fmt: skip


@given(PIECES, st.sampled_from(["csv", "parquet", "jsonl"]), st.sampled_from([3, 50_000]))
@settings(max_examples=80)
def test_many_small_files_are_read_as_each_by_itself(tmp_path_factory, files, ending, rows):
    folder = tmp_path_factory.mktemp("t")
    for number, (head, lines) in enumerate(files):
        path = folder / f"{number}.{ending}"
        path.write_text("\n".join([head, *(line + ",9" * (head.count(",") - 1) for line in lines)]) + "\n")
        if ending != "csv":
            made = pl.DataFrame([one.split(",") for one in lines if one.count(",") == 1], schema=head.split(",")[:2], orient="row")
            path.write_bytes(b"")
            made.write_parquet(path) if ending == "parquet" else made.write_ndjson(path)
    before, pieces._ROWS = pieces._ROWS, rows
    try:
        whole = [*table.read_table(folder, f"*.{ending}", HOW)] if len(files) > 1 else []
        one_by_one = (table._pieces([folder / f"{number}.{ending}"], ending, "") for number in range(len(files)))
        alone = [batch for found in one_by_one for batch in table._batches(found, HOW, guess=ending == "csv")]
    finally:
        pieces._ROWS = before
    told, rows = [], []
    for batches in (whole, alone):
        told.append(sorted((one.where, one.code) for batch in batches for one in batch.faults))
        rows.append([row for batch in batches if batch.table.height for row in batch.table.select("loc", "path").rows()])
    assert not whole or (told[0] == told[1] and rows[0] == rows[1])
