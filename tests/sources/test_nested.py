"""Values within values: lists and objects in cells are read as exports write them, and a column of any kind breaks nothing."""

import json
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal

import polars as pl
import pytest

from jovial_atlas.pages import schema
from jovial_atlas.sources.records.columns import FieldMap, deliver
from jovial_atlas.sources.records.numbered import json_lines
from tests.conftest import URL

HOW = FieldMap("t", URL, datetime(2026, 11, 1, tzinfo=UTC))
DAY, MOMENT = date(2024, 5, 6), datetime(2024, 5, 6, 7, 8, 9)
KINDS = [
    pl.Series([["a", "b"], []]), pl.Series([[DAY], None]), pl.Series([[1], [2, 3]]), pl.Series([{"a": 1, "b": "x"}, None]),
    pl.Series([[{"loc": "/x.jpg"}], []]), pl.Series([[[1]], [[2]]]), pl.Series([[1, 2], [3, 4]], dtype=pl.Array(pl.Int64, 2)),
    pl.Series([b"ab\xff", None]), pl.Series([time(1, 2), None]), pl.Series([timedelta(1), None]),
    pl.Series(["2024-05-06", "b"], dtype=pl.Categorical), pl.Series(["a", "b"], dtype=pl.Enum(["a", "b"])), pl.Series([True, False]),
    pl.Series([1, 2]), pl.Series([1.5, float("nan")]), pl.Series([Decimal("1.5"), None]), pl.Series([DAY, None]), pl.Series([MOMENT, None]),
    pl.Series([MOMENT, None]).dt.replace_time_zone("Europe/Berlin"), pl.Series([None, None]), pl.Series([1, 2], dtype=pl.Int128),
    pl.Series(["[", "{"]), pl.Series(['[{"a": 1}]', "[1, null]"]),
]  # fmt: skip


@pytest.mark.parametrize("field", [*schema.SCHEMA, "content", "anything"])
def test_a_column_of_any_kind_breaks_nothing(field):
    for values in KINDS:
        table = pl.LazyFrame({"loc": ["/a/", "/b/"]} | {field: values})
        whole = schema.conform(deliver(table, HOW).collect())
        assert whole.height == 2
        if field != "loc":
            assert whole["loc"].to_list() == [f"{URL}/a/", f"{URL}/b/"]


def read(tmp_path, field, value):
    """The value of a field in a row of JSON Lines, beside one that has a text there."""
    (tmp_path / "t.jsonl").write_text(
        "".join(json.dumps({"loc": "/a/", field: one}) + "\n" for one in (value, "-"))
    )
    ((table, _, _),) = json_lines(tmp_path / "t.jsonl")
    found = [deliver(one.lazy(), HOW).collect()[field][0] for one in (table, table.head(1))]
    alone = pl.DataFrame({"loc": ["/a/"], field: pl.Series([value], strict=False)})
    found.append(deliver(alone.lazy(), HOW).collect()[field][0])
    first, *others = [one.to_list() if isinstance(one, pl.Series) else one for one in found]
    assert all(one == first for one in others)
    return first


@pytest.mark.parametrize(
    ("value", "wanted"),
    [
        ([{"src": "/a.jpg", "alt": "An A"}, {"src": "b.jpg"}], [("/a.jpg", "An A"), ("/b.jpg", None)]),
        ([{"url": "/a b.jpg", "alt_text": "A"}, {"id": 7}], [("/a%20b.jpg", "A")]),
        ({"href": "/a.jpg", "width": 5}, [("/a.jpg", None)]),
        (["/a.jpg", "/b.jpg"], [("/a.jpg", None), ("/b.jpg", None)]),
        ('[{"src": "/a.jpg"}, "/b.jpg"]', [("/a.jpg", None), ("/b.jpg", None)]),
        ([{"src": {"large": "/a.jpg"}}], []),
        ("{broken", None),
    ],
)  # fmt: skip
def test_pictures_may_be_objects(tmp_path, value, wanted):
    found = read(tmp_path, "images", value)
    assert found == (None if wanted is None else [{"loc": URL + loc, "alt": alt} for loc, alt in wanted])


@pytest.mark.parametrize(
    ("value", "wanted"),
    [
        ([{"name": "birds", "id": 3}, {"label": "bats"}], ["birds", "bats"]),
        ([{"id": 3}], []),
        ([1, 2], ["1", "2"]),
        ({"title": "birds"}, ["birds"]),
        ("[birds", ["[birds"]),
        ('["a", null, ["b"]]', ["a"]),
    ],
)  # fmt: skip
def test_tags_may_be_objects(tmp_path, value, wanted):
    assert read(tmp_path, "tags", value) == wanted


@pytest.mark.parametrize(
    ("value", "wanted"),
    [
        ([{"name": "Home", "href": "/"}, {"title": "Bats", "url": "/bats/#top"}], ["/", "/bats/"]),
        ([{"slug": "/a b/"}, {"name": "Elsewhere", "href": "https://else.example/"}, {"name": "No address"}], ["/a%20b/"]),
        ({"text": "Home", "path": "/"}, ["/"]),
    ],
)  # fmt: skip
def test_links_may_be_objects_with_a_name(tmp_path, value, wanted):
    assert read(tmp_path, "links", value) == [URL + path for path in wanted]


@pytest.mark.parametrize(
    ("value", "wanted"),
    [
        ([{"lang": "de", "href": "/de/"}, {"lang": "X-Default", "href": f"{URL}:443/"}], [("de", "/de/"), ("x-default", "/")]),
        ([{"hreflang": "de_at", "url": "/at/"}, {"hreflang": "fr"}], [("de-AT", "/at/")]),
        ({"de": "/de/", "fr-CH": "/ch/", "not a language": "/x/"}, [("de", "/de/"), ("fr-CH", "/ch/")]),
        ("de: /de/", None),
        (["/de/"], None),
        (7, None),
    ],
)  # fmt: skip
def test_language_versions_may_be_lists_or_one_object(tmp_path, value, wanted):
    found = read(tmp_path, "alternates", value)
    assert (found or None) == (wanted and [{"lang": lang, "href": URL + path} for lang, path in wanted])


def test_addresses_may_lack_their_scheme():
    host = URL.partition("://")[2]
    table = pl.LazyFrame({"loc": [f"{host}/a b/", host, "other.example/a", "/c/"]})
    assert deliver(table, HOW).collect()["loc"].to_list() == [f"{URL}/a%20b/", host, "other.example/a", f"{URL}/c/"]


def test_a_text_may_be_a_list_or_octets():
    table = pl.LazyFrame({"loc": [["/a/"]], "title": [b"\xc3\x84 reed"], "author": [["A", "B"]], "lastmod": [[DAY]]})
    row = deliver(table, HOW).collect().row(0, named=True)
    assert (row["loc"], row["title"], row["author"], row["lastmod"]) == (f"{URL}/a/", "Ä reed", "A, B", "2024-05-06")
