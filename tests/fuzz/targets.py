"""Every parser through its public function, as something that takes bytes, with bytes it can read.

What a parser may raise is what its docstring says; anything else is a fault of ours.
"""

import contextlib
import gzip
import io
import json
import tempfile
from datetime import UTC, date, datetime
from pathlib import Path

import polars as pl

from jovial_atlas import addresses, dates, foreign, languages, patterns
from jovial_atlas.engines import call, exports
from jovial_atlas.errors import AtlasError
from jovial_atlas.head.patterns import PatternError, filled_in, wrong
from jovial_atlas.ledger import Ledger
from jovial_atlas.logs.lines import parse_line
from jovial_atlas.logs.people import PeopleCounter
from jovial_atlas.markup import Additions, ChangedError, Tag, inject, restore, without_block
from jovial_atlas.media import oembed
from jovial_atlas.pages import blocks, snapshot
from jovial_atlas.robots import Matcher, parse_robots, read_directives
from jovial_atlas.robots.directives import read_header
from jovial_atlas.robots.lint import lint
from jovial_atlas.sitefile.overrides import parse_overrides
from jovial_atlas.sitefile.read import parse_site_file
from jovial_atlas.sitefile.videos import parse_video_overrides
from jovial_atlas.sitemaps.check import ServedAt, check_across, check_file
from jovial_atlas.sitemaps.packing import unpacked
from jovial_atlas.sitemaps.read import read_sitemap
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page
from jovial_atlas.sources.records.columns import FieldMap
from jovial_atlas.sources.records.content import with_contents
from jovial_atlas.sources.records.feed import read_feed
from jovial_atlas.sources.records.kept_pages import KeptPages
from jovial_atlas.sources.records.table import read_table
from jovial_atlas.sources.workers.readers import Readers
from jovial_atlas.structured import values
from jovial_atlas.structured.hours import parse_hours
from jovial_atlas.structured.read import read_json_ld
from jovial_atlas.structured.validate import plain_validator
from jovial_atlas.traffic.columns import guessed_columns, is_performance
from jovial_atlas.traffic.hearing import hear_performance
from jovial_atlas.traffic.keeping import Traffic
from jovial_atlas.traffic.reading import tables_of

URL = "https://www.marrowfen.example"
NOW = datetime(2026, 11, 23, tzinfo=UTC)
SITE = f'[site]\nurl = "{URL}"\n[[source]]\nkind = "html"\npath = "public"\n'
MODEL = parse_site_file(SITE, Path("atlas.toml")).model
READING = Reading("s", NOW, outline=True, crawlers=("lanternbot",), fields=(("x", "p@class"),))
HOW = FieldMap("t", URL, NOW, "", {}, ";", ())
TAGS = [Tag("<title>N</title>", ("title",)), Tag('<meta name="robots" content="x">', ("robots",))]


def text(data: bytes) -> str:
    """Bytes as text, halves of surrogate pairs included."""
    try:
        return data.decode("utf-8", "surrogatepass")
    except UnicodeDecodeError:
        return data.decode("utf-8", "replace")


def robots(data):
    found = parse_robots(data)
    list(lint(found, "r", paths=["/a", "/b?c"], resources=["/a.css"]))
    Matcher(found, "lanternbot").ask("/" + text(data)[:50])


def directives(data):
    read_directives([text(data)])
    read_header(text(data))


def sitemap(data):
    found = read_sitemap(data, "s")
    check_file(found, ServedAt(f"{URL}/sitemap.xml"), "2026-11-23T00:00:00Z")
    check_file(found, ServedAt(), "2026-11-23T00:00:00Z")
    list(check_across([found]))


def html(data):
    row, faults = read_page(data, PageFile("x", "a.html", f"{URL}/a.html"), READING, 1.7e9)
    assert not [one for one in faults if one.code == "page-not-understood"], faults
    if row:
        json.dumps(row, ensure_ascii=False).encode()


def injected(data):
    also = Additions({"head_end": "<i>x</i>"}, lambda href: "a" in href, lambda given: "alt")
    without_block(data)
    with contextlib.suppress(ChangedError):
        whole = restore(data)
        new = inject(data, TAGS, also=also)
        assert new is None or restore(new) == whole


def json_ld(data):
    nodes, _ = read_json_ld(text(data))
    list(plain_validator().validate(nodes))
    for one in (values.is_duration, values.is_moment, values.is_url, values.is_number):
        one(text(data)[:200])
    with contextlib.suppress(ValueError):
        parse_hours(text(data)[:200])


