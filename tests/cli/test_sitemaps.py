"""Sitemaps by the installed command: stable files, options, hosts, live checks, reports."""

import json
import os
import re
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import ClassVar

import pytest
from lxml import etree
from PIL import Image

from jovial_atlas.checks.live import estimate
from tests.conftest import URL, page, write_site
from tests.media.films import film as make_film

#: Enough for a page not to be taken for one that only shows a picture.
WORDS = "The reed at the fen is cut every winter by people who like the cold. "
DATED = "<meta name=date content={}>"


def states(ran) -> dict[str, str]:
    return {one["path"]: one["state"] for one in ran.json["files"] if one["state"] != "same"}


def sitemaps(found: dict[str, str]) -> dict[str, str]:
    return {path: state for path, state in found.items() if path.endswith((".xml", ".gz"))}


def dated(number: int, day: str = "2026-11-20") -> str:
    return page(f"Note {number}", head=DATED.format(day))


def test_a_change_rewrites_the_file_it_is_in_and_no_other(atlas, tmp_path):
    pages = {f"n/{number}.html": dated(number) for number in range(7)}
    write_site(tmp_path, pages, '[sitemap]\nmax_urls = 3\n[feed]\nrss = ""\n')
    public = tmp_path / "public"

    def build(*options: str):
        assert atlas("survey").code == 0
        return atlas("build", "--format", "json", *options)

    build()
    # New addresses go into the last file, wherever they stand in the alphabet.
    (public / "a.html").write_text(dated(8))
    assert sitemaps(states(build())) == {"sitemap-pages-3.xml": "changed"}
    (public / "n/1.html").write_text(dated(1, "2026-11-22"))
    changed = build("--dry-run", "--addresses")
    assert sitemaps(states(changed)) == {
        "sitemap.xml": "changed", "sitemap-pages-1.xml": "changed",
    }  # fmt: skip
    assert changed.json["addresses"] == [
        {"loc": f"{URL}/n/1.html", "change": "changed", "file": "pages-1"}
    ]
    assert states(build()) == states(changed)
    # The index tells the newest date in each file.
    index = etree.fromstring((public / "sitemap.xml").read_bytes())
    assert index.xpath("//*[local-name()='lastmod']/text()")[0] == "2026-11-22"
    for number in (0, 1, 2, 4, 5):
        (public / f"n/{number}.html").unlink()
    gone = build("--addresses")
    assert sitemaps(states(gone)) == {
        "sitemap.xml": "changed", "sitemap-pages-1.xml": "removed",
        "sitemap-pages-2.xml": "changed",
    }  # fmt: skip
    assert {one["change"] for one in gone.json["addresses"]} == {"removed"}
    folded = build("--fold", "--addresses")
    assert (public / "sitemap-pages-1.xml").read_text().count("<url>") == 3
    assert not (public / "sitemap-pages-2.xml").exists()
    assert {one["change"] for one in folded.json["addresses"]} == {"moved"}
    assert "listed-missing" not in atlas("check").out


OPTIONS = """
[sitemap]
folder = "/maps/"
unlisted = ["video"]
text = true
news_name = "Fen News"
[feed]
rss = "news.xml"
atom = "atom.xml"
content = "full"
attribution_before = "Seen at {{ page.loc }}"
attribution = "From {{ site.name }}"
[languages]
folders = { "en-GB" = "/", de = "/de/" }
default = "en-GB"
[[section]]
name = "notes"
match = "/notes/**"
order = "newest"
changefreq = "weekly"
priority = 0.3
pictures = false
news = true
[[rule]]
match = "/notes/b.html"
set = { priority = 0.9 }
"""


@pytest.fixture
def varied(tmp_path, atlas):
    """A small site with every option of sitemaps, surveyed and built."""
    film = (
        "<figure><video src=/v.mp4 poster=/v.jpg></video><figcaption>Otters</figcaption></figure>"
    )
    today = page("Fresh", f"<p>{WORDS} <a href=../>up</a><img src=/p.jpg></p>", "")
    write_site(tmp_path, {
        "index.html": page("Home", "<img src=/p.jpg>"),
        "de/index.html": page("Heim"),
        "film.html": page("Film", film, DATED.format("2026-01-02")),
        "notes/a.html": dated(1),
        "notes/b.html": today.replace("<title>", f"{DATED.format('TODAY')}<title>"),
    }, OPTIONS)  # fmt: skip
    from datetime import UTC, datetime

    make_film(tmp_path / "public/v.mp4")
    Image.new("RGB", (320, 180)).save(tmp_path / "public/v.jpg")
    fresh = tmp_path / "public/notes/b.html"
    now = datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
    fresh.write_text(fresh.read_text().replace("TODAY", now))
    assert atlas("survey").code == 0
    return atlas("build", "--format", "json")


