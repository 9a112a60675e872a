"""Every kind of source, alone: what it fills, and what it says of broken input."""

import json
import sqlite3

import polars as pl
import pytest

from jovial_atlas.errors import ContentError
from tests.conftest import URL

TABLE = (
    'kind = "table"\npath = "t.*"\nurl = "/species/{slug}/"\ncolumns = { title = "common_name" }'
)


@pytest.mark.parametrize("kind", ["csv", "jsonl", "parquet"])
def test_a_table_fills_columns_and_keeps_the_rest_as_extra(survey, tmp_path, kind):
    rows = [
        {"slug": "bittern", "common_name": "Bittern", "lastmod": "2026-11-01", "tags": "bird; heron", "weight": 1300},
        {"slug": "great otter/é", "common_name": "Otter", "lastmod": "01 Nov 2026 10:00:00 GMT", "tags": "", "weight": 9000},
        {"slug": "", "common_name": "Nobody", "lastmod": None, "tags": None, "weight": None},
    ]  # fmt: skip
    frame = pl.DataFrame(rows)
    if kind == "csv":
        frame.write_csv(tmp_path / "t.csv")
    elif kind == "jsonl":
        frame.write_ndjson(tmp_path / "t.jsonl")
    else:
        frame.write_parquet(tmp_path / "t.parquet")
    found, faults = survey(TABLE)
    assert list(found) == ["/species/bittern/", "/species/great%20otter/%C3%A9/"]
    bittern, otter = found.values()
    assert (bittern["title"], bittern["lastmod"], bittern["tags"]) == (
        "Bittern", "2026-11-01", ["bird", "heron"],
    )  # fmt: skip
    assert otter["lastmod"] == "2026-11-01T10:00:00Z"
    assert bittern["extra"] == {"slug": "bittern", "weight": 1300}
    assert bittern["lastmod_from"] == "field"
    assert [code for code, _ in faults] == ["row-no-address"]


def test_typed_dates_lists_and_whole_addresses_are_taken_as_they_are(survey, tmp_path):
    from datetime import date, datetime

    pl.DataFrame(
        {
            "loc": [
                f"{URL}/a",
                "HTTPS://WWW.Marrowfen.Example:443/b/../c",
                "/d",
                "https://other.example/",
            ],
            "lastmod": [datetime(2026, 1, 2, 3, 4), None, datetime(2999, 1, 1), None],
            "published": [date(2025, 5, 6), date(1989, 12, 31), date(2999, 1, 1), None],
            "expires": [date(2300, 2, 28), date(1970, 1, 1), date(2027, 2, 28), None],
            "images": [["/p.jpg", "https://cdn.example/q.jpg"], None, [], None],
        }
    ).write_parquet(tmp_path / "t.parquet")
    found, faults = survey('kind = "table"\npath = "t.parquet"')
    assert list(found) == ["/a", "/c", "/d"]
    assert found["/a"]["lastmod"] == "2026-01-02T03:04:00Z"
    assert found["/d"]["lastmod"] is None, "a date in the future is not used"
    days = [(row["published"], row["expires"]) for row in found.values()]
    assert days == [("2025-05-06", "2300-02-28"), (None, None), (None, "2027-02-28")]
    assert [one["loc"] for one in found["/a"]["images"]] == [
        f"{URL}/p.jpg",
        "https://cdn.example/q.jpg",
    ]
    assert faults == [
        ("address-other-host", "t.parquet, row 4"),
        *[("date-implausible", "t.parquet")] * 3,
    ]


@pytest.mark.parametrize(
    ("name", "data", "kept", "faults"),
    [
        ("t.csv", b"slug,common_name\na,A\nb\nc,C,C\nd,D\n", 2, [("row-ragged", "t.csv:3"), ("row-ragged", "t.csv:4")]),
        ("t.csv", b'slug;common_name\na;"A;B"\n', 1, []),
        ("t.csv", "slug,common_name\ncafé,Café\n".encode("cp1252"), 1, [("table-encoding", "t.csv:2")]),
        ("t.jsonl", b'{"slug":"a","common_name":"A"}\n{oops\n[1]\n', 1, [("row-broken", "t.jsonl:2"), ("row-broken", "t.jsonl:3")]),
        ("t.csv", b"slug,common_name\na,A\na,B\n", 1, [("address-twice", "t.csv")]),
        ("t.csv", b"slug,common_name\na,A\n,B\n", 1, [("row-no-address", "t.csv:3")]),
    ],
)  # fmt: skip
def test_a_broken_row_is_told_with_its_line_and_the_rest_goes_on(
    survey, tmp_path, name, data, kept, faults
):
    (tmp_path / name).write_bytes(data)
    found, told = survey(TABLE)
    assert (len(found), told) == (kept, faults)


