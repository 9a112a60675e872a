"""The table of films: where each value comes from, what the protocol allows, why a film is not listed, and which page
stands for a film that several show."""

from pathlib import Path

import polars as pl
import pytest

from jovial_atlas.head.film_table import FILM_VALUES, Asked, film_table
from jovial_atlas.head.settings import head_settings
from jovial_atlas.head.videos import films_of, video_rows
from jovial_atlas.media.fields import video
from jovial_atlas.pages import schema
from jovial_atlas.rules import decide
from jovial_atlas.sitefile.read import parse_site_file
from tests.conftest import NOW, URL

TODAY = "2026-11-23T10:00:00Z"
SITE = f"""[site]
url = "{URL}"
[[source]]
kind = "html"
path = "public"
[videos]
uploader = "The reserve"
uploader_page = "/about/"
category = "Nature"
width = 640
height = 360
"""
WHOLE = {"content": f"{URL}/a.mp4", "thumbnail": f"{URL}/a.jpg", "title": "Otters", "description": "Two otters."}


def table(*pages, more="", origins=True):
    site = parse_site_file(SITE + more, Path("atlas.toml"))
    rows = [{"loc": f"{URL}{path}", "kind": "page", "videos": [video(**one) for one in films], **page}
            for path, films, page in pages]  # fmt: skip
    decided = decide(schema.table(rows), site, NOW)
    settings, asked = head_settings(site), Asked(origins=FILM_VALUES if origins else ())
    # What pieces the pages come in makes no difference.
    films = film_table([decided.head(1), decided.slice(1)], settings, TODAY, asked)
    assert films.equals(film_table([decided], settings, TODAY, asked))
    return films, decided, settings


def one_film(film, more="", **page):
    found, _, _ = table(("/p/", [film], page), more=more)
    return found.to_dicts()[0]


PROBED = {"duration": 7, "width": 1920, "height": 1080, "codecs": "h264", "plays": True, "still": "a-1.jpg"}
EMBEDDED = {"duration": 9, "title": "From there", "thumbnail": "https://s.example/t.jpg", "author": "Wren"}


@pytest.mark.parametrize(
    ("name", "film", "page", "value", "place"),
    [
        ("title", WHOLE | {"found": "json-ld"}, {"heading": "H"}, "Otters", "json-ld"),
        ("title", WHOLE, {}, "Otters", "page"),
        ("title", {"title": None}, {"media": [EMBEDDED], "heading": "H"}, "From there", "service"),
        ("title", {"title": None}, {"heading": "H", "title": "T"}, "H", "page"),
        ("title", {"title": None}, {"title": "T"}, "T", "page"),
        ("description", {}, {"excerpt": "E"}, "E", "first sentences"),
        ("description", {"description": "x" * 3_000}, {}, "x" * 2_048, "page"),
        ("thumbnail", {}, {"media": [PROBED]}, f"{URL}/video-stills/a-1.jpg", "file"),
        ("thumbnail", {}, {"media": [PROBED | EMBEDDED]}, "https://s.example/t.jpg", "service"),
        ("duration", {"duration": 90}, {"media": [PROBED]}, 7, "file"),
        ("duration", {"duration": 90}, {"media": [EMBEDDED]}, 90, "page"),
        ("duration", {"duration": 28_801}, {}, None, "page"),
        ("width", {"width": 320}, {"media": [PROBED]}, 1920, "file"),
        ("width", {"width": 320}, {}, 320, "page"),
        ("width", {}, {}, 640, "site file"),
        ("published", {}, {"published": "2026-01-01", "lastmod": "2026-02-02"}, "2026-01-01", "page"),
        ("published", {}, {"lastmod": "2026-02-02"}, "2026-02-02", "page"),
        ("category", {}, {"categories": ["Mammals", "Fen"]}, "Mammals", "page"),
        ("category", {}, {"categories": []}, "Nature", "site file"),
        ("tags", {"tags": ["a"]}, {"tags": ["b"], "phrase": "fen otter; a; "}, ["a", "fen otter"], "page"),
        ("tags", {}, {"phrase": "fen otter"}, ["fen otter"], "page"),
        ("tags", {"tags": [str(n) for n in range(40)]}, {}, [str(n) for n in range(32)], "page"),
        ("uploader", {}, {"media": [EMBEDDED]}, "Wren", "service"),
        ("uploader_page", {}, {}, f"{URL}/about/", "site file"),
        ("uploader_page", {"uploader_page": "https://o.example/"}, {}, None, "page"),
        ("countries", {"countries": "allow gb ie"}, {}, "allow GB IE", "page"),
        ("countries", {"countries": "allow nowhere"}, {}, None, "page"),
        ("platforms", {"platforms": "deny tv"}, {}, "deny tv", "page"),
        ("platforms", {"platforms": "deny car"}, {}, None, "page"),
        ("rating", {"rating": 5.5}, {}, None, "page"),
        ("content", {"content": f"{URL}/p/"}, {}, None, "page"),
    ],
)  # fmt: skip
def test_each_value_is_of_the_first_place_that_has_it(name, film, page, value, place):
    found = one_film({"content": f"{URL}/a.mp4", **film}, **page)
    assert (found["values"][name], found["origin"][name]) == (value, place)


