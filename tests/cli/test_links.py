"""`links`, as people use it."""

import re
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import unquote, urlsplit

import polars as pl
import pytest

from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.web import new_client
from tests.conftest import page, run_command, write_site
from tests.linking.crawler import crawl

URL = "https://www.marrowfen.example"


def test_the_sample_in_a_few_lines(marrowfen):
    told = run_command("links", "--format", "json", cwd=marrowfen).json
    assert {"pages", "links", "orphans", "dead_ends", "depth", "broken"} <= set(told)
    assert sum(told["depth"].values()) == told["pages"]
    assert told["depth"]["0"] == 1
    assert f"{URL}/hides/dawn-film/" in told["orphans"]
    broken = {(one["target"], one["kind"]): one for one in told["broken"]}
    gone = broken[f"{URL}/opening-times/", "missing"]
    assert gone["from"] == [{"loc": f"{URL}/about/", "text": "opening times", "place": "content",
                             "written": "/opening-times/"}]  # fmt: skip
    assert broken[f"{URL}/opening-times/", "missing"]["layout"] is False
    assert run_command("report", cwd=marrowfen).code == 0
    report = (marrowfen / "report.html").read_text()
    for question in ("How far are pages from the start?", "Which section links to which?",
                     "How far is each section from the start?"):  # fmt: skip
        assert question in report
    shown = run_command("links", cwd=marrowfen)
    assert "Nothing leads to 3 listed pages" in shown.out
    where = "weight > 0.05 and depth = 1 and links_in > 70"
    heavy = run_command("pages", "--where", where, "--format", "json", cwd=marrowfen).json
    assert f"{URL}/events/" in {one["loc"] for one in heavy}


def test_links_to_and_from_a_page(marrowfen):
    to = run_command("links", "to", "/events/", "--format", "json", cwd=marrowfen).json
    assert to["links"][0] | {"written": None} == {
        "loc": f"{URL}/", "kind": "link", "place": "content", "fragment": None, "written": None,
        "text": "guided walks", "nofollow": False, "state": "good", "status": 200, "final": None,
    }  # fmt: skip
    shown = run_command("links", "to", "/events/", cwd=marrowfen)
    assert "called “Events” (75); “guided walks” (1)" in shown.out
    assert "and 74 more pages" in shown.out
    gone = run_command("links", "to", "/opening-times/", cwd=marrowfen)
    assert (gone.code, "missing" in gone.out) == (0, True), "what is no page may be linked to"
    made = run_command("links", "from", "/about/", "--format", "csv", cwd=marrowfen)
    assert f"{URL}/about/,{URL}/opening-times/,,opening times,content,missing" in made.out
    wrong = run_command("links", "to", "/evnts/", cwd=marrowfen)
    assert wrong.code == 2
    assert "The nearest is" in wrong.err


def test_check_tells_what_leads_wrong_and_the_layout_once(tmp_path):
    foot = '<footer><a href="/imprint/">Imprint</a></footer>'
    pages = {f"{n}/index.html": page(f"P{n}", f'<main><p>Text <a href="/">up</a></p></main>{foot}')
             for n in range(8)}  # fmt: skip
    links = "".join(f'<a href="/{n}/">{n}</a> ' for n in range(8))
    body = (
        f'<main>{links}<a href="/0/#x">x</a><a href="http://www.marrowfen.example/1/">one</a>'
        '<a href="http://localhost/2/">two</a><a href="/old/">old</a><a href="/2">2</a>'
        '<img src="/no.png" alt=""><img src="http://pics.example/p.png" alt=""></main>'
    )
    pages["index.html"] = page("Home", body)
    pages["old/index.html"] = page("Old", head='<meta http-equiv="refresh" content="0; url=/3/">')
    write_site(tmp_path, pages, '\n[links]\nignore = ["/2"]\n')
    assert run_command("survey", cwd=tmp_path).code == 0
    checked = run_command("links", "check", "--format", "json", cwd=tmp_path)
    told = {(one["code"], one["target"].removeprefix(URL)): one for one in checked.json["broken"]}
    assert set(told) == {
        ("link-broken", "/imprint/"), ("link-fragment", "/0/#x"),
        ("link-insecure", "http://www.marrowfen.example/1/"), ("link-temporary", "http://localhost/2/"),
        ("link-redirects", "/old/"), ("link-loads-nothing", "/no.png"),
        ("link-mixed", "http://pics.example/p.png"),
    }  # fmt: skip
    assert told["link-redirects", "/old/"]["final"] == f"{URL}/3/"
    imprint = told["link-broken", "/imprint/"]
    assert (imprint["layout"], imprint["pages"]) == (True, 8)
    assert checked.code == 1
    brief = run_command("links", "check", "--brief", cwd=tmp_path)
    assert brief.out.count("\n") == 8
    whole = run_command("links", "check", cwd=tmp_path)
    assert f"In the footer of 8 pages, as on {URL}/0/." in " ".join(whole.out.split())
    sarif = run_command("links", "check", "--format", "sarif", cwd=tmp_path).json
    assert len(sarif["runs"][0]["results"]) == 7


