"""Videos of a whole site: looked into, chosen, listed, shown and checked by the installed command."""

import json
import re
import subprocess

import polars as pl
import pytest
from PIL import Image

from jovial_atlas.head.compose import head_data
from jovial_atlas.pages.page import page_of
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.sitemaps.write import urlset_parts
from jovial_atlas.standin.films import FILMS, films_app
from jovial_atlas.standin.server import Serving, listen
from tests.conftest import NOW, URL, page, write_site
from tests.media.films import film
from tests.sitemaps.make_schemas import write as write_schemas

DATED = '<meta name="date" content="2026-11-01">'
WORDS = "<p>" + "The hide stands at the edge of the open water. " * 3 + "</p>"


def shown(name, more=""):
    return f'<figure><video src="/films/{name}" {more}></video></figure>{WORDS}'


PAGES = {
    "index.html": page("Home", WORDS),
    "otters.html": page("Otters", shown("otters.mp4"), DATED),
    "otters-again.html": page("Otters again", shown("otters.mp4") + shown("herons.webm"), DATED),
    "cut.html": page("Cut", shown("cut.mp4", "poster=/p.jpg"), DATED),
    "lost.html": page("Lost", shown("lost.mp4", "poster=/p.jpg"), DATED),
    "reel.html": page("Reel", '<iframe src="https://play.reelstead.example/embed/fen-dawn-1">'
                      f'</iframe><iframe src="https://play.reelstead.example/embed/gone"></iframe>{WORDS}', DATED),
}  # fmt: skip
SITE = """
[videos]
file = "videos.csv"
services = "services.toml"
elsewhere = true
uploader = "The wardens"
uploader_page = "/wardens/"
"""