@pytest.mark.parametrize(
    ("files", "source", "words"),
    [
        ({}, TABLE, "no table"),
        ({"t.numbers": b""}, TABLE, "it reads .csv"), ({"t.xls": b""}, TABLE, "is no workbook"),
        ({"t.csv": b""}, TABLE, "is empty"),
        ({"t.csv": b"a,a\n1,2\n"}, TABLE, "name of its own"),
        ({"t.csv": b"name\nx\n"}, TABLE, "names the field 'slug'"),
        ({"t.csv": b"slug\nx\n"}, TABLE, "columns.title names the field 'common_name'"),
        ({"t.csv": b"name\nx\n"}, 'kind = "table"\npath = "t.csv"', "no field loc or url"),
        ({"t.parquet": b"PAR1 not"}, TABLE, "cannot be read"),
        ({}, 'kind = "sql"\nconnect = "sqlite:///no.db"\nquery = "select 1"', "no database"),
        ({}, 'kind = "sql"\nconnect = "nonsense"\nquery = "select 1"', "no database address"),
        ({}, 'kind = "sql"\nconnect = "sqlite://"\nquery = "select * from nope"', "no such table"),
        ({}, 'kind = "feed"\npath = "nope.xml"', "There is no file"),
        ({"f.xml": b"<html>no</html>"}, 'kind = "feed"\npath = "f.xml"', "no RSS, Atom"),
        ({"f.json": b"{}"}, 'kind = "feed"\npath = "f.json"', "no JSON Feed"),
        ({"l.txt": b"name,size\n"}, 'kind = "list"\npath = "l.txt"', "neither an address nor"),
        ({"l.xml": b"<note/>"}, 'kind = "list"\npath = "l.xml"', "no sitemap"),
        ({}, 'kind = "json"\naddress = "http://127.0.0.1:9/x"', "cannot be reached"),
        ({}, 'kind = "site"\nvia = "http://127.0.0.1:9"', "cannot be reached"),
        ({}, 'kind = "markdown"\npath = "nope"', "does not exist"),
        ({}, 'kind = "sql"\nconnect = "sqlite://"\nquery = "select 1"\npassword_env = "NO_SUCH"', "NO_SUCH is empty"),
    ],
)  # fmt: skip
def test_a_source_that_cannot_be_read_is_one_clear_sentence(survey, tmp_path, files, source, words):
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    with pytest.raises(ContentError) as caught:
        survey(source)
    assert words in str(caught.value)


@pytest.mark.parametrize(
    ("given", "expected"),
    [
        ("/x/", f"{URL}/x/"),
        ("HTTPS://O.Example", "https://o.example/"),
        ("nonsense", None),
        ("", None),
    ],
)
def test_canonicals_and_redirects_of_rows_are_whole_addresses_or_nothing(
    survey, tmp_path, given, expected
):
    (tmp_path / "t.csv").write_text(f"slug,canonical,redirect\na,{given},{given}\n")
    row = survey('kind = "table"\npath = "t.csv"\nurl = "/{slug}/"')[0]["/a/"]
    assert (row["canonical"], row["redirect"]) == (expected, expected)


def test_a_canonical_in_front_matter_is_a_whole_address(survey, tmp_path):
    (tmp_path / "notes").mkdir()
    (tmp_path / "notes/a.md").write_text("---\ncanonical: ../b/\n---\nx")
    assert survey('kind = "markdown"\npath = "notes"')[0]["/a/"]["canonical"] == f"{URL}/b/"


def test_values_of_mixed_kinds_become_text_and_none_is_lost(survey, tmp_path):
    lines = [
        {"slug": "a", "x": 1, "y": {"k": 1}, "z": ["p", "q"], "n": 1, "big": 2**70},
        {"slug": 2, "x": "two", "y": "s", "z": None, "n": 2.5},
        {"slug": "c", "y": [1], "late": True},
    ]
    (tmp_path / "t.jsonl").write_text("\n".join(map(json.dumps, lines)))
    found, faults = survey('kind = "table"\npath = "t.jsonl"\nurl = "/{slug}/"')
    assert (list(found), faults) == (["/2/", "/a/", "/c/"], [])
    extra = found["/a/"]["extra"]
    assert extra | {"slug": ""} == {
        "slug": "", "x": "1", "y": '{"k":1}', "z": ["p", "q"], "n": 1.0, "big": str(2**70),
        "late": None,
    }  # fmt: skip
    assert [found["/2/"]["extra"]["x"], found["/c/"]["extra"]["y"]] == ["two", "[1]"]


