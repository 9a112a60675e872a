"""What a page is by its address, and what else has to bear it out."""

import polars as pl
import pytest

from jovial_atlas.pages import schema
from jovial_atlas.rules.page_kinds import SIGNS, role_column
from jovial_atlas.sitefile import read_site_file
from tests.conftest import URL, write_site


def role_of(folder, path, **columns):
    """What a page of Marrowfen with this address and these columns is."""
    site = write_site(folder, {}, "")
    site.write_text(site.read_text().replace("[site]\n", '[site]\nname = "Marrowfen"\n'))
    table = schema.table([{"loc": f"{URL}{path}", "kind": "page", **columns}]).with_columns(_path=pl.lit(path))
    return table.select(role_column(read_site_file(site), HAVE))["role"].item()


HAVE = ("kind", "declared", "words", "entries", "images", "title", "heading", *SIGNS)
#: Address; title, words, pages it leads to, what it says it is; what it is.
PAGES = [
    # Later pages of a listing are called by their number, or by the site alone.
    ("/page/3/", "Notes", 900, 9, None, "paged"),
    ("/notes/page/2/", None, None, None, None, "paged"),
    ("/notes?page=2", "Notes", 90, 9, None, "paged"),
    ("/notes?page=2", "Notes", 900, 9, None, "page"),
    ("/index2.html", "Notes, 2", 90, 9, None, "paged"),
    ("/index-2.html", "Marrowfen", 90, 9, None, "paged"),
    ("/index-2.html", "Notes, 3", 90, 9, None, "page"),
    ("/index-2.html", "Notes, 2", 90, 2, None, "page"),
    ("/index-2.html", "Notes, 2", 900, 9, None, "page"),
    ("/index-2.html", "Constants", 90, 9, "listing", "paged"),
    ("/units/index-2.html", "Constants", 90, 9, None, "page"),
    ("/page2/", "Notes – page 2", 90, 9, None, "paged"),
    ("/book/page-12.html", "Page 12", 90, 2, None, "page"),
    ("/book/page-12.html", "Page 120", 90, 9, None, "page"),
    ("/notes/page-2.html", None, None, None, None, "paged"),
    # A search says next to nothing and leads nowhere before anything is found.
    ("/search/", "Find", 20, 0, None, "search"),
    ("/search.html", "Find", 20, 4, None, "search"),
    ("/search/", "Find", 900, 0, None, "page"),
    ("/manual/search.html", "Suche", 68, 0, None, "search"),
    ("/manual/search.html", "Searching", 81, 0, None, "page"),
    ("/manual/search/", "Searching", 40, 3, None, "page"),
    ("/manual/search.html", None, None, None, None, "page"),
    ("/seek/search/all_1.html", None, 4, 0, None, "search"),
    ("/seek/search/all_1.html", "Operators", 4, 0, None, "page"),
    ("/seek/search/all_1.html", None, None, None, None, "page"),
    ("/?s=heron", "Herons", 20, 4, None, "search"),
    ("/shop?s=12", "Boots", 20, 4, None, "page"),
]


@pytest.mark.parametrize(
    ("title", "heading", "role"),
    [(None, None, "paged"), (None, "Constants", "page"), ("Marrowfen", "Constants", "page"), ("Marrowfen", "Marrowfen", "paged"),
     ("Marrowfen", "Older notes (2)", "paged"), ("Notes, 2", "Notes", "paged")],
)  # fmt: skip
def test_a_later_page_has_no_name_of_its_own(tmp_path, title, heading, role):
    assert role_of(tmp_path, "/units/index-2.html", title=title, heading=heading, words=90, entries=9) == role


@pytest.mark.parametrize(("path", "title", "words", "entries", "declared", "role"), PAGES)
def test_an_address_needs_a_second_sign(tmp_path, path, title, words, entries, declared, role):
    assert role_of(tmp_path, path, title=title, words=words, entries=entries, declared=declared) == role
