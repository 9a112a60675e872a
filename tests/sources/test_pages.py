"""Reading pages: what real sites show, and what they get wrong."""

import json
import os
import subprocess
import sys
from concurrent.futures import Future, ProcessPoolExecutor
from contextlib import closing
from pathlib import Path

import pytest

from jovial_atlas.errors import AtlasError, ContentError
from jovial_atlas.pages.gather import Gathering
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_files, read_page
from jovial_atlas.sources.workers.folder import Folder, address_of, page_files
from jovial_atlas.sources.workers.html_folder import read_folder
from jovial_atlas.sources.workers.pool import WorkerPool
from jovial_atlas.sources.workers.readers import Readers
from tests.conftest import TODAY, page, run_command, write_site

SITE = "https://www.marrowfen.example"
READING = Reading("html", TODAY)


def read(data: str | bytes, path: str = "a/index.html", modified: float | None = None):
    raw = data.encode() if isinstance(data, str) else data
    loc = address_of(path, SITE, "folder")
    row, faults = read_page(raw, PageFile(Path(path), path, loc), READING, modified)
    return row, [fault.code for fault in faults]


@pytest.mark.parametrize(
    ("text", "words", "excerpt"),
    [
        ("Two herons stand.", 3, "Two herons stand."),
        ("Due aironi\n stanno   fermi.", 4, "Due aironi stanno fermi."),
        # No spaces: two letters are a word, beside the parts that white space makes.
        ("鳥が湿地で魚を待つ。", 1 + 4, "鳥が湿地で魚を待つ。"),
        ("两只鹭在芦苇丛中鸣叫，直到雾气散去。", 1 + 8, "两只鹭在芦苇丛中鸣叫，直到雾气散去。"),
        ("นกกระสายืนนิ่ง", 1 + 7, "นกกระสายืนนิ่ง"),
        ("두 왜가리가 갈대밭에 서 있다.", 5, "두 왜가리가 갈대밭에 서 있다."),
        ("鳥" * 200 + "。" + "魚" * 200 + "。", 1 + 200, "鳥" * 200 + "。"),
    ],
)  # fmt: skip
def test_words_and_first_sentences_in_scripts_with_and_without_spaces(text, words, excerpt):
    row, _ = read(f"<html lang=en><title>A</title><body><p>{text}</p>")
    assert (row["words"], row["excerpt"]) == (words, excerpt)


@pytest.mark.parametrize(
    ("path", "folder", "file", "plain"),
    [
        ("index.html", "/", "/index.html", "/"),
        ("a/index.html", "/a/", "/a/index.html", "/a/"),
        ("a/b.html", "/a/b.html", "/a/b.html", "/a/b"),
        ("a/b.c.htm", "/a/b.c.htm", "/a/b.c.htm", "/a/b.c"),
        (
            "é x/100%.html",
            "/%C3%A9%20x/100%25.html",
            "/%C3%A9%20x/100%25.html",
            "/%C3%A9%20x/100%25",
        ),
        ("a?b#c.html", "/a%3Fb%23c.html", "/a%3Fb%23c.html", "/a%3Fb%23c"),
    ],
)
def test_files_become_addresses_in_the_chosen_style(path, folder, file, plain):
    for style, expected in (("folder", folder), ("file", file), ("plain", plain)):
        assert address_of(path, SITE, style) == SITE + expected
    assert address_of("b.html", SITE, "folder", "/docs/3/") == f"{SITE}/docs/3/b.html"


