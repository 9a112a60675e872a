"""Moves found by comparing pages that went with pages that are there."""

import polars as pl
import pytest

from jovial_atlas.moves.finding import KNOWN_AGAIN, found_moves, known_again
from jovial_atlas.moves.nearest import NearestPage, NearestPages, bare_path
from jovial_atlas.moves.shapes import shape_of
from jovial_atlas.moves.spellings import spelled_paths

URL = "https://www.marrowfen.example"


def table(*rows):
    """Pages by path, with what is said of each."""
    return pl.DataFrame(
        [{**dict.fromkeys(KNOWN_AGAIN), **said, "loc": URL + path} for path, said in rows],
        schema=KNOWN_AGAIN,
    )


def found(gone, here):
    return {
        one.old.removeprefix(URL): (one.to.removeprefix(URL), one.sure)
        for one in found_moves(table(*gone), table(*here))
    }


@pytest.mark.parametrize(
    ("said", "sure"),
    [
        ({"fingerprint": "x"}, 0.9),
        ({"text_digest": "x"}, 0.8),
        ({"fingerprint": "x", "text_digest": "y"}, 0.9),
        ({"own_id": "sku 7"}, 0.9),
        ({"title": "Otters", "heading": "Otters"}, 0.69),
        ({"title": "Otters", "description": "Of the pool"}, 0.78),
        ({"title": "Otters", "published": "2026-01-01"}, 0.62),
        ({"title": "Otters"}, 0.55),
        ({"heading": "Otters"}, None),
        ({"pictures": 7}, None),
    ],
)
def test_each_kind_of_evidence_counts_as_it_says(said, sure):
    gone, here = [("/one/aaa/", said)], [("/two/zzzzzzz/", said)]
    to, told = found(gone, here)["/one/aaa/"]
    assert (to, told) == (("/two/zzzzzzz/", sure) if sure else ("", 0.5))


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("/a/otters.html", "/a/otters/", {}),
        ("/a/index.php", "/a/", {}),
        ("/a/otters/", "/b/otters/", {"title": "Otters"}),
        ("/blog/otter-song/", "/blog/otters-song/", {"title": "Song"}),
    ],
)
def test_an_address_that_is_nearly_the_same_speaks_for_the_page(old, new, said):
    assert found([(old, said)], [(new, said), ("/else/", {"title": "Else"})])[old][0] == new


def test_what_the_old_page_named_as_its_canonical_is_where_it_went():
    gone = [("/old/", {"canonical": f"{URL}/new/"})]
    assert found(gone, [("/new/", {}), ("/other/", {})])["/old/"][0] == "/new/"


def test_values_that_several_share_count_less_and_very_common_ones_nothing():
    said = {"title": "News"}
    two = [("/x1/", {**said, "fingerprint": "t"}), ("/x2/", {**said, "fingerprint": "t"})]
    to, sure = found([("/gone-a/", {"fingerprint": "t"})], two)["/gone-a/"]
    assert (to, sure) == ("/x1/", 0.51)
    many = [(f"/n{number}/", said) for number in range(9)]
    assert found([("/gone-b/", said)], many)["/gone-b/"] == ("", 0.5)


def test_a_pattern_needs_three_pages_that_agree_and_no_page_left_under_it():
    gone = [(f"/blog/{n}-post/", {"fingerprint": f"f{n}"}) for n in range(5)]
    here = [(f"/notes/{n}-post/", {"fingerprint": f"f{n}"}) for n in range(5)]
    assert found(gone, here) == {"/blog/**": ("/notes/$1", 0.99)}
    assert found(gone[:2], here[:2]).keys() == {"/blog/0-post/", "/blog/1-post/"}
    assert "/blog/**" not in found(gone, [*here, ("/blog/stays/", {})])
    apart = [*here[:4], ("/elsewhere/x/", {"fingerprint": "f4"})]
    assert found(gone, apart) == {
        "/blog/**": ("/notes/$1", 0.99), "/blog/4-post/": ("/elsewhere/x/", 0.9),
    }  # fmt: skip


