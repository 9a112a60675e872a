"""What the page table and its verdicts show: each check on the smallest site that has the fault."""

import pytest

from jovial_atlas.checks import pages as checks
from jovial_atlas.checks import texts
from jovial_atlas.faults import Fault
from jovial_atlas.findings.finding import at_or_above, counts, findings_of
from jovial_atlas.head.settings import head_settings
from jovial_atlas.pages import schema
from jovial_atlas.robots import parse_robots
from jovial_atlas.rules import decide, hiding
from jovial_atlas.sitefile import read_site_file
from tests.conftest import NOW, URL, write_site

OPEN = parse_robots(b"User-agent: *\nDisallow: /private/\n")
SHUT = parse_robots(b"User-agent: *\nDisallow: /\n")


@pytest.fixture
def site(tmp_path):
    return read_site_file(write_site(tmp_path, {}))


def decided(site, *rows):
    """A decided table of pages given as (path, columns)."""
    base = {"kind": "page", "status": 200, "images": [], "videos": [], "links": []}
    made = [
        {
            **base,
            "title": f"Title of {path}",
            "description": f"About {path}",
            "loc": URL + path,
            **more,
        }
        for path, more in rows
    ]
    return decide(schema.table(made), site, NOW)


def told(faults):
    return [(fault.code, fault.where.removeprefix(URL)) for fault in faults]


ENGLISH = "The otters of the fen fish at the lower sluice all winter, and leave tracks in the snow."
GERMAN = "Die Otter im Moor fischen den ganzen Winter am unteren Wehr und lassen Spuren im Schnee."


@pytest.mark.parametrize(
    ("row", "expected"),
    [
        ({"title": "Otters", "description": ENGLISH}, []),
        ({"title": "Otter", "description": GERMAN}, ["text-language"]),
        ({"title": "Otter", "description": GERMAN, "language": "de-AT"}, []),
        ({"title": "Otter am Wehr", "description": "Nur im Winter"}, []),
        ({"title": "Otters", "description": ENGLISH, "phrase": "otter"}, ["phrase-absent"]),
        ({"title": "Otters", "description": ENGLISH, "heading": "Our otters", "excerpt": "Otters.",
          "phrase": "Otters"}, []),
        ({"title": "T", "description": None, "phrase": "Otters"}, ["phrase-absent"]),
    ],
)  # fmt: skip
def test_texts_are_in_the_language_of_their_page_and_say_its_phrase(site, row, expected):
    published = texts.published_texts(decided(site, ("/a", row)), head_settings(site))
    found = [*texts.check_languages(published, site), *texts.check_lengths(published, head_settings(site), site.model.lengths)]
    told = [f for f in found if not f.code.endswith(("short", "long"))]
    assert [fault.code for fault in told] == expected


def test_listed_pages_of_html_say_their_language(site):
    rows = [("/a", {"path": "a.html"}), ("/b", {"path": "b.html", "language": "de"}),
            ("/c", {"path": "c.csv"}), ("/d", {"path": "d.html", "directives": "noindex"})]  # fmt: skip
    assert told(checks.check_languages_said(decided(site, *rows).lazy())) == [("language-missing", "/a")]


def test_titles_are_compared_as_they_are_published(tmp_path):
    more = '[[section]]\nname = "n"\nmatch = "/n/**"\ntitle = "{{ page.heading }}"\n'
    site = read_site_file(write_site(tmp_path, {}, more))
    rows = [(f"/n/{name}", {"title": "Same", "heading": name}) for name in "ab"]
    table = decided(site, *rows)
    said = texts.with_published(table, texts.published_texts(table, head_settings(site)))
    assert told(checks.check_texts(said.lazy())) == []
    assert told(checks.check_texts(table.lazy())) == [("title-duplicate", "/n/a")]


@pytest.mark.parametrize(
    ("robots", "rows", "expected"),
    [
        (OPEN, [("/", {})], []),
        (SHUT, [("/", {}), ("/a", {})], [("site-hidden-robots", "/robots.txt")]),
        (parse_robots(b"User-agent: *\nDisallow: /\nAllow: /a"), [("/", {}), ("/a", {})], []),
        (parse_robots(b"User-agent: mirrorbot\nDisallow: /"), [("/", {})], []),
        (OPEN, [("/", {"directives": "noindex"}), ("/a", {})], [("site-hidden-noindex", "/")]),
        (
            OPEN,
            [("/", {"directives": "noindex"})],
            [("site-hidden-noindex", "/"), ("nothing-listed", "/")],
        ),
        (OPEN, [("/a", {"redirect": f"{URL}/b"})], [("nothing-listed", "/")]),
        (OPEN, [("/404.html", {"kind": "error"})], []),
        (OPEN, [("/", {}), *[(f"/{n}", {"kind": "error", "directives": "noindex"}) for n in range(20)]], []),
    ],
)
def test_a_site_that_hides_itself_is_found(site, robots, rows, expected):
    pages = decided(site, *rows)
    found = hiding.whole_site(site, hiding.shown_by(pages, site), robots, pages)
    assert told(found) == expected


