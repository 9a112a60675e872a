"""Setting up from any content: what it is, what is proposed, what is asked again."""

import json
import os
import pty
import select
import subprocess
import time
import tomllib

import polars as pl
import pytest

from tests.conftest import COMMAND, URL, page, run_command

SITEMAP = (
    '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">'
    + "".join(f"<url><loc>{URL}/notes/{name}</loc></url>" for name in ("otter", "heron"))
    + "</urlset>"
)
FEED = (
    f"<rss version='2.0'><channel><title>Fen</title><link>{URL}/</link>"
    + "".join(
        f"<item><title>{name}</title><link>{URL}/notes/{name}</link></item>"
        for name in ("otter", "heron")
    )
    + "</channel></rss>"
)
ATOM = (
    "<feed xmlns='http://www.w3.org/2005/Atom'><title>Fen</title>"
    + "".join(
        f"<entry><title>{name}</title><id>{name}</id><link href='{URL}/notes/{name}'/></entry>"
        for name in ("otter", "heron")
    )
    + "</feed>"
)
ITEMS = [{"id": name, "url": f"{URL}/notes/{name}"} for name in ("otter", "heron")]
JSON_FEED = json.dumps({"version": "https://jsonfeed.org/version/1.1", "items": ITEMS})
MAPPED = f"Page URL;Titel;Geändert\n{URL}/notes/otter;Otter;2026-01-03\n{URL}/notes/heron;Heron;\n"


def site_file(folder):
    return tomllib.loads((folder / "atlas.toml").read_text("utf-8"))


def init(folder, *arguments, code=0):
    ran = run_command("init", *arguments, cwd=folder)
    assert ran.code == code, ran.err
    return ran