def test_pages_of_markdown_and_tables_are_looked_at_too(tmp_path):
    (tmp_path / "notes").mkdir()
    (tmp_path / "notes/a.md").write_text("# A\n\n[B](b.md), <a href='b.md#x'>b</a>, [no](c.md)\n")
    (tmp_path / "notes/b.md").write_text("# B\n\nText.\n")
    (tmp_path / "t.csv").write_text(
        f"loc,links\n/t/,/notes/b/;/nothing/;{URL}/t/#x;https://out.example/\n/u/,\n"
    )
    (tmp_path / "atlas.toml").write_text(
        f'[site]\nurl = "{URL}"\nname = "M"\nlanguage = "en"\n\n[[source]]\nkind = "markdown"\n'
        'path = "notes"\nurl = "/notes/{slug}/"\n\n[[source]]\nkind = "table"\npath = "t.csv"\n'
    )
    assert run_command("survey", cwd=tmp_path).code == 0
    told = run_command("links", "--format", "json", cwd=tmp_path).json
    broken = {(one["target"].removeprefix(URL), one["kind"]) for one in told["broken"]}
    assert broken == {("/notes/a/c.md", "missing"), ("/nothing/", "missing"), ("/notes/b/#x", "fragment")}
    assert (told["links"], told["orphans"]) == (2, [f"{URL}/notes/a/"]), "those of the uppermost folders begin"


def test_what_did_not_change_is_not_read_again(tmp_path):
    write_site(tmp_path, {"index.html": page("A", '<a href="/b/">b</a>'), "b/index.html": page("B")})
    run_command("survey", cwd=tmp_path)
    first = run_command("links", "--format", "json", cwd=tmp_path).json
    (tmp_path / "public/b/index.html").write_text(page("B", '<a href="/c/">c</a>'))
    run_command("survey", cwd=tmp_path)
    second = run_command("links", "--format", "json", cwd=tmp_path).json
    assert [one["target"] for one in second["broken"]] == [f"{URL}/c/"]
    (tmp_path / "public/b/index.html").write_text(page("B"))
    run_command("survey", cwd=tmp_path)
    assert run_command("links", "--format", "json", cwd=tmp_path).json == first


def test_priority_by_weight(tmp_path):
    pages = {f"{n}/index.html": page(f"P{n}", '<a href="/hub/">hub</a>') for n in range(4)}
    pages |= {"hub/index.html": page("Hub"), "index.html": page("Home", '<a href="/0/">0</a>')}
    write_site(tmp_path, pages, '\n[defaults]\npriority = "weight"\n\n[[section]]\nname = "all"\n'
               'match = "/**"\npriority = "weight"\n')  # fmt: skip
    assert run_command("survey", cwd=tmp_path).code == 0
    assert run_command("build", cwd=tmp_path).code == 0
    text = "".join(one.read_text() for one in (tmp_path / "public").glob("sitemap*.xml"))
    assert "<loc>https://www.marrowfen.example/hub/</loc>\n  <priority>1.0</priority>" in re.sub("  <lastmod>.*\n", "", text)
    explained = run_command("explain", "/hub/", cwd=tmp_path)
    assert "priority 1.0" in explained.out
    assert "from 4 pages, 4 of them in the content; 2 clicks from the start" in explained.out
    wrong = (tmp_path / "atlas.toml").read_text().replace('"weight"', '"heavy"')
    (tmp_path / "atlas.toml").write_text(wrong)
    refused = run_command("survey", cwd=tmp_path)
    assert (refused.code, "weight" in refused.err) == (2, True)


