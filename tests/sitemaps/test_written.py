"""What is written is what was meant: round trips, schemas, stable files, two ways of reading."""

import shutil
import subprocess

import polars as pl
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from lxml import etree

from jovial_atlas.rounds.publishing.build import listing
from jovial_atlas.sitemaps import extensions, plain, plan, protocol
from jovial_atlas.sitemaps import text as text_of
from jovial_atlas.sitemaps.check import ServedAt, check_across, check_file
from jovial_atlas.sitemaps.extensions import NEWS_FIELDS, VIDEO_FIELDS, VIDEO_TYPE
from jovial_atlas.sitemaps.feeds import FeedChannel, FeedItem, atom, rss
from jovial_atlas.sitemaps.packing import decompressed
from jovial_atlas.sitemaps.plain import as_written, read_plain
from jovial_atlas.sitemaps.read import read_sitemap
from jovial_atlas.sitemaps.view import style_sheet
from jovial_atlas.sitemaps.write import index_file, urlset_file, urlset_parts
from tests.sitemaps.make_schemas import write as write_schemas

HOME = "https://www.marrowfen.example/"
NOW = "2026-11-23T10:00:00Z"
WORDS = st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=20).map(
    "w{}".format
)
DATES = st.none() | st.sampled_from(["2026-11-23", "2024-02-29", "2026-11-22T23:59:59Z"])
ADDRESSES = st.integers(0, 999).map(lambda n: f"{HOME}p{n}?a=1&b='2'")
LANGUAGES = st.sampled_from(["en-GB", "de", "zh-Hant-TW", "x-default"])
ENTRY = st.fixed_dictionaries(
    {
        "loc": ADDRESSES,
        "lastmod": DATES,
        "changefreq": st.none() | st.sampled_from(protocol.FREQUENCIES),
        "priority": st.none() | st.integers(0, 10).map(lambda n: n / 10),
        "images": st.lists(ADDRESSES, max_size=3),
        "alternates": st.lists(
            st.fixed_dictionaries({"lang": LANGUAGES, "href": ADDRESSES}), max_size=3
        ),
        "news": st.none()
        | st.fixed_dictionaries(
            dict(zip(NEWS_FIELDS, (WORDS, st.just("en"), st.just("2026-11-23"), WORDS), strict=True))
        ),
        "videos": st.lists(
            st.fixed_dictionaries(
                {one.name: st.none() for one in VIDEO_TYPE.fields}
                | {"tag": st.none() | st.lists(WORDS, min_size=1, max_size=3)}
                | {"platform": st.just("web tv"), "platform@relationship": st.just("deny")}
                | {"uploader": WORDS, "uploader@info": st.none() | st.just(f"{HOME}&'")}
                | {"thumbnail_loc": ADDRESSES, "title": WORDS, "description": WORDS,
                   "content_loc": st.just(f"{HOME}v.mp4"), "duration": st.just("9")}
            ),
            max_size=2,
        ),
    }
)  # fmt: skip
TYPES = {
    "loc": pl.String, "lastmod": pl.String, "changefreq": pl.String, "priority": pl.Float64,
    "images": pl.List(pl.String), "alternates": pl.List(pl.Struct({"lang": pl.String, "href": pl.String})),
    "news": pl.Struct(dict.fromkeys(NEWS_FIELDS, pl.String)),
    "videos": pl.List(VIDEO_TYPE),
}  # fmt: skip


def read_back(data: bytes) -> list[dict[str, object]]:
    """All that a file says, by a reader that knows nothing of ours."""
    spaces = {"s": protocol.CORE, "i": protocol.IMAGE, "v": protocol.VIDEO, "n": protocol.NEWS,
              "x": protocol.XHTML}  # fmt: skip

    def text(node, path):
        return next(iter(node.xpath(path, namespaces=spaces)), None)

    return [
        {
            "loc": text(url, "s:loc/text()"),
            "lastmod": text(url, "s:lastmod/text()"),
            "changefreq": text(url, "s:changefreq/text()"),
            "priority": float(p) if (p := text(url, "s:priority/text()")) else None,
            "images": url.xpath("i:image/i:loc/text()", namespaces=spaces),
            "alternates": [
                {"lang": link.get("hreflang"), "href": link.get("href")}
                for link in url.xpath("x:link", namespaces=spaces)
            ],
            "news": {
                name: text(news, f".//n:{name}/text()") for name in NEWS_FIELDS
            } if (news := text(url, "n:news")) is not None else None,
            "videos": [
                {name: text(video, f"v:{name}/text()") for name in VIDEO_FIELDS}
                | {"tag": list(map(str, video.xpath("v:tag/text()", namespaces=spaces))) or None}
                | {
                    one.name: text(video, f"v:{one.name.replace('@', '/@')}")
                    for one in VIDEO_TYPE.fields
                    if "@" in one.name
                }
                for video in url.xpath("v:video", namespaces=spaces)
            ],
        }
        for url in etree.fromstring(data)
    ]  # fmt: skip


