"""Changes of settings by the installed command: kept, shown, taken back, carried to another site."""

import tomllib

import pytest

from tests.conftest import page, run_command, write_site

OVERRIDES = '[overrides]\nfile = "overrides.csv"\n'
PAGES = {f"{name}/index.html": page(name) for name in ("a", "b", "c")}
ME = {"JOVIAL_ATLAS_BY": "nell"}


@pytest.fixture
def site(tmp_path):
    write_site(tmp_path, PAGES, OVERRIDES)
    assert run_command("survey", cwd=tmp_path).code == 0
    return tmp_path


def changes(site):
    return run_command("history", "--format", "json", cwd=site).json["changes"]


def add_rule(site, path, *more):
    return run_command("rules", "add", "--match", path, "--set", "listed=no", *more, "--yes", cwd=site, env=ME)


def take(site, text):
    (site / "edited.csv").write_text(text)
    return run_command("pages", "--take", "edited.csv", cwd=site, env=ME)


def test_every_change_is_kept_and_any_of_them_can_be_taken_back_and_made_again(site):
    file = site / "atlas.toml"
    texts = [file.read_text()]
    assert run_command("rules", "add", "--match", "/a/", "--set", "listed=no", cwd=site).code == 0
    assert changes(site) == [], "what was not saved is no change"
    add_rule(site, "/a/", "--reason", "Not yet")
    texts.append(file.read_text())
    add_rule(site, "/b/")
    take(site, "loc,index,reason\n/c/,no,x\n/b/,no,y\n")
    told = changes(site)
    assert [(one["number"], one["who"], one["why"], one["turned"]) for one in told] == [
        (3, "nell", "", 2), (2, "nell", "", 1), (1, "nell", "Not yet", 1),
    ]  # fmt: skip
    assert told[0]["files"] == ["overrides.csv"]
    assert told[2]["command"] == "rules add --match /a/ --set listed=no --reason 'Not yet' --yes"
    one = run_command("history", "1", cwd=site).out
    assert '+reason = "Not yet"' in one and "1 turned" in one
    before = file.read_bytes()
    shown = run_command("undo", "1", "--format", "json", cwd=site)
    assert (shown.json["saved"], file.read_bytes()) == (False, before)
    assert [(t["field"], t["before"], t["after"], t["count"]) for t in shown.json["turns"]] == [
        ("listed", False, True, 1)
    ]
    assert run_command("undo", "1", "--yes", cwd=site, env=ME).code == 0
    assert [rule["match"] for rule in tomllib.loads(file.read_text())["rule"]] == ["/b/"]
    again = run_command("undo", "1", cwd=site)
    assert again.code == 2 and "taken back already, by change 4" in again.err
    run_command("undo", "--yes", cwd=site)  # change 3 is the last that stands
    assert not (site / "overrides.csv").exists()
    run_command("undo", "--yes", cwd=site)
    assert file.read_text() == texts[0]
    assert "Every change is taken back" in run_command("undo", cwd=site).err
    run_command("undo", "4", "--yes", cwd=site)
    assert file.read_text().split() == texts[1].split(), "taking back what took back makes it again"
    assert changes(site)[0]["takes_back"] == 4


def test_pages_are_counted_that_moves_and_films_turn(site):
    assert run_command("moves", "gone", "/a/", cwd=site).code == 0
    assert run_command("moves", "add", "/old/", "/b/", cwd=site).code == 0
    assert [one["turned"] for one in changes(site)] == [0, 1]
    ran = run_command("undo", "1", "--yes", cwd=site)
    assert "listed: no → yes for 1 page" in ran.out
    assert changes(site)[0]["turned"] == 1
    run_command("undo", "3", "--yes", cwd=site)
    with (site / "atlas.toml").open("a") as file:
        file.write('[videos]\nfile = "videos.csv"\n')
    (site / "new.csv").write_text("loc,video,title\n/a/,1,Otters\n")
    assert run_command("videos", "--take", "new.csv", cwd=site).code == 0
    assert (changes(site)[0]["files"], changes(site)[0]["turned"]) == (["videos.csv"], 0)


def test_changes_by_hand_are_found_and_touching_lines_are_told(site):
    file = site / "atlas.toml"
    add_rule(site, "/a/")
    file.write_text(file.read_text().replace("listed = false", "listed = false, index = false"))
    refused = run_command("undo", "1", cwd=site)
    assert refused.code == 2 and "Take back 2 first" in refused.err
    by_hand = changes(site)[0]
    assert (by_hand["command"], by_hand["files"]) == ("", ["atlas.toml"])
    file.write_text("[site]\nurl = broken\n")
    undone = run_command("undo", "--yes", cwd=site)
    assert undone.code == 0 and "changes by hand" in undone.out
    assert tomllib.loads(file.read_text())["rule"][0]["set"] == {"listed": False, "index": False}


def test_settings_go_to_another_site_without_what_is_its_own(site, tmp_path_factory):
    run_command("rules", "policy", "empty_listings", "index", "--yes", cwd=site)
    add_rule(site, "/a/")
    take(site, "loc,index\n/c/,no\n")
    file = site / "atlas.toml"
    file.write_text(f"# It's '''ours'''.\n{file.read_text()}")
    assert run_command("settings", "export", "all.toml", cwd=site).code == 0
    kept = tomllib.loads((site / "all.toml").read_text())
    assert kept["files"]["atlas.toml"] == file.read_text()
    other = tmp_path_factory.mktemp("other")
    mine = write_site(other, PAGES, '# Ours.\n[policies]\nauthor_pages = "noindex"\n').read_text()
    (other / "atlas.toml").write_text(mine.replace("www.marrowfen", "shop.marrowfen"))
    run_command("survey", cwd=other)
    before = (other / "atlas.toml").read_bytes()
    shown = run_command("settings", "import", str(site / "all.toml"), cwd=other)
    assert "Takes policies, rule from" in shown.out and "listed: yes → no for 1 page" in shown.out
    assert (other / "atlas.toml").read_bytes() == before
    run_command("settings", "import", str(site / "all.toml"), "--only", "policies,rule", "--yes", cwd=other)
    values = tomllib.loads((other / "atlas.toml").read_text())
    assert values["site"]["url"] == "https://shop.marrowfen.example"
    assert (values["policies"], values["rule"][0]["match"]) == ({"empty_listings": "index"}, "/a/")
    assert not (other / "overrides.csv").exists()
    run_command("settings", "reset", "rule", "policies", "--yes", cwd=other)
    assert not {"rule", "policies"} & tomllib.loads((other / "atlas.toml").read_text()).keys()
    run_command("undo", "--yes", cwd=other)
    run_command("undo", "--yes", cwd=other)
    assert (other / "atlas.toml").read_bytes() == before
    # Into the same site all goes back, the tables of pages too.
    run_command("settings", "reset", "overrides", "--yes", cwd=site)
    assert not (site / "overrides.csv").exists()
    run_command("settings", "import", "all.toml", "--yes", cwd=site)
    assert (site / "overrides.csv").read_text().splitlines()[1].startswith("https://www.marrowfen.example/c/,no")


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("undo",), "No command has changed the settings"),
        (("history", "3"), "There is no change 3"),
        (("settings", "reset", "polices"), "Did you mean 'policies'"),
        (("settings", "reset", "source"), "cannot be without [source]"),
        (("settings", "import", "atlas.toml"), "is no file of settings"),
    ],
)
def test_what_cannot_be_done_is_said(site, arguments, said):
    ran = run_command(*arguments, cwd=site)
    assert ran.code == 2 and said in ran.err, ran
