"""The sitemap protocol: what is written reads back and has no fault; each fault is found."""

import gzip
import shutil
import subprocess
import tracemalloc
import zlib

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.check import ServedAt, check_across, check_file, check_nesting
from jovial_atlas.sitemaps.extensions import VIDEO_TYPE
from jovial_atlas.sitemaps.packing import Packing, decompressed
from jovial_atlas.sitemaps.read import read_sitemap
from jovial_atlas.sitemaps.write import index_file, urlset_parts

HOME = "https://www.marrowfen.example/"
NOW = "2026-11-23T10:00:00Z"
HERE = ServedAt(f"{HOME}sitemap.xml")


def urlset(inner: str, spaces: str = "") -> bytes:
    return f'<urlset xmlns="{protocol.CORE}" {spaces}>{inner}</urlset>'.encode()


def url(inner: str = "", loc: str = f"{HOME}a") -> str:
    return f"<url><loc>{loc}</loc>{inner}</url>"


def codes(data: bytes, place: ServedAt = HERE) -> list[str]:
    return [fault.code for fault in check_file(read_sitemap(data, "s.xml"), place, NOW)]


def video(**fields: str) -> str:
    values = {
        "thumbnail_loc": f"{HOME}t.jpg", "title": "T", "description": "D",
        "content_loc": f"{HOME}v.mp4", **fields,
    }  # fmt: skip
    # An attribute stands after the name: `restriction relationship='allow'`.
    inner = "".join(
        f"<v:{name}>{value}</v:{name.partition(' ')[0]}>" for name, value in values.items() if value
    )
    return urlset(url(f"<v:video>{inner}</v:video>"), f'xmlns:v="{protocol.VIDEO}"')


IMAGES = f'xmlns:i="{protocol.IMAGE}"'
NEWS = f'xmlns:n="{protocol.NEWS}"'
XHTML = f'xmlns:x="{protocol.XHTML}"'
GOOD_NEWS = (
    "<n:news><n:publication><n:name>N</n:name><n:language>en</n:language></n:publication>"
    "<n:publication_date>2026-11-23</n:publication_date><n:title>T</n:title></n:news>"
)


@pytest.mark.parametrize(
    "data",
    [
        urlset(url("<lastmod>2026-11-23</lastmod><changefreq>daily</changefreq><priority>0.5</priority>")),
        urlset(url("<i:image><i:loc>https://cdn.example/p.jpg</i:loc></i:image>"), IMAGES),
        urlset(url(GOOD_NEWS), NEWS),
        urlset(url(f'<x:link rel="alternate" hreflang="de" href="{HOME}de/"/>'), XHTML),
        video(duration="12", rating="4.5", live="no", **{"restriction relationship='allow'": "GB",
              "platform relationship='deny'": "web tv", f"uploader info='{HOME}u'": "U"}),
        b"\xef\xbb\xbf" + urlset(url()),
        f"{HOME}a\n{HOME}b\n".encode(),
        f"<rss><channel><item><link>{HOME}a</link></item></channel></rss>".encode(),
        f'<feed xmlns="http://www.w3.org/2005/Atom"><entry><link href="{HOME}a"/></entry></feed>'.encode(),
        zlib.compress(urlset(url()), wbits=31),
    ],
)  # fmt: skip
def test_every_kind_of_good_file_has_no_fault(data):
    assert codes(data) == []