def export(data):
    for kind in exports.EXPORT_COLUMNS:
        with contextlib.suppress(AtlasError):
            exports.read_export(exports.export_rows(data), kind, {})


def performance(data):
    with tempfile.TemporaryDirectory() as folder:
        for name in ("t.csv", "t.json", "t.jsonl", "t.xlsx"):
            (Path(folder) / name).write_bytes(data)
            with contextlib.suppress(AtlasError):
                for one in tables_of(Path(folder) / name):
                    columns = guessed_columns(one.header)
                    if is_performance(columns):
                        period = (date(2026, 10, 1), date(2026, 10, 2))
                        hear_performance(Traffic(Path(folder) / "kept"), "E", one, columns, [URL], period)


def table(data):
    with tempfile.TemporaryDirectory() as folder:
        for name in ("t.csv", "t.jsonl", "t.json"):
            (Path(folder) / name).write_bytes(data)
            with contextlib.suppress(AtlasError, ValueError):
                for batch in read_table(Path(folder), name, HOW):
                    batch.table.lazy().collect()


def parquet(data):
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "t.parquet"
        place.write_bytes(data)
        with contextlib.suppress(AtlasError):
            blocks.blocks_of(place)
        with contextlib.suppress(AtlasError, ValueError), snapshot.without_panics():
            for batch in read_table(Path(folder), "t.parquet", HOW):
                snapshot.sink(batch.table.lazy(), Path(folder) / "out.parquet")


def feed(data):
    with contextlib.suppress(AtlasError, ValueError), tempfile.TemporaryDirectory() as folder:
        kept = KeptPages(Path(folder) / "before", Path(folder) / "now", "")
        for batch in with_contents(read_feed(data, HOW), READING, Readers(1), kept):
            batch.table.lazy().collect()


def settings(data):
    for read in (
        lambda: parse_site_file(text(data), Path("/none/atlas.toml")),
        lambda: parse_overrides(text(data), Path("o.csv"), MODEL),
        lambda: parse_video_overrides(text(data), Path("v.csv"), URL),
    ):
        with contextlib.suppress(AtlasError):
            read()


def log(data):
    hit = parse_line(data)
    assert hit is None or dates.moment(hit.at)
    people = PeopleCounter()
    people.take(data)
    people.end_of_file()
    assert people.counted().visits.height <= data.count(b"\n") + 1


def engine(data):
    for read in (
        lambda: call.read_report(data, "sitemaps", {}, "L"),
        lambda: call.read_pages(data, "", "next", {}, "L"),
        lambda: call.read_rows(data, "rows", "next", "L"),
        lambda: oembed.read_answer(data, "x"),
    ):
        with contextlib.suppress(AtlasError):
            json.dumps([str(read())]).encode()


def small(data):
    said = text(data)
    dates.read(said)
    dates.is_w3c(said)
    languages.fault_of(said)
    foreign.codec_of(said)
    foreign.seconds(said)
    addresses.resolve(f"{URL}/a/", said)
    addresses.whole(f"{URL}/a/", said)
    for parse in (addresses.normalise, patterns.to_regex, patterns.to_address_regex,
                  foreign.read_json):  # fmt: skip
        with contextlib.suppress(ValueError):
            parse(said)
    if not wrong(said):
        with contextlib.suppress(PatternError):
            filled_in(said, {"title": "T", "tags": ["a"], "section": "s"}, MODEL.site)


def packed(data):
    with contextlib.suppress(ValueError):
        unpacked(data, 100_000)


def ledger(data):
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        record = Ledger(place / "l.sqlite", lambda: "2026-11-23T10:00:00Z")
        try:
            record.carry_out(place / "out")
            (place / "out/report.jsonl").write_bytes(data)
            with contextlib.suppress(AtlasError):
                record.carry_in(place / "out")
                record.reports("L")
        finally:
            record.close()


def _parquet() -> bytes:
    buffer = io.BytesIO()
    pl.DataFrame({"loc": [f"{URL}/{n}" for n in range(50)], "title": ["t"] * 50}).write_parquet(buffer)
    return buffer.getvalue()