def test_options_of_sitemaps_do_what_they_say(varied, atlas, tmp_path):
    public = tmp_path / "public"
    notes = (public / "maps/sitemap-notes-1.xml").read_text()
    assert "image:" not in notes
    assert notes.index("notes/b.html") < notes.index("notes/a.html")
    assert ("<priority>0.9</priority>" in notes, "<priority>0.3</priority>" in notes) == (
        True,
        True,
    )
    assert notes.count("<changefreq>weekly</changefreq>") == 2
    rest = (public / "maps/sitemap-pages-1.xml").read_text()
    for language, path in (("de", "/de/"), ("en-GB", "/"), ("x-default", "/")):
        assert rest.count(f'hreflang="{language}" href="{URL}{path}"') == 2
    news = (public / "maps/sitemap-news.xml").read_text()
    assert ("<news:name>Fen News</news:name>" in news, news.count("<url>")) == (True, 1)
    text = (public / "maps/sitemap-notes-1.txt").read_text().splitlines()
    assert text == [f"{URL}/notes/b.html", f"{URL}/notes/a.html"]
    for name in ("news.xml", "atom.xml"):
        feed = (public / name).read_text()
        assert feed.index("notes/b.html") < feed.index("notes/a.html")
        assert f'href="{URL}/"' in feed.replace("&lt;", "<").replace('\\"', '"')
        first, last = (feed.index(one) for one in (f"Seen at {URL}/notes/b", "From www.marrow"))
        assert first < last
    visitors = (public / "sitemap.html").read_text()
    assert f'<a href="{URL}/film.html">Film</a>' in visitors
    assert atlas("survey", "--format", "json").json["pages"] == 5, "own pages are no content"


@pytest.mark.parametrize(
    ("more", "shown"),
    [
        ("", ["Zebra", "Ant", "Home", "Fly"]),
        ('order = "title"', ["Ant", "Zebra", "Fly", "Home"]),
        ('order = "newest"', ["Ant", "Zebra", "Home", "Fly"]),
        ('sections = ["pages", "notes"]', ["Home", "Fly", "Zebra", "Ant"]),
        ('sections = ["notes"]\nexclude = "/notes/b.html"', ["Zebra"]),
        ('exclude = ["/notes/**", "/fly.html"]', ["Home"]),
        ('exclude = "/**"', None),
    ],
)
def test_the_page_for_visitors_shows_what_it_is_told_to_in_that_order(
    tmp_path, atlas, more, shown
):
    sections = '[[section]]\nname = "notes"\nmatch = "/notes/**"\n'
    write_site(tmp_path, {
        "notes/a.html": page("Zebra", "", DATED.format("2026-01-02")),
        "notes/b.html": page("Ant", "", DATED.format("2026-02-02")),
        "fly.html": page("Fly"), "index.html": page("Home"),
    }, f"[visitors]\n{more}\n{sections}")  # fmt: skip
    assert (atlas("survey").code, atlas("build").code) == (0, 0)
    written = tmp_path / "public/sitemap.html"
    if shown is None:
        assert not written.exists()
        return
    links = re.findall(r"<li><a href=\"https[^>]*>([^<]*)<", written.read_text())
    assert links == shown


def test_pages_speak_for_themselves_of_frequency_and_priority(tmp_path, atlas):
    (tmp_path / "old.xml").write_text(
        '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">'
        f"<url><loc>{URL}/a</loc><changefreq>daily</changefreq><priority>0.9</priority></url></urlset>"
    )
    (tmp_path / "t.csv").write_text("loc,changefreq,priority\n/b,never,\n/c,often,7\n/d,,\n")
    (tmp_path / "o.csv").write_text("loc,changefreq\n/d,yearly\n")
    (tmp_path / "atlas.toml").write_text(
        f'[site]\nurl = "{URL}"\n[overrides]\nfile = "o.csv"\n[[source]]\nkind = "list"\npath = "old.xml"\n'
        '[[source]]\nkind = "table"\npath = "t.csv"\n'
    )
    assert (atlas("survey").code, atlas("build").code) == (0, 0)
    written = (tmp_path / "public/sitemap-pages-1.xml").read_text()
    said = re.findall(r"<(loc|changefreq|priority)>([^<]*)<", written)
    assert [(name, value.removeprefix(URL)) for name, value in said] == [
        ("loc", "/a"), ("changefreq", "daily"), ("priority", "0.9"), ("loc", "/b"),
        ("changefreq", "never"), ("loc", "/c"), ("loc", "/d"), ("changefreq", "yearly"),
    ]  # fmt: skip