@pytest.mark.parametrize(
    ("folder", "package"),
    [
        ("/usr/share/doc/python3.11/html", "python3-doc"),
        ("/usr/share/doc/postgresql-doc-15/html", "postgresql-doc-15"),
        ("/usr/share/doc/git/html", "git-doc"),
    ],
)
def test_broken_links_are_those_that_a_plain_crawler_finds(tmp_path, folder, package):
    assert Path(folder).is_dir(), f"{package} is missing; on Debian: apt-get install {package}"
    (tmp_path / "public").symlink_to(folder)
    docs = "https://docs.marrowfen.example"
    (tmp_path / "atlas.toml").write_text(
        f'[site]\nurl = "{docs}"\nname = "Docs"\nlanguage = "en"\n\n[output]\nfolder = "out"\n\n'
        '[[source]]\nkind = "html"\npath = "public"\n'
    )
    assert run_command("survey", cwd=tmp_path).code == 0
    told = run_command("links", "check", "--format", "json", cwd=tmp_path).json["broken"]
    found: dict[str, set[str]] = {"missing": set(), "fragment": set()}
    for one in told:
        if one["kind"] in found:
            address, _, name = one["target"].partition("#")
            path = unquote(urlsplit(address).path)
            found[one["kind"]].add(f"{path}#{name}" if one["kind"] == "fragment" else path)
    missing, nameless = crawl(Path(folder), docs)
    assert found["missing"] == missing
    assert found["fragment"] == nameless


HERON = "<p>The grey heron fishes at the edge of the pool, in shallow water, and waits for frogs there.</p>"


@pytest.fixture
def marsh(tmp_path):
    """A small site with links that are missing."""
    pages = {
        "index.html": page("Marsh", '<p>Go to <a href="/heron/">herons</a> or <a href="/otter/">otters</a>.</p>'),
        "heron/index.html": page("Grey heron", HERON),
        "otter/index.html": page("Otter", "<p>Otters swim by night. A grey heron sees them. Grey herons sleep.</p>"),
        "lone/index.html": page("Southern hawker", "<p>A dragonfly of late summer.</p>"),
        "pond/index.html": page("Pond", "<h2>A southern hawker</h2><p>At the pond a southern hawker flies.</p>"),
    }  # fmt: skip
    write_site(tmp_path, pages)
    assert run_command("survey", cwd=tmp_path).code == 0
    return tmp_path


def test_links_are_proposed_taken_written_and_taken_out(marsh):
    told = run_command("links", "propose", "--format", "json", cwd=marsh).json["proposals"]
    first = told[0]
    assert (first["from"], first["to"], first["words"]) == (f"{URL}/pond/", f"{URL}/lone/", "southern hawker")
    assert first["sentence"] == "At the pond a southern hawker flies."
    assert set(first) == {"from", "to", "words", "sentence", "why", "score"}
    into = run_command("links", "propose", "/heron/", "--format", "json", cwd=marsh).json["proposals"]
    assert (into[0]["from"], into[0]["words"]) == (f"{URL}/otter/", "grey heron")
    before = {path: path.read_bytes() for path in (marsh / "public").rglob("*.html")}
    run_command("links", "propose", "--edit", "p.csv", cwd=marsh)
    text = (marsh / "p.csv").read_text("utf-8-sig")
    lines = text.splitlines()
    chosen = [line.replace(",,", ",yes,") if "southern hawker" in line else line for line in lines]
    (marsh / "p.csv").write_text("\n".join(chosen))
    taken = run_command("links", "propose", "--take", "p.csv", "--format", "json", cwd=marsh)
    assert taken.json == {"taken": [[f"{URL}/pond/", f"{URL}/lone/", "southern hawker"]]}
    done = run_command("inject", "--format", "json", cwd=marsh).json
    assert [one["links"] for one in done["files"] if one["links"]] == [["southern hawker: /lone/"]]
    pond = (marsh / "public/pond/index.html").read_text()
    assert 'a <a href="/lone/" data-link="added">southern hawker</a> flies' in pond
    assert "<h2>A southern hawker</h2>" in pond
    run_command("survey", "--full", cwd=marsh)
    after = run_command("links", "--format", "json", cwd=marsh).json
    assert f"{URL}/lone/" not in after["orphans"], "what was written counts"
    assert "southern hawker" in run_command("links", "to", "/lone/", cwd=marsh).out
    again = run_command("links", "propose", "--format", "json", cwd=marsh).json["proposals"]
    assert f"{URL}/lone/" not in {one["to"] for one in again}
    (marsh / "p.csv").write_text("\n".join(lines))
    assert run_command("links", "propose", "--take", "p.csv", cwd=marsh).out.startswith("0 links taken")
    run_command("inject", "--remove", cwd=marsh)
    assert {path: path.read_bytes() for path in before} == before


