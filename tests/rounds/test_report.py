"""The report, and what hides a whole site: said first wherever an owner looks."""

import re

import pytest

from jovial_atlas.report import Bars, Report, Table, render
from jovial_atlas.report.figures import bars
from tests.conftest import page, run_command, write_site

WORDS = "<p>" + "Four hides stand around the open water of the fen. " * 4 + "</p>"
NOINDEX = '<meta name="robots" content="noindex">'


def test_the_report_shows_what_check_build_and_engines_say(marrowfen):
    assert run_command("report", cwd=marrowfen).code == 0
    text = (marrowfen / "report.html").read_text()
    found = run_command("check", "--format", "json", cwd=marrowfen).json
    shown = {
        name: int(value) for value, name in re.findall(r"<dd>([\d,]+)</dd><dt>(\w+)</dt>", text)
    }
    assert shown["errors"] == found["counts"]["error"]
    survey = run_command("survey", "--format", "json", cwd=marrowfen).json
    assert shown["pages"] == survey["pages"]
    assert shown["listed"] == sum(one["listed"] for one in survey["sections"].values())
    assert text.count("<svg") == 3
    for words in ("field-notes", "it is a search page", "sitemap-hides-1.xml", "last half year"):
        assert words in text
    assert 'class="first"' not in text
    assert "http://" not in re.sub(r'"http://www.w3.org[^"]*"|http://www.w3.org\S*', "", text)


@pytest.mark.parametrize(
    ("pages", "more", "stage", "said"),
    [
        ({"index.html": page("A", WORDS, NOINDEX)}, "", "live", "1 of 1 page may not be indexed"),
        ({"index.html": page("A", WORDS)}, '[robots]\ngroups = [{ agents = ["*"], disallow = ["/"] }]',
         "live", "robots.txt bars every crawler"),
        ({"index.html": page("A", WORDS)}, "", "draft", "The site is a draft"),
        ({"index.html": page("A", WORDS), "robots.txt": "User-agent: *\nDisallow: /\n"}, "", "live",
         "robots.txt bars every crawler"),
        ({"index.html": page("A", WORDS)}, '[robots]\ngroups = [{ agents = ["*"], disallow = ["/x/"] }]',
         "live", ""),
    ],
)  # fmt: skip
def test_what_hides_a_whole_site_is_said_first(tmp_path, atlas, pages, more, stage, said):
    engine = '\n[[engine]]\nname = "Lanternfish"\ncrawlers = ["lanternbot"]\nchannels = []\n'
    write_site(tmp_path, pages, more + engine, stage)
    atlas("survey")
    build = atlas("build")
    state = atlas("status", "--format", "json")
    assert atlas("report").code == 0
    text = (tmp_path / "report.html").read_text()
    if not said:
        assert (build.err, state.json["hidden"]) == ("", "")
        assert 'class="first"' not in text
        return
    assert said in " ".join(build.err.splitlines()[:3])
    assert said in state.json["hidden"]
    assert said in text
    assert text.index('class="first"') < text.index('class="figures"')


def test_figures_are_the_same_for_the_same_numbers_and_escape_what_they_show():
    drawn = bars(["a <b>", "c"], [("x & y", [3, 0]), ("z", [1, 2])])
    assert drawn == bars(["a <b>", "c"], [("x & y", [3, 0]), ("z", [1, 2])])
    assert ("a &lt;b&gt;" in drawn, "<b>" in drawn) == (True, False)
    assert bars([], [("x", [])]).startswith("<svg")
    whole = render(
        Report("<S>", "https://x.example", "en", "now", ["<first>"], [("pages", "1")],
               [Bars("t", "a", ["l"], [("s", [1])])], [("error", "<what>", "why", 2, "fix")],
               [Table("T", "a", ("c",), [("<cell>",)])])
    ).decode()  # fmt: skip
    for name in ("S", "first", "what", "cell"):
        assert f"<{name}>" not in whole
