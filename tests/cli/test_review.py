"""`review` as it is installed: pages of a survey, files before they are published, addresses."""

import pytest

from jovial_atlas.findings.marks import MARKS
from jovial_atlas.standin.server import Serving, listen
from jovial_atlas.standin.site import ServedSite
from tests.conftest import page, run_command, write_site

SITE = """
[[section]]
name = "api"
match = "/api/**"

[[rule]]
match = "/best/"
set = {{ important = true }}

[overrides]
file = "overrides.csv"

[review]
off = ["links-out"]
weights = {{ share-picture = 0 }}

[[review.for]]
sections = ["api"]
off = ["description-size"]
most = {{ {mark} = 5 }}
"""


PAGES = {
    "index.html": page("Home", '<a href="/best/">Otters</a> <a href="/api/a/">A</a>'),
    "best/index.html": page(
        "Otter walk", f"<p>{'Otters come at dawn. ' * 30}</p><a href=/gone/>here</a>"
    ),
    "api/a/index.html": page("A", "<h2>B</h2><p>one two three four five six</p>"),
}


@pytest.fixture
def site(tmp_path):
    write_site(tmp_path, PAGES, SITE.format(mark="heading-spacing"))
    (tmp_path / "overrides.csv").write_text(
        "loc,phrase,exempt,reason\n/best/,otter walks; dawn,,\n"
        "/api/a/,,links-within,Reference pages stand alone\n"
    )
    assert run_command("survey", cwd=tmp_path).code == 0
    return tmp_path


def marks_of(told):
    return {mark["code"]: mark for mark in told["marks"]}


def test_pages_of_a_survey_are_held_against_the_list(site):
    told = run_command("review", "--format", "json", cwd=site).json
    first, *others = told["pages"]
    assert first["loc"].endswith("/best/"), "important pages come first"
    assert (first["important"], first["phrases"]) == (True, ["otter walks", "dawn"])
    marks = marks_of(first)
    assert set(marks["phrase-title"]) == {
        "code", "group", "state", "measured", "wanted", "why", "fix", "weight",
    }  # fmt: skip
    assert marks["phrase-often"]["state"] == "short"
    assert marks["links-lead"]["measured"] == "/gone/ does not exist"
    assert "links-out" not in marks, "switched off"
    assert marks["share-picture"]["weight"] == 0
    (api,) = [one for one in others if "/api/" in one["loc"]]
    assert "description-size" not in marks_of(api), "switched off for its section"
    assert marks_of(api)["heading-spacing"]["wanted"] == "one at least every 5 words"
    assert marks_of(api)["links-within"]["exempt"] == "Reference pages stand alone"
    counted = [mark for one in told["pages"] for mark in one["marks"]
               if mark["weight"] and "exempt" not in mark]  # fmt: skip
    assert sum(told["site"]["states"].values()) == len(counted)
    assert {one["code"] for one in told["site"]["worst"]} <= set(MARKS)
    shown = run_command("review", "/best/", cwd=site).out
    for said in ("of 100", "otter walks; dawn", "Target phrase", "short", "do:"):
        assert said in shown
    listed = run_command("review", "--worst", "1", cwd=site).out
    assert "important: /best/" in listed
    assert "2 with less to gain not shown" in listed


def test_pipelines_take_the_marks(site):
    assert run_command("review", "--fail-under", "100", cwd=site).code == 1
    assert run_command("review", "--fail-under", "1", cwd=site).code == 0
    sarif = run_command("review", "--section", "api", "--format", "sarif", cwd=site).json
    rules = [one["id"] for one in sarif["runs"][0]["tool"]["driver"]["rules"]]
    assert set(rules) <= set(MARKS)
    assert (
        b"jovial-atlas review" in run_command("review", "--format", "junit", cwd=site).out.encode()
    )
    rows = run_command("review", "--where", "words > 50", "--format", "csv", cwd=site).out
    assert {line.split(",")[0] for line in rows.splitlines()[1:]} == {
        "https://www.marrowfen.example/best/"
    }