@pytest.mark.parametrize(
    ("name", "text", "more", "source"),
    [
        ("old.xml", SITEMAP, (), {"kind": "list", "path": "old.xml"}),
        ("feed.xml", FEED, (), {"kind": "feed", "path": "feed.xml"}),
        ("atom.xml", ATOM, (), {"kind": "feed", "path": "atom.xml"}),
        ("feed.json", JSON_FEED, (), {"kind": "feed", "path": "feed.json"}),
        ("liste.csv", f"Adresse,Título,Résumé\n{URL}/notes/otter,O,R\n{URL}/notes/heron,H,R\n", (),
         {"kind": "table", "path": "liste.csv",
          "columns": {"loc": "Adresse", "title": "Título", "description": "Résumé"}}),
        ("all.txt", f"# ours\n{URL}/notes/otter\n{URL}/notes/heron\n", (),
         {"kind": "list", "path": "all.txt"}),
        ("bare.csv", f"{URL}/notes/otter,2026-01-02\n{URL}/notes/heron,\n", (),
         {"kind": "list", "path": "bare.csv"}),
        ("export.csv", MAPPED, (),
         {"kind": "table", "path": "export.csv",
          "columns": {"loc": "Page URL", "title": "Titel", "lastmod": "Geändert"}}),
        ("shop.jsonl", '{"slug": "notes/otter", "name": "O"}\n{"slug": "notes/heron", "name": "H"}\n',
         ("--url", URL),
         {"kind": "table", "url": "/{slug}", "path": "shop.jsonl", "columns": {"title": "name"}}),
        ("texts/notes/otter.md", "# Otter\n\nOtters.\n", ("--url", URL),
         {"kind": "markdown", "path": "texts"}),
    ],
)  # fmt: skip
def test_content_is_known_by_what_it_is_and_can_be_surveyed(tmp_path, name, text, more, source):
    (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
    (tmp_path / name).write_text(text, "utf-8")
    if name.startswith("texts"):
        (tmp_path / "texts/notes/heron.md").write_text("# Heron\n\nHerons.\n")
    init(tmp_path, "--yes", "--content", name.partition("/")[0], *more)
    read = site_file(tmp_path)
    assert read["site"]["url"] == URL and read["source"] == [source]
    assert read["section"] == [{"name": "notes", "match": "/notes/**"}]
    survey = run_command("survey", "--format", "json", cwd=tmp_path)
    assert survey.json["sections"]["notes"]["pages"] == 2


def test_a_live_site_is_looked_at_with_its_sitemap_and_robots(tmp_path, web):
    for place in ("/", "/notes/a", "/notes/b"):
        web.page(place, head='<title>Home – The fen</title>',
                 body='<a href="/notes/a">A</a> <a href="/notes/b">B</a> <a href="/x/1">X</a>')  # fmt: skip
    listed = "".join(f"<url><loc>{web.url}/old/{n}</loc></url>" for n in range(3))
    sitemap = f'<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">{listed}</urlset>'
    robots = f"User-agent: *\nDisallow: /x/\nSitemap: {web.url}/list.xml\n"
    web.answers["/list.xml"] = (200, {"Content-Type": "application/xml"}, sitemap.encode())
    web.answers["/robots.txt"] = (200, {"Content-Type": "text/plain"}, robots.encode())
    init(tmp_path, "--yes", "--content", web.url, "--output", "out")
    read = site_file(tmp_path)
    assert read["source"] == [{"kind": "site"}] and read["output"] == {"folder": "out"}
    assert {one["name"]: one["match"] for one in read["section"]} == {
        "notes": "/notes/**", "old": "/old/**",
    }  # fmt: skip
    assert read["robots"]["groups"] == [{"agents": ["*"], "disallow": ["/x/"]}]
    assert not [path for path, _ in web.asked if path.startswith("/x/")], "robots.txt is obeyed"
    init(tmp_path, "--yes", "--replace", "--url", URL, "--content", web.url)
    assert site_file(tmp_path)["source"] == [{"kind": "site", "via": web.url}]


@pytest.mark.parametrize(
    ("place", "said"),
    [
        ("nope", "does not exist"),
        ("www.marrowfen.example", "write it with its scheme: https://www.marrowfen.example"),
        ("empty", "no HTML page and no Markdown"),
        ("one.html", "single page"),
        ("sheet.xlsx", "Save it as CSV"),
        ("names.csv", "no column holds addresses; the columns are: who, when"),
        ("notes.bin", "that this tool knows"),
        ("http://127.0.0.1:9/", "cannot be reached"),
    ],
)
def test_what_is_no_content_is_told_with_what_would_be(tmp_path, place, said):
    (tmp_path / "empty").mkdir()
    for name, text in (("one.html", page()), ("sheet.xlsx", "PK"), ("notes.bin", "\0\1"),
                       ("names.csv", "who,when\nWren,2026\n")):  # fmt: skip
        (tmp_path / name).write_text(text)
    ran = init(tmp_path, "--yes", "--content", place, code=2)
    assert said in " ".join(ran.err.split()) and not (tmp_path / "atlas.toml").exists()


def test_parquet_of_ten_thousand_rows_proposes_all_sections_or_large_ones(tmp_path):
    folders = [f"part-{number:03}" for number in range(600)] + ["big"] * 20
    locs = [f"{URL}/{one}/{n}" for one in folders for n in range(2)]
    pl.DataFrame(
        {"loc": [*locs, *(f"{URL}/big/more-{n}" for n in range(100))]}
    ).unique().write_parquet(tmp_path / "all.parquet")
    init(tmp_path, "--yes", "--content", "all.parquet")
    assert len(site_file(tmp_path)["section"]) == 601
    init(tmp_path, "--yes", "--replace", "--content", "all.parquet", "--smallest-section", "50")
    assert [one["name"] for one in site_file(tmp_path)["section"]] == ["big"]


def test_kinds_that_are_not_sure_are_told_by_survey_and_written_to_be_settled(tmp_path):
    long = "<p>" + "Words that go on about the fen. " * 90 + "</p>"
    pages = {
        "index.html": page("Home"), "tags/marsh/index.html": page("Marsh", long),
        "search/index.html": page("Search", long), "c/error.html": page("Errors of the gauge", long),
        "wip/plan.html": page("Plan", long),
    }  # fmt: skip
    for name, text in pages.items():
        (tmp_path / "public" / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "public" / name).write_text(text)
    ran = init(tmp_path, "--yes", "--url", URL, "--html", "public")
    assert "Not sure what these pages are" in ran.out
    text = (tmp_path / "atlas.toml").read_text()
    assert '# listings = ["/tags/marsh/"]' in text and '# drafts = ["/wip/plan.html"]' in text
    survey = run_command("survey", "--format", "json", cwd=tmp_path).json
    assert {(one["key"], one["counts_as"], one["example"]) for one in survey["doubts"]} == {
        ("listings", "page", "/tags/marsh/"), ("search", "search", "/search/"),
        ("errors", "page", "/c/error.html"), ("drafts", "page", "/wip/plan.html"),
    }  # fmt: skip
    with (tmp_path / "atlas.toml").open("a") as file:
        file.write(
            '\n[kinds]\nlistings = ["/tags/**"]\nsearch = []\nerrors = []\ndrafts = ["/wip/**"]\n'
        )
    survey = run_command("survey", "--accept", "--format", "json", cwd=tmp_path).json
    assert survey["doubts"] == []
    rows = run_command("pages", "--format", "json", cwd=tmp_path).json
    listed = {row["loc"]: row["verdict"] == "listed" for row in rows}
    assert listed[f"{URL}/search/"] and not listed[f"{URL}/wip/plan.html"]
    again = run_command("survey", "--format", "json", cwd=tmp_path).json
    assert again["doubts"] == []


def sit(folder, answers):
    """What `init` shows at a terminal where these answers are typed, each when it is asked for."""
    main, side = pty.openpty()
    running = subprocess.Popen(
        [COMMAND, "init"], cwd=folder, stdin=side, stdout=side, stderr=side,
        env={**os.environ, "TERM": "dumb"},
    )  # fmt: skip
    os.close(side)
    seen, waiting = "", list(answers)
    deadline = time.monotonic() + 120
    while time.monotonic() < deadline:
        ready, _, _ = select.select([main], [], [], 0.3)
        if ready:
            try:
                seen += os.read(main, 4096).decode()
            except OSError:
                break
        elif waiting and seen.endswith(": "):
            os.write(main, f"{waiting.pop(0)}\n".encode())
    assert running.wait(timeout=10) == 0, seen
    return seen


def test_questions_have_defaults_and_a_wrong_answer_is_asked_for_again(tmp_path):
    (tmp_path / "public").mkdir()
    (tmp_path / "public/index.html").write_text(
        page("The fen", head="<link rel=canonical href='https://fen.example/'>")
    )
    seen = sit(
        tmp_path, ["nope", "", "ftp://x", "", "", "Fen", "english", "de", "nobody", "", "draft"]
    )
    for said in ("nope does not exist", "[public]", "[https://fen.example]", "no absolute http",
                 "[The fen]", "is no language tag", "is not one of"):  # fmt: skip
        assert said.replace("no absolute", "not an absolute") in seen
    assert site_file(tmp_path)["site"] == {
        "url": "https://fen.example", "name": "The fen", "short_name": "Fen", "language": "de",
        "stage": "draft",
    }  # fmt: skip