def test_standing_rules_are_shown_first_and_written(marsh):
    with (marsh / "atlas.toml").open("a") as file:
        file.write('\n[[links.rule]]\nwords = ["grey heron", "heron"]\nto = "/heron/"\nper_page = 2\n\n'
                   '[[links.rule]]\nwords = "dragonfly"\nto = "https://insects.example/"\nbut = ["/lone/"]\n')  # fmt: skip
    shown = run_command("links", "rules", "--format", "json", cwd=marsh).json["rules"]
    assert [(one["links"], one["pages"]) for one in shown] == [(2, 1), (0, 0)]
    assert shown[0]["some"] == [{"loc": f"{URL}/otter/", "words": "grey heron"},
                                {"loc": f"{URL}/otter/", "words": "Grey herons"}]  # fmt: skip
    assert "data-link" not in (marsh / "public/otter/index.html").read_text()
    run_command("inject", cwd=marsh)
    assert (marsh / "public/otter/index.html").read_text().count('<a href="/heron/" data-link="added">') == 2
    text = (marsh / "atlas.toml").read_text()
    (marsh / "atlas.toml").write_text(text.replace('words = "dragonfly"', 'words = "Heron"'))
    wrong = run_command("links", "rules", cwd=marsh)
    assert (wrong.code, "leads to /heron/ and to https://insects.example/" in wrong.err) == (2, True)


@pytest.mark.parametrize(
    ("row", "said"),
    [
        (f"{URL}/pond/,/lone/,,yes", "names no words"),
        ("https://else.example/,/lone/,x,yes", "is on another site"),
        ("/pond/,nowhere,x,yes", "is no address"),
        (",/lone/,x,yes", "is missing"),
    ],
)
def test_wrong_rows_are_told_and_nothing_is_taken(marsh, row, said):
    (marsh / "p.csv").write_text(f"loc,to,words,accept\n/pond/,/lone/,southern hawker,yes\n{row}\n")
    ran = run_command("links", "propose", "--take", "p.csv", cwd=marsh)
    assert ran.code == 2
    assert "line 3" in ran.err
    assert said in ran.err
    assert not (marsh / "links.csv").exists()


def test_the_trail_is_written_where_a_template_has_a_place_for_it(tmp_path):
    place = '<nav aria-label="Trail" data-trail></nav>'
    pages = {
        "index.html": page("Home", place),
        "walks/index.html": page("Walks & talks", place),
        "walks/dawn/index.html": page("Dawn", f"{place}<p>Words.</p>"),
        "walks/full/index.html": page("Full", "<nav data-trail><a href='/'>Home</a></nav>"),
        "walks/double/index.html": page("Double", f'<nav class="breadcrumbs"><a href="/">x</a></nav>{place}'),
        "none/index.html": page("None"),
    }  # fmt: skip
    write_site(tmp_path, pages, "\n[inject]\ntrail = true\n")
    before = {path: path.read_bytes() for path in (tmp_path / "public").rglob("*.html")}
    run_command("survey", cwd=tmp_path)
    done = run_command("inject", "--format", "json", cwd=tmp_path).json
    notes = {one["path"]: one["notes"] for one in done["files"] if one["notes"]}
    assert notes == {
        "walks/full/index.html": ["no trail: its place is not empty"],
        "walks/double/index.html": ["no trail: it has one of its own beside the place for it"],
    }
    dawn = (tmp_path / "public/walks/dawn/index.html").read_text()
    start, walks = '<li><a href="/">www.marrowfen.example</a></li>', '<li><a href="/walks/">Walks &amp; talks</a></li>'
    assert f'data-trail><ol data-trail-steps="added">{start}{walks}<li aria-current="page">Dawn</li></ol></nav>' in dawn
    assert "data-trail-steps" not in (tmp_path / "public/index.html").read_text()
    crumbs = run_command("schema", "show", "/walks/dawn/", "--format", "json", cwd=tmp_path).json
    (listed,) = [node for node in crumbs["graph"] if node["@type"] == "BreadcrumbList"]
    names = [item["name"] for item in listed["itemListElement"]]
    assert names == ["www.marrowfen.example", "Walks & talks", "Dawn"]
    run_command("inject", "--remove", cwd=tmp_path)
    assert {path: path.read_bytes() for path in before} == before