@settings(max_examples=80, deadline=None)
@given(st.lists(ENTRY, max_size=8, unique_by=lambda one: one["loc"]), st.integers(1, 5))
def test_every_column_reads_back_as_it_was_meant_and_has_no_fault(rows, most):
    table = pl.DataFrame(rows, schema=TYPES)
    parts = list(urlset_parts(table, max_urls=most, stylesheet="/view.xsl"))
    assert [one for part in parts for one in read_back(part.data)] == rows
    for part in parts:
        file = read_sitemap(part.data, "s.xml")
        assert check_file(file, ServedAt(f"{HOME}s.xml"), NOW) == []
        assert (part.urls, part.counts.get("images", 0)) == (file.count, int(file.rows["images"].sum()))


@pytest.mark.parametrize("sign", ["", "&", "'", "<"])
@pytest.mark.parametrize("size", [200_000, protocol.MAX_BYTES])
def test_a_sign_to_escape_is_seen_wherever_it_stands(sign, size):
    locs = pl.select(pl.format(f"{HOME}page-{{}}", pl.int_range(20_000).alias("n"))).to_series()
    locs[-1] = f"{HOME}last?{sign}"
    rest = locs.to_frame("loc")
    found = []
    while rest.height:
        part = urlset_file(rest, max_bytes=size, gzip_from=100_000)
        assert part.gzipped == (part.urls > 2_000)
        data = decompressed(part.data) if part.gzipped else part.data
        assert len(data) <= size
        found += [one["loc"] for one in read_back(data)]
        rest = rest.slice(part.urls)
    assert found == locs.to_list()


@settings(max_examples=40, deadline=None)
@given(st.lists(ENTRY, min_size=1, max_size=8, unique_by=lambda one: one["loc"]))
def test_a_file_of_ours_without_extensions_reads_back_fast(rows):
    table = pl.DataFrame(rows, schema=TYPES).select("loc", "lastmod", "changefreq", "priority")
    (part,) = urlset_parts(table)
    assert part.plain
    assert as_written(part.data).equals(table.select("loc", "lastmod"))


def test_schemas_written_from_the_facts_accept_what_is_written(tmp_path):
    xmllint = shutil.which("xmllint")
    assert xmllint, "xmllint is missing; on Debian: apt-get install libxml2-utils"
    schemas = write_schemas(tmp_path)
    news = dict(zip(NEWS_FIELDS, ("N", "en", "2026-11-23", "<T> & 'so'"), strict=True))
    video = {one.name: None for one in VIDEO_TYPE.fields} | {
        "thumbnail_loc": HOME, "title": "T", "description": "D\x00", "content_loc": f"{HOME}v.mp4",
        "publication_date": "2026-11-23", "duration": "9", "tag": ["a", "b"], "rating": "4.5",
        "restriction": "GB IE", "restriction@relationship": "allow", "view_count": "7",
        "platform": "web", "platform@relationship": "deny", "family_friendly": "yes",
        "uploader": "U", "uploader@info": HOME, "category": "C", "live": "no",
        "player_loc": f"{HOME}p", "expiration_date": "2027-01-01", "requires_subscription": "no",
    }  # fmt: skip
    row = {"loc": f"{HOME}a?b&c", "lastmod": "2026-11-23", "changefreq": "daily", "priority": 0.8,
           "images": [f"{HOME}p"], "alternates": [{"lang": "de", "href": f"{HOME}de/"}],
           "news": news, "videos": [video, video]}  # fmt: skip
    (part,) = urlset_parts(pl.DataFrame([row], schema=TYPES))
    files = {"urlset": part.data, "sitemapindex": index_file([(f"{HOME}s.xml", "2026-11-23")])}
    for kind, data in files.items():
        place = tmp_path / f"{kind}.xml"
        command = [xmllint, "--noout", "--nonet", "--schema", str(schemas[kind]), str(place)]
        place.write_bytes(data)
        subprocess.run(command, check=True, capture_output=True)
        # The schema has teeth: another order is refused.
        place.write_bytes(
            data.replace(b"<lastmod>2026-11-23</lastmod>", b"<lastmod>soon</lastmod>")
        )
        assert subprocess.run(command, check=False, capture_output=True).returncode


