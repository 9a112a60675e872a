"""Workbooks and spreadsheets' CSV by the installed command: written, filled in, taken back."""

import zipfile

import openpyxl
import pytest

from tests.conftest import page, run_command, write_site

SECTION = '[[section]]\nname = "{0}"\nmatch = "/{0}/**"\n\n'
MORE = '[overrides]\nfile = "overrides.csv"\n\n' + SECTION.format("notes") + SECTION.format("walks")
PAGES = {
    "index.html": page("Home"),
    "notes/otter/index.html": page("The otter"),
    "notes/heron/index.html": page("The heron"),
    "walks/dusk/index.html": page("At dusk"),
}
URL = "https://www.marrowfen.example"
ODS = """<?xml version="1.0"?><office:document-content
 xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"
 xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.3"><office:body>
 <office:spreadsheet><table:table table:name="walks">{}</table:table></office:spreadsheet>
 </office:body></office:document-content>"""


MANIFEST = """<?xml version="1.0"?><manifest:manifest
 xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3">
 <manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>
 </manifest:manifest>"""


@pytest.fixture
def site(tmp_path):
    write_site(tmp_path, PAGES, MORE)
    assert run_command("survey", cwd=tmp_path).code == 0
    return tmp_path


def edited(site, *arguments):
    assert run_command("pages", "--edit", "t.xlsx", *arguments, cwd=site).code == 0
    return openpyxl.load_workbook(site / "t.xlsx")


def columns(sheet):
    return {cell.value: cell.column for cell in sheet[1]}


def taken(site, name, *more):
    ran = run_command("pages", "--take", name, "--format", "json", *more, cwd=site)
    return ran.json | {"code": ran.code, "err": ran.err}


def test_a_workbook_has_a_sheet_a_section_and_helps_whoever_fills_it_in(site):
    book = edited(site, "--fields", "title,index,changefreq")
    assert book.sheetnames == ["pages", "notes", "walks", "About this table"]
    sheet = book["notes"]
    place = columns(sheet)
    assert list(place) == ["loc", "seen", "title_now", "title", "title_length", "index", "changefreq", "reason", "by"]
    locked = {name: sheet.cell(2, number).protection.locked for name, number in place.items()}
    assert sheet.protection.sheet and [name for name, is_locked in locked.items() if not is_locked] == [
        "title", "index", "changefreq", "reason", "by",
    ]  # fmt: skip
    assert sheet.cell(2, place["title_now"]).value == "The heron"
    assert sheet.cell(2, place["title"]).comment.text == "Published now:\nThe heron"
    assert "LEN(D2)" in sheet.cell(2, place["title_length"]).value
    limits = [rule.formula[0] for found in sheet.conditional_formatting for rule in found.rules]
    assert "LEN($D2)>58" in limits and "AND(LEN($D2)>0,LEN($D2)<15)" in limits
    offered = {str(one.sqref): one.formula1 for one in sheet.data_validations.dataValidation}
    assert offered["F2:F3"] == '"yes,no"' and offered["G2:G3"].startswith('"always,hourly')


