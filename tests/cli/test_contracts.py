"""The contracts for scripts: JSON keys, formats, exit codes, files on disk."""

import csv
import io
import json
import re
import shutil
import subprocess

import pytest

from jovial_atlas.demo.builder import URL
from jovial_atlas.demo.site import MISTAKES
from tests.conftest import page, run_command, write_site


def test_survey_tells_sections_changes_and_findings(marrowfen):
    again = run_command("survey", "--format", "json", cwd=marrowfen)
    assert (again.code, again.err) == (0, "")
    assert set(again.json) == {
        "pages", "sections", "changes", "layout", "doubts", "renamed", "findings",
    }  # fmt: skip
    assert again.json["changes"] == {"added": 0, "changed": 0, "removed": 0}
    assert again.json["sections"]["hides"] == {"pages": 7, "listed": 7, "images": 0, "videos": 6}
    assert sum(one["pages"] for one in again.json["sections"].values()) == again.json["pages"]
    (marrowfen / "public/contact/index.html").unlink()
    (marrowfen / "public/new.html").write_text(page("New"))
    changed = run_command("survey", "--format", "json", cwd=marrowfen)
    assert changed.json["changes"] == {"added": 1, "changed": 0, "removed": 1}


def test_build_is_deterministic_and_touches_only_what_changed(marrowfen):
    public = marrowfen / "public"
    before = {path.name: path.stat().st_mtime_ns for path in public.glob("*.xml")}
    again = run_command("build", "--format", "json", cwd=marrowfen).json
    assert {file["state"] for file in again["files"]} == {"same"}
    assert {path.name: path.stat().st_mtime_ns for path in public.glob("*.xml")} == before
    (public / "contact/index.html").write_text(
        page("Contact", head="<meta name=robots content=noindex>")
    )
    run_command("survey", cwd=marrowfen)
    dry = run_command("build", "--dry-run", "--format", "json", cwd=marrowfen).json
    real = run_command("build", "--format", "json", cwd=marrowfen).json
    assert dry == real
    states = {file["path"]: file["state"] for file in real["files"] if file["state"] != "same"}
    assert states == {"sitemap-pages-1.xml": "changed", "sitemap.html": "changed"}
    assert real["listed"] == again["listed"] - 1
    assert sum(real["not_listed"].values()) == sum(again["not_listed"].values()) + 1
    assert set(real["files"][0]) >= {"path", "urls", "bytes", "state"}


def test_every_file_written_is_accepted_by_xmllint_and_names_only_this_site(marrowfen):
    xmllint = shutil.which("xmllint")
    assert xmllint, "xmllint is missing; on Debian: apt-get install libxml2-utils"
    written = sorted((marrowfen / "public").glob("sitemap*.xml"))
    assert len(written) > 10
    subprocess.run([xmllint, "--noout", *map(str, written)], check=True)
    for path in written:
        locs = re.findall("<loc>(.*?)</loc>", path.read_text())
        assert locs
        assert all(loc.startswith(f"{URL}/") for loc in locs)
    robots = (marrowfen / "public/robots.txt").read_text()
    assert robots.splitlines()[-1] == f"Sitemap: {URL}/sitemap.xml"
    assert "User-agent: mirrorbot\nDisallow: /\n" in robots, "the robots.txt of before is kept"


def test_head_data_of_every_page_stands_in_the_state_folder(marrowfen):
    lines = [
        json.loads(line)
        for path in sorted((marrowfen / ".jovial-atlas/head").glob("*.jsonl"))
        for line in path.read_text().splitlines()
    ]
    by_loc = {line["loc"]: line for line in lines}
    note = by_loc[f"{URL}/field-notes/counting-starlings/"]
    assert note["title"].startswith("How we count")
    assert note["canonical"] == note["loc"]
    kinds = [node["@type"] for node in note["json_ld"]["@graph"]]
    assert kinds == ["Organization", "WebSite", "WebPage", "Article", "BreadcrumbList"]
    film = by_loc[f"{URL}/hides/heron-fishing/"]["json_ld"]["@graph"]
    assert "VideoObject" in [node["@type"] for node in film]
    assert by_loc[f"{URL}/search/"]["directives"] == "noindex"


def test_the_checks_find_every_mistake_of_the_sample_site(marrowfen):
    checked = run_command("check", "--format", "json", cwd=marrowfen)
    assert checked.code == 1
    assert set(checked.json) == {"findings", "counts"}
    assert set(checked.json["counts"]) == {"blocker", "error", "warning", "advice"}
    findings = checked.json["findings"]
    assert all(set(one) == {"code", "severity", "where", "message", "fix"} for one in findings)
    order = ["blocker", "error", "warning", "advice"]
    ranks = [order.index(one["severity"]) for one in findings]
    assert ranks == sorted(ranks), "worst first"
    pages = run_command("pages", "--verdict", "unlisted", "--format", "json", cwd=marrowfen).json
    unlisted = {one["loc"].removeprefix(URL) for one in pages}
    told = "\n".join(f"{one['where']} {one['message']}" for one in findings)
    missed = [p for p in MISTAKES if p.strip("/") not in told and p not in unlisted]
    assert missed == []