SAID = "<video:title>Film #1</video:title>\n<video:description>D &lt; ü</video:description>"
AT = "<video:content_loc>{0}f.mp4</video:content_loc>"
PLAYER = "<video:player_loc>{0}p?a&amp;b</video:player_loc>"
LOOSE = st.sampled_from([
    "<url><loc>{0}a</loc></url>", "\n <url>\n  <loc> {0}b&amp;c </loc>\n </url>\n",
    "<url><loc>{0}c</loc><lastmod>2026-11-23</lastmod></url>",
    "<url><loc>{0}d</loc><lastmod>2025-02-29</lastmod></url>",
    "<url><loc>{0}d</loc><lastmod>2024-02-29T23:59:59+01:00</lastmod></url>",
    "<url><loc>{0}e</loc><lastmod>2027-01-01</lastmod></url>",
    "<url><loc>{0}f</loc><priority>1.5</priority></url>", "<url><loc>{0}f#g</loc></url>",
    "<url><loc>{0}g</loc><changefreq>daily</changefreq><priority>0.5</priority></url>",
    "<url><loc>{0}h</loc><image:image><image:loc>{0}p</image:loc></image:image></url>",
    "<url><lastmod>2026-11-23</lastmod><loc>{0}i</loc></url>", "<url><loc>/j</loc></url>",
    "<url><loc>https://other.example/</loc></url>", "<url><loc>{0}ö\u2028</loc></url>", "<page/>",
    '<url><loc>{0}m</loc><xhtml:link rel="alternate" hreflang="en" href="{0}m"/></url>',
    '<url><loc>{0}n</loc><xhtml:link rel="alternate" hreflang="de" href="{0}h"/></url>',
    '<url><loc>{0}h</loc><xhtml:link rel="alternate" hreflang="x-default" href="{0}n"/></url>',
    '<url><loc>{0}o</loc><lastmod>2026-11-23</lastmod>'
    '<xhtml:link rel="alternate" hreflang="en-UK" href="{0}a"/></url>',
    "<url><loc>{0}k</loc><loc>{0}k</loc></url>", "<url><loc>{0}l&nbsp;</loc></url>", "text",
    *(
        f"<url><loc>{{0}}v</loc>{''.join(f'<video:video><video:thumbnail_loc>{{0}}t</video:thumbnail_loc>{one}</video:video>' for one in films)}</url>"
        for films in (
            [SAID + AT], [SAID + AT, SAID + f" {PLAYER}"], [SAID + AT + PLAYER, SAID + AT], [SAID], [AT],
            [SAID + AT + "<video:duration>28801</video:duration>"], [SAID + AT + "<video:duration>28800</video:duration>"],
            [SAID + AT + "<video:expiration_date>2025-02-29</video:expiration_date>"],
            [SAID + AT + "<video:publication_date>2025-12-31T10:00:00Z</video:publication_date>"],
            [SAID + AT + "<video:tag>a</video:tag>" * 33], [SAID + AT + "<video:tag>a</video:tag>" * 32],
            [SAID + AT.replace("f.mp4", "v")], [SAID.replace("#1", " ") + AT], [SAID + AT.replace("f.mp4", "f .mp4")],
            [SAID.replace("D &lt;", "x" * 2_049) + AT], [SAID.replace("D &lt;", "x" * 2_048) + AT],
            [SAID + AT + f"<video:category>{'c' * 257}</video:category><video:live>no</video:live>"],
            [SAID + AT + "<video:family_friendly>maybe</video:family_friendly>"], [SAID + AT + "<video:rating>5.1</video:rating>"],
            [SAID + AT + '<video:restriction relationship="allow">GB IE</video:restriction>'],
            [SAID + AT + "<video:platform>web</video:platform>"], [SAID + AT + "<video:view_count>-1</video:view_count>"],
            [SAID + AT + '<video:uploader info="https://other.example/">U</video:uploader>'], [SAID + AT + "<video:x/>"],
        )
    ),
])  # fmt: skip