@pytest.mark.parametrize(
    ("data", "column", "value", "faults"),
    [
        (page("A &amp; B"), "title", "A & B", []),
        (page("", "<svg><title>icon</title></svg>"), "title", None, []),
        (page(head="<title>Second</title>"), "title", "Title", ["title-repeated"]),
        ("<html lang='xx-YY'><p>x", "language", "xx-YY", ["language-wrong"]),
        (page(head="<link rel=canonical href=/a/>"), "canonical", f"{SITE}/a/", ["canonical-relative"]),
        (page(body="<meta name=description content=D><link rel=canonical href=https://x.example/>"),
         "description", "D", ["head-outside"]),
        (page(body="<meta itemprop=description name=description content=D><svg><title>S</title></svg>"),
         "title", "Title", []),
        (page(head="<style>" + "a{}" * 4000 + "</style><meta name=robots content=noindex>"), "directives",
         "noindex", ["head-late"]),
        (page(head="<script src=x></script>" * 9 + "<link rel=canonical href=https://x.example/>"),
         "canonical", "https://x.example/", ["head-late"]),
        (page(head="<script src=x></script>" * 9), "canonical", None, []),
        ("<!--" + "x" * 1000 + "--><meta charset=utf-8><p>x", "title", None, ["charset-late"]),
        (page(head="<meta property=og:image content=/p.jpg>"), "share_image", f"{SITE}/p.jpg", []),
        (page("Objects<a>¶</a>"), "heading", "Objects", []),
        ("<title>Assert | Fen 18</title><header><h1>Fen 18</h1></header><div><h2>Contents</h2><h2>Assert<a href=#a>#</a></h2>",
         "heading", "Assert", []),
        ("<title>Assert your rights | Fen</title><h1>Fen</h1><h2>Assert</h2>", "heading", "Fen", []),
        # A reader sees two lines, and two words.
        (page("Uses of<br>reeds<div>and</div>sedge"), "heading", "Uses of reeds and sedge", []),
        ("<html xml:lang='de'><p>x", "language", "de", []),
        (page(head="<meta name=Robots content='NOINDEX,follow'>"), "directives", "follow, noindex", []),
        (page(head="<meta name=robots content=noindx>"), "directives", "noindx", ["directive-unknown"]),
        (page(head="<meta name=robots content=index><meta name=robots content=noindex>"), "directives",
         "index, noindex", ["directive-contradiction", "directive-repeated"]),
        (page(head="<meta name=robots content=all><meta name=robots content=nosnippet>"), "directives",
         "all, nosnippet", ["directive-repeated"]),
        (page(head="<link rel=alternate hreflang=EN-gb href=/b/><link rel=alternate type=x href=/c>"),
         "alternates", [{"lang": "en-GB", "href": f"{SITE}/b/"}], []),
        (page(head="<link rel=alternate hreflang=en-UK href=/b/>"), "alternates", None, ["hreflang-unknown"]),
        (page(head=f"<link rel=canonical href={SITE}/b/>"), "canonical", f"{SITE}/b/", []),
        (page(head="<link rel=canonical href='file:///a'>"), "canonical", None, ["canonical-unusable"]),
        (page(head=f"<link rel=canonical href={SITE}/b/><link rel=canonical href={SITE}/c/>"), "canonical",
         f"{SITE}/b/", ["canonical-repeated"]),
        (page(head=f"<link rel=canonical href={SITE}/a>"), "loc", f"{SITE}/a", []),
        (page(head="<base href='https://cdn.example/'><link rel=canonical href=https://cdn.example/x>"), "canonical",
         "https://cdn.example/x", ["base-elsewhere"]),
        (page(head="<base href=/deep/er/>", body="<a href=../x>x</a>"), "links", [f"{SITE}/deep/x"], []),
        (page(head="<meta http-equiv=refresh content='0;URL=/new/'>"), "redirect", f"{SITE}/new/", []),
        (page(head="<meta http-equiv=refresh content='300'>"), "redirect", None, []),
        ("<frameset><frame src=f.html></frameset>", "kind", "frames", ["page-frames"]),
        ("<frameset><frame src=f.html></frameset>", "links", [f"{SITE}/a/f.html"], ["page-frames"]),
        (page(body="<nav><a href=/x>x</a></nav><a href=/y>y</a><a href=#z>z</a>"), "entries", 1, []),
        (page(body="<p>One two.</p><script>three</script>"), "words", 3, []),
        (page(body="<img src=/p.jpg><img src=/p.jpg><img src=/1.gif width=1>"
              "<img src=/i.png width=32 height=16><img src=/i.svg width=16px>"), "images",
         [{"loc": f"{SITE}/p.jpg", "alt": None}, {"loc": f"{SITE}/i.svg", "alt": None}], []),
        (page(body="<video></video>"), "videos", [], ["video-no-source"]),
        (page(head="<script type='application/ld+json'>{,}</script>"), "author", None, ["json-ld-broken"]),
        ("<p>été".encode("utf-16"), "excerpt", "été", []),
        (b"\xef\xbb\xbf<p>\xc3\xa9", "excerpt", "é", []),
        (b"<meta charset=iso-8859-1><p>\x93quoted\x94", "excerpt", "“quoted”", []),
        (b"<?xml version='1.0' encoding='iso-8859-2'?><p>\xb9", "excerpt", "š", []),
        (b"<p>caf\xe9", "excerpt", "café", ["encoding-broken"]),
        (b"<meta charset=utf-8><p>caf\xe9", "excerpt", "caf�", ["encoding-broken"]),
        (b"<meta charset=klingon><p>x", "excerpt", "x", ["encoding-unknown"]),
    ],
)  # fmt: skip
def test_a_page_is_read_and_its_oddities_are_told(data, column, value, faults):
    row, codes = read(data)
    assert (row[column], codes) == (value, faults)