@pytest.mark.parametrize(
    ("data", "code"),
    [
        (b"", "sitemap-empty"),
        (urlset(""), "sitemap-empty"),
        (b"<html><body>gone</body></html>", "sitemap-not-a-sitemap"),
        (b"<note/>", "sitemap-not-a-sitemap"),
        (b'<?xml version="1.0"?><!DOCTYPE urlset []>' + urlset(url()), "sitemap-doctype"),
        (urlset(url())[:-12], "sitemap-xml-broken"),
        (urlset(url("<lastmod>2026</lastmod>").replace("/a", "/a?b&c")), "sitemap-xml-broken"),
        (urlset(url()).decode().encode("utf-16"), "sitemap-not-utf8"),
        (b"https://www.marrowfen.example/\xff", "sitemap-not-utf8"),
        (zlib.compress(urlset(url()), wbits=31)[:-9], "sitemap-gzip-broken"),
        (b"\x1f\x8bnot gzip at all", "sitemap-gzip-broken"),
        (urlset(url()).replace(protocol.CORE.encode(), b"http://www.marrowfen.example/ns"),
         "sitemap-namespace"),
        (urlset("<url><lastmod>2026</lastmod></url>"), "sitemap-element-missing"),
        (urlset(url("<loc>https://www.marrowfen.example/b</loc>")), "sitemap-element-repeated"),
        (urlset(url("<title>T</title>")), "sitemap-element-unknown"),
        (urlset(url() + "<page/>"), "sitemap-element-unknown"),
        (urlset(url("<lastmod>yesterday</lastmod>")), "sitemap-value"),
        (urlset(url("<priority>1.1</priority>")), "sitemap-value"),
        (urlset(url("<changefreq>often</changefreq>")), "sitemap-value"),
        (urlset(url(loc="/a")), "sitemap-value"),
        (urlset(url(loc=HOME + "a" * 2048)), "sitemap-value"),
        (urlset(url(loc=f"{HOME}a#b")), "sitemap-value"),
        (urlset(url("<lastmod>2027-01-01</lastmod>")), "sitemap-lastmod-future"),
        (urlset(url(loc="https://other.example/")), "sitemap-loc-host"),
        (urlset(url(loc="http://www.marrowfen.example/a")), "sitemap-loc-host"),
        (urlset(url("<i:image/>"), IMAGES), "sitemap-element-missing"),
        (urlset(url(f"<i:image><i:loc>{HOME}p</i:loc><i:title>T</i:title></i:image>"), IMAGES),
         "sitemap-element-retired"),
        (urlset(url(f"<i:image><i:loc>{HOME}p</i:loc></i:image>" * 1001), IMAGES),
         "sitemap-images-too-many"),
        (urlset(url(GOOD_NEWS.replace(">en<", ">english<")), NEWS), "sitemap-value"),
        (urlset(url('<x:link rel="alternate" hreflang="de" href="/de/"/>'), XHTML), "sitemap-value"),
        (video(thumbnail_loc=""), "sitemap-element-missing"),
        (video(description="d" * 2049), "sitemap-value"),
        (video(duration="28801"), "sitemap-value"),
        (video(rating="6"), "sitemap-value"),
        (video(**{"restriction relationship='allow'": "Great Britain"}), "sitemap-value"),
        (video(restriction="GB"), "sitemap-value"),
        (video(**{"platform relationship='some'": "web"}), "sitemap-value"),
        (video(**{"uploader info='https://other.example/'": "U"}), "sitemap-value"),
        (video(family_friendly="maybe"), "sitemap-value"),
        (video(content_loc=""), "video-no-media"),
        (video(content_loc=f"{HOME}a"), "video-same-as-page"),
        (b"not an address\n", "sitemap-value"),
        ("\n".join(f"{HOME}{n}" for n in range(50_001)).encode(), "sitemap-too-many"),
    ],
)  # fmt: skip
def test_each_broken_file_has_exactly_its_fault(data, code):
    assert codes(data) == [code]


def test_a_file_speaks_for_its_own_folder_unless_robots_txt_proves_more():
    file = urlset(url(loc=f"{HOME}b/"))
    assert codes(file, ServedAt(f"{HOME}a/sitemap.xml")) == ["sitemap-loc-folder"]
    assert codes(file, ServedAt(f"{HOME}a/sitemap.xml", {HOME.rstrip("/")})) == []
    assert codes(file, ServedAt(None)) == []


def test_duplicates_and_nested_indexes_are_found_across_files():
    first, second = (read_sitemap(urlset(url()), name) for name in ("1.xml", "2.xml"))
    assert [fault.where for fault in check_across([first, second])] == ["2.xml:1"]
    index = read_sitemap(index_file([(f"{HOME}i.xml", None)]), "sitemap.xml")
    assert [fault.code for fault in check_nesting(index, {f"{HOME}i.xml": index})] == [
        "sitemap-index-nested"
    ]


@pytest.mark.parametrize(
    "bomb",
    [
        b'<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>' + urlset(url("&b;")),
        b"<!-- x --><!DOCTYPE urlset SYSTEM 'file:///etc/passwd'>" + urlset(url()),
        zlib.compress(b" " * 300_000_000, 9, wbits=31),
        urlset(url("<a>" * 100_000)),
    ],
    ids=["entities", "external", "gzip", "depth"],
)
def test_hostile_files_are_refused_in_little_memory(bomb):
    tracemalloc.start()
    faults = read_sitemap(bomb, "s.xml").faults
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert faults
    assert peak < 250_000_000


TEXT = st.text(st.characters(exclude_categories=["Cs"]), max_size=30)
LOCS = st.integers(0, 10**6).map(lambda n: f"{HOME}p{n}?a=1&b='2'")
ROWS = st.lists(
    st.tuples(LOCS, st.none() | st.just("2026-11-23"), st.lists(LOCS, max_size=3), TEXT),
    max_size=30,
    unique_by=lambda row: row[0],
)


@settings(max_examples=60, deadline=None)
@given(ROWS, st.integers(1, 10), st.sampled_from([3_000, protocol.MAX_BYTES]))
def test_what_is_written_reads_back_equal_within_every_limit(rows, most, size):
    table = _table(rows)
    parts = list(urlset_parts(table, max_urls=most, max_bytes=size))
    files = [read_sitemap(part.data, "s.xml") for part in parts]
    assert [(e.loc, e.lastmod) for f in files for e in f.entries] == [row[:2] for row in rows]
    for part, file in zip(parts, files, strict=True):
        assert len(part.data) <= size
        assert len(file.entries) == part.urls <= most
        assert check_file(file, HERE, NOW) == []


