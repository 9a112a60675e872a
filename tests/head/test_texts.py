"""Texts of heads: patterns by site, section and page, lengths as results show them, tags."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import asdict

from jovial_atlas.errors import SiteFileError
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.lengths import cut_at_word, shown, width
from jovial_atlas.head.settings import head_settings
from jovial_atlas.head.tags import head_tags
from jovial_atlas.pages import schema
from jovial_atlas.pages.page import page_of
from jovial_atlas.rounds.publishing.patterns import check_patterns
from jovial_atlas.rules import decide
from jovial_atlas.sitefile import read_site_file
from tests.conftest import NOW, URL, page, write_site

PATTERNS = """
[head]
title = "{{ page.title }} | {{ site.short_name }}"
share_description = "{{ page.excerpt | first_sentence }}"
image = "/pictures/site.jpg"
card_site = "@fen"
card_title = "On a card"
card_description = "{{ page.excerpt | first_sentence }}"
[overrides]
file = "overrides.csv"
[[section]]
name = "notes"
match = "/notes/**"
title = "{{ page.heading | cut(12) }}"
description = "{{ page.published | day('%d %b %Y') }}: {{ page.excerpt | plain }}"
share_title = "{{ page.extra.nick }}"
image = "/pictures/notes.jpg"
"""
OVERRIDES = 'loc,title,share_title\n/notes/own/,"Own {{ site.name }}",Shared\n'


def head_of(folder, more=PATTERNS, **columns):
    (folder / "overrides.csv").write_text(OVERRIDES)
    site = read_site_file(write_site(folder, {}, more))
    check_patterns(site)
    row = {"loc": f"{URL}{columns.pop('path', '/a/')}", "kind": "page", "status": 200, "words": 99,
           "images": [], "videos": [], "title": "T", "heading": "A heading of some length",
           "excerpt": "One &amp; <b>two</b>. Three.", "published": "2026-11-03", **columns}  # fmt: skip
    decided = page_of(decide(schema.table([row]), site, NOW).to_dicts()[0])
    head = head_data(decided, head_settings(site))
    return asdict(head), [tag.html for tag in head_tags(head, decided, head_settings(site))]


@pytest.mark.parametrize(
    ("path", "wanted"),
    [
        ("/a/", {"title": "T | www.marrowfen.example", "title_from": "site pattern",
                 "share_description": "One &amp; <b>two</b>.", "share_title": None}),
        ("/notes/a/", {"title": "A heading…", "title_from": "pattern",
                       "description": "3 Nov 2026: One & two . Three."}),
        ("/notes/own/", {"title": "Own www.marrowfen.example", "title_from": "overrides file",
                         "share_title": "Shared"}),
        ("/notes/page/2/", {"title": "A heading… (2)"}),
        ("/tags/?page=3", {"title": "T | www.marrowfen.example (3)"}),
    ],
)  # fmt: skip
def test_the_strongest_pattern_that_gives_a_text_wins(tmp_path, path, wanted):
    head, _ = head_of(tmp_path, path=path)
    assert {name: head[name] for name in wanted} == wanted


def test_the_home_page_has_at_least_the_name_of_the_site(tmp_path):
    head, _ = head_of(tmp_path, "", path="/", title=None, heading=None)
    assert (head["title"], head["title_from"]) == ("www.marrowfen.example", "kind of page")


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ('[head]\ntitle = "{{ page.tilte }}"', "Did you mean page.title"),
        ('[head]\nshare_title = "{{ page.title | upcase }}"', "upcase"),
        ('[overrides]\nfile = "overrides.csv"', "page.nme"),
    ],
)
def test_a_wrong_pattern_is_told_wherever_it_stands(tmp_path, more, said):
    (tmp_path / "overrides.csv").write_text('loc,title\n/a/,"{{ page.nme }}"\n')
    site = read_site_file(write_site(tmp_path, {}, more))
    with pytest.raises(SiteFileError) as told:
        check_patterns(site)
    assert said in str(told.value)


@pytest.mark.parametrize(
    ("more", "shared", "card"),
    [
        ("", "Og", "Tw"),
        ('[head]\nshare_title = "Pattern"', "Pattern", None),
        ('[head]\ncard_title = "Card"', "Og", "Card"),
    ],
)
def test_texts_for_sharing_that_a_page_has_stay_where_no_pattern_says_otherwise(
    tmp_path, more, shared, card
):
    own = {"share_title": "Og", "card_title": "Tw", "card_description": "Said on cards"}
    head, tags = head_of(tmp_path, more, **own)
    assert (head["share_title"], head["card_title"]) == (shared, card)
    assert '<meta name="twitter:description" content="Said on cards">' in tags


def test_tags_stand_in_one_order_and_escape_what_they_hold(tmp_path):
    _, tags = head_of(
        tmp_path, title='<b> & "q"', path="/a/", language="de-AT", description="D'\"<",
        images=[{"loc": f"{URL}/p.jpg", "alt": 'an "owl"'}],
    )  # fmt: skip
    assert tags[0] == '<title>&lt;b&gt; &amp; "q" | www.marrowfen.example</title>'
    names = [tag.split("=")[1].split('"')[1] for tag in tags if tag.startswith("<meta")]
    assert names == [
        "description", "og:title", "og:type", "og:url", "og:site_name", "og:locale",
        "og:description", "og:image", "og:image:secure_url", "og:image:alt", "twitter:card", "twitter:title", "twitter:site",
    ]  # fmt: skip
    assert '<meta property="og:image:alt" content="an &quot;owl&quot;">' in tags
    assert '<meta property="og:locale" content="de_AT">' in tags
    assert "</script" not in tags[-1].removesuffix("</script>")
    assert '<meta name="twitter:title" content="On a card">' in tags
    assert not [tag for tag in tags if "twitter:description" in tag], "it says the same"
    _, noted = head_of(tmp_path, path="/notes/x/")
    assert f'<meta property="og:image" content="{URL}/pictures/notes.jpg">' in noted
    _, hidden = head_of(tmp_path, path="/a/", directives="noindex")
    assert [tag for tag in hidden if "og:" in tag or "canonical" in tag or "<script" in tag] == []
    assert '<meta name="robots" content="noindex">' in hidden


@pytest.mark.parametrize(
    ("text", "px"), [("", 0), ("iiii", 18), ("WWWW", 76), ("é", 11), ("日本", 40), ("e\u0301", 11)]
)
def test_widths_are_those_of_the_font(text, px):
    assert width(text, 20) == px


def test_what_is_shown_is_cut_at_a_word_and_fits():
    text = "word " * 60
    cut = shown(text, 20, 300)
    assert cut.endswith("word…")
    assert width(cut, 20) <= 300 < width(f"{cut[:-1]} word…", 20)
    assert shown("short", 20, 300) == "short"
    unspaced = shown("湿地のカワウソ " + "保護区の鳥を見る" * 9, 20, 500)
    assert 460 < width(unspaced, 20) <= 500
    assert cut_at_word("湿地 " + "鳥" * 200, 100) == "湿地 " + "鳥" * 96 + "…"


@given(st.text("ab ,。あ鳥กั é", max_size=60), st.integers(1, 60))
def test_a_cut_text_fits_and_is_the_beginning(text, most):
    for cut, fits in ((cut_at_word(text, most), len), (shown(text, 20, 10 * most), lambda one: width(one, 20) / 10)):
        assert fits(cut) <= max(most, 2), (cut, fits(cut))
        assert cut == text or (cut.endswith("…") and text.startswith(cut[:-1]))


def test_lengths_and_empty_patterns_are_told(tmp_path, atlas):
    described = '<meta name="description" content="{}">'
    words = "<p>Nothing much to see on this page.</p>"
    pages = {
        "long.html": page("Long " * 30, words, described.format("much " * 60)),
        "short.html": page("Short", words, described.format("few")),
        "good.html": page("A title of a good length", words, described.format("word " * 20)),
        "name.html": page("www.marrowfen.example", words, described.format("word " * 19)),
        "notes/x.html": page("Another good title here", words, described.format("word " * 18)),
    }
    more = '[[section]]\nname = "notes"\nmatch = "/notes/**"\ntitle = "{{ page.author }}"\n'
    write_site(tmp_path, pages, more)
    atlas("survey")
    found = atlas("check", "--format", "json").json["findings"]
    codes = ("title-long", "title-short", "title-site-name", "description-long",
             "description-short", "pattern-empty")  # fmt: skip
    told = {(one["code"], one["where"].removeprefix(URL)) for one in found if one["code"] in codes}
    assert told == {
        ("title-long", "/long.html"), ("description-long", "/long.html"),
        ("title-short", "/short.html"), ("description-short", "/short.html"),
        ("title-site-name", "/name.html"), ("pattern-empty", "/notes/x.html"),
    }  # fmt: skip


def test_texts_of_many_pages_are_edited_in_a_table(tmp_path, atlas):
    write_site(tmp_path, {"a.html": page("A"), "b.html": page("B")},
               '[overrides]\nfile = "overrides.csv"\n')  # fmt: skip
    atlas("survey")
    assert atlas("pages", "--edit", "edit.csv", "--fields", "title,share_title").code == 0
    lines = (tmp_path / "edit.csv").read_text("utf-8-sig").splitlines()
    assert lines[0] == "loc,seen,title_now,title,share_title_now,share_title,reason,by"
    (tmp_path / "edit.csv").write_text(
        "loc,title,share_title,reason,by\n/a.html,New A,,,\n/b.html,,,,\n"
    )
    assert "1 page changed" in atlas("pages", "--take", "edit.csv").out
    head = atlas("explain", "/a.html", "--format", "json").json
    assert (head["head"]["title"], head["head"]["title_from"]) == ("New A", "overrides file")
    assert head["lengths"]["title"] == {"characters": 5, "px": width("New A", 20), "of": 580}
    assert atlas("pages", "--edit", "e.csv", "--fields", "titel").code == 2