#: What could be told wrongly where it is worked out for all pages of a folder at once.
BODIES = (
    "<a href=?p=2>a</a><a href=x.html#y>b</a><a href=#z>c</a><a name=q>d</a><a href=' x.html '>e</a>",
    "<a href=?p=2>a</a><a href=film.mp4>b</a><a href>c</a><a href=ftp://x.example/>d</a>",
    "<x-card class=sidebar><a href=y.html>a</a></x-card><p class=footer><a href=film.mp4>b</a></p>",
    "<base href=/deep/er/><a href=x.html>a</a><a href=?p=2>b</a>",
    "<x-main role=main><a href=x.html>a</a><ul role=navigation><a href=y.html>b</a></ul></x-main>",
)


def test_pages_that_are_read_together_are_read_as_each_alone(tmp_path):
    files = []
    for number, body in enumerate(BODIES * 2):
        place = tmp_path / f"{number}.html"
        place.write_text(f"<!doctype html>{body}")
        files.append(PageFile(place, place.name, f"{SITE}/a/{place.name}"))
    rows, faults = read_files(files, READING)
    alone = [read_page(Path(f.place).read_bytes(), f, READING, row["mtime"] / 1e9)
             for f, row in zip(files, rows, strict=True)]  # fmt: skip
    own = [{name: value for name, value in row.items() if name not in ("mtime", "digest")}
           for row in rows]  # fmt: skip
    assert (own, faults) == ([row for row, _ in alone], [one for _, told in alone for one in told])
    assert [row["links"] for row in rows[:2]] == [
        [f"{SITE}/a/0.html?p=2", f"{SITE}/a/x.html"],
        [f"{SITE}/a/1.html?p=2", f"{SITE}/a/film.mp4"],
    ]
    assert [(row["entries"], len(row["videos"])) for row in rows[:5]] == [
        (2, 0), (2, 1), (0, 0), (2, 0), (1, 0),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("data", "code"),
    [(b"", "page-empty"), (b" \n ", "page-empty"), (b"\x00\x01\x02", "page-not-html")],
)
def test_what_is_no_page_gives_a_fault_and_no_row(data, code):
    assert read(data) == (None, [code])


PUBLISHED = "<meta property='article:published_time' content='2026-01-02T10:00:00+01:00'>"


@pytest.mark.parametrize(
    ("head", "expected", "faults"),
    [
        ("", ("2026-01-01T00:00:00Z", "file"), []),
        (PUBLISHED, ("2026-01-02T09:00:00Z", "published"), []),
        (f"{PUBLISHED}<meta name=last-modified content=2026-03-04>", ("2026-03-04", "meta"), []),
        ('<script type="application/ld+json">{"@context":"https://schema.org","@graph":[{"dateModified":"2026-05-06"}]}'
         "</script>", ("2026-05-06", "json-ld"), []),
        ("<time itemprop=dateModified datetime=2026-07-08>", ("2026-07-08", "time"), []),
        ("<time datetime=2026-07-08>", ("2026-01-01T00:00:00Z", "file"), []),
        ("<meta name=last-modified content=2031-01-01>", ("2026-01-01T00:00:00Z", "file"),
         ["date-implausible"]),
        ("<meta name=last-modified content=yesterday>", ("2026-01-01T00:00:00Z", "file"),
         ["date-unreadable"]),
    ],
)  # fmt: skip
def test_the_last_change_comes_from_the_most_trusted_place(head, expected, faults):
    row, codes = read(page(head=head), modified=1767225600)
    assert ((row["lastmod"], row["lastmod_from"]), codes) == (expected, faults)