def test_a_source_that_breaks_keeps_its_pages_of_before(survey, tmp_path):
    (tmp_path / "t.csv").write_text("slug,common_name\na,A\nb,B\n")
    (tmp_path / "l.txt").write_text("/landing\n")
    both = f'{TABLE}\n---\nkind = "list"\npath = "l.txt"'
    survey(both)
    (tmp_path / "t.csv").write_text("name\nx\n")
    (tmp_path / "l.txt").write_text("/landing\n/other\n")
    found, faults = survey(both)
    assert list(found) == ["/landing", "/other", "/species/a/", "/species/b/"]
    assert faults == [("source-broken", "t.*")]


def test_a_query_is_streamed_read_only_and_failing_half_way_leaves_nothing_half(survey, tmp_path):
    with sqlite3.connect(tmp_path / "w.db") as base:
        base.execute("create table walks (slug text, title text, changed_at text, places real)")
        base.executemany(
            "insert into walks values (?, ?, ?, ?)",
            [(f"walk-{n}", f"Walk {n}", "2026-11-01 10:00:00", n / 2) for n in range(30_000)],
        )
    source = (
        'kind = "sql"\nname = "walks"\nconnect = "sqlite:///w.db"\nurl = "/walks/{slug}/"\n'
        'columns = { lastmod = "changed_at" }\nquery = "select %s from walks"'
    )
    found, faults = survey(source % "slug, title, changed_at, places")
    assert (len(found), faults) == (30_000, [])
    assert found["/walks/walk-3/"]["lastmod"] == "2026-11-01T10:00:00Z"
    assert found["/walks/walk-3/"]["extra"] == {"slug": "walk-3", "places": 1.5}
    failing = "slug, title, changed_at, case when rowid = 25000 then json('{') end as x"
    found, faults = survey(source % failing)
    assert (len(found), faults) == (30_000, [("source-broken", "walks")])


FEEDS = {
    "rss": f"""<rss version="2.0" xmlns:content="http://purl.org/rss/1.0/modules/content/" xmlns:x="http://www.marrowfen.example/ns">
<channel><item><title>Otters</title><link>{URL}/n/otters/</link><description>Two heads</description>
<pubDate>Mon, 02 Nov 2026 10:00:00 GMT</pubDate><category>mammals</category><x:item_kind>note</x:item_kind>
<content:encoded><![CDATA[<p>Two wet heads.</p><img src="/o.jpg"><a href="/n/">all</a>]]></content:encoded></item>
<item><title>o.jpg</title><link>{URL}/n/otters/o/</link><x:item_kind>attachment</x:item_kind></item></channel></rss>""",
    "atom": f"""<feed xmlns="http://www.w3.org/2005/Atom" xmlns:x="http://www.marrowfen.example/ns"><entry><title>Otters</title>
<link href="{URL}/n/otters/"/><summary>Two heads</summary><published>2026-11-02T10:00:00Z</published>
<updated>2026-11-02T10:00:00Z</updated><category term="mammals"/><x:item_kind>note</x:item_kind>
<content type="html">&lt;p&gt;Two wet heads.&lt;/p&gt;&lt;img src="/o.jpg"&gt;&lt;a href="/n/"&gt;all&lt;/a&gt;</content></entry>
<entry><title>o.jpg</title><link href="{URL}/n/otters/o/"/><x:item_kind>attachment</x:item_kind></entry></feed>""",
    "json": json.dumps({"version": "https://jsonfeed.org/version/1.1", "items": [
        {"url": f"{URL}/n/otters/", "title": "Otters", "summary": "Two heads", "date_published": "2026-11-02T10:00:00Z",
         "tags": ["mammals"], "item_kind": "note",
         "content_html": "<p>Two wet heads.</p><img src='/o.jpg'><a href='/n/'>all</a>"},
        {"url": f"{URL}/n/otters/o/", "title": "o.jpg", "item_kind": "attachment"}]}),
}  # fmt: skip


