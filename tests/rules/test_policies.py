"""Policies by kind of page, selectors of rules, and what pages may say of themselves."""

import polars as pl
import pytest

from jovial_atlas.head.directives import directives_for, directives_of
from jovial_atlas.pages import schema
from jovial_atlas.pages.page import page_of
from jovial_atlas.robots import Matcher
from jovial_atlas.rounds.publishing.redirects import redirects_of
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.rules import decide, deciding_crawlers, explain_layers, robots_of
from jovial_atlas.rules.policies import EXPIRED, POLICIES, choices_of
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.sitefile.kinds import Policies
from jovial_atlas.sitefile.parts import names_of
from tests.conftest import NOW, URL, page, run_command, write_site

PAGE = {"kind": "page", "status": 200, "words": 500, "entries": 9, "images": [], "videos": []}
PICTURE = [{"loc": f"{URL}/p.jpg", "alt": None}]


def decided(folder, rules="", extra=None, **columns):
    """One page decided by a site file with these additions, and what explain says of it."""
    site = read_site_file(write_site(folder, {}, rules))
    row = {"loc": f"{URL}/a/", **PAGE, **columns}
    row["loc"] = URL + row.pop("path", "") if "path" in columns else row["loc"]
    table = schema.table([row])
    if extra:
        table = table.with_columns(extra=pl.struct(**{n: pl.lit(v) for n, v in extra.items()}))
    return decide(table, site, NOW).to_dicts()[0], explain_layers(table, site, NOW), site


#: Policy → a page that it is about, and one that it leaves alone.
ABOUT = {
    "error_pages": ({"kind": "error"}, {}),
    "drafts": ({"kind": "draft"}, {}),
    "future_pages": ({"kind": "future"}, {}),
    "search_results": ({"path": "/x?q=heron"}, {"path": "/research/"}),
    "feeds": ({"path": "/notes/feed.xml", "kind": "document"}, {"path": "/feed/", "heading": "Feed for ducks"}),
    "attachments": ({"kind": "attachment"}, {}),
    "empty_listings": (
        {"path": "/tags/moss/", "entries": 0, "words": 20},
        {"path": "/topics/moss/", "entries": 0, "words": 900},
    ),
    "paged_listings": ({"path": "/notes/page/2/"}, {"path": "/book/page-12.html", "words": 900}),
    "date_listings": ({"path": "/de/2024/05/"}, {"path": "/2024/05/a-note/"}),
    "author_pages": ({"path": "/authors/wren/"}, {"path": "/authors/"}),
    "thin_pages": ({"words": 49}, {"words": 50}),
    "picture_pages": (
        {"images": PICTURE, "words": 3, "entries": 0},
        {"images": PICTURE, "words": 3, "entries": 0, "description": "Herons"},
    ),
    "print_versions": ({"variant": "print", "variant_of": f"{URL}/b/"}, {}),
    "query_addresses": ({"variant": "query", "variant_of": f"{URL}/b/"}, {}),
    "duplicates": ({"variant": "content", "variant_of": f"{URL}/b/"}, {}),
    "expired_pages": ({"expires": "2026-11-22"}, {"expires": "2026-11-24"}),
}
#: What each choice comes to: listed, index, canonical, where visitors are sent.
EFFECTS = {
    "index": (True, True, None, None),
    "unlist": (False, True, None, None),
    "noindex": (False, False, None, None),
    "canonical": (False, True, f"{URL}/b/", None),
    "parent": (False, True, None, "parent"),
    "file": (False, True, None, "file"),
}
CHOICES = [(name, choice) for name in ABOUT for choice in choices_of(name)]