def test_the_fingerprint_sees_the_content_and_not_the_frame():
    one, two, three = (
        read(f"<body><div class=navbar>{nav}</div><main>{text}</main><footer>{nav}</footer>")[0]
        for nav, text in (("a", "x"), ("b", "x"), ("a", "y"))
    )
    assert one["fingerprint"] == two["fingerprint"] != three["fingerprint"]


@pytest.mark.parametrize(
    ("body", "kind"),
    [
        (
            '<div itemscope itemtype="https://schema.org/Event"><i itemprop=name>x</i></div>',
            "Event",
        ),
        ('<div itemscope itemtype="http://Schema.org/Event"><i itemprop=name>x</i></div>', "Event"),
        ('<div vocab="https://schema.org" typeof=Event><i property=name>x</i></div>', "Event"),
        ('<div typeof="schema:Event"><i property="schema:name">x</i></div>', "Event"),
        ("<p>The schema of a table, itemscope, typeof, and schema.org</p>", None),
        (
            '<div itemscope itemtype="https://other.example/Event"><i itemprop=name>x</i></div>',
            None,
        ),
    ],
)
def test_markup_with_the_vocabulary_is_met_however_it_is_named(body, kind):
    row, faults = read(page(body=body))
    nodes = json.loads(row["data"])["nodes"] if row["data"] else []
    assert ([node["@type"] for _, node in nodes], faults) == ([kind] if kind else [], [])


def gathered(place, batches):
    with Gathering(place) as gathering:
        for batch in batches:
            gathering.add(batch)
        return gathering.finish(place / "pages.parquet").collect(), gathering.faults


def test_a_folder_is_read_whole_and_alike_with_and_without_workers(tmp_path):
    root = tmp_path / "root"
    root.mkdir()
    for number in range(120):
        (root / f"{number}.html").write_text(page(f"Page {number}"))
    (root / ".hidden.html").write_text(page())
    (root / "notes.txt").write_text("no page")
    (root / "out.html").symlink_to("/etc/hostname")
    (root / "index.html").write_text(page(head=f"<link rel=canonical href={SITE}/0.html>"))
    (root / "0.htm").write_text(page(head=f"<link rel=canonical href={SITE}/0.html>"))
    folder = Folder(root, SITE)
    alone, faults = gathered(tmp_path, read_folder(folder, READING, Readers(1)))
    with Readers(2) as readers:
        pooled, _ = gathered(tmp_path, read_folder(folder, READING, readers))
        readers.begin(folder, READING)
        (root / "new.html").write_text(page("New"))  # too late: the files are known
        ahead, told = gathered(tmp_path, read_folder(folder, READING, readers))
        later, _ = gathered(tmp_path, read_folder(folder, READING, readers))
    assert alone.equals(pooled)
    assert (alone.equals(ahead), told) == (True, faults)
    assert (alone.height, later.height) == (121, 122)
    assert {(fault.code, fault.where) for fault in faults} == {
        ("page-outside", "out.html"),
        ("address-twice", "0.html"),
    }