@pytest.fixture
def films(tmp_path, atlas):
    """A site with films, and a simulated service that is asked about the others."""
    public = tmp_path / "public"
    film(public / "films/otters.mp4", seconds=3, dark=1)
    film(public / "films/herons.webm", "libvpx", seconds=2)
    whole = film(tmp_path / "x.mp4", seconds=6, options={"movflags": "faststart"}).read_bytes()
    (public / "films/cut.mp4").write_bytes(whole[: len(whole) // 2])
    Image.new("RGB", (320, 180), "green").save(public / "p.jpg")
    serving = Serving(films_app("Reelstead", FILMS, "https://play.reelstead.example"), listen(0))
    with_films = serving.start()
    (tmp_path / "services.toml").write_text(
        "[[service]]\nname = 'Reelstead'\n"
        "match = ['https://play.reelstead.example/embed/(?P<id>[a-z0-9-]+)']\n"
        "player = 'https://play.reelstead.example/embed/{id}'\n"
        f"page = 'http://{with_films.address}/watch/{{id}}'\n"
    )
    write_site(tmp_path, PAGES, SITE)
    assert atlas("survey").code == 0
    yield tmp_path
    with_films.stop()


def by_name(atlas):
    rows = atlas("videos", "--format", "json").json["videos"]
    return {(row["loc"].removeprefix(URL), row["name"]): row for row in rows}


def test_videos_are_found_looked_into_chosen_and_listed(films, atlas):
    rows = by_name(atlas)
    otters = rows["/otters.html", "otters.mp4"]
    assert (otters["duration"], otters["codecs"], otters["plays"]) == (3, "h264", True)
    assert (otters["picture"], otters["listed"]) == ("still taken", True)
    assert otters["from"]["title"] == "page"
    again = rows["/otters-again.html", "otters.mp4"]
    assert again["why_not"] == "/otters.html stands for it"
    reel = rows["/reel.html", "fen-dawn-1"]
    assert (reel["title"], reel["duration"], reel["picture"]) == (
        "Dawn over the reedbed", 84, "from the service",
    )  # fmt: skip
    assert rows["/reel.html", "gone"]["why_not"] == "it has no still picture"
    assert atlas("build").code == 0
    sitemap = (films / "public/sitemap-video-1.xml").read_text()
    assert sitemap.count("<video:video>") == 4
    assert f'<video:uploader info="{URL}/wardens/">The wardens</video:uploader>' in sitemap
    stills = sorted((films / "public/video-stills").iterdir())
    assert [re.sub("-[0-9a-f]{10}", "", one.name) for one in stills] == ["herons.jpg", "otters.jpg"]
    assert all(Image.open(one).size == (320, 180) for one in stills)
    found = atlas("check", "--format", "json").json["findings"]
    told = {(one["code"], one["where"].removeprefix(URL)) for one in found}
    assert {
        ("video-broken", "/cut.html"), ("video-missing", "/lost.html"),
        ("video-repeated", "/otters.html"), ("video-incomplete", "/reel.html"),
        ("video-gone", "https://play.reelstead.example/embed/gone"),
    } <= told  # fmt: skip
    # What is known is not found out again, and a file that changed is.
    kept = (films / ".jovial-atlas/videos.json").read_bytes()
    (films / "services.toml").write_text("")
    assert atlas("survey").code == 0
    before = json.loads(kept)["probes"]
    assert json.loads((films / ".jovial-atlas/videos.json").read_text())["probes"] == before
    film(films / "public/films/otters.mp4", seconds=5)
    assert atlas("survey").code == 0
    assert by_name(atlas)["/otters.html", "otters.mp4"]["duration"] == 5


def test_a_silent_service_is_told_until_it_is_asked_again(films, atlas):
    with listen(0) as nobody:
        there = f"http://127.0.0.1:{nobody.getsockname()[1]}/"
    services = films / "services.toml"
    services.write_text(re.sub("http://[0-9.:]+/", there, services.read_text()))
    for options in (["--full"], []):
        assert atlas("survey", *options).code == 0
        found = atlas("check", "--format", "json").json["findings"]
        told = [one["where"] for one in found if one["code"] == "video-service-silent"]
        assert told == [there.removeprefix("http://").strip("/")]


def test_single_videos_are_set_in_a_table_and_leave_by_themselves(films, atlas):
    assert "2 videos written" not in atlas("videos", "--edit", "edit.csv").out
    table = (films / "edit.csv").read_text()
    assert f"{URL}/otters.html,otters.mp4,,,,,,," in table
    rows = [
        "loc,video,listed,title,expires,countries,rating,tags",
        '/otters.html,otters.mp4,,Two otters,2999-01-01,deny US,4.5,"a, b"',
        "/cut.html,,no,,,,,",
        "/reel.html,1,,,2026-01-01,,,",
    ]
    (films / "edit.csv").write_text("\n".join(rows) + "\n")
    assert "3 videos set" in atlas("videos", "--take", "edit.csv").out
    videos = by_name(atlas)
    assert videos["/cut.html", "cut.mp4"]["why_not"] == "it is left out"
    assert videos["/reel.html", "fen-dawn-1"]["why_not"] == "it expired on 2026-01-01"
    otters = videos["/otters.html", "otters.mp4"]
    assert (otters["title"], otters["from"]["title"]) == ("Two otters", "table of videos")
    atlas("build")
    sitemap = (films / "public/sitemap-video-1.xml").read_text()
    assert ("cut.mp4" in sitemap, "fen-dawn-1" in sitemap) == (False, False)
    assert f"<loc>{URL}/cut.html</loc>" in (films / "public/sitemap-pages-1.xml").read_text()
    assert '<video:restriction relationship="deny">US</video:restriction>' in sitemap
    head = (films / ".jovial-atlas/head/pages.jsonl").read_text()
    cut = next(json.loads(line) for line in head.splitlines() if "/cut.html" in line)
    assert "VideoObject" not in {node["@type"] for node in cut["json_ld"]["@graph"]}
    (films / "videos.csv").write_text("loc,video,duration\n/otters.html,,soon\n")
    wrong = atlas("videos")
    assert (wrong.code, "'soon' cannot be read" in wrong.err) == (2, True)


def test_sitemap_and_structured_data_say_the_same(films, atlas, tmp_path):
    (films / "videos.csv").write_text(
        "loc,video,title,description,category,rating,views,family_friendly,live,subscription,"
        "countries,platforms,expires,tags,price,gallery,gallery_title,segments,ids\n"
        "/otters.html,,A <b> & 'c',D,C,4.5,12,no,yes,no,allow GB IE,deny tv,2027-01-01,\"x, y\","
        '"3,99 gbp rent HD; 5 EUR; free",/films/,All films,/1.mp4 30; /2.mp4,tms:series 12; 7\n'
    )
    survey = last_survey(read_site_file(films / "atlas.toml"), NOW)
    from jovial_atlas.head.videos import video_rows

    rows = video_rows(survey.film_table)
    schema = write_schemas(tmp_path)["urlset"]
    (part,) = urlset_parts(rows.sort("loc"))
    (tmp_path / "v.xml").write_bytes(part.data)
    subprocess.run(["xmllint", "--noout", "--schema", str(schema), str(tmp_path / "v.xml")],
                   check=True, capture_output=True)  # fmt: skip
    same = {"title": "name", "description": "description", "thumbnail_loc": "thumbnailUrl",
            "content_loc": "contentUrl", "player_loc": "embedUrl", "expiration_date": "expires",
            "publication_date": "uploadDate", "category": "genre", "tag": "keywords"}  # fmt: skip
    text = part.data.decode()
    assert re.findall("<video:(?:price|gallery|content_s|id).*", text) == [
        f'<video:content_segment_loc duration="30">{URL}/1.mp4</video:content_segment_loc>',
        f"<video:content_segment_loc>{URL}/2.mp4</video:content_segment_loc>",
        f'<video:gallery_loc title="All films">{URL}/films/</video:gallery_loc>',
        '<video:price currency="GBP" type="rent" resolution="hd">3.99</video:price>',
        '<video:price currency="EUR">5</video:price>',
        '<video:id type="tms:series">12</video:id>',
        "<video:id>7</video:id>",
    ]
    compared = 0
    for loc, videos in rows.select("loc", "videos").iter_rows():
        (row,) = survey.decided.filter(pl.col("loc") == loc).to_dicts()
        graph = head_data(page_of(row), survey.heads, survey.films[loc]).json_ld["@graph"]
        nodes = [node for node in graph if node["@type"] == "VideoObject"]
        for video, node in zip(videos, nodes, strict=True):
            assert {ours: video[ours] for ours in same} == {
                ours: node.get(theirs) for ours, theirs in same.items()
            }
            compared += 1
    assert compared == 4
    otters = survey.films[f"{URL}/otters.html"]
    head = head_data(otters[0].page, survey.heads, otters)
    assert ("og:video", f"{URL}/films/otters.mp4") in head.meta
    assert ("twitter:player", f"{URL}/films/otters.mp4") in head.meta
    (node,) = [one for one in head.json_ld["@graph"] if one["@type"] == "VideoObject"]
    assert (node["duration"], node["regionsAllowed"], node["isFamilyFriendly"]) == (
        "PT3S", ["GB", "IE"], False,
    )  # fmt: skip


def test_a_contact_sheet_shows_every_video(films, atlas):
    assert atlas("videos", "--sheet", "sheet.png", "--columns", "3").code == 0
    sheet = Image.open(films / "sheet.png")
    assert sheet.size == (3 * 300 + 4 * 16, 58 + 3 * (169 + 62) + 4 * 16)
    assert len(sheet.crop((16, 74, 316, 243)).convert("RGB").getcolors(100_000)) > 50
    assert atlas("videos", "--sheet", "sheet.html").code == 0
    text = (films / "sheet.html").read_text()
    assert (text.count("<figure>"), text.count("data:image/jpeg")) == (7, 5)
    assert atlas("videos", "--sheet", "sheet.gif").code == 2


CHECKED = """<h1>Otters</h1><video src="/v.mp4" poster="/p.jpg" {}></video>"""


@pytest.mark.parametrize(
    ("body", "more", "code"),
    [
        (CHECKED.format("width=160 height=90"), "", "video-small"),
        (f"<p>{'word ' * 600}</p>{CHECKED.format('')}", "", "video-low"),
        (CHECKED.format(""), '[robots]\ngroups = [{ agents = ["*"], disallow = ["/*.mp4$"] }]',
         "video-barred"),
        (CHECKED.format("").replace("p.jpg", "tiny.png"), "", "video-thumbnail"),
        (CHECKED.format("").replace("p.jpg", "none.png"), "", "video-thumbnail"),
        (CHECKED.format("").replace("p.jpg", "a.html"), "", "video-thumbnail"),
        (CHECKED.format("").replace("v.mp4", "old.mp4"), "", "video-not-played"),
        ('<script type="application/ld+json">{"@type": "VideoObject", "contentUrl": "/v.mp4",'
         '"duration": "PT40S"}</script>' + CHECKED.format(""), "", "video-duration-differs"),
        ('<script type="application/ld+json">{"@type": "VideoObject", "contentUrl": "/v.mp4",'
         '"name": "Buy seed now"}</script>' + CHECKED.format(""), "", "video-text-differs"),
        (CHECKED.format(""), "", None),
        (CHECKED.format("width=160"), '[[section]]\nname = "a"\nmatch = "/**"\nvideos = false', None),
        (CHECKED.format("width=160"),
         '[[section]]\nname = "a"\nmatch = "/**"\nvideos = ["player"]', None),
    ],
)  # fmt: skip
def test_each_fault_of_a_video_is_told(tmp_path, atlas, body, more, code):
    write_site(tmp_path, {"a.html": page("Otters", body + WORDS, DATED)}, more)
    film(tmp_path / "public/v.mp4", seconds=2)
    film(tmp_path / "public/old.mp4", "mpeg4", seconds=2)
    Image.new("RGB", (320, 180)).save(tmp_path / "public/p.jpg")
    Image.new("RGB", (50, 30)).save(tmp_path / "public/tiny.png")
    atlas("survey")
    found = atlas("check", "--format", "json").json["findings"]
    told = {one["code"] for one in found if one["code"].startswith("video")}
    assert told == ({code} if code else set())


def test_custom_fields_and_feeds_bring_videos_too(tmp_path, atlas):
    notes = tmp_path / "notes"
    notes.mkdir()
    (notes / "a.md").write_text(
        "---\ntitle: A\ndate: 2026-01-01\nfilm: {file: /v.mp4, poster: /p.jpg}\n---\nText.\n"
    )
    (tmp_path / "t.csv").write_text(f'loc,film\n/b/,"{URL}/v2.mp4; {URL}/v3.mp4"\n')
    (tmp_path / "feed.xml").write_text(
        '<rss xmlns:media="http://search.yahoo.com/mrss/"><channel><title>F</title><item>'
        f"<title>C</title><link>{URL}/c/</link><media:thumbnail url='/p.jpg'/>"
        "<media:content url='/v4.mp4' medium='video' duration='31' width='640'/>"
        "</item></channel></rss>"
    )
    (tmp_path / "atlas.toml").write_text(
        f'[site]\nurl = "{URL}"\n[videos]\nfields = ["film"]\n'
        '[[source]]\nkind = "markdown"\npath = "notes"\nurl = "/notes/{slug}/"\n'
        '[[source]]\nkind = "table"\npath = "t.csv"\n[[source]]\nkind = "feed"\npath = "feed.xml"\n'
    )
    assert atlas("survey").code == 0
    found = {
        (row["loc"].removeprefix(URL), row["values"]["content"].removeprefix(URL), row["found"])
        for row in atlas("videos", "--format", "json").json["videos"]
    }
    assert found == {
        ("/notes/a/", "/v.mp4", "field"), ("/b/", "/v2.mp4", "field"), ("/b/", "/v3.mp4", "field"),
        ("/c/", "/v4.mp4", "feed"),
    }  # fmt: skip


def test_another_second_for_stills_takes_them_anew(tmp_path, atlas):
    write_site(tmp_path, {"a.html": page("Otters", shown("a.mp4"), DATED)})
    film(tmp_path / "public/films/a.mp4", seconds=3, dark=1)
    light = []
    for second in ("", "still_at = 0\n", "still_at = 2\n"):
        text = (tmp_path / "atlas.toml").read_text().partition("[videos]")[0]
        (tmp_path / "atlas.toml").write_text(f"{text}[videos]\n{second}")
        atlas("survey")
        atlas("build")
        (still,) = (tmp_path / "public/video-stills").iterdir()
        light.append(max(Image.open(still).convert("L").resize((1, 1)).getpixel((0, 0)), 0))
    assert light[1] < 20 < min(light[0], light[2])


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("page,video\n", "is no column of this table"),
        ("video,title\na.mp4,T\n", "loc"),
        ("loc,title\n/a,T,more\n", "another number of cells"),
        ("loc,rating\nnot an address,4\n", "line 2"),
        ("loc,live\n/a,perhaps\n", "'perhaps' cannot be read"),
    ],
)
def test_a_wrong_table_of_videos_is_told_with_its_line(tmp_path, atlas, text, said):
    write_site(tmp_path, {"a.html": page("A")}, '[videos]\nfile = "videos.csv"\n')
    (tmp_path / "videos.csv").write_text(text)
    ran = atlas("survey")
    assert (ran.code, "videos.csv" in ran.err) == (2, True)
    assert said in ran.err