@pytest.mark.parametrize("kind", list(FEEDS))
def test_a_feed_gives_items_with_their_content_and_attachments_apart(survey, tmp_path, kind):
    (tmp_path / f"feed.{kind}").write_text(FEEDS[kind])
    found, faults = survey(
        f'kind = "feed"\npath = "feed.{kind}"\ncolumns = {{ kind = "item_kind" }}'
    )
    assert (list(found), faults) == (["/n/otters/", "/n/otters/o/"], [])
    note = found["/n/otters/"]
    assert (note["title"], note["description"], note["tags"]) == (
        "Otters",
        "Two heads",
        ["mammals"],
    )
    assert note["lastmod"] == note["published"] == "2026-11-02T10:00:00Z"
    assert (note["words"], note["links"]) == (4, [f"{URL}/n/"])
    assert note["images"] == [{"loc": f"{URL}/o.jpg", "alt": None}]
    assert found["/n/otters/o/"]["kind"] == "attachment"


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("l.txt", f"# landing pages\n{URL}/a\n\n/b,2026-11-01,offers\n"),
        ("l.csv", f"address,section,lastmod\n{URL}/a,,\n/b,offers,2026-11-01\n"),
    ],
)
def test_a_list_gives_addresses_with_dates_and_sections(survey, tmp_path, name, data):
    (tmp_path / name).write_text(data)
    found, faults = survey(f'kind = "list"\npath = "{name}"')
    assert (list(found), faults) == (["/a", "/b"], [])
    assert (found["/b"]["lastmod"], found["/b"]["in_section"]) == ("2026-11-01", "offers")


def test_an_existing_sitemap_is_a_list_with_all_it_lists(survey, tmp_path):
    core = 'xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"'
    image = 'xmlns:i="http://www.google.com/schemas/sitemap-image/1.1"'
    image += ' xmlns:v="http://www.google.com/schemas/sitemap-video/1.1"'
    (tmp_path / "s.xml").write_text(
        f"<sitemapindex {core}><sitemap><loc>{URL}/one.xml</loc></sitemap>"
        f"<sitemap><loc>{URL}/gone.xml</loc></sitemap><sitemap><loc>{URL}/two.xml</loc></sitemap></sitemapindex>"
    )
    # The form that is read by columns, where nothing is asked for but addresses.
    usual = image.replace(":i=", ":image=").replace(":v=", ":video=")
    (tmp_path / "two.xml").write_text(
        f"<urlset {core} {usual}><url><loc>{URL}/b</loc><image:image><image:loc>{URL}/q.jpg</image:loc></image:image>"
        f"<video:video><video:thumbnail_loc>{URL}/t.jpg</video:thumbnail_loc><video:title>Fen</video:title>"
        f"<video:description>D</video:description><video:content_loc>{URL}/w.mp4</video:content_loc></video:video>"
        "</url></urlset>"
    )
    (tmp_path / "one.xml").write_text(
        f"<urlset {core} {image}><url><loc>{URL}/a</loc><lastmod>2026-11-01</lastmod>"
        f"<i:image><i:loc>{URL}/p.jpg</i:loc></i:image><v:video><v:title>Reed</v:title>"
        f"<v:content_loc>{URL}/v.mp4</v:content_loc><v:duration>65</v:duration><v:tag>a</v:tag><v:tag>b</v:tag>"
        '<v:restriction relationship="deny">US</v:restriction><v:price currency="GBP" type="own">3</v:price>'
        f'<v:uploader info="{URL}/w/">Wren</v:uploader></v:video></url>'
        f"<url><loc>https://o.example/</loc></url></urlset>"
    )
    found, faults = survey('kind = "list"\npath = "s.xml"')
    assert [one["loc"] for one in found["/a"]["images"]] == [f"{URL}/p.jpg"]
    (film,) = found["/a"]["videos"]
    assert {name: value for name, value in film.items() if value} == {
        "content": f"{URL}/v.mp4", "title": "Reed", "duration": 65, "tags": ["a", "b"],
        "countries": "deny US", "price": ["3 GBP own"], "uploader": "Wren",
        "uploader_page": f"{URL}/w/", "found": "field",
    }  # fmt: skip
    (image,), (film,) = found["/b"]["images"], found["/b"]["videos"]
    assert (image["loc"], film["title"], film["thumbnail"]) == (f"{URL}/q.jpg", "Fen", f"{URL}/t.jpg")
    assert faults == [
        ("sitemap-index-missing", "s.xml:1"),
        ("address-other-host", f"{URL}/one.xml:1"),
    ]


