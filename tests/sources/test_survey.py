"""Surveys over time and over several sources: merging, dates that are true, incremental reading."""

import os
import shutil
import subprocess
import time
from datetime import timedelta
from pathlib import Path

import polars as pl
import pytest

from jovial_atlas.faults import Fault
from jovial_atlas.pages.gather import Batch, Gathering
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.sources.workers import readers
from tests.conftest import TODAY, URL, page, run_command, write_site

HTML = 'kind = "html"\npath = "public"\n'
TABLE = 'kind = "table"\npath = "t.csv"\nurl = "/{slug}/"\n'


@pytest.fixture
def public(tmp_path):
    folder = tmp_path / "public"

    def write(**pages):
        for name, text in pages.items():
            place = folder / name / "index.html"
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(text)
            os.utime(place, (1_760_000_000, 1_760_000_000))

    write.folder = folder
    return write


def test_a_later_source_fills_gaps_or_wins_and_both_are_told(survey, public, tmp_path):
    public(otter=page("Otter", head="<meta name=description content=Ours>"))
    (tmp_path / "t.csv").write_text(
        "slug,title,description,author,legs\notter,Lutra,Theirs,Wren,4\n"
    )
    row = survey(f"{HTML}---{TABLE}")[0]["/otter/"]
    assert (row["title"], row["description"], row["author"]) == ("Otter", "Ours", "Wren")
    told = {one["column"]: (one["value"], one["used"]) for one in row["merged"]}
    assert (told["title"], told["author"]) == (("Lutra", False), ("Wren", True))
    assert row["extra"] == {"slug": "otter", "legs": 4}
    row = survey(f'{HTML}---{TABLE}merge = "win"\n')[0]["/otter/"]
    assert (row["title"], row["description"]) == ("Lutra", "Theirs")
    assert row["source"] == "public", "the first source still holds the page"


def test_custom_fields_can_be_used_in_rules_and_a_wrong_one_is_told(survey, tmp_path):
    (tmp_path / "t.csv").write_text("slug,legs,colour\na,4,brown\nb,0,green\n")
    rule = '[[rule]]\nwhen = "extra.%s = 0"\nset = { listed = false }\nreason = "No legs"\n\n'
    survey(TABLE, more=rule % "legs")
    site = read_site_file(tmp_path / "atlas.toml")
    decided = last_survey(site, TODAY).decided
    assert decided.filter(~pl.col("listed"))["loc"].to_list() == [f"{URL}/b/"]
    from jovial_atlas.errors import SiteFileError

    with pytest.raises(SiteFileError, match=r"extra\.legs"):
        survey(TABLE, more=rule % "lgs")


def test_a_section_can_come_from_the_source(survey, tmp_path):
    (tmp_path / "t.csv").write_text("slug,in_section\na,\nb,herbs\n")
    more = '[[section]]\nname = "all"\nmatch = "/**"\n\n'
    survey(f'{TABLE}section = "species"\n', more=more)
    site = read_site_file(tmp_path / "atlas.toml")
    assert set(last_survey(site, TODAY).decided["section"]) == {"species"}


@pytest.mark.parametrize(
    ("choice", "expected"),
    [
        ("", ["/a", "/a/", "/a/?page=2&utm=x", "/a?utm=x", "/map.pdf"]),
        ('query = "drop"\n', ["/a", "/a/", "/map.pdf"]),
        ('query = ["page"]\ntrailing_slash = "add"\n', ["/a/", "/a/?page=2", "/map.pdf"]),
        ('query = "drop"\ntrailing_slash = "remove"\n', ["/a", "/map.pdf"]),
    ],
)
def test_the_site_chooses_which_spellings_are_one_page(survey, tmp_path, choice, expected):
    (tmp_path / "l.txt").write_text("/a\n/a/\n/a?utm=x\n/a/?page=2&utm=x\n/map.pdf\n")
    found, _ = survey('kind = "list"\npath = "l.txt"', more=f"[identity]\n{choice}\n")
    assert sorted(found) == expected