@pytest.mark.parametrize(("name", "choice"), CHOICES)
def test_each_choice_of_a_policy_does_what_it_says_to_its_pages_alone(tmp_path, name, choice):
    about, beside = ABOUT[name]
    rules = f'[policies]\n{name} = "{choice}"\n'
    file = '[site]\nauthors = "one"\n' if name == "author_pages" else ""
    path = write_site(tmp_path, {}, rules)
    path.write_text(path.read_text().replace("[site]\n", file or "[site]\n"))
    site = read_site_file(path)
    rows = [{"loc": f"{URL}{one.get('path', '/a/')}", **PAGE, **{k: v for k, v in one.items() if k != "path"}}
            for one in (about, beside)]  # fmt: skip
    first, second = (decide(schema.table([row]), site, NOW).to_dicts()[0] for row in rows)
    names = ("listed", "index", "canonical", "send_to")
    assert tuple(first[one] for one in names) == EFFECTS[choice]
    if choice != "index":
        assert first["decided_by"] == f"policy {name}"
    assert (second["listed"], second["index"]) == (True, True)


def test_every_policy_is_in_the_site_file_with_its_choices():
    fields = set(names_of(Policies)) - {"thin_words"}
    assert fields == {one.name for one in POLICIES} | {EXPIRED} == set(ABOUT)


def test_signs_of_a_kind_can_be_named_in_the_site_file(tmp_path):
    rules = '[kinds]\nsearch = ["/finden/**"]\n'
    assert decided(tmp_path, rules, path="/finden/x")[0]["index"] is False
    assert decided(tmp_path, rules, path="/search/")[0]["index"] is True


@pytest.mark.parametrize(
    ("selector", "columns", "hit"),
    [
        ('regex = "/[0-9]{4}/$"', {"path": "/walks/2024/"}, True),
        ('regex = "/[0-9]{4}/$"', {"path": "/walks/2024/a"}, False),
        ('language = "de"', {"language": "de-AT"}, True),
        ('language = "de"', {"language": "den"}, False),
        ('language = "en"', {}, True),
        ('source = "shop"', {"source": "shop"}, True),
        ('author = "Wren"', {"author": "Wren"}, True),
        ('author = "Wren"', {}, False),
        ('tag = "otters"', {"tags": ["frogs", "otters"]}, True),
        ('tag = "otters"', {"tags": ["frogs"]}, False),
        ('older_than = "2 years"', {"lastmod": "2024-11-20"}, True),
        ('older_than = "2 years"', {"lastmod": "2024-12-20"}, False),
        ('older_than = "2 years"', {}, False),
        ('older_than = "2 years"\ndated = "published"', {"published": "2020-01-01"}, True),
        ('newer_than = "7 days"', {"lastmod": "2026-11-20"}, True),
        ('match = "/a/"\nwhen = "words > 100"', {}, True),
        ('match = "/a/"\nwhen = "words > 100"', {"words": 5}, False),
    ],
)
def test_a_rule_is_about_pages_that_fit_all_its_selectors(tmp_path, selector, columns, hit):
    rule = f"[[rule]]\n{selector}\nset = {{ priority = 0.3 }}\n"
    row, says, _ = decided(tmp_path, rule, **columns)
    assert row["priority"] == (0.3 if hit else None)
    assert ("rule 1" in [one.name for one in says]) is hit


LAYERS = """
[defaults]
archive = false
priority = 0.4
[[section]]
name = "a"
match = "/a/**"
priority = 0.5
canonical = "/section/"
[[rule]]
match = "/a/"
set = { canonical = "self", lastmod = "2026-01-01" }
"""