@pytest.mark.parametrize(
    ("rows", "expected"),
    [
        ([("/a", {}), ("/b", {})], []),
        ([("/a", {"title": None})], [("title-missing", "/a")]),
        ([("/a", {"title": None, "directives": "noindex"})], []),
        ([("/a", {"title": "T"}), ("/b", {"title": "T"})], [("title-duplicate", "/a")]),
        ([("/a", {"title": "T"}), ("/b", {"title": "T", "directives": "noindex"})], []),
        ([("/a", {"description": None})], [("description-missing", "/a")]),
        (
            [("/a", {"description": "D"}), ("/b", {"description": "D"})],
            [("description-duplicate", "/a")],
        ),
    ],
)
def test_texts_are_compared_among_listed_pages_only(site, rows, expected):
    assert told(checks.check_texts(decided(site, *rows).lazy())) == expected


@pytest.mark.parametrize(
    ("rows", "expected"),
    [
        ([("/a", {"canonical": f"{URL}/a"})], []),
        ([("/a", {"canonical": f"{URL}/b"}), ("/b", {})], []),
        ([("/a", {"canonical": f"{URL}/b"})], [("canonical-missing", "/a")]),
        ([("/a", {"canonical": "https://o.example/"})], [("canonical-other-host", "/a")]),
        (
            [("/a", {"canonical": f"{URL}/b"}), ("/b", {"directives": "noindex"})],
            [("canonical-unfindable", "/a")],
        ),
        (
            [("/a", {"canonical": f"{URL}/b"}), ("/b", {"redirect": f"{URL}/c"})],
            [("canonical-unfindable", "/a")],
        ),
        (
            [("/a", {"canonical": f"{URL}/b"}), ("/b", {"canonical": f"{URL}/a"})],
            [("canonical-loop", "/b"), ("canonical-loop", "/a")],
        ),
        (
            [("/a", {"canonical": f"{URL}/b"}), ("/b", {"canonical": f"{URL}/c"}), ("/c", {})],
            [("canonical-chain", "/a")],
        ),
        (
            [("/a", {"canonical": f"{URL}/c"}), ("/b", {"canonical": f"{URL}/c"}), ("/c", {})],
            [("canonical-shared", "/c")],
        ),
        (
            [("/a", {"canonical": f"{URL}/b", "directives": "noindex"}), ("/b", {})],
            [("noindex-canonical", "/a")],
        ),
    ],
)
def test_canonicals_lead_to_a_page_that_can_be_found(site, rows, expected):
    assert told(checks.check_canonicals(decided(site, *rows).lazy(), site)) == expected


def test_a_noindex_that_nobody_can_see_is_told(site):
    rows = [("/private/a", {"directives": "noindex"}), ("/b", {"directives": "noindex"})]
    assert told(checks.check_noindex_seen(decided(site, *rows).lazy(), OPEN)) == [
        ("noindex-disallowed", "/private/a")
    ]


def test_links_are_broken_only_where_neither_page_nor_file_is_there(site):
    links = [f"{URL}/b", f"{URL}/map.pdf", f"{URL}/gone"]
    table = decided(site, ("/a", {"links": links}), ("/b", {"links": [f"{URL}/gone"]}))
    faults = list(checks.check_links(table.lazy(), lambda address: address.endswith(".pdf")))
    assert told(faults) == [("link-broken", "/gone")]
    assert faults[0].message.startswith("2 pages link to it")


def test_findings_come_worst_first_and_each_once():
    faults = [
        Fault("title-missing", "a", "x"),
        Fault("site-hidden-robots", "b", "y"),
        Fault("title-missing", "a", "x"),
    ]
    found = findings_of(faults)
    assert [one.severity for one in found] == ["blocker", "warning"]
    assert counts(found) == {"blocker": 1, "error": 0, "warning": 1, "advice": 0}
    assert at_or_above(found[1:], "warning")
    assert not at_or_above(found[1:], "error")
