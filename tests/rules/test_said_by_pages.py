"""What pages say of themselves, from their files to the verdict, the checks and the build."""

import pytest

from jovial_atlas.robots.directives import read_header
from tests.conftest import URL, page, write_site

WORDS = "<p>" + "The reed is cut in winter, when the birds have gone. " * 4 + "</p>"
ENGINE = '[[engine]]\nname = "Lanternfish"\ncrawlers = ["Lanternbot"]\nchannels = []\n'


@pytest.mark.parametrize(
    ("value", "said"),
    [
        ("noindex", {"": False}),
        ("noarchive, lanternbot: noindex, nofollow", {"": True, "lanternbot": False}),
        ("max-snippet: 20, Quill-bot: none", {"": True, "quill-bot": False}),
        ("unavailable_after: 2027-01-01", {"": True}),
        ("a: noarchive, b: noindex", {"": True, "a": True, "b": False}),
        ("", {"": True}),
    ],
)
def test_a_header_speaks_to_all_or_to_the_crawler_it_names(value, said):
    assert {crawler: one.index for crawler, one in read_header(value).items()} == said


def pages_of(atlas, *arguments):
    rows = atlas("pages", *arguments, "--format", "json").json
    return {row["loc"].removeprefix(URL): row["reason"] for row in rows}


def test_tags_of_a_page_for_one_crawler_and_of_its_expiry_are_obeyed(tmp_path, atlas):
    expired = '<meta property="article:expiration_time" content="2020-05-01">'
    later = '<meta name="robots" content="unavailable_after: 25 Jun 2040 15:00:00 GMT">'
    one = '<meta name="lanternbot" content="noindex, noarchive">'
    heads = {"old": expired, "later": later, "one": one, "plain": ""}
    files = {f"{name}.html": page(name, WORDS, head) for name, head in heads.items()}
    write_site(tmp_path, files, ENGINE)
    assert atlas("survey").code == 0
    assert pages_of(atlas, "--verdict", "unlisted") == {"/old.html": "it has expired"}
    told = atlas("explain", "/one.html", "--format", "json").json
    assert told["head"]["directives_for"] == {"lanternbot": "noindex, noarchive"}
    assert [layer["crawlers"] for layer in told["layers"]][-1] == ["lanternbot"]
    assert told["head"]["directives"] == ""
    kept = atlas("explain", "/later.html", "--format", "json").json["head"]["directives"]
    assert "25 Jun 2040" in kept
    atlas("build")
    found = atlas("check", "--format", "json").json["findings"]
    (hidden,) = [one for one in found if one["code"] == "engine-noindex"]
    assert (hidden["where"], "/one.html" in hidden["message"]) == ("Lanternfish", True)


def test_front_matter_decides_as_far_as_a_guard_allows(tmp_path, atlas):
    notes = tmp_path / "notes"
    notes.mkdir()
    for name, more in (("a", "index: false\nauthor: Wren"), ("b", "index: false\nauthor: Jay"),
                       ("c", "listed: no\npriority: 0.9\nexpires: 2020-01-01"), ("d", "")):  # fmt: skip
        (notes / f"{name}.md").write_text(f"---\ntitle: {name}\n{more}\n---\nText.\n")
    (tmp_path / "atlas.toml").write_text(
        f'[site]\nurl = "{URL}"\n[[source]]\nkind = "markdown"\npath = "notes"\nurl = "/{{slug}}/"\n'
        '[[guard]]\nfields = ["index"]\nauthors = ["Wren"]\nreason = "The archive stays"\n'
    )
    atlas("survey")
    assert pages_of(atlas, "--verdict", "unlisted") == {
        "/a/": "the page's own field says so", "/c/": "the page's own field says so",
    }  # fmt: skip
    atlas("build")
    found = atlas("check", "--format", "json").json["findings"]
    refused = [one for one in found if one["code"] == "override-refused"]
    assert [one["where"] for one in refused] == [f"{URL}/b/"]
    assert "index" in refused[0]["message"]
    assert "The archive stays" in refused[0]["message"]


def test_an_engine_that_alone_is_barred_is_told_and_pages_that_come_back_too(tmp_path, atlas):
    groups = '[robots]\ngroups = [{ agents = ["lanternbot"], disallow = ["/a.html"] }]\n'
    hide = '[[rule]]\nmatch = ["/a.html", "/b.html"]\nset = { index = false }\n'
    files = {f"{name}.html": page(name, WORDS) for name in "abcdefghijklmnopqrstuvwx"}
    place = write_site(tmp_path, files, groups + hide + ENGINE)
    atlas("survey")
    assert "may be indexed again" not in atlas("build").err
    place.write_text(place.read_text().replace(hide, ""))
    again = atlas("build")
    assert "2 pages may be indexed again" in " ".join(again.err.split())
    found = atlas("check", "--format", "json").json["findings"]
    (barred,) = [one for one in found if one["code"] == "engine-barred"]
    assert "may not fetch 1 listed page: /a.html" in barred["message"]
    assert "indexed again" not in atlas("build").err, "it is told once"