def _table(rows) -> pl.DataFrame:
    return pl.DataFrame(
        [
            {
                "loc": loc,
                "lastmod": lastmod,
                "images": images,
                "videos": [
                    {"thumbnail_loc": HOME, "title": f"T{text}", "description": f"D{text}",
                     "content_loc": f"{HOME}v", "duration": "7"}
                ]
                * (len(images) > 1),
            }
            for loc, lastmod, images, text in rows
        ],
        schema={
            "loc": pl.String, "lastmod": pl.String, "images": pl.List(pl.String),
            "videos": pl.List(VIDEO_TYPE),
        },
    )  # fmt: skip


def test_xmllint_accepts_what_is_written(tmp_path):
    xmllint = shutil.which("xmllint")
    assert xmllint, "xmllint is missing; on Debian: apt-get install libxml2-utils"
    rows = [(f"{HOME}{n}", None, [f"{HOME}p?a&b"] * 2, "<&>\x00\x0b\ufffe'") for n in range(5)]
    files = [part.data for part in urlset_parts(_table(rows))]
    files.append(index_file([(f"{HOME}s.xml", "2026-11-23")]))
    for number, data in enumerate(files):
        place = tmp_path / f"{number}.xml"
        place.write_bytes(data)
        subprocess.run([xmllint, "--noout", str(place)], check=True)


def packed(data: bytes) -> bytes:
    file = Packing(0)
    file.add(data)
    return file.bytes()


def test_compressed_files_are_deterministic_and_bounded_when_read():
    data = urlset(url())
    assert packed(data) == packed(data)
    assert decompressed(packed(data)) == data
    assert len(decompressed(packed(b"x" * 1_000_000), most=10)) == 11


@pytest.mark.parametrize(
    ("most", "gzipped"), [(None, False), (0, True), (30, True), (31, False), (11, True)]
)
def test_a_file_is_gzipped_from_so_many_bytes_on(most, gzipped):
    file = Packing(most)
    for _ in range(3):
        file.add(b"0123456789")
    data = file.bytes()
    assert file.gzipped is gzipped
    assert (decompressed(data) if gzipped else data) == b"0123456789" * 3


def packed_as(data: bytes) -> bytes:
    return gzip.compress(data, mtime=0)


ONE = urlset(url())


@pytest.mark.parametrize(
    ("data", "found"),
    [
        # RFC 1952 §2.2: members one after another; §2.3.1.2: reserved flags.
        (packed_as(ONE[:20]) + packed_as(ONE[20:]), []),
        (packed_as(ONE) + b"\0\0", []),
        (packed_as(ONE) + b"junk", ["sitemap-gzip-junk"]),
        (b"\x1f\x8b\x08\xe0" + packed_as(ONE)[4:], ["sitemap-gzip-broken"]),
        # XML 1.0 §2.8: nothing before the declaration; the protocol: UTF-8.
        (b"\xef\xbb\xbf<?xml version='1.0'?>" + ONE, []),
        (b"<?xml version='1.0' encoding='utf-8'?>" + ONE, []),
        (b" <?xml version='1.0'?>" + ONE, ["sitemap-xml-broken"]),
        (b"<!-- a --><?xml version='1.0'?>" + ONE, ["sitemap-xml-broken"]),
        (b"<?xml version='1.0' encoding='ISO-8859-1'?>" + ONE, ["sitemap-not-utf8"]),
        (b"<?xml version='1.0' encoding='US-ASCII'?>" + ONE, ["sitemap-not-utf8"]),
        # RFC 3986 §2: what no address has.
        *((urlset(url(loc=f"{HOME}a{sign}b")), ["sitemap-value"]) for sign in "{}|\\^`"),
        *((urlset(url(loc=f"{HOME}a{end}")), ["sitemap-value"]) for end in ("%", "%2", "%zz", "&quot;")),
        *((urlset(url(loc=f"{HOME}a{end}")), []) for end in ("%C3%A9", "[1]", "é", "~")),
        # Nearly the namespace.
        *((ONE.replace(b"http://", b"https://", 1), ["sitemap-namespace"]),
          (ONE.replace(b"/0.9", b"/1.0"), ["sitemap-namespace"]),
          (urlset(url(f"<i:image><i:loc>{HOME}p.jpg</i:loc></i:image>"),
                  f'xmlns:i="{protocol.IMAGE.replace("http:", "https:")}"'), ["sitemap-namespace"])),
    ],
)  # fmt: skip
def test_the_letter_of_the_standards(data, found):
    assert codes(data) == found