NOTE = """---
title: Otters are back
date: 2026-11-02
tags: [mammals, sluice]
author: Corin Mossley
summary: Two wet heads.
image: {src: /o.jpg, alt: The bank}
video: {src: /o.mp4, thumbnail: /o.jpg}
wardens: 2
---
# A heading

Two **wet** heads, see [all notes](/notes/).
"""


@pytest.mark.parametrize(
    ("name", "text", "url", "address"),
    [
        ("otters.md", NOTE, "/notes/{year}/{slug}/", "/notes/2026/otters/"),
        ("a/otters.md", NOTE, "/{path}/", "/a/otters/"),
        ("a/index.md", NOTE, "/{path}/", "/a/"),
        (
            "2026-11-02-otters.md",
            "Text.",
            "/{year}/{month}/{day}/{slug}.html",
            "/2026/11/02/otters.html",
        ),
        ("x.md", "+++\nslug = 'of toml'\ndate = 2026-11-02\n+++\nText.", "/{slug}/", "/of%20toml/"),
        ("x.md", "---\npermalink: /own/\n---\nText.", "/{slug}/", "/own/"),
        ("x.html", "---\nplace: fen\n---\n<p>Text.</p>", "/{place}/{slug}/", "/fen/x/"),
    ],
)
def test_front_matter_makes_addresses(survey, tmp_path, name, text, url, address):
    place = tmp_path / "notes" / name
    place.parent.mkdir(parents=True)
    place.write_text(text)
    found, faults = survey(f'kind = "markdown"\npath = "notes"\nurl = "{url}"')
    assert (list(found), faults) == ([address], [])


def test_front_matter_and_text_fill_the_columns(survey, tmp_path):
    (tmp_path / "notes").mkdir()
    (tmp_path / "notes/otters.md").write_text(NOTE)
    row = survey('kind = "markdown"\npath = "notes"')[0]["/otters/"]
    assert {key: row[key] for key in ("title", "heading", "author", "tags", "excerpt", "published", "lastmod", "lastmod_from")} == {
        "title": "Otters are back", "heading": "A heading", "author": "Corin Mossley",
        "tags": ["mammals", "sluice"], "excerpt": "Two wet heads.", "published": "2026-11-02",
        "lastmod": "2026-11-02", "lastmod_from": "published",
    }  # fmt: skip
    assert row["images"] == [{"loc": f"{URL}/o.jpg", "alt": "The bank"}]
    assert row["videos"][0]["content"] == f"{URL}/o.mp4"
    assert (row["links"], row["extra"]) == ([f"{URL}/notes/"], {"wardens": 2})


@pytest.mark.parametrize(
    "head",
    [
        "---\ntitle: Reeds\nauthor: Wren\ndate: 2026-04-10\ntags: [a, b]\n---\n",
        "+++\ntitle = 'Reeds'\nauthor = 'Wren'\ndate = 2026-04-10\ntags = ['a', 'b']\n+++\n",
        '{\n"title": "Reeds", "author": "Wren", "date": "2026-04-10", "tags": ["a", "b"]\n}\n\n',
        ';;;\n{"title": "Reeds", "author": "Wren", "date": "2026-04-10", "tags": ["a", "b"]}\n;;;\n',
        "Title: Reeds\nDate: 2026-04-10\nAuthors: Wren\nTags: a,\n  b\n\n",
        "title: Reeds\r\ndate: 2026-04-10\r\nauthor: Wren\r\ntags: a, b\r\n\r\n",
    ],
)
def test_heads_of_every_common_form_say_the_same(survey, tmp_path, head):
    (tmp_path / "notes").mkdir()
    (tmp_path / "notes/x.md").write_bytes(f"{head}Text of the page.\n".encode())
    row = survey('kind = "markdown"\npath = "notes"')[0]["/x/"]
    assert {key: row[key] for key in ("title", "author", "published", "tags", "excerpt")} == {
        "title": "Reeds", "author": "Wren", "published": "2026-04-10", "tags": ["a", "b"],
        "excerpt": "Text of the page.",
    }  # fmt: skip


