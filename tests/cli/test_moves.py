"""`moves`: a folder renamed, a page deleted, addresses asked for in vain; by the installed command."""

import json
import shutil

import pytest

from jovial_atlas.demo.builder import URL
from tests.conftest import page, run_command, write_site

OTTER = "<p>Otters use the sluice in winter, when the pool freezes over and the eels lie still.</p>"


@pytest.fixture
def moved(marrowfen):
    """The sample site after a folder was renamed and a page deleted, surveyed again."""
    (marrowfen / "public/field-notes").rename(marrowfen / "public/notes")
    shutil.rmtree(marrowfen / "public/shop/heron-mug")
    assert run_command("survey", "--accept", cwd=marrowfen).code == 0
    return marrowfen


def test_a_renamed_folder_is_one_move_and_nothing_leads_anywhere_until_it_is_taken(moved):
    def moves(*arguments):
        return run_command("moves", *arguments, cwd=moved)

    told = moves("--format", "json").json
    first, second = told["moves"]
    assert (first["from"], first["to"], first["status"]) == ("/field-notes/**", "/notes/$1", 301)
    assert first["state"] == "proposed"
    assert first["sure"] > 0.9
    assert (second["from"], second["to"], second["status"]) == ("/shop/heron-mug/", None, 410)
    assert told["problems"] == []
    assert "Nothing was saved" in moves("take", "1").out
    assert not (moved / "moves.csv").exists()
    assert run_command("build", "--accept", cwd=moved).code == 0
    assert not (moved / ".jovial-atlas/servers/moves.json").exists()

    taken = moves("take", "--sure", "0.9", "--yes", "--format", "json").json
    assert taken == {
        "moves": [{"from": "/field-notes/**", "to": f"{URL}/notes/$1", "status": 301}],
        "dropped": [], "at_stake": None, "saved": True,
    }  # fmt: skip
    assert "Saved in moves.csv" in moves("refuse", "/shop/heron-mug/", "--reason", "back soon").out
    told = {one["from"]: one for one in moves("--format", "json").json["moves"]}
    assert told["/field-notes/**"]["state"] == "taken"
    assert told["/shop/heron-mug/"]["state"] == "refused"
    followed = moves("follow", "/field-notes/otters-at-the-sluice/?a=b", "/shop/heron-mug/", "--format", "json")
    leads, stays = followed.json["addresses"]
    assert (leads["status"], leads["to"]) == (301, f"{URL}/notes/otters-at-the-sluice/?a=b")
    assert stays["status"] is None
    moved_page = run_command("explain", "/field-notes/otters-at-the-sluice/", cwd=moved)
    assert f"it moved to {URL}/notes/otters-at-the-sluice/" in moved_page.err
    linked = run_command("links", "check", "--format", "json", cwd=moved).json["broken"]
    finals = {one["target"].removeprefix(URL): one["final"] for one in linked if one["final"]}
    assert finals["/field-notes/"] == f"{URL}/notes/"
    assert run_command("build", "--accept", cwd=moved).code == 0
    servers = moved / ".jovial-atlas/servers"
    assert "/notes/$1" in (servers / "nginx-server.conf").read_text()
    written = json.loads((servers / "moves.json").read_text())
    assert [one["pattern"] for one in written["patterns"]] == ["/field-notes/**"]
    # The folder is called as before again: what leads back goes, and nobody runs in a circle.
    (moved / "public/notes").rename(moved / "public/field-notes")
    assert run_command("survey", "--accept", cwd=moved).code == 0
    back = moves("take", "/notes/**", "--yes", "--format", "json").json
    assert back["dropped"] == ["/field-notes/**"]
    assert moves("--format", "json").json["problems"] == []


