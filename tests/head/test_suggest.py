"""Proposals: made of the page's own words, marked as such, taken only where the owner says so."""

import csv

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_atlas.head.suggest import propose_description, rank, sentences
from tests.conftest import URL, page, write_site

TEXT = (
    "We went out before it was light. The otters of the fen fish at the lower sluice in winter. "
    "Otters that fish at the sluice in winter leave tracks on the bank of the fen. It was cold. "
    "Tea was had at noon by everybody who had come along with us on that day."
)


@settings(max_examples=200, deadline=None)
@given(st.lists(st.text("abcde fgh. ", max_size=40), min_size=1, max_size=12))
def test_ranks_are_shares_of_one_whatever_the_sentences(texts):
    weights = rank(texts)
    assert weights.min() > 0
    assert weights.sum() == pytest.approx(1)


def test_sentences_that_share_words_with_others_count_more():
    weights = rank(sentences(TEXT))
    assert set(np.argsort(-weights)[:2]) == {1, 2}


@pytest.mark.parametrize(
    ("text", "count"),
    [("One. Two! “Three?” Four", 4), ("It cost 3.50 pounds, e.g. at noon. Then", 2), ("", 0)],
)
def test_sentences_end_before_a_new_beginning_only(text, count):
    assert len(sentences(text)) == count


def test_a_description_is_made_of_whole_sentences_that_fit():
    proposed = propose_description(TEXT)
    assert len(proposed.value) <= 160
    assert proposed.value in TEXT or all(one in TEXT for one in sentences(proposed.value))
    assert "sluice" in proposed.value
    assert propose_description("Too short.").value is None
    long = propose_description("word " * 60 + "end.")
    assert (len(long.value) <= 160, long.value[-1]) == (True, "…")


def test_proposals_are_taken_row_by_row_and_changes_meanwhile_are_told(tmp_path, atlas):
    named = '<meta name="description" content="Said already">'
    pages = {"a.html": page("", f"<h1>Otters</h1><p>{TEXT}</p>"), "b.html": page("B", head=named),
             "c.html": page("C", f"<p>{TEXT}</p>"), "d.html": page("D", f"<p>{TEXT}</p>")}  # fmt: skip
    write_site(tmp_path, pages, '[overrides]\nfile = "overrides.csv"\n')
    atlas("survey")
    found = atlas("suggest", "--format", "json").json["proposals"]
    assert {(one["loc"].removeprefix(URL), one["field"]) for one in found} == {
        ("/a.html", "title"), ("/a.html", "description"), ("/c.html", "description"),
        ("/d.html", "description"),
    }  # fmt: skip
    assert atlas("suggest", "--edit", "t.csv").code == 0
    assert not (tmp_path / "overrides.csv").exists(), "nothing is applied by itself"
    with (tmp_path / "t.csv").open(encoding="utf-8-sig", newline="") as stream:
        rows = {row["loc"].removeprefix(URL): row for row in csv.DictReader(stream)}
    rows["/a.html"]["accept"] = "title"
    rows["/c.html"] |= {"accept": "yes", "title": "{{ page.nothing }}"}
    rows["/d.html"] |= {"accept": "yes", "description": "My own words"}
    with (tmp_path / "t.csv").open("w", newline="") as stream:
        writer = csv.DictWriter(stream, rows["/a.html"])
        writer.writeheader()
        writer.writerows(rows.values())
    dry = atlas("pages", "--take", "t.csv", "--dry-run", "--format", "json")
    assert (dry.code, (tmp_path / "overrides.csv").exists()) == (1, False)
    (refused,) = dry.json["refused"]
    assert (refused["line"], refused["field"]) == (3, "title")
    assert {(c["loc"].removeprefix(URL), c["field"], c["after"]) for c in dry.json["changes"]} == {
        ("/a.html", "title", rows["/a.html"]["title_proposed"]),
        ("/d.html", "description", "My own words"), ("/d.html", "title", "D – www.marrowfen.example"),
    }  # fmt: skip
    (tmp_path / "public/d.html").write_text(pages["d.html"].replace("otters", "herons"))
    atlas("survey")
    taken = atlas("pages", "--take", "t.csv")
    assert (taken.code, "t.csv:4: changed meanwhile" in taken.err) == (1, True)
    assert "/d.html" not in (tmp_path / "overrides.csv").read_text()
    assert (
        atlas("explain", "/a.html", "--format", "json").json["head"]["title"].startswith("Otters")
    )
    again = atlas("pages", "--take", "t.csv", "--anyway", "--format", "json")
    assert {c["loc"].removeprefix(URL) for c in again.json["changes"]} == {"/d.html"}