@pytest.mark.parametrize(
    ("text", "kind", "faults"),
    [
        ("---\ndraft: true\n---\nx", "draft", []),
        ("---\ndate: 2999-01-01\n---\nx", "future", []),
        ("---\ntitle: [a\n---\nx", None, [("front-matter-broken", "x.md:2")]),
        ("---\n- a\n---\nx", None, [("front-matter-broken", "x.md:1")]),
        ("+++\na = \n+++\nx", None, [("front-matter-broken", "x.md:1")]),
        ("---\nlastmod: soon\n---\nx", "page", [("date-unreadable", "x.md")]),
        ("---\npermalink: /{city}/\n---\nx", None, [("row-no-address", "x.md")]),
        ("---\npermalink: https://o.example/\n---\nx", None, [("row-no-address", "x.md")]),
        ("", "page", []),
        ("Title: Reeds\nStatus: draft\n\nText.", "draft", []),
        ('{\n"title": "Reeds",\n"draft": true\n}\n\nText.', "draft", []),
        (";;;\n{,}\n;;;\nText.", None, [("front-matter-broken", "x.md:1")]),
        ("Note: this is text.\n\nMore.", "page", []),
    ],
)
def test_drafts_future_pages_and_broken_front_matter_are_told_apart(
    survey, tmp_path, text, kind, faults
):
    (tmp_path / "notes").mkdir()
    (tmp_path / "notes/x.md").write_text(text)
    (tmp_path / "notes/y.md").write_text("y")
    found, told = survey('kind = "markdown"\npath = "notes"')
    assert [row["kind"] for path, row in found.items() if path == "/x/"] == ([kind] if kind else [])
    assert told == faults


def test_what_pages_are_made_with_is_no_page(survey, tmp_path):
    files = {
        "x.md": "{{ greet }} Reeds {% if a %}grow{% endif %}.\n\n    {{ code }}\n",
        "m.mdx": "import A from 'a'\nimport {B} from 'b'\n\n# Eels\n\nimport of eels is {/* hidden */}rare. [x](x.md)\n\n"
                 "```js\nimport c from 'c'\n\n```\n\nexport const d = 1\n",
        "list.html": "---\ntitle: All\n---\n{% for p in all %}<p>{{ p }}</p>{% endfor %}",
        "part.html": "{% block a %}<nav></nav>{% endblock %}",
        "frame.html": "<!doctype html><html><title>{{ page.title }}</title><p>x</p>",
        "how.html": "<html><title>How</title><p>Write</p><pre>{{ x }}</pre>",
        "_includes/foot.html": "<footer>Wren</footer>", "_layouts/post.html": "---\na: b\n---\n<p>x</p>",
        "node_modules/a/README.md": "# A",
    }  # fmt: skip
    for name, text in files.items():
        (tmp_path / "notes" / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "notes" / name).write_text(text)
    found, told = survey('kind = "markdown"\npath = "notes"')
    assert {path: row["excerpt"] for path, row in found.items()} == {
        "/x/": "Reeds grow.", "/list/": None, "/how/": "Write", "/m/": "import of eels is rare. x",
    }  # fmt: skip
    assert (found["/m/"]["title"], found["/m/"]["words"], found["/m/"]["links"]) == ("Eels", 11, [f"{URL}/x/"])
    assert told == [("template-left-out", "frame.html"), ("template-left-out", "part.html")]


def test_links_between_files_of_markdown_lead_to_their_pages(survey, tmp_path):
    notes = tmp_path / "notes"
    (notes / "birds").mkdir(parents=True)
    (notes / "index.md").write_text("# Home\n[a](birds/heron.md) [b](/birds/otter.md#tracks) [c](no.md)\n")
    (notes / "birds/heron.md").write_text(
        "# Heron\n[d](./otter.md) [e](../index.md \"Home\") [f](https://x.example/y.md) [g](sub%20mit.md)\n"
        "![h](otter.md)\n\n`[i](otter.md)`\n"
    )
    (notes / "birds/otter.md").write_text("---\npermalink: /mammals/otter/\n---\n# Otter\n[j](../../../etc/x.md)\n")
    (notes / "birds/sub mit.md").write_text("# Sub\n[broken front](bad.md)\n")
    (notes / "birds/bad.md").write_text("---\n: [\n---\nx\n")
    found, _ = survey('kind = "markdown"\npath = "notes"')
    links = {path: sorted(one.removeprefix(URL) for one in row["links"]) for path, row in found.items()}
    assert links["/"] == ["/birds/heron/", "/mammals/otter/", "/no.md"]
    assert links["/birds/heron/"] == ["/", "/birds/sub%20mit/", "/mammals/otter/"]
    assert links["/mammals/otter/"] == ["/etc/x.md"]
    assert links["/birds/sub%20mit/"] == ["/birds/sub%20mit/bad.md"]