def test_what_is_kept_of_pages_is_read_from_any_page_table():
    pages = pl.LazyFrame(
        {
            "loc": ["a", "b"], "title": ["A", None],
            "images": [[{"loc": "y", "alt": None}, {"loc": "x", "alt": None}], []],
            "extra": [{"sku": 7, "colour": "red"}, {"sku": None, "colour": "blue"}],
        }
    )  # fmt: skip
    known = pages.select(known_again(pages.collect_schema())).collect()
    assert dict(known.schema) == KNOWN_AGAIN
    assert known["own_id"].to_list() == ["sku 7", None]
    assert known["pictures"].is_null().to_list() == [False, True]


@pytest.mark.parametrize(
    ("old", "new", "pattern", "target"),
    [
        ("/blog/x/", "/notes/x/", "/blog/**", "/notes/$1"),
        ("/a/b.html", "/a/b/", "/a/**.html", "/a/$1/"),
        ("/a/b/index.html", "/a/b/", "/a/**/index.html", "/a/$1/"),
        ("/blog/2024/05/x/", "/blog/x/", "/blog/#/#/**", "/blog/$3"),
        ("/x/", "/species/x/", "/**", "/species/$1"),
        ("/news/7/x", "/news/x-of/7/x", "/news/**", "/news/x-of/$1"),
        ("/en/a/x", "/en/b/x", "/en/a/**", "/en/b/$1"),
        ("/x/y", "/x/z", None, None),
        ("/x?a=1", "/y/x", None, None),
    ],
)
def test_the_pattern_of_one_move(old, new, pattern, target):
    shape = shape_of(URL + old, URL + new)
    told = (shape.pattern.removeprefix(URL), shape.target.removeprefix(URL)) if shape else (None, None)
    if shape and pattern == "/a/**.html":
        assert told in {(pattern, target), ("/**.html", "/$1/")}
        return
    if shape and pattern == "/a/**/index.html":
        assert told in {(pattern, target), ("/**/index.html", "/$1/")}
        return
    assert told == (pattern, target)


@pytest.mark.parametrize(
    ("path", "target", "sure"),
    [
        ("/Species/Otter/", "/species/otter/", 0.95),
        ("/species//otter", "/species/otter/", 0.95),
        ("/species/otter/index.html", "/species/otter/", 0.95),
        ("/species/otter/).", "/species/otter/", 0.95),
        ("/species/otter%22", "/species/otter/", 0.95),
        ("/wildlife/otter.htm", "/species/otter/", 0.7),
        ("/news/grey-herons-return", "/field-notes/grey-heron-returns/", 0.61),
        ("/birds/heron.php", "/field-notes/grey-heron-returns/", 0.6),
        ("/went/", "/now/", 0.8),
        ("/nothing/at/all/like", None, None),
        ("/2024/", None, None),
    ],
)
def test_the_nearest_page_is_found_by_spelling_name_or_words(path, target, sure):
    pages = ["/", "/species/otter/", "/field-notes/grey-heron-returns/", "/shop/seed-mix/"]
    moved = {f"{URL}/went/": NearestPage(f"{URL}/now/", 0.8, "survey")}
    nearest = NearestPages([URL + one for one in pages], moved).of(URL, path)
    assert (nearest and nearest.loc.removeprefix(URL)) == target
    assert (nearest and nearest.sure) == sure


def test_paths_are_bare_and_spelled_in_one_way():
    assert bare_path("/A//b%20c/Index.HTML?x") == "/a/b c"
    spelled = spelled_paths(["/", "/a/", "/A/", "/b", "/b/", "/c.html", "/d/", "/ü/", "/e/index.html"])
    assert spelled == {
        "/": "/", "/index.html": "/", "/b/index.html": "/b/",
        "/c.html": "/c.html", "/d/": "/d/", "/d": "/d/", "/d/index.html": "/d/",
        "/e/index.html": "/e/index.html", "/e/": "/e/index.html",
    }  # fmt: skip