def test_what_is_not_published_yet_is_reviewed_as_it_will_be(site, tmp_path_factory):
    draft = site / "public/draft.html"
    draft.write_text(page("Otter walk", "<p>" + "Herons stand and wait. " * 30 + "</p>"))
    told = run_command("review", "public/draft.html", "--format", "json", cwd=site).json["pages"][0]
    assert told["loc"] == "https://www.marrowfen.example/draft.html"
    assert marks_of(told)["title-own"]["measured"] == "also that of /best/"
    served = run_command(
        "review",
        "public/draft.html",
        "--as",
        "https://www.marrowfen.example/api/new/",
        "--format",
        "json",
        cwd=site,
    )
    assert served.json["pages"][0]["section"] == "api"
    alone = tmp_path_factory.mktemp("alone")
    (alone / "a.md").write_text(
        "---\ntitle: Otters of the marsh\nphrase: otter\nimportant: true\n---\n\n" + "They come. " * 60
    )
    told = run_command("review", "a.md", "--format", "json", cwd=alone).json["pages"][0]
    assert "title-own" not in marks_of(told), "nobody knows other pages"
    assert "heading-main" not in marks_of(told), "a template may have it"
    assert marks_of(told)["title-size"]["state"] == "good"
    assert (told["phrases"], told["important"]) == (["otter"], True)
    (alone / "c.html").write_bytes(
        b'<html><head><meta charset="windows-1252"></head><body><p>'
        + ("Die Führung für Vögel am Fluß beginnt früh. " * 20).encode("windows-1252")
    )
    told = run_command("review", "c.html", "--format", "json", cwd=alone).json["pages"][0]
    assert "Führung für Vögel" in run_command("review", "c.html", cwd=alone).out
    (alone / "d.html").write_text("<title>Deep</title>" + "<div>" * 60_000 + "<p>far below")
    assert run_command("review", "d.html", cwd=alone).code == 0, "cut as a survey cuts it"
    (alone / "b.html").write_text("")
    for arguments, said in (
        (("b.html",), "is no page: The file is empty."), (("/none/",), "is not an absolute"),
        (("--as", "nonsense", "b.html"), "nonsense"),
    ):  # fmt: skip
        refused = run_command("review", *arguments, cwd=alone)
        assert (refused.code, said in refused.err) == (2, True), refused.err


def test_a_page_that_did_not_change_is_not_measured_again(site):
    kept = site / ".jovial-atlas/measures.parquet"
    before = run_command("review", "--format", "json", cwd=site).json
    written = kept.stat().st_mtime_ns
    assert run_command("review", "--format", "json", cwd=site).json == before
    assert kept.stat().st_mtime_ns == written
    for workers in ("0", "2"):
        kept.unlink()
        again = run_command("review", "--workers", workers, "--format", "json", cwd=site).json
        assert again == before
    place = site / "public/best/index.html"
    place.write_text(place.read_text().replace("dawn", "night"))
    run_command("survey", cwd=site)
    changed = run_command("review", "/best/", "--format", "json", cwd=site).json["pages"][0]
    assert "1 time in" in marks_of(changed)["phrase-often"]["measured"]


@pytest.mark.parametrize(
    ("written", "said"),
    [
        ("reading-eas", "there is no mark 'reading-eas'; did you mean 'reading-ease'"),
        ("title-own", "'title-own' has no limits"),
    ],
)
def test_a_wrong_mark_in_the_site_file_is_told_where_it_stands(tmp_path, written, said):
    write_site(tmp_path, PAGES, SITE.format(mark=written))
    (tmp_path / "overrides.csv").write_text("loc,exempt\n/a/,links-inn\n")
    told = run_command("review", cwd=tmp_path)
    assert (told.code, said in told.err.replace("\n", " ")) == (2, True), told.err
    write_site(tmp_path, PAGES, SITE.format(mark="opening"))
    told = run_command("review", cwd=tmp_path)
    assert "did you mean 'links-in'" in told.err
    assert told.code == 2