def test_pages_and_explain_keep_their_keys(marrowfen):
    listed = run_command(
        "pages", "--match", "/events/**", "--where", "words > 10", "--format", "json", cwd=marrowfen
    ).json
    keys = {"loc", "section", "verdict", "reason", "title", "lastmod", "source"}
    assert {frozenset(one) for one in listed} == {frozenset(keys)}
    rows = list(csv.reader(io.StringIO(run_command("pages", "--format", "csv", cwd=marrowfen).out)))
    assert rows[0] == ["loc", "section", "verdict", "reason", "title", "lastmod", "source"]
    there = run_command("survey", "--format", "json", cwd=marrowfen).json
    assert len(rows) == there["pages"] + 1
    told = run_command("explain", "/search/", "--format", "json", cwd=marrowfen).json
    assert set(told) >= {
        "loc", "verdict", "reason", "decided_by", "layers", "sitemap", "robots", "head",
        "structured_data",
    }  # fmt: skip
    assert (told["verdict"], told["reason"], told["sitemap"]) == (
        "unlisted", "it is a search page", [],
    )  # fmt: skip
    assert told["robots"]["allowed"] is False
    plain = run_command("explain", f"{URL}/species/otter/", cwd=marrowfen)
    assert "sitemap-species-1.xml" in plain.out


def test_robots_test_answers_with_rule_and_line(atlas, tmp_path):
    (tmp_path / "r.txt").write_text("User-agent: lanternbot\nDisallow: /a\nAllow: /a/b$\n")
    ran = atlas("robots", "test", "--file", "r.txt", "--agent", "lanternbot", "--agent", "quillseek",
                "--format", "json", "/a/x", f"{URL}/a/b")  # fmt: skip
    assert ran.code == 0
    assert ran.json["results"] == [
        {"url": "/a/x", "agent": "lanternbot", "allowed": False, "rule": "Disallow: /a", "line": 2},
        {"url": f"{URL}/a/b", "agent": "lanternbot", "allowed": True, "rule": "Allow: /a/b$", "line": 3},
        {"url": "/a/x", "agent": "quillseek", "allowed": True, "rule": None, "line": None},
        {"url": f"{URL}/a/b", "agent": "quillseek", "allowed": True, "rule": None, "line": None},
    ]  # fmt: skip


SITEMAP = (
    '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>{}</loc></url></urlset>'
)


@pytest.mark.parametrize(
    ("arguments", "codes", "exit_code"),
    [
        (("check", "s.xml"), [], 0),
        (("check", "s.xml", "--as", "https://w.example/s.xml"), [], 0),
        (("check", "s.xml", "--as", "https://w.example/deep/s.xml"), ["sitemap-loc-folder"], 1),
        (("check", "s.xml", "--as", "https://v.example/s.xml"), ["sitemap-loc-host"], 1),
        (("check", "."), ["robots-no-sitemap"], 0),
        (("check", ".", "--fail-on", "warning"), ["robots-no-sitemap"], 1),
        (("check", "robots.txt"), [], 0),
        (("check", "i.xml"), ["sitemap-index-unread"], 0),
        (("check", "hidden/robots.txt"), ["site-hidden-robots"], 1),
        (("check", "http://127.0.0.1:9/s.xml"), ["fetch-failed"], 1),
    ],
)
def test_check_works_on_any_file_folder_or_address(atlas, tmp_path, arguments, codes, exit_code):
    (tmp_path / "s.xml").write_text(SITEMAP.format("https://w.example/"))
    (tmp_path / "my-sitemap.xml").write_text(SITEMAP.format("https://w.example/"))
    (tmp_path / "robots.txt").write_text("User-agent: *\nDisallow: /x\n")
    (tmp_path / "hidden").mkdir()
    (tmp_path / "hidden/robots.txt").write_text("User-agent: *\nDisallow: /\n")
    index = SITEMAP.replace("urlset", "sitemapindex").replace("url>", "sitemap>")
    (tmp_path / "i.xml").write_text(index.format("https://w.example/elsewhere.xml"))
    ran = atlas(*arguments, "--format", "json")
    assert [one["code"] for one in ran.json["findings"]] == codes
    assert ran.code == exit_code


