"""Snippets of some pages, by the installed command."""

from __future__ import annotations

import pytest

from tests.conftest import page, write_site

SITE = """
[inject]
body_end = "<i>all</i>"
[[section]]
name = "notes"
match = "/notes/**"
[[inject.for]]
sections = ["notes"]
body_end = "<i>notes</i>"
head_start = "<!-- notes -->"
[[inject.for]]
sections = ["notes"]
match = "/notes/a.html"
body_end = "one.html"
[[inject.for]]
match = ["/*.html"]
body_start = "<i>top</i>"
"""


def test_pages_get_the_snippets_of_all_then_those_of_their_section_then_their_own(tmp_path, atlas):
    names = ("index.html", "about.html", "notes/a.html", "notes/b.html")
    before = {name: page(name) for name in names}
    write_site(tmp_path, before, SITE)
    (tmp_path / "one.html").write_text("<i>one</i>")
    assert (atlas("survey").code, atlas("inject").code) == (0, 0)
    texts = {name: (tmp_path / "public" / name).read_text() for name in names}
    words = ("<i>all</i>", "<i>notes</i>", "<i>one</i>", "<i>top</i>", "<!-- notes -->")
    found = {name: [word for word in words if word in text] for name, text in texts.items()}
    assert found == {
        "index.html": ["<i>all</i>"],
        "about.html": ["<i>all</i>", "<i>top</i>"],
        "notes/a.html": ["<i>all</i>", "<i>notes</i>", "<i>one</i>", "<!-- notes -->"],
        "notes/b.html": ["<i>all</i>", "<i>notes</i>", "<!-- notes -->"],
    }
    assert "<i>all</i><i>notes</i><i>one</i>" in texts["notes/a.html"]
    assert atlas("inject", "--remove").code == 0
    assert {name: (tmp_path / "public" / name).read_text() for name in names} == before


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ('[[inject.for]]\nbody_end = "x"', "it names no pages"),
        ('[[inject.for]]\nsections = ["note"]', "Did you mean 'notes'"),
        ('[[inject.for]]\nmatch = "notes"', "must begin with '/'"),
        ('[[inject.for]]\nmatch = "/n/**"\nhead_end = "gone.html"', "neither HTML nor a file"),
    ],
)
def test_wrong_snippets_are_told_before_anything_is_written(tmp_path, atlas, more, said):
    sections = '[[section]]\nname = "notes"\nmatch = "/notes/**"\n'
    write_site(tmp_path, {"index.html": page("Home")})
    assert atlas("survey").code == 0
    write_site(tmp_path, {"index.html": page("Home")}, f"{sections}{more}\n")
    ran = atlas("inject")
    assert (ran.code, said in ran.err) == (2, True), ran.err
    assert (tmp_path / "public/index.html").read_text() == page("Home")
