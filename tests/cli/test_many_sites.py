"""Many sites: what they have in common, and one command for all of them."""

import json
import re

import pytest

from tests.conftest import page, run_command

BASE = """
[policies]
empty_listings = "noindex"
[[section]]
name = "notes"
match = "/notes/**"
[[rule]]
match = "/private/**"
set = { index = false }
reason = "Nobody needs it in a search"
"""


def make_sites(folder, count, extra=""):
    (folder / "agency.toml").write_text(BASE)
    for number in range(1, count + 1):
        for name in ("index.html", "private/x/index.html", "notes/a/index.html"):
            place = folder / f"s{number}/public" / name
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(page(f"Page {name} of {number}"))
        (folder / f"s{number}/atlas.toml").write_text(
            f'base = "../agency.toml"\n[site]\nurl = "https://s{number}.example"\nname = "Site {number}"\n'
            f'[[source]]\nkind = "html"\npath = "public"\n{extra}'
        )


def test_twenty_sites_are_surveyed_built_checked_and_told_of_in_one_command_each(tmp_path):
    make_sites(tmp_path, 20)
    broken = tmp_path / "s7/atlas.toml"
    broken.write_text(broken.read_text() + "oops\n")
    survey = run_command("--site", "s*", "survey", "--format", "json", cwd=tmp_path)
    assert survey.code == 2, "the worst of all"
    sites = survey.json["sites"]
    assert len(sites) == 20 and sites[0]["site"] == "s7/atlas.toml" and "not TOML" in sites[0]["said"]
    assert {one["result"]["pages"] for one in sites[1:]} == {3}
    broken.write_text(broken.read_text().replace("oops\n", ""))
    assert run_command("survey", "--site", "s7", cwd=tmp_path).code == 0, "a folder is its site file"
    built = run_command("build", "--site", "s*/atlas.toml", cwd=tmp_path)
    assert built.code == 0 and built.out.count("2 pages listed") == 20, built.out
    (tmp_path / "s3/public/sitemap.xml").write_text("<urlset/>")
    checked = run_command("--site", "s*", "check", cwd=tmp_path)
    assert checked.code == 1
    assert re.search(r"^ s3 +findings +[0-9]+ errors?", checked.out.splitlines()[3]), checked.out
    assert "20 sites, 1 of them not fine." in checked.out
    ran = run_command("report", "--site", "s[1-4]", "--to", "all.html", cwd=tmp_path)
    assert ran.code == 0, ran.err
    text = (tmp_path / "all.html").read_text()
    assert text.count('<th scope="row">') == 4 and 'href="s4/report.html">Site 4<' in text
    assert (tmp_path / "s4/report.html").stat().st_size > 10_000
    numbers = re.findall(r'<td class="number">[0-9,]+</td>', text)
    assert len(numbers) == 3 * 4, "score, pages and listed ones of each"
    reviewed = run_command("review", "--site", "s[12]", "--whole", cwd=tmp_path)
    assert len(re.findall(r"[0-9]+ of 100", reviewed.out)) == 2, reviewed.out
    alone = run_command("--site", "s[1-4]", cwd=tmp_path)
    assert alone.code == 0 and "4 sites, 0 of them not fine." in alone.out, alone.out


def test_a_base_says_what_sites_have_in_common_and_explain_names_it(tmp_path):
    make_sites(tmp_path, 1, '[[rule]]\nmatch = "/private/x/"\nset = { listed = false }\nreason = "Mine"\n')
    site = tmp_path / "s1"
    run_command("survey", cwd=site)
    told = run_command("explain", "/private/x/", "--format", "json", cwd=site).json
    assert [one["layer"] for one in told["layers"] if one["layer"].startswith("rule")] == ["rule 1 of ../agency.toml", "rule 1"]
    assert run_command("explain", "/notes/a/", "--format", "json", cwd=site).json["loc"].endswith("/notes/a/")
    listed = run_command("pages", "--section", "notes", "--format", "json", cwd=site).json
    assert len(listed) == 1, "sections of the base count"
    rules = run_command("rules", "list", "--format", "json", cwd=site).json["rules"]
    assert [(one["number"], one["from"]) for one in rules] == [(None, "../agency.toml"), (1, "atlas.toml")]
    run_command("rules", "remove", "1", "--yes", cwd=site)
    assert "Mine" not in (site / "atlas.toml").read_text() and "Nobody" in (tmp_path / "agency.toml").read_text()
    (tmp_path / "agency.toml").write_text(BASE.replace("index = false", "listed = true"))
    turned = run_command("explain", "/private/x/", "--format", "json", cwd=site).json
    assert turned["verdict"] == "listed", "what the base says now counts at once"
    assert run_command("survey", "--format", "json", cwd=site).json["pages"] == 3


@pytest.mark.parametrize(
    ("base", "said"),
    [
        ("nope.toml", "cannot be read"),
        ("atlas.toml", "comes back to itself"),
        ("wrong.toml", "this is not TOML"),
        ("site.toml", "is said by each site file"),
        ("odd.toml", "base file odd.toml that says it"),
    ],
)
def test_a_base_that_cannot_be_used_is_said(tmp_path, base, said):
    for name, text in (("wrong.toml", "x"), ("site.toml", '[site]\nurl = "https://a.example"'), ("odd.toml", "[policies]\nnope = 1")):
        (tmp_path / name).write_text(text)
    (tmp_path / "atlas.toml").write_text(f'base = "{base}"\n[site]\nurl = "https://a.example"\n[[source]]\nkind = "html"\npath = "."\n')
    ran = run_command("survey", cwd=tmp_path)
    assert ran.code == 2 and said in ran.err, ran.err


def test_other_commands_take_one_site_and_say_so(tmp_path):
    make_sites(tmp_path, 2)
    ran = run_command("--site", "s*", "explain", "/", cwd=tmp_path)
    assert ran.code == 2 and "works on one site" in ran.err
    assert "no file is like t*" in run_command("--site", "t*", "survey", cwd=tmp_path).err
    env = {"JOVIAL_ATLAS_SITE": "s1:s2/atlas.toml"}
    told = run_command("survey", "--format", "json", cwd=tmp_path, env=env)
    assert [one["site"] for one in json.loads(told.out)["sites"]] == ["s1/atlas.toml", "s2/atlas.toml"]