_LD = (
    '{"@context":{"@vocab":"https://schema.org/","n":{"@id":"name","@container":"@language"}},'
    '"@type":"Event","@id":"#e","n":{"en":"x"},"startDate":"2026-01-01","offers":{"price":"9.0"}}'
)
_XML = (
    '<?xml version="1.0" encoding="UTF-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9" '
    'xmlns:video="http://www.google.com/schemas/sitemap-video/1.1"><url><loc>https://www.marrowfen.example/a'
    "</loc><lastmod>2026-11-01</lastmod><video:video><video:title>t</video:title></video:video></url></urlset>"
)
_PAGE = (
    '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>T</title><meta name="robots" '
    'content="noindex, max-snippet:5"><link rel="canonical" href="/a"><meta http-equiv=refresh content="0;url=/b">'
    f'<script type="application/ld+json">{_LD}</script></head><body><main><h1>H</h1><video src="a.mp4"></video>'
    '<time datetime="2026-01-01" class="updated">x</time><div itemscope itemtype="https://schema.org/Event" '
    'itemref="r"><p itemprop="name">n</p></div><p id="r" typeof="schema:Thing" property="name">Words.</p>'
    '<a href="x?y#z" rel=me>l</a><img src="i.png"></main></body></html>'
)
_ROW = '{"id":1,"engine":"L","loc":"x","asked_at":"2026-11-23T10:00:00Z","last_read":null,"state":"ok","found":3,"indexed":2,"reasons":"{}","videos":null}'

#: Target → what it is given to begin with; more is in the folder `corpus`.
TARGETS = {
    robots: [b"User-agent: *\nDisallow: /a*b$\nAllow: /a\n\nUser-agent: lanternbot\nDisallow:\nSitemap: x\n"],
    directives: [b"noindex, max-snippet:-1, unavailable_after: Friday, 25-Jun-40 15:00:00 GMT", b"bot: none"],
    sitemap: [_XML.encode(), gzip.compress(_XML.encode()), b"https://www.marrowfen.example/a\n"],
    html: [_PAGE.encode(), _PAGE.encode("utf-16"), _PAGE.replace("utf-8", "punycode").encode()],
    injected: [_PAGE.encode(), inject(_PAGE.encode(), TAGS) or b""],
    json_ld: [_LD.encode(), b'{"@context":"https://schema.org","@type":"\\ud83d"}', b"[" * 500],
    export: ["Address,Found,Indexed,Last read\nx,1.234,5,23. Nov. 2026\n".encode("utf-16"), b"loc;found\ra;1\r"],
    performance: [b"Tag;Seite;Klicks;Rang\n3.10.2026;/a/;1.234;3,4\n", b'{"rows":[{"day":"2026-10-03","page":"/","clicks":1e9}]}',
                  b"# x\nquery,clicks\n\"a\nb\",-1\n"],
    table: [b"loc,title,lastmod\n/a,T,2026-01-01\n", b'{"loc":"/a","tags":["x"],"n":1e400}\n'],
    parquet: [_parquet()],
    feed: [b'<rss><channel><item><link>https://www.marrowfen.example/a</link><pubDate>x</pubDate></item></channel></rss>',
           b'{"version":"https://jsonfeed.org/version/1.1","items":[{"url":"/a"}]}'],
    settings: [SITE.encode() + b'[[rule]]\nmatch = "/a"\nset = { listed = false }\n[sitemap]\nmax_urls = 5\n',
               b"loc,title,reason,by\r/a,=x,y,z\r"],
    log: [b'1.2.3.4 - - [23/Nov/2026:10:00:00 +0100] "GET /a HTTP/1.1" 200 5 "-" "lanternbot"',
          b'{"time":"2026-11-23T10:00:00Z","uri":"/a","status":"200"}'],
    engine: [b'{"sitemaps":[{"loc":"x","found":"12","indexed":3,"last_read":"2026-11-23","reasons":{"a":1}}],"next":"/b"}',
             b'{"title":"t","duration":12.5,"thumbnail_url":"https://x.example/i"}'],
    small: [b"2026-11-23T10:00:00+01:00", b"Mon, 23 Nov 2026 10:00:00 PST", b"/a/{b,c}/**", b"zh-Hant-TW",
            b"https://b\xc3\xbccher.example:8080/%7Ea/../b?c=d#e", b"{{ page.title|cut(9) or site.name }}", b"[1e5]"],
    packed: [gzip.compress(b"a" * 50) + gzip.compress(b"b") + b"junk"],
    ledger: [_ROW.encode()],
}  # fmt: skip