def test_a_site_without_links_or_without_pages_to_write_into(tmp_path):
    write_site(tmp_path, {"index.html": page("A")})
    assert "Run `jovial-atlas survey` first" in run_command("links", cwd=tmp_path).err
    run_command("survey", cwd=tmp_path)
    told = run_command("links", "--format", "json", cwd=tmp_path).json
    assert (told["pages"], told["links"], told["depth"], told["orphans"]) == (1, 0, {"0": 1}, [])
    for said in (("links",), ("links", "to", "/"), ("links", "from", "/"), ("links", "check"), ("links", "rules"),
                 ("links", "propose"), ("links", "propose", "/"), ("links", "--figures", "f.png"), ("report",)):  # fmt: skip
        assert run_command(*said, cwd=tmp_path).code == 0
    assert run_command("links", "--figures", "f.jpg", cwd=tmp_path).code == 2
    assert run_command("links", "to", "https://nowhere.example/", cwd=tmp_path).code == 2
    (tmp_path / "links.csv").write_text("loc,to\n/,nowhere\n")
    wrong = run_command("links", cwd=tmp_path)
    assert (wrong.code, "links.csv" in wrong.err, "line 2" in wrong.err) == (2, True, True)


def test_what_style_sheets_load_is_followed_from_one_to_the_next(tmp_path):
    head = '<link rel="stylesheet" href="/s/main.css">'
    write_site(tmp_path, {f"{n}/index.html": page(f"P{n}").replace("</head>", f"{head}</head>") for n in range(7)})
    styles = tmp_path / "public/s"
    styles.mkdir()
    (styles / "main.css").write_text("@import 'more.css'; a { b: url(there.png), url(../gone.png?v=2) }")
    (styles / "more.css").write_text("@import 'main.css'; @import 'never.css'; a { b: url(/there.svg) }")
    (styles / "there.png").write_bytes(b"x")
    (tmp_path / "public/there.svg").write_bytes(b"x")
    assert run_command("survey", cwd=tmp_path).code == 0
    told = run_command("links", "check", "--format", "json", cwd=tmp_path).json["broken"]
    found = [(one["target"], one["kind"], [each["loc"] for each in one["from"]]) for one in told]
    assert sorted(found) == [
        (f"{URL}/gone.png?v=2", "missing", [f"{URL}/s/main.css"]),
        (f"{URL}/s/never.css", "missing", [f"{URL}/s/more.css"]),
    ]
    (styles / "never.css").write_text("")
    (tmp_path / "public/gone.png").write_bytes(b"x")
    assert run_command("links", "check", "--format", "json", cwd=tmp_path).json["broken"] == []


def test_other_texts_make_no_other_links(tmp_path, monkeypatch):
    """Figures of links are those of the survey before, as long as what they rest on is the same."""
    from jovial_atlas.rounds.reading import links as figures

    made = []
    make = figures._figures
    monkeypatch.setattr(figures, "_figures", lambda *given: made.append(1) or make(*given))
    rows = [{"loc": f"/p{n}/", "title": f"Page {n}", "links": [f"/p{(n * 7 + k) % 30}/" for k in range(3)]}
            for n in range(30)]  # fmt: skip
    (tmp_path / "atlas.toml").write_text(
        f'[site]\nurl = "{URL}"\n\n[output]\nfolder = "public"\n\n[[source]]\nkind = "table"\npath = "t.parquet"\n'
    )

    def surveyed(rows, more=""):
        pl.DataFrame(rows).write_parquet(tmp_path / "t.parquet")
        site = read_site_file(tmp_path / "atlas.toml")
        with new_client(5) as client:
            run_survey(site, datetime(2026, 11, 30, tzinfo=UTC), client)
        table = pl.read_parquet(tmp_path / ".jovial-atlas/pages.parquet")
        return table.select("loc", "links_in", "depth", "weight").rows(), len(made)

    first, once = surveyed(rows)
    other = [{**one, "title": "Another"} if n == 7 else one for n, one in enumerate(rows)]
    assert surveyed(other) == (first, once)
    other[3] = {**other[3], "links": ["/p0/"]}
    changed, twice = surveyed(other)
    assert (twice, changed != first) == (once + 1, True)
    shorter = other[:-1]
    assert surveyed(shorter)[1] == twice + 1
