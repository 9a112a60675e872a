"""What tables a database has, to find the one with the pages."""

import sqlite3
from contextlib import closing

import pytest

from jovial_atlas.errors import ContentError
from jovial_atlas.sources.records.databases import tables_in
from jovial_atlas.sources.records.guessed import Addressing, guess_columns


@pytest.fixture
def fen(tmp_path):
    with closing(sqlite3.connect(tmp_path / "fen.db")) as base:
        base.executescript(
            """create table "our walks" (id integer, slug text, picture blob, "a:b" text);
            insert into "our walks" values (1, 'reeds', x'00ff', 'c'), (2, 'mere', null, null);
            create table empty (id integer);
            create view shown as select slug from "our walks";"""
        )
    return f"sqlite:///{tmp_path / 'fen.db'}"


def test_tables_are_looked_into_and_views_are_not(fen):
    found = {one.name: one for one in tables_in(fen, 1)}
    assert sorted(found) == ["empty", "our walks", "shown"]
    walks = found["our walks"]
    assert walks.query == 'SELECT id, slug, "a:b" FROM "our walks"', "pictures are not read"
    assert walks.rows == [{"id": 1, "slug": "reeds", "a:b": "c"}]
    assert (found["shown"].query, found["shown"].rows) == ("SELECT * FROM shown", ())
    (alone,) = tables_in(fen, 5, "shown")
    assert [row["slug"] for row in alone.rows] == ["reeds", "mere"], "it was asked for"


def test_what_cannot_be_read_is_told(fen, tmp_path):
    with pytest.raises(ContentError, match=r"has no table nests\. The tables are: empty, our walks, shown"):
        tables_in(fen, 1, "nests")
    (tmp_path / "none.db").write_bytes(b"SQLite format 3\0" + b"x" * 200)
    with pytest.raises(ContentError, match="cannot be read"):
        tables_in(f"sqlite:///{tmp_path / 'none.db'}", 1)
    with pytest.raises(ContentError, match="nosuch:// is no kind of database that is known"):
        tables_in("nosuch://reader@localhost/fen", 1)


@pytest.mark.parametrize(
    ("names", "row", "template", "url", "columns", "addressing"),
    [
        ("url title", {"url": "/a/"}, "", "", {}, Addressing.COLUMN),
        ("Seite Titel", {"Seite": "https://a.example/b"}, "", "", {"loc": "Seite", "title": "Titel"}, Addressing.COLUMN),
        ("slug name", {"slug": "reeds"}, "", "/{slug}/", {"title": "name"}, Addressing.NAMED),
        ("path", {"path": "a/b.html"}, "", "/{path}", {}, Addressing.NAMED),
        ("id name", {"id": 7}, "", "/{id}/", {"title": "name"}, Addressing.NUMBERED),
        ("id name", {"id": 7}, "/w/{name}-{id}", "/w/{name}-{id}", {"title": "name"}, Addressing.TEMPLATE),
        ("url name", {"url": "/a/"}, "/w/{name}", "/w/{name}", {"title": "name"}, Addressing.TEMPLATE),
    ],
)  # fmt: skip
def test_columns_tell_addresses_more_or_less(names, row, template, url, columns, addressing):
    guessed = guess_columns(names.split(), [row], template)
    assert (guessed.url, guessed.columns, guessed.addressing) == (url, columns, addressing)