def test_an_unlisted_sitemap_is_named_nowhere_but_to_engines(varied, atlas, tmp_path):
    public = tmp_path / "public"
    (secret,) = [one["path"] for one in varied.json["files"] if one["videos"]]
    assert "video" not in secret
    assert len(secret) > 30
    for name in ("robots.txt", "sitemap.xml", "sitemap.html"):
        assert secret not in (public / name).read_text()
    again = atlas("build", "--format", "json").json["files"]
    assert secret in [one["path"] for one in again], "the name stays"
    assert "maps/sitemap-notes-1.xml" in (public / "robots.txt").read_text()
    assert atlas("check", "--format", "json").json["counts"]["error"] == 0
    file = tmp_path / "atlas.toml"
    file.write_text(file.read_text() + '[[engine]]\nname = "Q"\nchannels = [{ kind = "call", '
                    'name = "submit-sitemap", method = "PUT", url = "http://127.0.0.1:9/{sitemap}" }]\n')  # fmt: skip
    due = atlas("submit", "--dry-run", "--format", "json").json["announcements"]
    assert f"{URL}/{secret}" in [one["what"] for one in due]


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ('[sitemap]\nunlisted = ["vidio"]\n', "no section"),
        ('[sitemap]\nfolder = "maps"\n', "no folder of the site"),
        ('[languages]\nfolders = { "en-UK" = "/" }\n', "GB"),
        ('[feed]\nattribution = "{{ page.titel }}"\n', "Did you mean page.title"),
        ('[feed]\nrss = "../feed.xml"\n', "no name of a feed"),
        ('[[host]]\nurl = "https://www.marrowfen.example"\nfolder = "x"\n', "stands twice"),
        ('[[source]]\nkind = "html"\npath = "x"\nhost = "https://de.example"\n', "no [[host]]"),
    ],
)
def test_wrong_options_are_told_with_their_line(atlas, tmp_path, more, said):
    write_site(tmp_path, {"index.html": page()}, more)
    ran = atlas("survey")
    ran = ran if ran.code else atlas("build")
    assert ran.code == 2
    assert said in ran.err
    assert "atlas.toml" in ran.err


def test_every_host_gets_its_own_set(atlas, tmp_path):
    other = "https://de.marrowfen.example"
    both = "".join(
        f"<link rel=alternate hreflang={lang} href={href}/>"
        for lang, href in (("de", other), ("en", URL))
    )
    write_site(tmp_path, {"index.html": page("Home", head=both)},
               f'[[source]]\nkind = "html"\npath = "public-de"\nhost = "{other}"\n'
               f'[[host]]\nurl = "{other}"\nfolder = "public-de"\nlanguage = "de"\n')  # fmt: skip
    german = tmp_path / "public-de"
    german.mkdir()
    (german / "index.html").write_text(page("Heim", head=both))
    assert atlas("survey", "--format", "json").json["pages"] == 2
    built = atlas("build", "--format", "json")
    assert built.json["listed"] == 2
    assert "de.marrowfen.example/sitemap.xml" in [one["path"] for one in built.json["files"]]
    listed = (german / "sitemap-pages-1.xml").read_text()
    assert f"<loc>{other}/</loc>" in listed
    assert f'hreflang="en" href="{URL}/"' in listed
    assert f"Sitemap: {other}/sitemap.xml" in (german / "robots.txt").read_text()
    assert atlas("check", "--format", "json").json["counts"]["error"] == 0
    assert atlas("explain", f"{other}/", "--format", "json").json["sitemap"] == [
        "sitemap-pages-1.xml"
    ]


def test_files_older_than_the_content_are_told(atlas, tmp_path):
    write_site(tmp_path, {"index.html": dated(1, "2020-01-01"), "b.html": dated(2)})
    atlas("survey")
    atlas("build")
    built = tmp_path / ".jovial-atlas/published.json"
    built.write_text(json.dumps(json.loads(built.read_text()) | {"at": "2026-01-01T00:00:00Z"}))
    (tmp_path / "public/b.html").write_text(dated(2, "2026-11-21"))
    atlas("survey")
    found = {
        one["code"]: one["message"] for one in atlas("check", "--format", "json").json["findings"]
    }
    assert "1 day behind" in found["lastmod-differs"]
    assert "324 days later" in found["build-stale"]