def test_what_is_gone_on_purpose_leaves_the_sitemap_at_once_though_its_page_is_there(marrowfen):
    shop = marrowfen / "public/sitemap-shop-1.xml"
    assert "heron-mug" in shop.read_text()
    gone = ("moves", "gone", "/shop/heron-mug/", "--reason", "sold out")
    assert "Nothing was saved." in run_command(*gone, "--dry-run", cwd=marrowfen).out
    assert not (marrowfen / "moves.csv").exists()
    assert "/shop/heron-mug/ is gone (410)" in run_command(*gone, cwd=marrowfen).out
    assert run_command("build", cwd=marrowfen).code == 0
    assert "heron-mug" not in shop.read_text()
    why = run_command("explain", "/shop/heron-mug/", "--format", "json", cwd=marrowfen).json
    assert (why["verdict"], why["reason"]) == ("unlisted", "it is gone on purpose")
    (problem,) = run_command("moves", "--format", "json", cwd=marrowfen).json["problems"]
    assert problem["code"] == "move-hides-page"


def test_wrong_tables_and_wrong_words_are_told(tmp_path):
    write_site(tmp_path, {"index.html": page("Home"), "a/index.html": page("A", OTTER)})
    assert run_command("survey", cwd=tmp_path).code == 0
    (tmp_path / "moves.csv").write_text("from,to,status\n/b,,301\nc,/a/,\n/a/,/,\n/x,/y,\n")
    wrong = run_command("moves", cwd=tmp_path)
    assert (wrong.code, wrong.err.count("line ")) == (2, 2)
    (tmp_path / "moves.csv").write_text("from,to\n/a/,/\n/x,/y\n/x/**,/a/\n")
    told = run_command("check", "--format", "json", cwd=tmp_path).json["findings"]
    codes = {one["code"]: one["where"] for one in told if one["code"].startswith("move-")}
    assert codes == {"move-hides-page": f"{URL}/a/", "move-nowhere": f"{URL}/x"}
    for arguments, said in [
        (("take", "7"), "no number 7"),
        (("take", "/nothing/"), "No move of /nothing/ is proposed"),
        (("add", "/a(", "mailto:x"), "not an absolute"),
        (("add", "/a/**", "/b/$2"), "$2 stands for nothing"),
        (("import", "atlas.toml", "--as", "nginx"), "holds no move"),
    ]:
        ran = run_command("moves", *arguments, cwd=tmp_path)
        assert said in ran.err + ran.out, arguments


def test_moves_are_taken_over_from_a_server_a_table_and_an_old_sitemap(tmp_path):
    pages = {"index.html": page("Home"), "otters/index.html": page("Otters", OTTER)}
    write_site(tmp_path, pages)
    assert run_command("survey", cwd=tmp_path).code == 0
    (tmp_path / "site.conf").write_text(
        "rewrite ^/alt/(.*)$ /neu/$1 permanent;\nif ($host != x) { return 301 /; }\n"
    )
    (tmp_path / "old.csv").write_text("Old URL;New URL\n/o;/otters/\n/bad;\n/o;/otters/\n")
    (tmp_path / "sitemap-old.xml").write_text(
        '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">'
        + "".join(f"<url><loc>{URL}{path}</loc></url>" for path in ("/", "/otters.html", "/lost"))
        + "</urlset>"
    )

    def imported(*arguments):
        return run_command("moves", "import", *arguments, "--yes", "--format", "json", cwd=tmp_path).json

    nginx = imported("site.conf")
    assert [one["from"] for one in nginx["moves"]] == ["^/alt/(.*)$"]
    assert [(one["line"], "condition" in one["why"]) for one in nginx["not_taken"]] == [(2, True)]
    table = imported("old.csv")
    assert [(one["from"], one["status"]) for one in table["moves"]] == [("/o", 301), ("/bad", 410)]
    assert imported("old.csv")["known"] == 3
    imported("sitemap-old.xml")
    told = run_command("moves", "--format", "json", cwd=tmp_path).json["moves"]
    proposed = {one["from"]: one["to"] for one in told if one["state"] == "proposed"}
    assert proposed == {"/otters.html": "/otters/", "/lost": None}


LINE = '{ip} - - [20/Nov/2026:10:00:{second:02} +0000] "GET {path} HTTP/1.1" {status} 9 "{referer}" "{agent}"\n'


def logged(entries):
    return "".join(
        LINE.format(ip=ip, path=path, status=status, referer=referer, agent=agent, second=number)
        for number, (ip, path, status, referer, agent) in enumerate(entries)
    )