@pytest.mark.parametrize(
    ("change", "code"),
    [
        (("public/sitemap-pages-1.xml", f"{URL}/contact/", f"{URL}/nowhere/"), "listed-unknown"),
        (("public/sitemap-pages-1.xml", f"{URL}/contact/", f"{URL}/nowhere/"), "listed-missing"),
        (("public/sitemap-pages-1.xml", f"{URL}/contact/", f"{URL}/search/"), "listed-noindexed"),
        (("public/sitemap-pages-1.xml", f"{URL}/contact/", f"{URL}/walks/"), "listed-redirected"),
        (("public/sitemap-pages-1.xml", f"{URL}/contact/", f"{URL}/print/counting/"), "listed-disallowed"),
        (("public/sitemap-tags-1.xml", f"{URL}/tags/birds/", f"{URL}/places/field-school/"),
         "listed-other-canonical"),
        (("public/robots.txt", "/search/", "/"), "site-hidden-robots"),
        (("public/robots.txt", "/search/", "/sitemap"), "robots-bars-sitemap"),
        (("public/robots.txt", "Sitemap: ", "# "), "robots-no-sitemap"),
        (("public/sitemap.xml", "sitemap-video-1", "sitemap-video-2"), "sitemap-index-missing"),
        (("public/sitemap.xml", "</sitemapindex>", ""), "sitemap-xml-broken"),
    ],
)  # fmt: skip
def test_contradictions_between_files_and_pages_are_found(marrowfen, change, code):
    name, old, new = change
    place = marrowfen / name
    text = place.read_text()
    assert old in text
    place.write_text(text.replace(old, new))
    checked = run_command("check", "--format", "json", cwd=marrowfen)
    found = [one["code"] for one in checked.json["findings"]]
    assert code in found
    if code.startswith("site-hidden"):
        assert found[0] == code, "said first"


def test_a_site_that_hides_itself_by_noindex_is_a_blocker(atlas, tmp_path):
    hidden = page(head="<meta name=robots content=noindex>")
    write_site(tmp_path, {"index.html": hidden, "a.html": hidden, "b.html": hidden})
    for command in ("survey", "build"):
        assert atlas(command).code == 0
    checked = atlas("check", "--format", "json")
    assert checked.json["findings"][0]["code"] == "site-hidden-noindex"
    assert checked.json["counts"]["blocker"] == 1


def test_a_draft_is_hidden_loudly_and_not_announced(atlas, tmp_path):
    site_file = write_site(tmp_path, {"index.html": page()}, stage="draft")
    site_file.write_text(site_file.read_text() + '[[engine]]\nname = "Lanternfish"\n')
    atlas("survey")
    built = atlas("build")
    assert "draft" in built.err
    assert "Disallow: /" in (tmp_path / "public/robots.txt").read_text()
    assert not (tmp_path / "public/sitemap.xml").exists()
    refused = atlas("submit")
    assert (refused.code, "draft" in refused.err) == (2, True)
    site_file.write_text(site_file.read_text().replace('"draft"', '"live"'))
    assert atlas("build").code == 0
    assert "Disallow:\n" in (tmp_path / "public/robots.txt").read_text()
    assert (tmp_path / "public/sitemap.xml").exists()


def test_large_files_are_compressed_and_sections_split(atlas, tmp_path):
    pages = {f"n/{number}.html": page(f"Note {number}") for number in range(7)}
    more = '[sitemap]\nmax_urls = 3\ncompress = "always"\n'
    write_site(tmp_path, pages, more)
    atlas("survey")
    files = {
        file["path"]: file["urls"] for file in atlas("build", "--format", "json").json["files"]
    }
    assert files == {
        "robots.txt": 0, "sitemap.xml": 3, "sitemap-pages-1.xml.gz": 3,
        "sitemap-pages-2.xml.gz": 3, "sitemap-pages-3.xml.gz": 1, "sitemap-view.xsl": 0,
        "sitemap.html": 0,
    }  # fmt: skip
    assert (tmp_path / "public/sitemap-pages-1.xml.gz").read_bytes()[:2] == b"\x1f\x8b"
    assert "listed-missing" not in atlas("check").out


def test_a_file_written_by_hand_is_kept_until_it_is_handed_over(atlas, tmp_path):
    write_site(tmp_path, {"index.html": page()})
    (tmp_path / "public/robots.txt").write_text("User-agent: *\nDisallow: /x\n")
    atlas("survey")
    kept = atlas("build", "--format", "json")
    assert "--replace robots.txt" in kept.err
    assert {file["path"]: file["state"] for file in kept.json["files"]}["robots.txt"] == "kept"
    assert "Disallow: /x" in (tmp_path / "public/robots.txt").read_text()
    assert "file-kept" in atlas("check").out
    assert atlas("build", "--replace", "robots.txt").code == 0
    assert "Sitemap:" in (tmp_path / "public/robots.txt").read_text()
    assert "Disallow: /x" in (tmp_path / ".jovial-atlas/replaced/robots.txt").read_text()


@pytest.mark.parametrize(
    ("arguments", "header"),
    [
        (("survey",), "section,pages,listed,images,videos"),
        (("build",), "path,urls,images,videos,bytes,state"),
        (("check",), "severity,code,where,message,fix"),
        (("robots", "test", "/"), "url,agent,allowed,rule,line"),
    ],
)
def test_tables_are_csv_on_request_and_no_output_in_a_pipe_has_colours(
    marrowfen, arguments, header
):
    rows = list(
        csv.reader(io.StringIO(run_command(*arguments, "--format", "csv", cwd=marrowfen).out))
    )
    assert ",".join(rows[0]) == header
    assert len(rows) > 1
    assert {len(row) for row in rows} == {len(rows[0])}
    plain = run_command(*arguments, cwd=marrowfen)
    assert plain.out.strip()
    assert "\x1b" not in plain.out + plain.err
    quiet = run_command("--quiet", *arguments, "--format", "json", cwd=marrowfen)
    assert (quiet.err, bool(quiet.json)) == ("", True)