def test_unchanged_files_are_not_parsed_again_and_their_findings_stay(survey, public, monkeypatch):
    public(a=page("A"), b=page("B", head="<title>again</title>"), c=page("C"))
    parsed = []
    real = readers.read_files
    monkeypatch.setattr(
        readers, "read_files", lambda f, r: parsed.extend(x.path for x in f) or real(f, r)
    )
    first, faults = survey(HTML)
    assert (len(parsed), [code for code, _ in faults]) == (3, ["title-repeated"])
    parsed.clear()
    again, still = survey(HTML)
    assert (parsed, again, still) == ([], first, faults)
    os.utime(public.folder / "a/index.html")
    survey(HTML)
    assert parsed == [], "another time, the same bytes"
    public(c=page("Changed"))
    survey(HTML)
    assert parsed == ["c/index.html"]
    assert (survey.changes.added, survey.changes.changed, survey.changes.removed) == (0, 1, 0)
    parsed.clear()
    survey(HTML, full=True)
    assert len(parsed) == 3
    parsed.clear()
    survey(f'{HTML}addresses = "file"\n')
    assert len(parsed) == 3, "another way of reading reads anew"


def test_what_moved_is_told_as_a_candidate_for_a_redirect(survey, public):
    public(old=page("T", "<p>The very same words.</p>"), other=page("O"))
    survey(HTML)
    shutil.move(public.folder / "old", public.folder / "new")
    survey(HTML)
    assert survey.changes.renamed == [(f"{URL}/old/", f"{URL}/new/")]
    assert (survey.changes.added, survey.changes.removed) == (1, 1)


def test_a_rebuild_or_a_new_footer_changes_no_date_and_new_words_do(survey, public):
    public(a=page("A"), b=page("B"))
    before = survey(HTML)[0]["/a/"]
    assert before["lastmod_from"] == "file"
    footer = page("A").replace("</main>", "</main><footer>New</footer>")
    later = time.time() - 3600
    for text, same in ((footer, True), (page("A", "<p>New words.</p>"), False)):
        place = public.folder / "a/index.html"
        place.write_text(text)
        os.utime(place, (later, later))
        row = survey(HTML, now=TODAY + timedelta(days=4000))[0]["/a/"]
        assert (row["lastmod"] == before["lastmod"]) is same
        assert row["lastmod_from"] == ("file" if same else "fingerprint")


def test_dates_come_from_git_where_the_owner_trusts_it(survey, public):
    public(
        a=page("A"), b=page("B"), c=page("C", head="<meta name=last-modified content=2026-01-01>")
    )
    when = {"GIT_AUTHOR_DATE": "2026-02-03T04:05:06Z", "GIT_COMMITTER_DATE": "2026-02-03T04:05:06Z"}
    who = ["-c", "user.name=Wren", "-c", "user.email=wren@marrowfen.example"]
    for arguments in (["init", "-q"], ["add", "public"], [*who, "commit", "-qm", "Pages"]):
        subprocess.run(
            ["git", *arguments], cwd=public.folder.parent, check=True, env={**os.environ, **when}
        )
    (public.folder / "b/index.html").write_text(page("B changed"))
    found, _ = survey(HTML)
    assert {path: row["lastmod_from"] for path, row in found.items()} == {
        "/a/": "git", "/b/": "file", "/c/": "meta",
    }  # fmt: skip
    assert found["/a/"]["lastmod"] == "2026-02-03T04:05:06Z"
    found, _ = survey(HTML, more='[dates]\ntrust = ["git", "meta"]\n\n')
    assert {path: row["lastmod_from"] for path, row in found.items()} == {
        "/a/": "git", "/b/": None, "/c/": "git",
    }  # fmt: skip


def test_documents_are_pages_and_patterns_choose_files(survey, public):
    public(a=page("A"), walks=page("D"))
    (public.folder / "map.pdf").write_bytes(b"%PDF")
    (public.folder / "notes.txt").write_text("no")
    found, _ = survey(f'{HTML}documents = [".pdf"]\nexclude = ["walks/**"]\n')
    assert {path: row["kind"] for path, row in found.items()} == {
        "/a/": "page",
        "/map.pdf": "document",
    }
    again, _ = survey(f'{HTML}documents = [".pdf"]\nexclude = ["walks/**"]\n')
    assert again == found
    assert list(survey(f'{HTML}include = ["/walks/*"]\n')[0]) == ["/walks/"]


