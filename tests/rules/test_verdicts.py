"""Verdicts: layers in order, one reason a page, and the same story told by explain."""

import pytest

from jovial_atlas.head.compose import head_data
from jovial_atlas.head.settings import head_settings
from jovial_atlas.pages import schema
from jovial_atlas.pages.page import page_of
from jovial_atlas.rules import decide, explain_layers, not_listed
from jovial_atlas.sitefile import read_site_file
from tests.conftest import NOW, URL, write_site

RULES = """
[[section]]
name = "tags"
match = "/tags/**"
listed = false
reason = "Tags are for readers"
[[section]]
name = "notes"
match = ["/notes/**", "/tags/no-longer-here/**"]
schema = "BlogPosting"
title = "{{ page.title }} – {{ site.name }}"
description = "{{ page.summary or page.first_sentences }}"
[[rule]]
match = "/notes/**"
when = "words < 10"
set = { index = false }
reason = "Too thin"
[[rule]]
section = "tags"
when = "entries >= 3"
set = { listed = true }
reason = "Full tags are useful"
[[rule]]
match = "/notes/short/"
set = { index = true }
[robots]
groups = [{ agents = ["*"], disallow = ["/private/", "/*?q="], allow = ["/private/open/"] }]
"""


@pytest.fixture
def site(tmp_path):
    return read_site_file(write_site(tmp_path, {}, RULES))


def table(**columns):
    row = {"loc": f"{URL}/", "kind": "page", "status": 200, "words": 50, "entries": 1,
           "images": [], "videos": [], **columns}  # fmt: skip
    return schema.table([row])


@pytest.mark.parametrize(
    ("columns", "section", "listed", "index", "by", "reason"),
    [
        ({}, "pages", True, True, "default", "unless something says otherwise"),
        ({"loc": f"{URL}/tags/a/"}, "tags", False, True, "section tags", "Tags are for readers"),
        ({"loc": f"{URL}/tags/a/", "entries": 3}, "tags", True, True, "rule 2", "Full tags"),
        ({"loc": f"{URL}/notes/a/", "words": 5}, "notes", False, False, "rule 1", "Too thin"),
        ({"loc": f"{URL}/notes/short/", "words": 5}, "notes", True, True, "default", "unless"),
        ({"loc": f"{URL}/404.html", "kind": "error"}, "pages", False, False, "policy error_pages", "error page"),
        ({"directives": "follow, noindex"}, "pages", False, False, "page", "says noindex"),
        ({"directives": "none"}, "pages", False, False, "page", "says noindex"),
        ({"directives": "noindexed"}, "pages", True, True, "default", "unless"),
        ({"loc": f"{URL}/notes/short/", "words": 5, "directives": "noindex"}, "notes", False, False, "page", "noindex"),
        ({"redirect": f"{URL}/x"}, "pages", False, True, "redirect", "another address"),
        ({"canonical": f"{URL}/x"}, "pages", False, True, "canonical", "another address"),
        ({"canonical": f"{URL}/"}, "pages", True, True, "default", "unless"),
        ({"status": 404}, "pages", False, True, "status", "status 200"),
        ({"loc": f"{URL}/private/a"}, "pages", False, True, "robots.txt", "bars crawlers"),
        ({"loc": f"{URL}/private/open/"}, "pages", True, True, "default", "unless"),
        ({"loc": f"{URL}/find?x=1&q=a"}, "pages", False, False, "policy search_results", "search page"),
        ({"loc": f"{URL}/?s=2024"}, "pages", False, False, "policy search_results", "search page"),
        ({"loc": f"{URL}/forum.php?s=12"}, "pages", True, True, "default", "unless"),
        ({"loc": f"{URL}/search/", "words": 900}, "pages", True, True, "default", "unless"),
        ({"loc": f"{URL}/private/a", "directives": "noindex"}, "pages", False, False, "page", "noindex"),
    ],
)  # fmt: skip
def test_the_last_layer_that_speaks_wins_and_is_named(
    site, columns, section, listed, index, by, reason
):
    pages = table(**columns)
    row = decide(pages, site, NOW).to_dicts()[0]
    assert (row["section"], row["listed"], row["index"], row["decided_by"]) == (
        section, listed, index, by,
    )  # fmt: skip
    assert reason in row["reason"]
    assert row["verdict"] == ("listed" if listed else "unlisted")
    says = explain_layers(pages, site, NOW)
    winners = [layer.name for layer in says if "listed" in layer.won]
    assert winners == [by], "explain tells the same story"
    head = head_data(page_of(row), head_settings(site))
    assert ("noindex" in head.directives) is not index
    assert (head.json_ld is None) is not index