@pytest.mark.parametrize(
    ("columns", "extra", "wanted"),
    [
        ({"path": "/b/"}, {}, {"archive": False, "priority": 0.4, "canonical": None}),
        ({}, {}, {"priority": 0.5, "canonical": f"{URL}/a/", "lastmod": "2026-01-01",
                  "lastmod_from": "site file"}),
        ({"canonical": f"{URL}/own/"}, {}, {"canonical": f"{URL}/own/", "listed": False}),
        ({"lastmod": "2025-05-05", "lastmod_from": "meta"}, {}, {"lastmod": "2025-05-05",
                                                                 "lastmod_from": "meta"}),
        ({"lastmod": "2025-05-05", "lastmod_from": "file"}, {}, {"lastmod": "2026-01-01"}),
        ({}, {"priority": "0.9", "archive": "yes"}, {"priority": 0.9, "archive": True}),
        ({}, {"priority": 7, "index": "no"}, {"priority": 0.5, "index": False, "listed": False}),
        ({}, {"max_image_preview": "huge"}, {"max_image_preview": None}),
        ({"directives": "nosnippet, max-video-preview:3"}, {},
         {"max_snippet": 0, "max_video_preview": 3, "listed": True}),
    ],
)  # fmt: skip
def test_site_section_rule_and_page_are_laid_over_each_other(tmp_path, columns, extra, wanted):
    row, says, _ = decided(tmp_path, LAYERS, extra, **columns)
    assert {name: row[name] for name in wanted} == wanted
    told = {name: one.sets[name] for one in says for name in one.won if name in one.sets}
    same = {name for name in wanted if name in told} - {"lastmod"}
    assert {name: told[name] for name in same} == {name: wanted[name] for name in same}


def test_a_guard_refuses_what_a_page_says_by_field_or_tag(tmp_path):
    rules = '[[guard]]\nfields = ["index", "priority", "canonical"]\nauthors = ["Wren"]\n'
    said = {"directives": "noindex", "canonical": f"{URL}/x/"}
    refused = decided(tmp_path, rules, {"priority": 0.9}, author="Jay", **said)[0]
    assert (refused["index"], refused["priority"], refused["canonical"]) == (True, None, None)
    obeyed = decided(tmp_path, rules, {"priority": 0.9}, author="Wren", **said)[0]
    assert (obeyed["index"], obeyed["priority"], obeyed["canonical"]) == (False, 0.9, f"{URL}/x/")


def test_one_crawler_can_be_told_more_than_the_others(tmp_path):
    rules = (
        '[[rule]]\nmatch = "/a/"\ncrawlers = ["Lanternbot"]\n'
        "set = { index = false, max_snippet = 20 }\n"
        '[[engine]]\nname = "Q"\ncrawlers = ["quillseek"]\nchannels = []\n'
    )
    said = [{"crawler": "quillseek", "words": "nofollow"}]
    row, says, site = decided(tmp_path, rules, crawler_directives=said, directives="noarchive")
    assert (row["listed"], directives_of(page_of(row), site.model.site.stage)) == (True, "noarchive")
    assert directives_for(page_of(row), site.model.site.stage) == {
        "lanternbot": "noindex, max-snippet:20", "quillseek": "nofollow",
    }  # fmt: skip
    assert [one.crawlers for one in says if one.crawlers] == [("lanternbot",), ("quillseek",)]
    other = decided(tmp_path, rules, path="/b/")[0]
    assert directives_for(page_of(other), site.model.site.stage) == {}


@pytest.mark.parametrize(
    ("everyone", "own", "listed"),
    [
        ('disallow = ["/a/"]', 'disallow = ["/b/"]', ["/b/"]),
        ('disallow = ["/a/"]', 'allow = ["/a/"]', ["/b/"]),
        ('disallow = ["/"]', 'disallow = ["/b/"]', ["/a/"]),
        ('disallow = ["/"], allow = ["/a/"]', 'disallow = ["/x/"]', ["/a/"]),
    ],
)
def test_naming_an_engine_lists_no_page_that_all_others_are_barred_from(
    tmp_path, everyone, own, listed
):
    """The group of a crawler decides only where everybody else may fetch nothing at all; and what
    is listed is no contradiction to the check."""
    engine = '[[engine]]\nname = "L"\ncrawlers = ["lanternbot"]\nchannels = []\n'
    groups = f'[robots]\ngroups = [{{ agents = ["*"], {everyone} }}, '
    rules = f'{groups}{{ agents = ["lanternbot"], {own} }}]\n{engine}'
    paths = [path for path in ("/a/", "/b/") if decided(tmp_path, rules, path=path)[0]["listed"]]
    assert paths == listed
    site = decided(tmp_path, rules)[2]
    agents = deciding_crawlers(robots_of(site.model), ["lanternbot"])
    answers = {p: Matcher(robots_of(site.model), agents[0]).ask(p).allowed for p in ("/a/", "/b/")}
    assert [path for path, allowed in answers.items() if allowed] == listed


