"""Wrong input: one clear sentence on standard error, exit code 2, nothing lost."""

import os
import socket

import pytest

from tests.conftest import URL, page, run_command, write_site

ENGINE = '[[engine]]\nname = "Lanternfish"\n'


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("survey",), "Run `jovial-atlas init`"),
        (("--site", "nope.toml", "survey"), "does not exist"),
        (("init", "--yes"), "--content (or --html)"),
        (("init", "--yes", "--url", "marrowfen.example", "--html", "nope"), "does not exist"),
        (("init", "--yes", "--url", "ftp://w.example", "--html", "."), "absolute http"),
        (("init", "--yes", "--url", "https://w.example/docs", "--html", "."), "scheme and host"),
        (("init", "--yes", "--url", "https://w.example", "--html", "."), "holds no HTML page"),
        (("init",), "no terminal"),
        (("check", "nope.xml"), "no file or folder"),
        (("check", "."), "no sitemap and no robots.txt"),
        (("check", "a", "b", "--as", "https://w.example/"), "exactly one"),
        (("robots", "test", "--file", "nope.txt", "/"), "cannot be read"),
        (("standin", "--host", "www.marrowfen.example=8.8.8.8:80"), "loopback"),
        (("standin", "--host", "nonsense"), "HOST=PLACE"),
        (("standin", "--token-env", "NO_SUCH_TOKEN"), "holds no token"),
        (("surveey",), "Did you mean 'survey'"),
        (("demo", "nope", "--serve"), "no sample site"),
    ],
)
def test_what_cannot_run_says_why_and_what_to_do(atlas, arguments, words):
    ran = atlas(*arguments)
    assert ran.code == 2
    assert words in ran.err
    assert ran.out == ""


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("submit",), "no survey"),
        (("build",), "Run `jovial-atlas survey` first"),
        (("check",), "Run `jovial-atlas survey` first"),
        (("status",), "Run `jovial-atlas build` first"),
        (("submit", "--engine", "lantern"), "Did you mean Lanternfish"),
    ],
)
def test_commands_out_of_order_name_the_one_that_comes_first(atlas, tmp_path, arguments, words):
    write_site(tmp_path, {"index.html": page()}, ENGINE)
    ran = atlas(*arguments)
    assert (ran.code, words in ran.err) == (2, True), ran.err


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("explain", "/nope/"), "no page of the last survey"),
        (("explain", "/inde"), "The nearest is https://www.marrowfen.example/index"),
        (("explain", "https://other.example/"), "not of this site"),
        (("explain", "index"), "from '/' on"),
        (("pages", "--section", "nope"), "there are"),
        (("pages", "--where", "wrds > 1"), "does not have"),
        (("pages", "--where", "words >"), "no SQL condition"),
        (("pages", "--match", "notes"), "must begin with '/'"),
        (("submit",), "names no engine"),
        (("build", "--replace", "nope.txt"), "no file nope.txt"),
        (("init", "--yes", "--url", "https://w.example", "--html", "public"), "left as it is"),
    ],
)
def test_wrong_questions_about_a_site_are_answered_plainly(atlas, tmp_path, arguments, words):
    site_file = write_site(tmp_path, {"index-of-things.html": page()})
    atlas("survey")
    before = site_file.read_text()
    ran = atlas(*arguments)
    assert (ran.code, words in ran.err) == (2, True), ran.err
    assert site_file.read_text() == before


