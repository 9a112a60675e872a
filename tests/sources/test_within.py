"""Values within the values of records, texts with markup, rows that cannot be used."""

import json

import polars as pl
import pytest

from jovial_atlas.errors import ContentError
from jovial_atlas.sources.records.guessed import guess_columns
from jovial_atlas.sources.records.plain_values import plain_texts
from tests.conftest import URL

RECORDS = [
    {"at": {"slug": f"otter-{n}", "seo": {"title": f"Otter {n}"}, "odd'name": "x"}, "pictures": [{"src": f"/{n}.jpg"}]}
    for n in (1, 2)
]  # fmt: skip
WITHIN = '''kind = "table"
path = "t.*"
url = "/o/{at.slug}/"
columns = { title = "at.seo.title", images = "pictures.0.src", author = "at.odd'name", description = "at.none" }'''


@pytest.mark.parametrize("kind", ["jsonl", "json", "parquet", "jsonl.gz"])
def test_names_with_dots_lead_to_values_within_others(survey, tmp_path, kind):
    table = pl.DataFrame(RECORDS)
    columns = WITHIN if kind != "parquet" else WITHIN.replace(', description = "at.none"', "")
    if kind == "parquet":
        table.write_parquet(tmp_path / "t.parquet")
    elif kind == "json":
        (tmp_path / "t.json").write_text(json.dumps(RECORDS))
    else:
        table.write_ndjson(tmp_path / f"t.{kind}", compression="gzip" if kind.endswith("gz") else "uncompressed")
    found, faults = survey(columns)
    assert not faults
    assert {loc: (row["title"], row["images"][0]["loc"], row["author"]) for loc, row in found.items()} == {
        f"/o/otter-{n}/": (f"Otter {n}", f"{URL}/{n}.jpg", "x") for n in (1, 2)
    }  # fmt: skip
    assert set(found["/o/otter-1/"]["extra"]) == {"at", "pictures"}


def test_a_name_that_leads_nowhere_is_told_and_one_of_a_column_goes_before(survey, tmp_path):
    pl.DataFrame(RECORDS).write_parquet(tmp_path / "t.parquet")
    with pytest.raises(ContentError, match=r"the field 'at\.titel', which is not there"):
        survey(WITHIN.replace("at.seo.title", "at.titel"))
    (tmp_path / "u.csv").write_text('seo.slug,seo\na,"{""slug"": ""b""}"\n')
    found, _ = survey('kind = "table"\npath = "u.csv"\nurl = "/{seo.slug}/"')
    assert list(found) == ["/a/"]


@pytest.mark.parametrize(
    ("record", "url", "columns"),
    [
        ({"id": 1, "attributes": {"title": "A", "slug": "a", "author": {"name": "B"}, "updatedAt": "2026-01-02"}}, "/{attributes.slug}/",
         {"title": "attributes.title", "lastmod": "attributes.updatedAt"}),
        ({"slug": {"current": "a"}, "author": {"name": "B", "url": "https://b.example/"}}, "/{slug.current}/", {}),
        ({"link": "/a/", "title": {"rendered": "A"}, "meta": '{"description": "D"}'}, "",
         {"title": "title.rendered", "description": "meta.description"}),
        ({"post_id": 7, "post_title": "A", "post_slug": "a", "post_modified_gmt": "2026-01-02", "post_status": "draft"}, "/{post_slug}/",
         {"title": "post_title", "lastmod": "post_modified_gmt", "status": "post_status"}),
        ({"slug": "a", "published": True, "published_at": "2026-01-02", "updated": False, "updated_at": "2026-01-03"}, "/{slug}/",
         {"published": "published_at", "lastmod": "updated_at"}),
        ({"slug": "a", "product_name": "A", "product_status": "endangered", "meta": {"blurb": "B"}}, "/{slug}/", {"title": "product_name"}),
        ({"slug": "a", "fields": {"slug": "b"}, "pictures": [{"url": "/p.jpg"}]}, "/{slug}/", {"images": "pictures"}),
    ],
)  # fmt: skip
def test_columns_are_guessed_within_what_only_wraps_them(record, url, columns):
    guessed = guess_columns(list(record), [record] * 3)
    assert (guessed.url, guessed.columns) == (url, columns)


@pytest.mark.parametrize(
    ("value", "text", "marked"),
    [
        ("Reeds &amp; otters", "Reeds & otters", True),
        ("<p>One <b>marsh</b>.</p><p>Two<br>three</p>", "One marsh. Two three", True),
        ("a<style>p { color: red }</style>b<!-- c -->", "a b", True),
        ("&amp;lt; &Aring;&#8230; &nothing;", "&lt; Å… &nothing;", True),
        ("3 < 5 & 7 > 2", "3 < 5 & 7 > 2", False),
        ("How to use <b> in HTML", "How to use <b> in HTML", False),
        ('{"rendered": "Reeds &#8211; otters", "protected": false}', "Reeds – otters", True),
        ('{"lat": 1}', None, False), ("{slug}", "{slug}", False), ("  ", None, False), (None, None, False),
    ],
)  # fmt: skip
def test_texts_of_records_are_plain(value, text, marked):
    texts, held = plain_texts(pl.Series([value, "plain"], dtype=pl.String))
    assert (texts.to_list(), held.to_list()) == ([text, "plain"], [marked, False])


def test_nothing_is_counted_twice(survey, tmp_path):
    pl.DataFrame({"loc": ["http://www.marrowfen.example/a/"] * 3, "lastmod": ["then"] * 3}).write_parquet(tmp_path / "t.parquet")
    survey('kind = "table"\npath = "t.parquet"')
    said = " ".join(survey.messages)
    assert "3 addresses of the site" in said
    assert "3 values of lastmod cannot be read" in said


def test_what_is_left_out_or_read_otherwise_is_counted(survey, tmp_path):
    table = pl.select(n=pl.int_range(60)).select(
        loc=pl.when(pl.col("n") < 25).then(pl.format("https://shop.example/{}", "n"))
        .when(pl.col("n") < 40).then(pl.format("http://www.marrowfen.example/{}", "n"))
        .when(pl.col("n") > 55).then(pl.lit(None)).otherwise(pl.format("/{}", pl.col("n") % 8)),
        title=pl.format("<i>T</i> {}", "n"), author=7, links=pl.concat_list(pl.lit("http://www.marrowfen.example/1#a")),
    )  # fmt: skip
    table.write_parquet(tmp_path / "t.parquet")
    table.drop("links").write_csv(tmp_path / "t.csv")
    told = []
    for path in ("t.parquet", "t.csv"):
        found, faults = survey(f'kind = "table"\npath = "{path}"', full=True)
        told.append(list(zip((code for code, _ in faults), survey.messages, strict=True)))
        assert len(found) == 23
        page = found["/30"]
        assert (page["title"], page["author"], page.get("links") or []) == (
            "T 30", None, [f"{URL}/1"] if path == "t.parquet" else [],
        )  # fmt: skip
    assert sorted(told[0]) == sorted((code, said.replace('t.csv', 't.parquet')) for code, said in told[1])
    codes = [code for code, _ in told[0]]
    assert codes.count("address-other-host") == 21
    assert codes.count("address-twice") == 8
    said = " ".join(message for _, message in told[0])
    for message in (
        f"25 rows are left out, whose addresses are not of {URL}: https://shop.example (25).",
        "4 rows are left out, which give no address.",
        "15 addresses of the site, like http://www.marrowfen.example/25, have another scheme",
        "60 values of title hold HTML, like '<i>T</i> 0'; the text in it is used.",
    ):
        assert message in said