@pytest.mark.parametrize(
    ("film", "page", "why"),
    [
        (WHOLE, {}, ""),
        (WHOLE | {"listed": False}, {}, "it is left out"),
        (WHOLE | {"expires": "2026-11-22"}, {}, "it expired on 2026-11-22"),
        (WHOLE, {"expires": "2026-11-22T00:00:00Z"}, "it expired on 2026-11-22"),
        (WHOLE | {"expires": "2026-11-24"}, {}, ""),
        (WHOLE, {"media": [{"problem": "there is no such file"}]}, "its media file does not exist"),
        (WHOLE | {"player": "https://s.example/1"}, {"media": [{"problem": "there is no such file"}]}, ""),
        ({"content": f"{URL}/a.mp4", "title": "T"}, {}, "it has no still picture and no description"),
        (WHOLE | {"content": None}, {}, "it has no media file or player"),
    ],
)  # fmt: skip
def test_why_a_film_is_not_listed_is_said(film, page, why):
    found = one_film(film, **page)
    assert found["why_not"] == why
    assert bool(found["missing"]) == why.startswith("it has no ")


def test_of_several_pages_with_a_film_one_stands_for_it():
    lists = {"declared": "listing", "entries": 30}
    found, _, _ = table(
        ("/a/", [WHOLE, WHOLE | {"content": f"{URL}/b.mp4"}], {}), ("/long-name/", [WHOLE], {}), ("/c/", [WHOLE], {}),
        ("/l/", [WHOLE | {"content": f"{URL}/b.mp4"}], lists), ("/n/", [WHOLE], {"directives": "noindex"}),
    )  # fmt: skip
    told = {(row["loc"][len(URL) :], row["number"]): row["why_not"] for row in found.to_dicts()}
    assert told == {
        ("/a/", 1): "/c/ stands for it", ("/a/", 2): "", ("/long-name/", 1): "/c/ stands for it", ("/c/", 1): "",
        ("/l/", 1): "/a/ stands for it", ("/n/", 1): "",
    }  # fmt: skip
    # A page that is not listed takes no part, and is in no sitemap.
    assert video_rows(found)["loc"].to_list() == [f"{URL}/a/", f"{URL}/c/"]


@pytest.mark.parametrize(("videos", "kept"), [("false", []), ('["player"]', ["player"]), ("true", ["player", "video"])])
def test_sections_want_all_some_or_no_films(videos, kept):
    more = f'[[section]]\nname = "s"\nmatch = "/s/**"\nvideos = {videos}\n'
    films = [WHOLE | {"found": "player"}, WHOLE | {"found": "video", "content": f"{URL}/b.mp4"}]
    found, decided, settings = table(("/s/a/", films, {}), ("/t/", [], {}), more=more)
    assert [row["origin"]["title"] for row in found.to_dicts()] == kept
    by_page = films_of(decided, settings, TODAY)
    assert [film.page.loc for some in by_page.values() for film in some] == [f"{URL}/s/a/"] * len(kept)


def test_columns_of_pages_may_stand_beside_films():
    _, decided, settings = table(("/a/", [WHOLE, WHOLE | {"words_before": 9}], {"title": "T"}))
    found = film_table([decided], settings, TODAY, Asked(beside={"title": pl.col("title"), "videos": pl.col("videos")}))
    assert found.select("title", pl.col("videos").struct.field("words_before")).rows() == [("T", None), ("T", 9)]
    assert "origin" not in found.columns