PAGES = {
    "/": (200, {}, page("Home", head=f"<link rel=canonical href={URL}/>")),
    "/gone.html": (404, {}, ""),
    "/moved.html": (301, {"Location": "/"}, ""),
    "/header.html": (200, {"X-Robots-Tag": "noarchive, noindex, lanternbot: nofollow"}, page()),
    "/meta.html": (200, {}, page(head="<meta name=robots content=noindex>")),
    "/canonical.html": (200, {}, page(head="<link rel=canonical href=/>")),
    "/p.jpg": (200, {"Content-Type": "text/html"}, ""),
}  # fmt: skip


class Faulty(BaseHTTPRequestHandler):
    """A server with one page for each thing that may be wrong."""

    asked: ClassVar[list[str]] = []

    def do_GET(self) -> None:
        type(self).asked.append(self.path)
        status, headers, body = PAGES.get(self.path, (404, {}, ""))
        self.send_response(status)
        for name, value in ({"Content-Type": "text/html"} | headers).items():
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(body.encode() if self.command == "GET" else b"")

    do_HEAD = do_GET  # noqa: N815 - the name the library asks for

    def log_message(self, *_: object) -> None:
        pass


@pytest.fixture
def faulty():
    Faulty.asked = []
    server = ThreadingHTTPServer(("127.0.0.1", 0), Faulty)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


def test_a_live_server_is_asked_for_all_that_is_listed(atlas, tmp_path, faulty):
    names = [one.strip("/") or "index.html" for one in PAGES if one != "/p.jpg"]
    write_site(tmp_path, {name: page(name, f"<img src=/p.jpg><p>{WORDS}") for name in names})
    (tmp_path / "public/p.jpg").write_bytes(b"There is a file; the server says otherwise.")
    atlas("survey")
    atlas("build")
    live = ("check", "--live", "--server", faulty, "--per-second", "500", "--format", "json")
    found = atlas(*live)
    told = sorted(
        (one["where"].removeprefix(URL), one["code"])
        for one in found.json["findings"]
        if one["code"].startswith("live")
    )
    assert told == [
        ("/canonical.html", "live-canonical"), ("/gone.html", "live-status"),
        ("/header.html", "live-noindex"), ("/meta.html", "live-noindex"),
        ("/moved.html", "live-redirect"), ("/p.jpg", "live-picture"),
    ]  # fmt: skip
    assert (found.code, found.json["live"]["asked"], found.json["live"]["faulty"]) == (1, 7, 6)
    # A run that broke off is taken up where it was, with what it had found.
    journal = tmp_path / ".jovial-atlas/live.jsonl"
    lines = journal.read_text().splitlines()
    journal.write_text("\n".join(lines[:5]) + '\n{"loc": "cut o')
    Faulty.asked.clear()
    again = atlas(*live, "--resume")
    assert len([path for path in Faulty.asked if path != "/robots.txt"]) == 2
    assert again.json["live"] == found.json["live"]
    sampled = atlas(*live[:-1], "table", "--sample", "3")
    assert "Asked for 3 of 7 addresses and pictures" in sampled.out
    assert atlas("check", "--sample", "3").code == 2
    # Pictures of other hosts and what is no address are not asked for.
    images = "http://www.google.com/schemas/sitemap-image/1.1"
    (tmp_path / "s.xml").write_text(
        f'<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9" xmlns:image="{images}"><url>'
        f"<loc>{URL}/</loc><image:image><image:loc>/p.jpg</image:loc></image:image>"
        "<image:image><image:loc>https://cdn.example/p.jpg</image:loc></image:image></url></urlset>"
    )
    other = atlas("check", "s.xml", *live[1:])
    assert (other.json["live"]["asked"], other.json["live"]["faulty"]) == (1, 0)


@pytest.mark.parametrize(
    ("asked", "of", "faulty", "low", "high"),
    [
        (500, 60_000, 12, 0.0138, 0.0414), (500, 60_000, 0, 0.0, 0.0076), (60, 60, 6, 0.1, 0.1),
        (0, 0, 0, 0.0, 0.0),
    ],
)  # fmt: skip
def test_a_sample_speaks_for_all_within_its_interval(asked, of, faulty, low, high):
    seen = estimate(asked, of, faulty)
    assert (round(seen.low, 4), round(seen.high, 4)) == (
        pytest.approx(low, abs=2e-3),
        pytest.approx(high, abs=2e-3),
    )