def test_addresses_asked_for_in_vain_are_told_with_what_was_meant(marrowfen):
    person, robot = "Mozilla/5.0 Firefox/130", "lanternbot/1.0"
    entries = [(f"10.0.0.{n}", "/Events/", 404, "https://news.example/", person) for n in range(5)]
    entries += [("10.0.1.1", "/events/reed-cuting-day", 404, "-", robot)] * 2
    entries += [("10.0.1.2", "/quite/another", 404, f"{URL}/about/", person)]
    entries += [("6.6.6.6", path, 404, "-", person) for path in ("/.env", "/wp-login.php", "/x.php", "/secret-thing")]
    entries += [("10.0.1.9", "/forum/thread%201?x", 404, "-", person)]
    entries += [("10.0.1.3", "/favicon.ico", 404, "-", person), ("10.0.1.3", "/old/a", 301, "-", person)]
    entries += [("10.0.1.3", "/old/b", 404, "-", person), ("10.0.1.3", "/events/", 200, "-", person)]
    (marrowfen / "access.log").write_text(logged(entries))
    (marrowfen / "moves.csv").write_text("from,to\n/old/**,/events/\n")
    site = marrowfen / "atlas.toml"
    site.write_text(site.read_text() + '\n[moves]\nnot_found = ["/forum/**"]\n')

    def missing(*arguments):
        return run_command("moves", "missing", "--log", "access.log", *arguments, cwd=marrowfen)

    told = missing("--dry-run", "--format", "json").json
    shown = [(one["path"], one["hits"], one["people"], one["crawlers"], one["target"]) for one in told["missing"]]
    assert shown == [
        ("/Events/", 5, 5, 0, f"{URL}/events/"),
        ("/quite/another", 1, 1, 0, None),
        ("/events/reed-cuting-day", 2, 0, 2, f"{URL}/events/reed-cutting-day/"),
    ]
    assert told["missing"][0]["from"] == ["https://news.example/"]
    assert (told["probes"], told["by_themselves"]) == (5, 1)
    assert "hits" not in (marrowfen / "moves.csv").read_text()
    for _ in range(2):  # what was counted is not counted again
        assert "1 address with a move answered as not found" in missing().out
        row = (marrowfen / "moves.csv").read_text().splitlines()[1]
        assert row.endswith(",2026-11-20T10:00:15Z,2")
    taken = missing("--take", "all", "--sure", "0.9", "--yes", "--format", "json").json
    assert [one["from"] for one in taken["moves"]] == ["/Events/"]


def test_small_pages_send_visitors_on_and_are_none_of_the_site(tmp_path):
    pages = {"index.html": page("Home"), "otters/index.html": page("Otters", OTTER)}
    more = '[moves]\npages = true\n[visitors]\npage = ""\n'
    write_site(tmp_path, pages, more)
    (tmp_path / "moves.csv").write_text(
        "from,to\n/old/,/otters/\n/old.html,/otters/#sluice\n/a.pdf,/otters/\n/é b,/otters/?x&y\n/p/**,/otters/\n"
    )
    for _ in range(2):
        survey = run_command("survey", "--format", "json", cwd=tmp_path).json
        assert survey["pages"] == 2
        assert run_command("build", cwd=tmp_path).code == 0
    small = (tmp_path / "public/old/index.html").read_text()
    assert f'<link rel="canonical" href="{URL}/otters/">' in small
    assert f'<meta http-equiv="refresh" content="0; url={URL}/otters/">' in small
    assert f"{URL}/otters/#sluice" in (tmp_path / "public/old.html").read_text()
    assert f"{URL}/otters/?x&amp;y" in (tmp_path / "public/é b/index.html").read_text()
    told = run_command("moves", "--format", "json", cwd=tmp_path).json["problems"]
    assert [(one["code"], one["where"]) for one in told] == [
        ("move-unwritten", f"{URL}/a.pdf"), ("move-unwritten", f"{URL}/p/**"),
    ]  # fmt: skip
    (tmp_path / "moves.csv").unlink()
    assert run_command("build", cwd=tmp_path).code == 0
    assert not (tmp_path / "public/old.html").exists()