def test_batches_on_disk_give_the_table_that_batches_in_memory_give(tmp_path):
    def batches():
        yield Batch(
            pl.DataFrame({"loc": [f"{URL}/{n}" for n in range(50)], "source": "a", "heft": 1})
        )
        yield Batch(
            pl.LazyFrame(
                {"loc": [f"{URL}/{n}" for n in range(40, 90)], "source": "b", "title": "B"}
            )
        )
        yield Batch(
            pl.DataFrame({"loc": [f"{URL}/x"], "source": "c", "heft": "heavy"}),
            [Fault("a", "b", "c")],
        )

    tables = []
    for rows in (10, 1_000_000):
        with Gathering(tmp_path / str(rows), spill_rows=rows) as gathering:
            for batch in batches():
                gathering.begin()
                gathering.add(batch)
            table = gathering.finish(tmp_path / f"{rows}.parquet").sort("loc").collect()
        assert list((tmp_path / str(rows)).iterdir()) == []
        tables.append(table)
    assert tables[0].equals(tables[1])
    assert tables[0].height == 91
    assert tables[0].filter(pl.col("title") == "B").height == 50
    assert set(tables[0]["extra"].struct.field("heft")) == {"1", "heavy", None}


@pytest.mark.slow
def test_postgresql_is_read_with_a_password_from_the_environment_and_never_written(
    survey, postgresql
):
    from sqlalchemy import create_engine, text
    from sqlalchemy.engine import make_url

    url = make_url(postgresql).set(drivername="postgresql+psycopg", password="secret")
    with create_engine(url).begin() as base:
        base.execute(text("create sequence visits"))
        base.execute(
            text(
                "create table walks (slug text, title text, changed timestamptz, price numeric, tags text[])"
            )
        )
        base.execute(
            text(
                "insert into walks select 'w' || n, 'Walk ' || n, timestamptz '2026-11-01 10:00+02', 2.5, array['a','b'] from generate_series(1, 45000) n"
            )
        )
    source = (
        f'kind = "sql"\nconnect = "{postgresql}"\nurl = "/walks/{{slug}}/"\npassword_env = "PW"\n'
        'columns = { lastmod = "changed" }\nquery = "%s"'
    )
    found, faults = survey(source % "select * from walks", {"PW": "secret"})
    assert (len(found), faults) == (45_000, [])
    row = found["/walks/w7/"]
    assert (row["lastmod"], row["tags"]) == ("2026-11-01T08:00:00Z", ["a", "b"])
    assert row["extra"] == {"slug": "w7", "price": 2.5}
    for query, secret, words in (
        (
            "select slug, title, changed, nextval('visits') from walks",
            "secret",
            "read-only",
        ),
        (
            "select slug, title, changed, 1 / (45000 - row_number() over ()) from walks",
            "secret",
            "division by zero",
        ),
        ("select * from walks", "wrong", "password authentication failed"),
    ):
        found, faults = survey(source % query, {"PW": secret})
        assert (len(found), faults) == (45_000, [("source-broken", "query")]), "kept as they were"
        assert words in survey.messages[0]
    with create_engine(url).begin() as base:
        assert base.execute(text("select count(*) from walks")).scalar_one() == 45_000