def test_the_whole_site_has_a_score_and_tells_what_moved(site):
    first = run_command("review", "--site", "--format", "json", cwd=site).json["site"]
    assert first["moved"] is None
    assert first["score"] + sum(one["cost"] for one in first["marks"]) == pytest.approx(
        100, abs=0.2
    )
    places = {one["code"]: one for one in first["marks"]}
    assert places["phrase-often"]["sections"] == [{"name": "pages", "pages": 1, "of": 1}]
    assert first["worst"][0]["pages"] > 0
    place = site / "public/best/index.html"
    place.write_text(page("Otter walk", "<p>Otters come, and go.</p><a href=/api/a/>Reference</a>"))
    run_command("survey", cwd=site)
    said = run_command("review", "--site", cwd=site).out
    assert "points more than on" in said
    assert "links-lead" in said
    again = run_command("review", "--site", "--format", "json", cwd=site).json["site"]
    assert again["moved"]["points"] == pytest.approx(again["score"] - first["score"], abs=0.1)
    shown = run_command("review", "--mark", "description-size", cwd=site).out
    assert "/best/" in shown
    assert "/api/a/" not in shown, "it is switched off there"
    assert run_command("--site", "atlas.toml", "review", "--whole", cwd=site).code == 0
    assert run_command("report", cwd=site).code == 0
    shown = (site / "report.html").read_text()
    assert f"{again['score']:.0f}</span> of 100" in shown
    assert "Pages with most to gain" in shown
    for arguments, told in (
        (("--site", "--mark", "title-own"), "choose none"), (("--mark", "title-om"), "title-own"),
    ):  # fmt: skip
        refused = run_command("review", *arguments, cwd=site)
        assert (refused.code, told in refused.err) == (2, True), refused.err


def test_another_site_stands_beside_ours(site, tmp_path_factory):
    other = tmp_path_factory.mktemp("other")
    for number in range(12):
        (other / f"{number}.html").write_text(
            page(f"Heron number {number}", "<p>Short.</p>").replace(' lang="en"', "")
            if number % 2
            else page("H", f"<h1>Second</h1>{'<a href=/x/>here</a>' * 2}")
        )
    (other / "secret.html").write_text(page("Secret"))
    told = run_command("review", "--beside", str(other), "--sample", "10", "--format", "json",
                       cwd=site).json  # fmt: skip
    assert told["beside"] == [], "ours has too few pages to be held against it"
    for number in range(6):
        (site / f"public/{number}.html").write_text(page(f"Otter number {number}"))
    run_command("survey", cwd=site)
    told = run_command("review", "--beside", str(other), "--format", "json", cwd=site).json
    language = next(one for one in told["beside"] if one["code"] == "language-declared")
    assert set(language) == {"code", "ours", "theirs", "low", "high", "differs"}
    assert (language["ours"], language["theirs"], language["differs"]) == (1.0, 7 / 13, True)
    assert (language["low"], language["high"]) == (7 / 13, 7 / 13), "all were seen"
    (other / "robots.txt").write_text("User-agent: *\nDisallow: /secret\n")
    serving = Serving(ServedSite(other), listen(0)).start()
    try:
        near = run_command("review", "--beside", f"http://{serving.address}/0.html",
                           "--per-second", "100", "--sample", "5", cwd=site)  # fmt: skip
        assert "by 1 page, those nearest to the first" in near.out, near.err
        assert "1 address gave no page" in near.out
        urls = "".join(f"<url><loc>http://{serving.address}/{name}.html</loc></url>"
                       for name in (*range(12), "secret", "gone"))  # fmt: skip
        (other / "sitemap.xml").write_text(
            '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">' + urls + "</urlset>"
        )
        listed = run_command("review", "--beside", f"http://{serving.address}/", "--per-second",
                             "100", cwd=site)  # fmt: skip
        assert "by 12 pages of 14" in listed.out, listed.err
        assert "1 address barred by its robots.txt" in listed.out
        assert "ours is better" in listed.out
    finally:
        serving.stop()
    refused = run_command("review", "--beside", "nothing", cwd=site)
    assert (refused.code, "no file or folder nothing" in refused.err) == (2, True)