@settings(max_examples=250, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(LOOSE, min_size=1, max_size=6), st.sampled_from([1, 300, 1_000_000]))
@example(["<url><loc>{0}a</loc></url>"] * 3, 1)
def test_the_quick_way_of_reading_says_what_the_parser_says(monkeypatch, entries, at_once):
    monkeypatch.setattr(plain, "_AT_ONCE", at_once)
    body = "".join(one.format(HOME) for one in entries)
    spaces = f'xmlns="{protocol.CORE}" xmlns:image="{protocol.IMAGE}" xmlns:xhtml="{protocol.XHTML}"'
    spaces += f' xmlns:video="{protocol.VIDEO}"'
    data = f'<?xml version="1.0" encoding="UTF-8"?>\n<urlset {spaces}>{body}</urlset>'
    quick = read_sitemap(data.encode(), "s.xml")
    # A comment at the end is no plain form, so this one is parsed.
    parsed = read_sitemap((data + "<!-- -->").encode(), "s.xml")
    assert parsed.plain is None
    assert quick.rows.equals(parsed.rows)
    place = ServedAt(f"{HOME}s.xml")
    assert set(check_file(quick, place, NOW)) == set(check_file(parsed, place, NOW))
    assert quick.links().equals(parsed.links())
    assert list(check_across([quick])) == list(check_across([parsed]))


def test_plain_files_are_read_the_quick_way():
    table = pl.DataFrame({"loc": [f"{HOME}{n}" for n in range(9)], "lastmod": ["2026-11-23"] * 9})
    (part,) = urlset_parts(table, stylesheet="/view.xsl")
    rows = read_plain(part.data).rows
    assert rows["loc"].to_list() == table["loc"].to_list()
    assert rows["line"].to_list()[:2] == [4, 8]


SITES = st.lists(
    st.dictionaries(st.integers(0, 60), st.integers(0, 2), max_size=40), min_size=1, max_size=5
)


@settings(max_examples=100, deadline=None)
@given(SITES, st.integers(1, 7))
def test_addresses_keep_their_file_and_no_file_is_over_its_limit(builds, most):
    before = pl.DataFrame(schema=plan.PLACED)
    for site in builds:
        types = {"key": pl.UInt64, "kind": pl.UInt32}
        pages = pl.DataFrame({"key": list(site), "kind": list(site.values())}, schema=types)
        placed = plan.place(pages, before, dict.fromkeys(range(3), most))
        after = pages.with_columns(number=placed.numbers)
        kept = after.join(before, on=["key", "kind"], suffix="_old")
        assert (kept["number"] == kept["number_old"]).all()
        new = after.join(before, on=["key", "kind"], how="anti")
        last = kept.group_by("kind").agg(last=pl.col("number").max())
        assert (
            (new.join(last, on="kind").select(pl.col("number") >= pl.col("last"))).to_series().all()
        )
        counts = after.group_by("kind", "number").len()
        assert not counts.height or counts["len"].max() <= most
        assert placed.runs["len"].sum() == after.height
        before = after


def test_a_lower_limit_moves_only_what_is_over_it():
    pages = pl.DataFrame(
        {"key": range(6), "kind": [0] * 6}, schema={"key": pl.UInt64, "kind": pl.UInt32}
    )
    before = pages.with_columns(number=pl.Series([1, 1, 1, 1, 2, 2], dtype=pl.UInt32))
    assert plan.place(pages, before, {0: 3}).numbers.to_list() == [1, 1, 1, 2, 2, 2]
    assert plan.place(pages, before, {0: 4}).same


def link(language: str, href: str) -> str:
    return f'<x:link rel="alternate" hreflang="{language}" href="{HOME}{href}"/>'


def urlset(inner: str) -> bytes:
    spaces = f'xmlns="{protocol.CORE}" xmlns:x="{protocol.XHTML}" xmlns:i="{protocol.IMAGE}"'
    video = f'xmlns:v="{protocol.VIDEO}" xmlns:n="{protocol.NEWS}"'
    return f"<urlset {spaces} {video}>{inner}</urlset>".encode()


def url(path: str, inner: str = "") -> str:
    return f"<url><loc>{HOME}{path}</loc>{inner}</url>"


PICTURES = f"<i:image><i:loc>{HOME}p</i:loc></i:image>" * 600
VIDEO = (
    f"<v:video><v:thumbnail_loc>{HOME}t</v:thumbnail_loc><v:title>T</v:title>"
    f"<v:description>D</v:description><v:content_loc>{HOME}v</v:content_loc></v:video>"
)
OLD = (
    "<n:news><n:publication><n:name>N</n:name><n:language>en</n:language></n:publication>"
    "<n:publication_date>{}</n:publication_date><n:title>T</n:title></n:news>"
)