def test_status_tells_what_an_engine_did_not_find_and_nobody_led_on(marrowfen):
    site = marrowfen / "atlas.toml"
    site.write_text(
        site.read_text() + '\n[[engine]]\nname = "Quillseek"\nchannels = [{ kind = "hand" }]\n'
    )
    (marrowfen / "said.csv").write_text(
        "loc,indexed,reason\n"
        f"{URL}/lost/,no,Not found (404)\n{URL}/moved/,no,Not found (404)\n"
        f"{URL}/events/,no,Not found (404)\n{URL}/thin/,no,Too little text\n"
    )
    (marrowfen / "moves.csv").write_text("from,to\n/moved/,/events/\n")
    assert run_command("hear", "--engine", "Quillseek", "said.csv", "--kind", "addresses", cwd=marrowfen).code == 0
    told = run_command("status", "--offline", "--format", "json", cwd=marrowfen).json
    (said,) = [step for step in told["engines"][0]["next"] if "no move" in step]
    assert "did not find 1 address that has no move: /lost/." in said


def test_files_of_several_hosts_may_be_on_one_server(tmp_path):
    pages = {"index.html": page("Home"), "a/index.html": page("A", OTTER)}
    write_site(tmp_path, pages, '[[host]]\nurl = "https://de.fen.example"\nfolder = "de"\n'
               '[[source]]\nkind = "html"\npath = "de"\nhost = "https://de.fen.example"\n')  # fmt: skip
    shutil.copytree(tmp_path / "public", tmp_path / "de")
    (tmp_path / "moves.csv").write_text(
        "from,to\n/b,/a/\nhttps://de.fen.example/b,/a/\nhttps://de.fen.example/c,https://www.marrowfen.example/b\n"
    )
    assert run_command("survey", cwd=tmp_path).code == 0
    assert run_command("build", cwd=tmp_path).code == 0
    state = tmp_path / ".jovial-atlas"
    main = (state / "servers/nginx-http.conf").read_text()
    other = (state / "hosts/de.fen.example/servers/nginx-http.conf").read_text()
    names = [{word for word in text.split() if word.startswith("$jovial_atlas")} for text in (main, other)]
    assert names[0].isdisjoint(names[1])
    assert f'"301k:{URL}/a/"' in main
    assert '"/b" "301k:https://de.fen.example/a/"' in other
    assert f'"/c" "301k:{URL}/a/"' in other, "one hop over both hosts"


def test_moves_are_taken_for_a_time_by_ranges_and_seen_in_every_format(tmp_path):
    pages = {f"old/{n}/index.html": page(f"Page {n}", f"<p>The {n} of them is like no other {n}.</p>")
             for n in ("one", "two")}  # fmt: skip
    write_site(tmp_path, {"index.html": page("Home"), **pages})
    assert run_command("survey", cwd=tmp_path).code == 0
    assert "No page went" in run_command("moves", cwd=tmp_path).out
    for n in ("one", "two"):
        (tmp_path / "public/old" / n).rename(tmp_path / "public" / f"{n}-now")
    assert run_command("survey", "--accept", cwd=tmp_path).code == 0
    shown = run_command("moves", cwd=tmp_path).out
    assert "1. /old/one/ → /one-now/" in shown
    rows = run_command("moves", "--format", "csv", cwd=tmp_path).out.splitlines()
    assert [row.split(",")[:4] for row in rows[1:]] == [
        ["1", "/old/one/", "/one-now/", "301"], ["2", "/old/two/", "/two-now/", "301"],
    ]  # fmt: skip
    taken = ("moves", "take", "1-2", "--status", "302", "--reason", "while we build", "--yes")
    assert run_command(*taken, cwd=tmp_path).code == 0
    table = (tmp_path / "moves.csv").read_text().splitlines()
    assert [row.split(",")[2] for row in table[1:]] == ["302", "302"]
    assert all("while we build" in row for row in table[1:])
    again = run_command("moves", "take", "--yes", cwd=tmp_path)
    assert "There is nothing to take." in again.out