def test_pages_of_a_live_site_are_reviewed_without_asking_it_again(tmp_path):
    pages = {**PAGES, "best/index.html": PAGES["best/index.html"].replace(' lang="en"', "")}
    write_site(tmp_path, pages)
    serving = Serving(ServedSite(tmp_path / "public"), listen(0)).start()
    site_file = tmp_path / "atlas.toml"
    try:
        site_file.write_text(
            f'[site]\nurl = "http://{serving.address}"\n\n[[source]]\nkind = "site"\n'
            'start = ["/"]\nper_second = 500\n\n[overrides]\nfile = "overrides.csv"\n'
        )
        assert run_command("survey", cwd=tmp_path).code == 0
    finally:
        serving.stop()
    told = run_command("review", "/best/", "--format", "json", cwd=tmp_path).json["pages"][0]
    marks = marks_of(told)
    assert marks["links-said"]["state"] == "better"
    assert marks["language-declared"]["state"] == "short", "known from its text alone"
    assert "phrase-often" not in marks
    (tmp_path / "overrides.csv").write_text("loc,phrase\n/best/,otters\n")
    told = run_command("review", "/best/", "--format", "json", cwd=tmp_path).json["pages"][0]
    assert marks_of(told)["phrase-often"]["measured"] == "'otters' 31 times in 123 words"
    kept = sorted((tmp_path / ".jovial-atlas/crawls/pages").glob("*/*"))
    assert len(kept) == 3
    kept[0].write_bytes(b"no copy")
    assert run_command("review", cwd=tmp_path).code == 0


def test_a_table_for_a_spreadsheet_takes_the_marks_along(site):
    edit = run_command("pages", "--edit", "edit.csv", "--fields", "phrase,marks", cwd=site)
    assert edit.code == 0, edit.err
    table = site / "edit.csv"
    header, *rows = table.read_text("utf-8-sig").splitlines()
    assert "score_now,marks_now" in header
    (best,) = [row for row in rows if row.startswith("/best/") or "/best/" in row.split(",")[0]]
    assert "phrase-often" in best
    table.write_text(table.read_text("utf-8-sig").replace("otter walks; dawn", "otter walks"))
    taken = run_command("pages", "--take", "edit.csv", cwd=site)
    assert (taken.code, "1 page" in taken.out + taken.err) == (0, True), taken.err
    assert "dawn" not in (site / "overrides.csv").read_text()


def test_links_to_files_of_markdown_lead_to_their_pages(tmp_path):
    """As generators take them: by names of files, from the folder that the file lies in."""
    files = {
        "index.md": "# Home\n\nSee the [walks](guide/walks.md).\n",
        "guide/walks.md": "# Guided walks\n\nBring [dogs](dogs.md#leads), go [home](../index.md), see "
                          "[gone](gone.md), [old](/old/) and [a file of others](https://x.example/a.md).\n",
        "guide/dogs.md": "# Dogs\n\n## Leads\n\nThey come on [walks](walks.md).\n",
    }  # fmt: skip
    for name, text in files.items():
        place = tmp_path / "content" / name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(text)
    (tmp_path / "atlas.toml").write_text(
        '[site]\nurl = "https://www.marrowfen.example"\n\n[output]\nfolder = "public"\n\n'
        '[[source]]\nkind = "markdown"\npath = "content"\n'
    )
    assert run_command("survey", cwd=tmp_path).code == 0

    def marks(path):
        (told,) = run_command("review", path, "--format", "json", cwd=tmp_path).json["pages"]
        return {one["code"]: one["measured"] for one in told["marks"]}

    walks = marks("/guide/walks/")
    assert walks["links-lead"] == "/guide/gone.md does not exist; /old/ does not exist"
    assert walks["links-within"] == "4 pages of the site in its text"
    assert marks("/guide/dogs/")["links-lead"] == "to pages that are there and listed"