def test_a_port_in_use_is_named(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = str(taken.getsockname()[1])
        ran = run_command("standin", "--port", port, cwd=tmp_path)
    assert (ran.code, f"Port {port} cannot be used" in ran.err) == (2, True)


def test_one_broken_file_is_a_finding_and_the_rest_goes_on(atlas, tmp_path):
    write_site(tmp_path, {"index.html": page(), "bad.html": "", "a.html": page("A")})
    (tmp_path / "public/binary.html").write_bytes(b"\x00\xff" * 900)
    (tmp_path / "public/gone.html").symlink_to("nowhere.html")
    survey = atlas("survey", "--format", "json")
    assert (survey.code, survey.json["pages"]) == (0, 2)
    found = {(one["code"], one["where"]) for one in survey.json["findings"]}
    assert found == {
        ("page-empty", "bad.html"), ("page-not-html", "binary.html"),
        ("page-unreadable", "gone.html"),
    }  # fmt: skip


def test_a_hidden_site_is_not_announced(atlas, tmp_path):
    write_site(tmp_path, {"index.html": page()}, ENGINE)
    (tmp_path / "public/robots.txt").write_text("User-agent: *\nDisallow: /\n")
    for command in ("survey", "build"):
        atlas(command)
    ran = atlas("submit")
    assert (ran.code, "bars every crawler" in ran.err) == (2, True)


def test_an_old_site_file_is_kept_when_a_new_one_is_asked_for(atlas, tmp_path):
    site_file = write_site(tmp_path, {"index.html": page()})
    old = site_file.read_text()
    ran = atlas("init", "--yes", "--replace", "--url", "w.example", "--html", "public")
    assert ran.code == 0
    assert (tmp_path / "atlas.toml.before").read_text() == old
    assert 'url = "https://w.example"' in site_file.read_text()


def test_a_folder_full_of_horrors_ends_in_findings_and_valid_files(atlas, tmp_path):
    """Names that are not UTF-8, links no file system takes, depth, noise: no traceback."""
    deep, far = "<div>" * 20_000, "b" * 5_000
    horrors = {
        b"index.html": f"<title>x</title>{deep}deep".encode(),
        b"bad\xff.html": b"<title>bad name</title>",
        b"a b&c<d>'.html": b"<title>&lt;odd&gt; & \"name\"</title>",
        b"noise.html": bytes(range(1, 256)) * 200,
        b"utf16.html": "<title>\u00fc</title><p>hi".encode("utf-16"),
        b"links.html": f"<a href='{far}'>x</a><a href='http://[1'>y</a><a href='/%00'>n</a>"
        "<a href='ht!tp://%1'>z</a><a href='\u202e?\u00e9'>k</a>".encode(),
        b"data.html": b"<script type='application/ld+json'>" + b"[" * 5_000 + b"</script>"
        b"<meta name=date content='9999-99-99'><link rel=canonical href='https://w.example:99999/'>",
        b"loop.html": b"<meta http-equiv=refresh content='0;url=loop.html'><title>loop</title>",
    }  # fmt: skip
    write_site(tmp_path, {})
    (tmp_path / "public").mkdir()
    for name, data in horrors.items():
        (tmp_path / "public" / os.fsdecode(name)).write_bytes(data)
    for command in (("survey",), ("survey",), ("build",), ("pages",), ("explain", "/bad%FF.html")):
        ran = atlas(*command)
        assert ran.code == 0, ran.err
    checked = atlas("check", "--all", "--format", "json")
    found = {one["code"] for one in checked.json["findings"]}
    assert {"json-ld-broken", "date-unreadable", "canonical-unusable", "link-broken"} <= found
    assert not [code for code in found if code.startswith(("sitemap", "listed"))]
    assert max(map(len, atlas("check").out.splitlines())) < 700


def test_a_survey_says_what_became_no_page(tmp_path):
    (tmp_path / "atlas.toml").write_text(
        f'[site]\nurl = "{URL}"\n\n[[source]]\nkind = "table"\npath = "t.csv"\n', "utf-8"
    )
    (tmp_path / "t.csv").write_text("loc\n/a/\nhttps://o.example/\n\"\"\nhttps://p.example/\n")
    said = run_command("survey", cwd=tmp_path).out
    assert "t.csv:3: https://o.example/ is on another host; the row is left out. (1 more like it)" in said
    assert "t.csv:4: The row gives no address; it is left out." in said
    (tmp_path / "t.csv").write_text("loc\n/a/\n" + "https://o.example/\n" * 30)
    said = " ".join(run_command("survey", "--accept", cwd=tmp_path).out.split())
    assert f"t.csv: 30 rows are left out, whose addresses are not of {URL}: https://o.example (30)." in said