def test_workers_are_copies_of_a_process_only_while_it_has_one_thread():
    code = (
        "from jovial_atlas.sources.workers.pool import _is_alone as alone; first = alone(); "
        "import polars; polars.select(1).lazy().collect(); print(first, alone())"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.split() == [str(sys.platform == "linux"), "False"]


def _end_at_two(numbers):
    if 2 in numbers:
        os._exit(9)  # as the system ends it when memory is short
    return numbers


def test_a_worker_that_is_ended_from_outside_is_told():
    with closing(WorkerPool(2)) as pool:
        with pytest.raises(AtlasError, match="ended by the system"):
            for _ in pool.in_turn(_end_at_two, ([[n]] for n in range(4)), many=1_000):
                pass
        with pytest.raises(AtlasError, match="ended by the system"):
            pool.submit(_end_at_two, [[0]], many=1_000)


@pytest.mark.parametrize("fails_at", [0, 3])
def test_where_processes_cannot_be_started_one_does_all(monkeypatch, fails_at):
    started = []

    def submit(self, *given):
        started.append(given)
        if len(started) > fails_at:
            raise BlockingIOError(11, "Resource temporarily unavailable")
        return Future()

    monkeypatch.setattr(ProcessPoolExecutor, "submit", submit)
    with closing(WorkerPool(2)) as pool:
        assert list(pool.in_turn(len, ([[n] * n] for n in range(6)), many=1_000)) == [*range(6)]
        assert pool.submit(len, [[1]], many=1_000) == []
    assert len(started) == fails_at + 1, "it is not tried again"


def test_a_folder_that_is_not_there_is_one_clear_sentence(tmp_path):
    with pytest.raises(ContentError, match="does not exist"):
        page_files(Folder(tmp_path / "nope", SITE))
    (tmp_path / "file").touch()
    with pytest.raises(ContentError, match="is not a folder"):
        page_files(Folder(tmp_path / "file", SITE))


def themed(body, head=""):
    """A page as site generators make it, with the name of the site above all."""
    return (
        f'<html lang="en"><head><title>T</title>{head}</head><body>'
        f'<header><h1><a href="/">Marrowfen</a></h1></header>{body}</body></html>'
    )


ENTRY = '<article><h2><a href="/x/">X</a></h2><p>Words of an entry.</p><time datetime="2026-01-02">x</time></article>'


@pytest.mark.parametrize(
    ("html", "wanted"),
    [
        (themed("<article><h1>Reeds</h1><p>x</article>"), {"heading": "Reeds"}),
        (themed("<main><article><header><h2>Reeds</h2></header><p>x</article></main>"), {"heading": "Reeds"}),
        # Of a listing no entry gives its heading, date, author or tags.
        (themed(f"<main>{ENTRY}{ENTRY}</main>"),
         {"heading": "Marrowfen", "published": None, "author": None, "tags": None}),
        ("<html><body><header><h1>Reeds</h1></header><main><p>x</main>", {"heading": "Reeds"}),
        ("<html><body><h1>Reeds<a href='#r'>\uf0c1</a></h1>", {"heading": "Reeds"}),
        ("<html><body><h1>Reeds <a href='#r'>\u200b</a></h1>", {"heading": "Reeds"}),
        ("<html><head><title>6.2. Reeds – Book</title></head><body><p>Figure 1. Reeds</p><h2>6.2. Reeds</h2>"
         "<div class='para'>The reeds stand in the water all the year round.</div>",
         {"heading": "6.2. Reeds", "excerpt": "The reeds stand in the water all the year round."}),
        # One heading of the highest level is that of the page; parts of a text are several.
        ("<html><head><title>Book</title></head><body><h2>Reeds</h2><h3>A</h3><h3>B</h3>", {"heading": "Reeds"}),
        ("<html><head><title>Book</title></head><body><nav><h2>Menu</h2></nav><h3>Reeds</h3>", {"heading": "Reeds"}),
        ("<html><head><title>Book</title></head><body><h2>Reeds</h2><h2>Sedges</h2>", {"heading": None}),
        ("<html><body><h1>Reeds<a class='headerlink' href='#reeds'>#</a></h1>", {"heading": "Reeds"}),
        ("<html><body><h1><a href='#c'>§</a> On C#</h1>", {"heading": "On C#"}),
        # The name of the site in a part of an older kind; and in an h1 over the title of the page.
        ("<html><head><title>Reeds</title></head><body><div class='header'><h1><a href='/'>Fen</a></h1></div>"
         "<h2>Reeds</h2><div role=main><h1>Reeds</h1>", {"heading": "Reeds"}),
        ("<html><head><title>Module reeds</title></head><body><table><td><h1>The fen library</h1><h2>Module Reeds</h2>",
         {"heading": "Module Reeds"}),
        ("<html><head><title>Reeds - The fen book</title></head><body><h1>The fen book</h1><main><h2>Reeds</h2>",
         {"heading": "Reeds"}),
        # Dates and names in words, beside the heading; that of a release or a copyright is none.
        (themed("<article><h1>R</h1><p>3 March 2026 · Moss Tarnby</p><p>x</article>"),
         {"published": "2026-03-03", "published_from": "words", "author": "Moss Tarnby"}),
        (themed("<article><h1>R</h1><p>Von Moss Tarnby, 3. März 2026</p><p>x</article>").replace('"en"', '"de"'),
         {"published": "2026-03-03", "author": "Moss Tarnby"}),
        (themed("<article><h1>R</h1><p>Release 3.19.0 11 Apr 2022</p><p>x</article>"), {"published": None}),
        (themed("<article><h1>R</h1><p>Copyright 11 April 2022</p><p>x</article>"), {"published": None}),
        # Microdata and RDFa say as much as JSON-LD; remarks of readers are not the page's.
        (themed('<article itemscope itemtype="https://schema.org/BlogPosting"><h1>R</h1><p>x'
                '<span itemprop="author">Ash Fenwick</span><meta itemprop="keywords" content="a, b">'
                '<time itemprop="datePublished" datetime="2026-04-10">x</time></article>'),
         {"published": "2026-04-10", "published_from": "microdata", "author": "Ash Fenwick", "tags": ["a", "b"],
          "declared": "article"}),
        (themed('<article><h1>R</h1><p>x</article><div class="comments"><article><p class="byline">By Nobody'
                '<time class="published" datetime="2026-05-05">x</time></article></div>'),
         {"author": None, "published": None, "declared": None}),
        (themed(f"<main>{ENTRY}{ENTRY}{ENTRY}</main>"), {"declared": "listing"}),
        (themed('<p>x', '<script type="application/ld+json">{"@type": "Event", "name": "Cut"}</script>'),
         {"declared": "event"}),
        # Articles are listed where each leads to a page of its own; the parts of a text lead to the same ones.
        (themed("<h1>R</h1>" + "".join(f"<article><a href=/{n}><img src={n}.jpg></a><h3>N</h3><p>Words.</p><a href=/{n}>Read</a>"
                                       "</article>" for n in range(3))), {"declared": "listing"}),
        (themed("<h1>R</h1>" + "".join(f"<article id=f{n}><h3>f<a href=#f{n}>#</a></h3><p>Gives <a href=/types#t{n}>t</a>.</p>"
                                       "</article>" for n in range(3))), {"declared": None, "words": 16}),
        (themed("<article><h1>R</h1><p>Figure 1. Reeds</p><p>The reeds stand in the water.</p></article>"),
         {"excerpt": "The reeds stand in the water."}),
        (themed('<article><h1>R</h1><abbr class="published" title="2026-04-10T00:00:00+00:00">x</abbr>'
                '<address class="vcard author">By <a class="url fn" href="/a/">Moss Tarnby</a></address></article>'),
         {"published": "2026-04-10T00:00:00Z", "published_from": "time", "author": "Moss Tarnby",
          "lastmod": "2026-04-10T00:00:00Z"}),
        (themed('<article><h1>R</h1><p class="byline">By Moss Tarnby</p><p>x</p>'
                '<footer><time datetime="2026-04-10">x</time></footer></article>'),
         {"published": "2026-04-10", "author": "Moss Tarnby"}),
        # A time in the text may be anything; of two in the head nobody knows which counts.
        (themed('<article><h1>R</h1><p>Starts <time datetime="2026-04-10">x</time></p></article>'), {"published": None}),
        (themed('<article><header><time datetime="2026-04-10">x</time><time datetime="2026-05-10">y</time></header></article>'),
         {"published": None}),
        (themed('<article><h1>R</h1><a rel="author" href="/a/">Ash Fenwick</a> <a rel="tag" href="/b/">birds</a></article>'),
         {"author": "Ash Fenwick", "tags": ["birds"]}),
        (themed('<article><h1>R</h1><p>tags: <a href="https://www.marrowfen.example/tag/reed.html">reed</a></article>'),
         {"tags": ["reed"]}),
        (themed("<p>x", '<meta property="article:tag" content="a"><meta property="article:tag" content="b">'
                '<meta name="keywords" content="c, d"><meta property="article:author" content="Wren">'),
         {"tags": ["a", "b"], "author": "Wren"}),
        (themed("<p>x", '<meta name="keywords" content="c, d">'), {"tags": ["c", "d"]}),
        (themed("<p>x", '<meta name="author" content="M"><meta property="og:title" content="Mine">'
                '<meta property="og:description" content="D"><meta property="og:type" content="article">'),
         {"author": "M", "share_title": "Mine", "share_description": "D", "share_type": "article"}),
        ('<html><head><meta property="og:locale" content="de_DE"></head><body><p>x', {"language": "de-DE"}),
        ('<html lang="en"><head><meta property="og:locale" content="de_DE"></head><body><p>x', {"language": "en"}),
    ],
)  # fmt: skip
def test_what_a_page_says_of_itself_is_read_in_every_common_form(html, wanted):
    row, _ = read(html)
    assert {name: row[name] for name in wanted} == wanted


def test_a_listing_is_not_its_first_entry():
    """It has other words than an entry alone, and all links of its entries."""
    entries = "".join(ENTRY.replace("/x/", f"/{n}/") for n in range(5))
    listing, _ = read(themed(f"<div class='list'>{entries}</div><footer><p>Foot</p></footer>"))
    alone, _ = read(themed(ENTRY), "x/index.html")
    assert listing["entries"] == 5 and listing["words"] == 5 * alone["words"]


@pytest.mark.parametrize(
    ("path", "title", "kind"),
    [
        ("404.html", "Oh", "error"),
        ("tools/error.html", "How we handle error", "page"),
        ("posts/404.html", "Letter 404 from the fen", "page"),
        ("502.html", "Bird number 502", "page"),
        ("503.html", "Service unavailable", "error"),
        ("de/404.html", "Hoppla", "error"),
        ("en/errors/500.html", "Oh", "error"),
        ("error.html", "404: nothing here", "error"),
        ("error/index.html", "Page not found", "error"),
    ],
)
def test_an_error_page_says_so_or_is_called_by_its_number(path, title, kind):
    row, _ = read(page(title), path)
    assert row["kind"] == kind


def test_an_article_shown_in_full_by_a_listing_is_no_repetition(tmp_path):
    body = "<p>" + "Words of the newest article, shown in full. " * 10 + "</p>"
    entry = f'<article><h1><a href="/reeds/">Reeds</a></h1>{body}</article>'
    write_site(
        tmp_path,
        {
            "index.html": themed(entry), "tag/reed/index.html": themed(entry),
            "reeds-in-may/index.html": themed(entry), "reeds/index.html": themed(entry),
            "drafts/x/index.html": page("Draft", body.replace("newest", "next")),
        },
    )  # fmt: skip
    run_command("survey", cwd=tmp_path)
    rows = run_command("pages", "--format", "json", cwd=tmp_path).json
    assert {row["loc"].removeprefix(SITE): row["verdict"] for row in rows} == {
        "/": "listed", "/tag/reed/": "listed", "/reeds/": "listed",
        "/reeds-in-may/": "unlisted", "/drafts/x/": "unlisted",
    }  # fmt: skip


def test_the_corpus_is_read_rightly(tmp_path):
    """A part of what `make corpus` renders; a share of wrong facts ends it with 1."""
    asked = [option for name in ("pelican-notmyidea", "pelican-simple", "mkdocs") for option in ("--only", name)]
    done = subprocess.run(
        [sys.executable, "-m", "corpus", str(tmp_path), "--wrong", *asked],
        capture_output=True, text=True, check=False, timeout=1_200, cwd=Path(__file__).parents[2],
    )  # fmt: skip
    assert done.returncode == 0 and "100.0%" in done.stdout, done.stdout + done.stderr