def test_the_example_of_the_documentation_runs(tmp_path):
    import sqlite3

    from tests.conftest import run_command

    root = Path(__file__).parent.parent.parent / "docs/examples/sources"
    folder = Path(shutil.copytree(root, tmp_path / "example"))
    with sqlite3.connect(folder / "walks.db") as base:
        base.executescript((folder / "walks.sql").read_text())
    survey = run_command("survey", "--format", "json", cwd=folder)
    assert (survey.code, survey.json["findings"]) == (0, [])
    assert {name: one["listed"] for name, one in survey.json["sections"].items()} == {
        "appeals": 1, "diary": 1, "pages": 3, "species": 2, "walks": 2,
    }  # fmt: skip
    assert run_command("build", cwd=folder).code == 0
    checked = run_command("check", "--format", "json", cwd=folder)
    assert checked.json["counts"]["error"] == 0
    told = run_command("pages", "--verdict", "unlisted", "--format", "json", cwd=folder).json
    assert {one["loc"].rpartition("example")[2]: one["reason"] for one in told} == {
        "/notes/2026/winter-roost/": "it is a draft",
        "/species/spoonbill/": "Kinds that nobody has seen here yet are not offered",
    }  # fmt: skip
    for name in ("all.csv", "all.json", "all.jsonl", "all.parquet"):
        done = run_command("pages", "--source", "species.csv", "--export", name, cwd=folder)
        assert done.code == 0, done.err
    assert pl.read_parquet(folder / "all.parquet")["loc"].len() == 3
    assert (
        pl.read_csv(folder / "all.csv").height == pl.read_ndjson(folder / "all.jsonl").height == 3
    )


@pytest.mark.parametrize(
    "more",
    [
        "", '[[engine]]\nname = "L"\ncrawlers = ["lantern"]\n', '[dates]\ntrust = ["meta", "file"]\n',
        '[dates]\ntrust = ["fingerprint", "file"]\n', '[kinds]\nlistings = ["/x/**"]\n',
        '[identity]\nquery = "drop"\n', '[policies]\ndrafts = "unlist"\n',
        '[[section]]\nname = "s"\nmatch = "/a/**"\nschema = "Article"\n',
    ],
)  # fmt: skip
@pytest.mark.parametrize("options", [(), ("--full",)])
def test_no_setting_and_no_rebuild_moves_a_date(tmp_path, more, options):
    """Only another content does: bytes that are the same have the same date, however they are read."""
    write_site(tmp_path, {f"{name}/index.html": page(name) for name in "ab"})
    for number, file in enumerate(sorted((tmp_path / "public").rglob("*.html")), start=1):
        os.utime(file, (1_780_000_000 + number, 1_780_000_000 + number))
    site = tmp_path / "atlas.toml"

    def dates():
        assert run_command("survey", *options, cwd=tmp_path).code == 0
        rows = run_command("pages", "--format", "json", cwd=tmp_path).json
        return {row["loc"]: row["lastmod"] for row in rows}

    first = dates()
    for file in (tmp_path / "public").rglob("*.html"):
        os.utime(file)
    site.write_text(site.read_text() + more)
    assert dates() == first


def test_what_repeats_over_the_site_is_layout(tmp_path):
    """A logo, the name of the site as heading and sentences of a frame belong to no page; they are
    known again when a later survey reads one page alone."""
    def framed(n):
        return (f'<html lang="en"><title>Page {n}</title><body><h1>Marrowfen</h1><img src="/logo.png">'
                f'<p>All rights belong to the reserve, in all years and in all lands.</p>'
                f'<h2>Notes {n}</h2><img src="/{n}.jpg">Words {n} of the page.</body>')  # fmt: skip

    write_site(tmp_path, {f"{n}/index.html": framed(n) for n in range(9)})
    (tmp_path / "public/own/index.html").parent.mkdir()
    (tmp_path / "public/own/index.html").write_text(page("Own", '<img src="/own.jpg"><p>Its own words, and no others.</p>'))

    def rows():
        assert run_command("survey", cwd=tmp_path).code == 0
        survey = last_survey(read_site_file(tmp_path / "atlas.toml"), TODAY)
        return {
            row["loc"].removeprefix(URL): (row["heading"], row["excerpt"], [one["loc"] for one in row["images"]])
            for row in survey.pages.collect().to_dicts()
        }  # fmt: skip

    wanted = {f"/{n}/": (None, None, [f"{URL}/{n}.jpg"]) for n in range(9)}
    wanted["/own/"] = ("Own", "Its own words, and no others.", [f"{URL}/own.jpg"])
    assert rows() == wanted
    (tmp_path / "public/3/index.html").write_text(framed(3).replace("Words", "Other words"))
    assert rows() == wanted
