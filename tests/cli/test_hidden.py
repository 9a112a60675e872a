"""What hides a whole site is said first, by every command and in the same words; a page that hides by
a rule alone needs `inject`, and it is said; what is decided and what is checked agree."""

import pytest

from tests.conftest import URL, page, write_site

NOINDEX = '<meta name="robots" content="noindex">'
PAGES = {f"{n}.html": page(f"Page {n}", f"<p>Words {n}.") for n in range(5)} | {"index.html": page("Home")}
ENGINE = '[[engine]]\nname = "L"\nchannels = [{ kind = "indexnow", endpoint = "http://127.0.0.1:9/" }]\n'
BARRED = '[[robots.groups]]\nagents = ["*"]\ndisallow = ["/"]\n'


@pytest.mark.parametrize(
    ("pages", "more", "url", "code"),
    [
        (PAGES, "", URL, ""),
        ({p: t.replace("<head>", f"<head>{NOINDEX}") for p, t in PAGES.items()}, "", URL, "site-hidden-noindex"),
        # Error pages are none of the site, so they do not make up for the others.
        ({p: t.replace("<head>", f"<head>{NOINDEX}") for p, t in PAGES.items()} | {"404.html": page("Gone")},
         "", URL, "site-hidden-noindex"),
        (PAGES, BARRED, URL, "site-hidden-robots"),
        (PAGES, BARRED.replace("\n", '\nallow = ["/nothing/"]\n', 1), URL, "site-hidden-robots"),
        (PAGES, BARRED.replace("\n", '\nallow = ["/*.html$"]\n', 1), URL, ""),
        *((PAGES, "", url, "site-temporary") for url in
          ("http://127.0.0.1:8000", "http://localhost", "http://box.local", "https://[::1]", "https://10.0.0.5",
           "https://intranet", "https://www.marrowfen.example:8443")),
    ],
)  # fmt: skip
def test_all_commands_say_the_same_first(tmp_path, atlas, pages, more, url, code):
    site = write_site(tmp_path, pages, more + ENGINE)
    site.write_text(site.read_text().replace(URL, url))
    surveyed, built = atlas("survey", "--format", "json"), atlas("build", "--format", "json")
    checked = atlas("check", "--format", "json")
    found = {one["code"] for one in checked.json["findings"] if one["severity"] == "blocker"}
    said = {surveyed.json.get("hidden", ""), built.json["hidden"]}
    assert len(said) == 1, said
    (words,) = said
    assert bool(words) == bool(code), words
    assert found == ({code} if code else set())
    sent = atlas("submit", "--dry-run")
    assert (sent.code != 0) == bool(code), sent
    if code:
        assert code in sent.err
        # From the robots.txt that was built, the line is known too.
        now = atlas("status", "--format", "json").json["hidden"]
        assert words.partition(".")[0] == now.partition(".")[0]


@pytest.mark.parametrize(
    ("groups", "crawlers", "listed"),
    [
        ('[[robots.groups]]\nagents = ["*"]\ndisallow = ["/2"]\n', [], 5),
        ('[[robots.groups]]\nagents = ["*"]\ndisallow = ["/2"]\n'
         '[[robots.groups]]\nagents = ["quaybot"]\ndisallow = ["/none/"]\n', [], 5),
        ('[[robots.groups]]\nagents = ["*"]\ndisallow = ["/2"]\n'
         '[[robots.groups]]\nagents = ["quaybot"]\ndisallow = ["/none/"]\n', ["quaybot"], 5),
        ('[[robots.groups]]\nagents = ["quaybot"]\ndisallow = ["/2"]\n', ["quaybot"], 6),
    ],
)  # fmt: skip
def test_build_and_check_agree_on_barred_pages(tmp_path, atlas, groups, crawlers, listed):
    engine = f'[[engine]]\nname = "Q"\ncrawlers = {crawlers!r}\n' if crawlers else ""
    write_site(tmp_path, PAGES, groups + engine)
    assert atlas("survey").code == 0
    assert atlas("build", "--format", "json").json["listed"] == listed
    checked = atlas("check", "--format", "json")
    assert checked.json["counts"]["error"] == 0, checked.out


def test_a_pattern_that_fails_for_a_page_is_a_finding_there(tmp_path, atlas):
    write_site(tmp_path, {"a.html": page("A"), "b.html": page("B", '<p>Words.<img src="/i.png" width="900" height="600">')},
               "[head]\ntitle = \"{{ page.title }} {{ page.images[0].loc }}\"\n")  # fmt: skip
    assert [atlas(one).code for one in ("survey", "build")] == [0, 0]
    found = [one for one in atlas("check", "--format", "json").json["findings"] if one["code"] == "pattern-failed"]
    assert [(one["where"].endswith("/a.html"), "page.images" in one["message"]) for one in found] == [(True, True)]
    assert atlas("explain", "/a.html", "--format", "json").json["head"]["title"] == "A"


@pytest.mark.parametrize(
    "pattern",
    ["{{ 'x' * 10**9 }}", "{% for a in range(10**9) %}{% endfor %}", "{% include 'atlas.toml' %}",
     "{{ page.__class__ }}", "{{ ''.__class__.mro() }}", "{{ 1 / 0 }}", "{{ page.title | upper(1, 2) }}",
     "{% for a in page.title %}{% for b in page.title %}{% for c in page.title %}{% for d in page.title %}x"
     "{% endfor %}{% endfor %}{% endfor %}{% endfor %}"],
)  # fmt: skip
def test_no_pattern_ends_a_command_or_leaves_its_room(tmp_path, atlas, pattern):
    write_site(tmp_path, {"a.html": page("A" * 300)}, f"[head]\ntitle = {pattern!r}\n")
    for command in (("survey",), ("build",), ("explain", "/a.html"), ("check",)):
        ran = atlas(*command)
        assert ran.code in (0, 1, 2), ran
        assert "Traceback" not in ran.err


def test_one_page_that_cannot_be_understood_is_one_finding(tmp_path, atlas):
    deep = "<div>" * 60_000
    write_site(tmp_path, {
        "good.html": page("Good"),
        "deep.html": page("Deep", deep),
        "code.html": page("Code", head='<meta charset="punycode">').replace('<meta charset="utf-8">', ""),
        "half.html": page("Half", head='<script type="application/ld+json">{"@context": "https://schema.org", '
                          '"@type": "Event", "name": "\\ud83d"}</script>'),
    })  # fmt: skip
    surveyed = atlas("survey", "--format", "json")
    assert surveyed.code == 0, surveyed
    assert surveyed.json["pages"] == 4
    assert {(one["code"], one["where"].rpartition("/")[2]) for one in surveyed.json["findings"]} >= {
        ("page-cut", "deep.html")
    }
    assert [atlas(one).code in (0, 1) for one in ("build", "check", "inject")] == [True] * 3
