"""What hides a whole site is said first wherever an owner looks."""

import pytest

from tests.conftest import page, write_site

WORDS = "<p>" + "Four hides stand around the open water of the fen. " * 4 + "</p>"
NOINDEX = '<meta name="robots" content="noindex">'


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
    assert text.index('class="first"') < text.index('id="score"')
