"""Overrides and guards by the installed command: edited as a table, refused by name."""

import csv

import pytest

from tests.conftest import URL, page, write_site

MORE = """
[overrides]
file = "overrides.csv"
[[section]]
name = "notes"
match = "/notes/**"
[[guard]]
fields = ["index", "priority"]
sections = ["notes"]
authors = ["Wren"]
reason = "Notes stay findable"
"""
NOINDEX = "<meta name=robots content=noindex>"


@pytest.fixture
def site(tmp_path, atlas):
    write_site(tmp_path, {
        "index.html": page("Home"), "about.html": page("About"),
        "notes/a.html": page("A", head=NOINDEX),
        "notes/b.html": page("B", head=f"{NOINDEX}<meta name=author content=Wren>"),
    }, MORE)  # fmt: skip
    assert atlas("survey").code == 0
    return tmp_path


def verdicts(atlas) -> dict[str, str]:
    pages = atlas("pages", "--format", "json").json
    return {
        one["loc"].removeprefix(URL): one["reason"] for one in pages if one["verdict"] != "listed"
    }


def findings(atlas) -> set[tuple[str, str]]:
    found = atlas("check", "--format", "json").json["findings"]
    return {
        (one["code"], one["where"].removeprefix(URL))
        for one in found
        if one["code"].startswith("override")
    }


def test_pages_are_edited_as_a_table_and_explained(site, atlas):
    table = site / "edit.csv"
    assert atlas("pages", "--match", "/about*", "--edit", "edit.csv").code == 0
    (row,) = csv.DictReader(table.open(encoding="utf-8-sig"))
    seen = row.pop("seen")
    assert row == {"loc": f"{URL}/about.html", "listed": "", "index": "", "reason": "", "by": ""}
    row["seen"] = seen
    with table.open("w", newline="") as stream:
        writer = csv.DictWriter(stream, list(row))
        writer.writeheader()
        writer.writerow(row | {"listed": "no", "reason": "Being rewritten"})
    assert "1 page changed" in atlas("pages", "--take", "edit.csv").out
    assert verdicts(atlas)["/about.html"] == "Being rewritten"
    said = atlas("explain", "/about.html", "--format", "json").json
    assert (said["decided_by"], said["layers"][-1]["sets"]) == ("overrides file", {"listed": False})
    none = atlas("pages", "--match", "/nothing", "--edit", "none.csv")
    assert (none.code, "No page is chosen" in none.err) == (2, True)
    # Taken back without fields, the page is as it was; rows of other pages stay.
    (site / "overrides.csv").write_text(
        (site / "overrides.csv").read_text().replace("by\n", "by\n", 1) + "/,no,,\n"
    )
    table.write_text("loc,listed,reason,by\n/about.html,,,\n")
    assert "1 page changed" in atlas("pages", "--take", "edit.csv").out
    assert {"/"} == set(verdicts(atlas)) - {"/notes/b.html"}


def test_a_guard_refuses_by_name_and_nothing_is_dropped_unseen(site, atlas):
    assert set(verdicts(atlas)) == {"/notes/b.html"}, "only Wren may say noindex there"
    assert findings(atlas) == {("override-refused", "/notes/a.html")}
    (site / "overrides.csv").write_text(
        "loc,index,priority,listed,by\n/notes/a.html,no,,no,Corin\n/notes/b.html,yes,,,Wren\n"
        "/about.html,no,,,\n/none.html,no,,,\n"
    )
    assert verdicts(atlas) == {
        "/notes/a.html": "the overrides file says so", "/about.html": "the overrides file says so",
    }  # fmt: skip
    assert findings(atlas) == {
        ("override-refused", "/notes/a.html"), ("override-refused", "overrides.csv:2"),
        ("override-unknown", "overrides.csv:5"),
    }  # fmt: skip
    told = atlas("check").out
    assert "guard 1 allows that to Wren only (Notes stay findable)" in " ".join(told.split())


@pytest.mark.parametrize(
    ("text", "code", "said"),
    [
        ("loc,lsted\n/,no\n", 2, "lsted"),
        ("address,listed\n/,no\n", 2, "is missing"),
        ("loc,priority\n/,2\n", 1, "at least 0 and at most 1"),
        ("loc,listed\n/,perhaps\n", 1, "perhaps"),
        ("loc,listed\nnot an address,no\n", 1, "is no address"),
        ("loc,listed\n/,no,no\n", 1, "number of cells"),
        ("loc,listed\n/none.html,no\n", 1, "is no page"),
        ("loc,index,by\n/notes/a.html,no,Corin\n", 1, "does not let Corin"),
    ],
)
def test_a_wrong_table_is_told_with_its_line_and_changes_nothing(site, atlas, text, code, said):
    (site / "edit.csv").write_text(text)
    ran = atlas("pages", "--take", "edit.csv")
    assert (ran.code, (site / "overrides.csv").exists()) == (code, False)
    assert said in ran.err
    assert "edit.csv" in ran.err