def test_findings_go_to_pipelines_as_sarif_and_junit(atlas, tmp_path):
    (tmp_path / "s.xml").write_text(
        '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n<url><loc>/a</loc></url></urlset>'
    )
    sarif = atlas("check", "s.xml", "--format", "sarif")
    (run,) = sarif.json["runs"]
    (result,) = run["results"]
    assert (sarif.code, sarif.json["version"], result["level"]) == (1, "2.1.0", "error")
    assert run["tool"]["driver"]["rules"][result["ruleIndex"]]["id"] == result["ruleId"]
    assert result["locations"][0]["physicalLocation"] == {
        "artifactLocation": {"uri": "s.xml"}, "region": {"startLine": 2},
    }  # fmt: skip
    suite = etree.fromstring(atlas("check", "s.xml", "--format", "junit").out.encode())[0]
    assert (suite.get("failures"), suite[0][0].tag) == ("1", "failure")
    (tmp_path / "s.xml").write_text("https://www.marrowfen.example/\n")
    clean = etree.fromstring(atlas("check", "s.xml", "--format", "junit").out.encode())[0]
    assert (clean.get("failures"), len(clean)) == ("0", 1)


def test_a_live_server_is_held_against_what_was_decided(atlas, tmp_path, faulty, monkeypatch):
    """Pages that shall be hidden, robots.txt and a temporary host, as the server has them."""
    hidden = (
        '[[rule]]\nmatch = ["/open.html", "/header.html", "/gone.html"]\nset = { index = false }\n'
    )
    barred = '[robots]\ngroups = [{ agents = ["*"], disallow = ["/open.html"] }]\n'
    names = ("index", "open", "header", "gone", "one")
    for path, headers in (
        ("/", {}),
        ("/open.html", {}),
        ("/one.html", {"X-Robots-Tag": "l-bot: none"}),
    ):
        monkeypatch.setitem(PAGES, path, (200, headers, page()))
    engine = '[[engine]]\nname = "L"\ncrawlers = ["l-bot"]\nchannels = []\n'
    write_site(tmp_path, {f"{name}.html": page(name) for name in names}, hidden + barred + engine)
    place = tmp_path / "atlas.toml"
    hosts = f'other_hosts = ["{faulty}", "http://127.0.0.1:9"]\n'
    place.write_text(place.read_text().replace("[site]\n", f"[site]\n{hosts}"))
    atlas("survey")
    atlas("build")
    live = ("check", "--live", "--server", faulty, "--per-second", "500", "--format", "json")
    found = atlas(*live).json["findings"]
    told = {(one["code"], one["where"].removeprefix(URL)) for one in found}
    assert {
        ("live-open", "/open.html"), ("live-robots", "/robots.txt"), ("host-open", f"{faulty}/"),
        ("live-noindex", "/one.html"),
    } <= told  # fmt: skip
    assert {where for code, where in told if code == "live-open"} == {"/open.html"}
    monkeypatch.setitem(PAGES, "/robots.txt", (200, {}, "User-agent: *\nDisallow: /"))
    found = atlas(*live).json["findings"]
    assert (found[0]["code"], found[0]["severity"]) == ("site-hidden-robots", "blocker")
    assert "host-open" not in {one["code"] for one in found}


def test_very_many_unchanged_files_are_one_row(atlas, tmp_path):
    write_site(tmp_path, {f"n/{n:02}.html": page(f"N{n}") for n in range(40)},
               "[sitemap]\nmax_urls = 1\n")  # fmt: skip
    # A date of a file has seconds: a change in the second of the survey would have the same.
    os.utime(tmp_path / "public/n/07.html", (1_700_000_000, 1_700_000_000))
    atlas("survey")
    assert atlas("build").out.count("sitemap-pages-") == 40
    (tmp_path / "public/n/07.html").write_text(page("Another"))
    atlas("survey")
    again = atlas("build").out
    assert again.count("sitemap-pages-") == 1
    assert re.search(r"\d\d files as they were \(--verbose shows them\) +– .* same", again)
    assert atlas("--verbose", "build").out.count("sitemap-pages-") == 40
    assert len(json.loads(atlas("build", "--format", "json").out)["files"]) > 40