def test_a_draft_lists_nothing_and_says_noindex_everywhere(tmp_path):
    site = read_site_file(write_site(tmp_path, {}, stage="draft"))
    decided = decide(table(), site, NOW)
    assert not_listed(decided.lazy()).collect().rows() == [("the site is a draft", 1)]
    assert head_data(page_of(decided.to_dicts()[0]), head_settings(site)).directives == "noindex"


def test_texts_come_from_the_pattern_then_the_page_then_the_content(site):
    article = {"loc": f"{URL}/notes/a/", "title": "Dawn", "heading": "Dawn at the fen",
               "excerpt": "First sentence. " + "word " * 60, "published": "2026-11-01",
               "author": "Wren", "lastmod": "2026-11-02", "lastmod_from": "meta"}  # fmt: skip
    head = head_data(page_of(decide(table(**article), site, NOW).to_dicts()[0]), head_settings(site))
    assert (head.title, head.title_from) == ("Dawn – www.marrowfen.example", "pattern")
    plain = head_data(
        page_of(decide(table(**{**article, "loc": f"{URL}/a/"}), site, NOW).to_dicts()[0]), head_settings(site)
    )
    assert (plain.title, plain.title_from) == ("Dawn", "page")
    assert plain.description_from == "excerpt"
    assert len(plain.description) <= 160
    assert plain.description.endswith("word…")
    kinds = {node["@type"]: node for node in head.json_ld["@graph"]}
    assert list(kinds) == ["Organization", "WebSite", "WebPage", "BlogPosting", "BreadcrumbList"]
    assert kinds["BlogPosting"]["author"] == {"@type": "Person", "name": "Wren"}
    assert kinds["BlogPosting"]["mainEntityOfPage"]["@id"] == kinds["WebPage"]["@id"]


@pytest.mark.parametrize(
    "pattern", ["/a/**", "/a/*", "/{a,b}/**", "/é/**", "/a b/**", "/x%20y/**", "/**"]
)
def test_patterns_of_folders_match_as_any_pattern_does(pattern):
    """Whole folders take a shorter way; it may not differ from the expression."""
    import re

    import polars as pl

    from jovial_atlas import patterns
    from jovial_atlas.rules.selectors import matches

    paths = [
        "/",
        "/a",
        "/a/",
        "/a/b",
        "/a/b/c?d",
        "/b/x",
        "/ab/",
        "/%C3%A9/z",
        "/a%20b/z",
        "/x%20y/z",
    ]
    found = pl.DataFrame({"_path": paths}).select(hit=matches((pattern,)))["hit"].to_list()
    assert found == [bool(re.search(patterns.to_regex(pattern), path)) for path in paths]


LIMITS = """
[[section]]
name = "notes"
match = "/notes/**"
max_snippet = 50
max_image_preview = "large"
[[rule]]
match = "/notes/b/"
set = { max_snippet = -1, archive = false, translate = false, unavailable_after = "2027-01-31" }
"""


@pytest.mark.parametrize(
    ("columns", "directives"),
    [
        ({}, ""),
        ({"loc": f"{URL}/notes/a/"}, "max-snippet:50, max-image-preview:large"),
        ({"loc": f"{URL}/notes/a/", "directives": "max-snippet:9"},
         "max-snippet:9, max-image-preview:large"),
        ({"loc": f"{URL}/notes/b/"}, "max-snippet:-1, max-image-preview:large, "
         "unavailable_after:2027-01-31, noarchive, notranslate"),
    ],
)  # fmt: skip
def test_limits_are_decided_field_by_field_and_the_page_wins(tmp_path, columns, directives):
    site = read_site_file(write_site(tmp_path, {}, LIMITS))
    row = decide(table(**columns), site, NOW).to_dicts()[0]
    assert head_data(page_of(row), head_settings(site)).directives == directives