@pytest.mark.parametrize(
    ("files", "codes"),
    [
        ([url("a") + url("b")], []),
        ([url("a"), url("a")], ["sitemap-loc-twice"]),
        ([url("a"), url("a", VIDEO)], []),
        ([url("a"), url("b", VIDEO)], ["companion-unlisted"]),
        ([url("a", VIDEO)], []),
        ([url("a", PICTURES), url("a", PICTURES)], ["sitemap-loc-twice", "sitemap-images-too-many"]),
        ([url("a", link("en", "a") + link("de", "b")) + url("b", link("de", "b") + link("en", "a"))], []),
        ([url("a", link("en", "a") + link("de", "b")) + url("b")], ["alternate-not-returned"]),
        ([url("a", link("de", "elsewhere"))], ["alternate-no-self"]),
        ([url("a", link("en", "a") + link("en-UK", "b"))], ["alternate-language"]),
        ([url("a", link("x-default", "a") + link("gb", "b"))], ["alternate-language"]),
        ([url("a", OLD.format("2026-11-21T09:00:00Z"))], ["news-old"]),
        ([url("a", OLD.format("2026-11-21"))], []),
        (["".join(url(str(n), OLD.format("2026-11-23")) for n in range(1_001))], ["news-too-many"]),
        (["".join(url(f"{n}", "<priority>2</priority>") for n in range(140))], ["sitemap-value"] * 101),
    ],
)  # fmt: skip
def test_rules_that_cross_files_find_exactly_what_breaks_them(files, codes):
    read = [read_sitemap(urlset(one), f"{number}.xml") for number, one in enumerate(files)]
    faults = [fault for file in read for fault in check_file(file, ServedAt(), NOW)]
    faults += check_across(read)
    assert [fault.code for fault in faults] == codes


def test_feeds_are_read_as_they_were_written():
    import feedparser

    channel = FeedChannel("Marrowfen", HOME, f"{HOME}feed.xml", "New pages", "en-GB")
    items = [
        FeedItem(f"{HOME}a?b&c", "A <b> & c\x00", "2026-11-23", "2026-11-20T08:00:00Z", "Wren", "Said",
             "<p>Whole &amp; text</p>"),
        FeedItem(f"{HOME}b", "B", "2026-11-22"),
    ]  # fmt: skip
    for write in (rss, atom):
        data = write(channel, items)
        feed = feedparser.parse(data)
        assert not feed.bozo
        assert [(e.link, e.title) for e in feed.entries] == [
            (f"{HOME}a?b&c", "A <b> & c"), (f"{HOME}b", "B")
        ]  # fmt: skip
        assert feed.entries[0].content[0].value == "<p>Whole &amp; text</p>"
        assert check_file(read_sitemap(data, "feed.xml"), ServedAt(f"{HOME}feed.xml"), NOW) == []


def test_an_extension_is_one_class_and_one_row(monkeypatch):
    """Writer, reader, checker and style sheet all take a further extension from the table."""

    class Chapters(extensions.Extension):
        column, type = "chapters", pl.List(pl.String)
        namespace, prefix, name = "urn:marrowfen:chapters", "chapters", "chapter"
        companion = False
        shown = extensions.SheetColumn(
            "chapters", "chapters", "Chapters", '<xsl:value-of select="chapters:chapter"/>'
        )

        def rendered(self, item):
            return text_of.element("chapters:chapter", text_of.escaped(item), "  ")

        def check(self, node, entry):
            if not node.text.istitle():
                entry("sitemap-value", node.line, f"<{node.name}> {node.text!r} is no title")

    row = Chapters()
    monkeypatch.setitem(extensions.EXTENSIONS, row.column, row)
    monkeypatch.setitem(extensions.ELEMENTS, (row.namespace, row.name), row)
    monkeypatch.setitem(extensions.NAMESPACES, row.namespace, row.prefix)
    table = pl.DataFrame({"loc": [f"{HOME}a", f"{HOME}b"], "chapters": [["Reeds", "wet & wild"], []]})
    part = urlset_file(table)
    assert part.counts == {"chapters": 2}
    file = read_sitemap(part.data, "sitemap-1.xml")
    assert [entry.count("chapters") for entry in file.entries] == [2, 0]
    (fault,) = check_file(file, ServedAt(), NOW)
    assert fault.code == "sitemap-value" and "'wet & wild' is no title" in fault.message
    shown = etree.XSLT(etree.fromstring(style_sheet()))(etree.fromstring(part.data))
    assert "Reeds" in "".join(shown.xpath("//td/text()"))


def test_builds_know_from_where_each_extension_comes():
    """A column that no build fills would never be written, and its change would never be seen."""
    filled = {*listing.FROM_PAGES, listing.FROM_VERSIONS, *listing.FILES_OF_THEIR_OWN}
    assert filled == set(extensions.EXTENSIONS)