def test_what_is_filled_in_is_taken_with_the_same_care_as_csv(site):
    book = edited(site, "--fields", "title,index,priority,lastmod")
    notes, walks = book["notes"], book["walks"]
    place = columns(notes)
    notes.cell(2, place["title"]).value = "Herons of\nthe fen"
    notes.cell(2, place["index"]).value = True
    notes.cell(3, place["priority"]).value = 0.5
    notes.cell(3, place["lastmod"]).value = "2026-11-01"
    walks.insert_rows(1, 2)  # somebody writes a heading of their own above
    walks.cell(1, 1).value = "Walks; to be looked at"
    walks.cell(4, place["index"]).value = "perhaps"
    book["pages"].append([None] * 4)
    book["pages"].append([f"{URL}/notes/ottr/", "", "", "A title"])
    book.save(site / "t.xlsx")
    told = taken(site, "t.xlsx")
    assert {(one["loc"].removeprefix(URL), one["field"], one["after"]) for one in told["changes"]} == {
        ("/notes/heron/", "title", "Herons of the fen"), ("/notes/heron/", "index", "yes"),
        ("/notes/otter/", "priority", "0.5"), ("/notes/otter/", "lastmod", "2026-11-01"),
    }  # fmt: skip
    assert [(one["sheet"], one["line"], one["field"]) for one in told["refused"]] == [("pages", 4, "loc"), ("walks", 4, "index")]
    assert f"did you mean {URL}/notes/otter/" in told["refused"][0]["message"]
    assert told["code"] == 1 and "read as a workbook, 3 sheets" in told["err"]
    place = site / "public/notes/heron/index.html"
    place.write_text(place.read_text().replace("The heron", "The grey heron"))
    run_command("survey", cwd=site)
    book["notes"].cell(2, 4).value = "Another title"
    book.save(site / "t.xlsx")
    assert [one["line"] for one in taken(site, "t.xlsx")["conflicts"]] == [2]
    assert taken(site, "t.xlsx", "--anyway")["changes"][0]["after"] == "Another title"


def test_open_document_is_read_and_what_is_no_workbook_is_said(site):
    cells = [["loc", "index", "priority"], ["/walks/dusk/", "no", "0.3"]]
    rows = "".join(
        "<table:table-row>" + "".join(f'<table:table-cell office:value-type="string"><text:p>{cell}</text:p></table:table-cell>'
                                      for cell in row) + "</table:table-row>" for row in cells
    )  # fmt: skip
    with zipfile.ZipFile(site / "t.ods", "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("META-INF/manifest.xml", MANIFEST)
        packed.writestr("content.xml", ODS.format(rows))
    assert [one["after"] for one in taken(site, "t.ods")["changes"]] == ["no", "0.3"]
    (site / "no.xlsx").write_bytes(b"PK\x03\x04 nothing")
    ran = run_command("pages", "--take", "no.xlsx", cwd=site)
    assert ran.code == 2 and "no.xlsx is no workbook" in ran.err
    openpyxl.Workbook().save(site / "empty.xlsx")
    assert "no sheet has a column loc" in run_command("pages", "--take", "empty.xlsx", cwd=site).err
    assert ".csv or an .xlsx" in run_command("pages", "--edit", "t.ods", cwd=site).err


@pytest.mark.parametrize(
    ("language", "encoding", "separator", "title", "told"),
    [
        ("pl", "cp1250", ";", "Żuraw i bąk", "semicolons, Windows-1250"),
        ("de-AT", "cp1252", "\t", "Höhlen", "tabs, Windows-1252"),
        ("ru", "cp1251", ",", "Выдра", "commas, Windows-1251"),
        ("ru", "utf-16", ";", "Выдра", "semicolons, UTF-16"),
        ("ja", "utf-8-sig", ",", "川獺", "commas, UTF-8"),
    ],
)
def test_csv_is_read_as_spreadsheets_of_that_country_write_it(site, language, encoding, separator, title, told):
    file = site / "atlas.toml"
    file.write_text(file.read_text().replace("[site]\n", f'[site]\nlanguage = "{language}"\n'))
    text = "\r\n".join([separator.join(("loc", "title", "reason")), separator.join(("/notes/otter/", title, "")),
                        separator * 2, ""])  # fmt: skip
    (site / "t.csv").write_bytes(text.encode(encoding))
    got = taken(site, "t.csv")
    assert [(one["field"], one["after"]) for one in got["changes"]] == [("title", title)]
    assert f"read as cells parted by {told}" in got["err"] and got["refused"] == []


def test_rows_that_say_different_things_of_one_page_are_refused(site):
    (site / "t.csv").write_text("loc,index\n/notes/otter/,no\n/notes/heron/,no\n/notes/otter/,yes\n/notes/heron/,no\n")
    told = taken(site, "t.csv")
    assert [one["loc"] for one in told["changes"]] == [f"{URL}/notes/heron/"]
    assert [one["line"] for one in told["refused"]] == [2, 4]
    assert "several rows (2, 4)" in told["refused"][0]["message"]
