"""Drafts and noindex in records of every kind: what is not public is not listed."""

import json

import polars as pl
import pytest

CASES = [
    ({"status": "Draft "}, "draft", None), ({"status": "Entwurf"}, "draft", None), ({"status": "published"}, "page", None),
    ({"status": "archived"}, "page", None), ({"status": 1}, "page", None), ({"status": 0}, "draft", None), ({"status": False}, "draft", None), ({"draft": True}, "draft", None), ({"draft": "yes"}, "draft", None),
    ({"is_draft": 1}, "draft", None), ({"draft": False}, "page", None), ({"hidden": "1"}, "draft", None),
    ({"published": False}, "draft", None), ({"published": True}, "page", None), ({"published": "no"}, "draft", None),
    ({"is_published": 0}, "draft", None), ({"published": "2024-01-02"}, "page", None),
    ({"noindex": True}, "page", "noindex"), ({"noindex": "false"}, "page", None), ({"robots": "noindex, follow"}, "page", "noindex, follow"),
]  # fmt: skip


@pytest.mark.parametrize("kind", ["csv", "jsonl", "parquet", "md"])
@pytest.mark.parametrize(("fields", "wanted", "words"), CASES)
def test_what_is_not_public_is_no_page_to_be_found(survey, tmp_path, kind, fields, wanted, words):
    source = f'kind = "table"\npath = "t.{kind}"'
    row = {"loc": "/a/", **fields}
    if kind == "md":
        head = "\n".join(f"{name}: {json.dumps(value)}" for name, value in fields.items())
        (tmp_path / "t").mkdir()
        (tmp_path / "t/a.md").write_text(f"---\n{head}\n---\nWords.\n")
        source = 'kind = "markdown"\npath = "t"'
    elif kind == "csv":
        pl.DataFrame([row]).write_csv(tmp_path / "t.csv")
    elif kind == "jsonl":
        (tmp_path / "t.jsonl").write_text(json.dumps(row) + "\n")
    else:
        pl.DataFrame([row]).write_parquet(tmp_path / "t.parquet")
    found, faults = survey(source)
    page = found["/a/"]
    assert (page["kind"], page["directives"], page["status"], faults) == (wanted, words, 200, [])


def test_a_flag_counts_where_the_day_stands_elsewhere(survey, tmp_path):
    table = pl.DataFrame({"loc": ["/a/", "/b/"], "published": [True, False], "published_at": ["2026-01-02"] * 2})
    table.write_parquet(tmp_path / "t.parquet")
    found, _ = survey('kind = "table"\npath = "t.parquet"\ncolumns = { published = "published_at" }')
    assert [(row["kind"], row["published"]) for row in found.values()] == [("page", "2026-01-02"), ("draft", "2026-01-02")]


def test_a_status_in_words_is_kept_for_rules_and_beside_it_numbers_count(survey, tmp_path):
    (tmp_path / "t.csv").write_text("loc,state,noindex,directives\n/a/,archived,1,nofollow\n/b/,404,0,nofollow\n")
    found, _ = survey('kind = "table"\npath = "t.csv"\ncolumns = { status = "state" }')
    assert [(row["status"], row["directives"], row["extra"]["state"]) for row in found.values()] == [
        (200, "nofollow, noindex", "archived"), (404, "nofollow", "404"),
    ]  # fmt: skip