def test_pages_that_repeat_others_are_found_and_redirects_lead_to_an_end(tmp_path):
    text = "<p>" + "reed and water and alder and rain " * 6 + "</p>"
    picture = "<img src=/p.jpg>"
    pages = {
        "index.html": page("Home", "<p>Four hides and a café, open all year round.</p>"),
        "notes/dawn/index.html": page("Dawn", text + picture),
        "print/notes/dawn/index.html": page("Dawn to print", "<p>Other words entirely.</p>"),
        "print/dawn/index.html": page("Dawn", "<p>Again others.</p>"),
        "notes/copy-of-dawn/index.html": page("Dawn", text + picture),
        "pictures/mist/index.html": page("P", picture),
        "pictures/lost/index.html": page("P", "<img src=/q.jpg>"),
    }
    rules = (
        '[policies]\npicture_pages = "parent"\n'
        '[[rule]]\nmatch = "/one/"\nset = { send_to = "/two/" }\n'
        '[[rule]]\nmatch = "/two/"\nset = { send_to = "/pictures/mist/" }\n'
        '[[rule]]\nmatch = "/round/"\nset = { send_to = "/about/" }\n'
        '[[rule]]\nmatch = "/about/"\nset = { send_to = "/round/" }\n'
    )
    pages |= {
        f"{name}/index.html": page("Walk", text.replace("reed", "sedge")) for name in ("one", "two")
    }
    pages |= {f"{name}/index.html": page(name) for name in ("round", "about")}
    site_file = write_site(tmp_path, pages, rules)
    for _ in range(2):  # the second survey takes pages over from the first
        assert run_command("survey", cwd=tmp_path).code == 0
        survey = last_survey(read_site_file(site_file), NOW)
        found = {
            loc.removeprefix(URL): (kind, of and of.removeprefix(URL))
            for loc, kind, of in survey.decided.filter(pl.col("variant").is_not_null())
            .select("loc", "variant", "variant_of").iter_rows()
        }  # fmt: skip
        assert found == {
            "/print/notes/dawn/": ("print", "/notes/dawn/"),
            "/print/dawn/": ("print", "/notes/dawn/"),
            "/notes/copy-of-dawn/": ("content", "/notes/dawn/"),
            "/two/": ("content", "/one/"),
        }
    onward = redirects_of(survey)
    assert {one.path: one.to for one in onward.hops.single} == dict.fromkeys(
        ("/one/", "/two/", "/pictures/mist/"), f"{URL}/notes/dawn/"
    )
    told = sorted((fault.code, fault.where.removeprefix(URL)) for fault in onward.faults)
    assert told == [
        ("redirect-loop", "/about/"), ("redirect-loop", "/round/"),
        ("redirect-nowhere", "/pictures/lost/"),
    ]  # fmt: skip


def test_policies_are_counted_and_changed_with_a_look_first(marrowfen):
    def rules(*arguments):
        return run_command("rules", *arguments, "--format", "json", cwd=marrowfen)

    listed = {one["name"]: one for one in rules("policies").json["policies"]}
    empty = listed["empty_listings"]
    assert (empty["pages"], empty["decides"], empty["choice"]) == (2, 2, "unlist")
    turns = rules("policy", "empty_listings", "index").json["turns"]
    assert [(turn["field"], turn["after"], turn["count"]) for turn in turns] == [
        ("listed", True, 2)
    ]
    assert rules("policy", "empty_listings", "index", "--yes").json["saved"] is True
    assert 'empty_listings = "index"' in (marrowfen / "atlas.toml").read_text()
    wrong = rules("policy", "empty_listing", "index")
    assert (wrong.code, "Did you mean 'empty_listings'" in wrong.err) == (2, True)
    assert "must be" in rules("policy", "drafts", "hide").err
