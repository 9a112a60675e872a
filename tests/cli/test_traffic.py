"""What people searched and clicked, on the command line: heard, shown, and beside every decision."""

import re
import shutil
from datetime import date, timedelta

import polars as pl
import pytest

from jovial_atlas.rounds.state.published import PublishedSite
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.standin.searches import KnownEffect, SearchWorld, as_exported, searched, summed
from tests.conftest import URL, run_command

ENDS = date(2026, 11, 20)
ENGINES = """
[[engine]]
name = "Lanternfish"
crawlers = ["lanternbot"]
channels = [{ kind = "hand" }]

[[engine]]
name = "Quillseek"
crawlers = ["quillseek"]
channels = [{ kind = "hand" }]
"""


def world(folder, *effects, **more):
    """The site as people search it, whose truth is known."""
    pages = pl.read_parquet(folder / ".jovial-atlas/pages.parquet")
    titled = pages.with_columns(pl.coalesce("title", "loc")).select("loc", "title")
    return SearchWorld(list(titled.iter_rows()), effects=effects, **more)


def hear(folder, which, engine="Lanternfish", days=70, ends=ENDS):
    """Hear tables by page, and by page and query, as an engine exports them."""
    rows = searched(which, ends - timedelta(days - 1), ends)
    for by in (["date", "loc"], ["date", "loc", "query"]):
        (folder / f"{engine}-{len(by)}.csv").write_bytes(as_exported(summed(rows, by), engine))
    ran = run_command("hear", "--engine", engine, f"{engine}-2.csv", f"{engine}-3.csv", cwd=folder)
    assert ran.code == 0, ran.err
    return rows, ran


@pytest.fixture
def site(marrowfen):
    (marrowfen / "atlas.toml").open("a").write(ENGINES)
    return marrowfen


def traffic(folder, *more):
    ran = run_command("traffic", *more, "--format", "json", cwd=folder)
    assert ran.code == 0, ran.err
    return ran.json


def test_two_engines_tables_come_to_what_they_say_and_twice_is_once(site):
    which = world(site)
    rows, _ = hear(site, which)
    hear(site, which, "Quillseek")
    said = traffic(site)
    hear(site, which, days=40)
    assert traffic(site) == said
    late = rows.filter(pl.col("date") > ENDS - timedelta(28))
    assert (said["from"], said["to"]) == ("2026-10-24", "2026-11-20")
    assert said["clicks"] == 2 * late["clicks"].sum()
    assert said["impressions"] == 2 * late["impressions"].sum()
    assert sum(one["clicks"] for one in said["sections"]) == said["clicks"]
    assert traffic(site, "--engine", "Quillseek")["clicks"] * 2 == said["clicks"]
    assert 0 < said["clicks_by_query"] < 1
    assert len(said["weeks"]) == 10


def test_a_page_that_fell_is_named_and_what_the_site_does_is_not(site):
    hear(site, world(site, KnownEffect("/species/bittern/$", ENDS - timedelta(27), shown=0.1),
                     KnownEffect("/", ENDS - timedelta(27), shown=0.7), shown=300.0, season=0.0))  # fmt: skip
    said = traffic(site)
    assert [one["loc"] for one in said["fell"]] == [f"{URL}/species/bittern/"]
    fell = said["fell"][0]
    assert (fell["now"] < fell["before"] / 5, fell["p"] < 0.001, said["rose"]) == (True, True, [])
    shown = run_command("traffic", cwd=site)
    assert ("Fell: 1 of " in shown.out, "/species/bittern/" in shown.out) == (True, True)
    unlisted = {one["loc"]: one["reason"] for one in said["shown_unlisted"]}
    assert unlisted[f"{URL}/field-notes/winter-roost/"] == "the page says noindex"


def test_a_gone_page_counts_for_where_it_leads_now(site):
    which = world(site)
    hear(site, which)
    before = {one["name"]: one["clicks"] for one in traffic(site)["sections"]}
    assert run_command("moves", "add", "/shop/**", "/cafe/", "--at-stake", cwd=site).code == 0
    for path in (site / "public/shop").rglob("*.html"):
        path.unlink()
    ran = run_command("survey", "--accept", cwd=site)
    assert ("At stake: these " in ran.out, ran.code) == (True, 0)
    after = {one["name"]: one["clicks"] for one in traffic(site)["sections"]}
    assert after["cafe"] == before["cafe"] + before["shop"]
    assert "shop" not in after


def test_decisions_say_what_is_at_stake_and_much_is_not_saved_unasked(site):
    hear(site, world(site))
    pages = run_command("pages", "--sort", "clicks", "--limit", "3", "--format", "json", cwd=site).json
    assert pages[0]["clicks"] >= pages[1]["clicks"] >= pages[2]["clicks"] > 0
    never = run_command("pages", "--where", "clicks = 0 and impressions > 0", "--format", "csv", cwd=site)
    assert all(",0," in line for line in never.out.splitlines()[1:])
    hide = ("rules", "add", "--match", "/species/**", "--set", "index=false", "--yes")
    refused = run_command(*hide, cwd=site)
    assert (refused.code, "is at stake, more than [traffic] ask_above" in refused.err) == (2, True)
    assert "At stake: these " in refused.out
    text = (site / "atlas.toml").read_text()
    saved = run_command(*hide, "--at-stake", "--format", "json", cwd=site).json
    assert (saved["saved"], saved["at_stake"]["share"] > 0.05) == (True, True)
    (site / "atlas.toml").write_text(text + "\n[traffic]\nask_above = 1\n")
    assert run_command(*hide, cwd=site).code == 0
    (site / "atlas.toml").write_text(text)
    gone = run_command("moves", "gone", "/species/**", cwd=site)
    assert (gone.code, "--at-stake" in gone.err) == (2, True)
    assert run_command("moves", "gone", "/species/**", "--dry-run", cwd=site).code == 0
    (site / "atlas.toml").write_text(f'{text}\n[overrides]\nfile = "overrides.csv"\n')
    edited = site / "edited.csv"
    species = run_command("pages", "--match", "/species/**", "--format", "json", cwd=site).json
    edited.write_text("loc,index\n" + "".join(f"{one['loc']},no\n" for one in species))
    taken = run_command("pages", "--take", str(edited), cwd=site)
    assert (taken.code, "--at-stake" in taken.err) == (2, True), taken.out
    assert not (site / "overrides.csv").exists()


def test_rules_by_clicks_follow_what_was_heard_last(site):
    rule = '\n[[rule]]\nwhen = "clicks < 5"\nset = { listed = false }\nreason = "Hardly anybody comes"\n'
    (site / "atlas.toml").open("a").write(rule)
    listed = ("pages", "--verdict", "listed", "--format", "json")
    everything = run_command(*listed, cwd=site).json
    hear(site, world(site, KnownEffect("/cafe/$", date(2026, 1, 1), shown=0.0), shown=400.0))
    some = {one["loc"]: one["clicks"] for one in run_command(*listed, cwd=site).json}
    assert 0 < len(some) < len(everything)
    assert f"{URL}/cafe/" not in some
    assert min(some.values()) >= 5
    survey = run_command("survey", "--accept", "--format", "json", cwd=site).json
    assert sum(one["listed"] for one in survey["sections"].values()) == len(some)
    built = run_command("build", "--accept", "--format", "json", cwd=site).json
    assert built["listed"] == len(some)


def test_sitemaps_and_announcements_follow_what_is_clicked(site):
    text = (site / "atlas.toml").read_text()
    text = text.replace('channels = [{ kind = "hand" }]',
                        'channels = [{ kind = "indexnow", endpoint = "http://127.0.0.1:1/", per_day = 3 }]', 1)  # fmt: skip
    (site / "atlas.toml").write_text(text.replace("[output]", '[sitemap]\norder = "clicks"\n\n[output]', 1))
    assert run_command("build", cwd=site).code == 0
    hear(site, world(site))
    assert run_command("build", cwd=site).code == 0
    clicks = {one["loc"]: one["clicks"] for one in run_command("pages", "--format", "json", cwd=site).json}
    listed = [line.partition("<loc>")[2].partition("<")[0]
              for line in (site / "public/sitemap-species-1.xml").read_text().splitlines() if "<loc>" in line]  # fmt: skip
    locs = [loc for loc in listed if loc in clicks]
    assert len(locs) > 5
    assert [clicks[loc] for loc in locs] == sorted((clicks[loc] for loc in locs), reverse=True)
    assert "same" in {one["state"] for one in run_command("build", "--format", "json", cwd=site).json["files"]}
    announced = PublishedSite(read_site_file(site / "atlas.toml")).announced
    rows = pl.concat([piece for _, piece in announced.pages.pieces()])
    weights = dict(zip(rows["loc"], announced.weigh(rows), strict=True))
    assert max(weights, key=weights.get) == max(weights, key=lambda loc: clicks[loc])
    assert max(weights.values()) < 0.6, "a section that weighs more comes first all the same"


def test_a_review_proposes_what_people_searched(site):
    page = "/species/bittern/"
    (before,) = run_command("review", page, "--format", "json", cwd=site).json["pages"]
    rows, _ = hear(site, world(site, shown=300.0))
    (after,) = run_command("review", page, "--format", "json", cwd=site).json["pages"]
    late = rows.filter((pl.col("date") > ENDS - timedelta(28)) & (pl.col("loc") == URL + page))
    counts = late.group_by("query").agg(pl.col("clicks", "impressions").cast(pl.Int64).sum())
    most = counts.sort(["clicks", "impressions"], descending=True)["query"][0]
    assert (before["proposed"], before["searched"]) == ("Bittern", False)
    assert (after["proposed"], after["searched"]) == (most, True)


def test_what_cannot_be_known_is_said(site):
    assert run_command("traffic", cwd=site).code == 2
    hear(site, world(site), days=20)
    said = run_command("traffic", cwd=site)
    assert "Tables of four weeks at least are needed" in said.out
    assert ("2026-11-14 to 2026-11-20" in said.out, "on the weeks before" in said.out) == (True, False)
    wrong = run_command("hear", "--engine", "Lanternfish", "atlas.toml", cwd=site)
    assert wrong.code == 2


@pytest.mark.parametrize(("more", "weights"), [("", [0.7]), ('\n[[section]]\nname = "s"\nmatch = "/b/"\npriority = 0.2\n', [0.7, 0.2])])
def test_each_page_weighs_what_is_said_of_it(tmp_path, more, weights):
    (tmp_path / "t.csv").write_text("loc\n/a/\n/b/\n/c/\n")
    (tmp_path / "atlas.toml").write_text(
        f'[site]\nurl = "{URL}"\n[[source]]\nkind = "table"\npath = "t.csv"\n[defaults]\npriority = 0.7\n[[engine]]\nname = "Q"\n'
        f'channels = [{{ kind = "indexnow", endpoint = "http://127.0.0.1:1/", per_day = 2 }}]\n{more}'
    )
    for command in ("survey", "build"):
        assert run_command(command, cwd=tmp_path).code == 0
    announced = PublishedSite(read_site_file(tmp_path / "atlas.toml")).announced
    found = [weight for _, rows in announced.pages.pieces() for weight in announced.weigh(rows)]
    assert (len(found), set(found)) == (3, set(weights))
    told = run_command("submit", "--dry-run", "--format", "json", cwd=tmp_path).json
    assert [one["count"] for one in told["announcements"]] == [2], "a day's quota, of three pages"


def test_priorities_by_clicks_and_what_a_build_lists_no_more(site):
    text = (site / "atlas.toml").read_text()
    quota = 'channels = [{ kind = "indexnow", endpoint = "http://127.0.0.1:1/", per_day = 3 }]'
    text = text.replace('channels = [{ kind = "hand" }]', quota, 1) + '\n[defaults]\npriority = "clicks"\n'
    (site / "atlas.toml").write_text(text)
    hear(site, world(site))
    assert run_command("build", cwd=site).code == 0
    clicks = {one["loc"]: one["clicks"] for one in run_command("pages", "--format", "json", cwd=site).json}
    public = "".join(path.read_text() for path in (site / "public").glob("sitemap*.xml"))
    found = re.findall(r"<loc>([^<]*)</loc>(?:\s*<lastmod>[^<]*</lastmod>)?\s*<priority>([^<]*)<", public)
    shown = {loc: float(priority) for loc, priority in found if clicks.get(loc)}
    assert max(shown.values()) == 1.0
    in_order = sorted(shown, key=lambda loc: clicks[loc])
    assert [shown[loc] for loc in in_order] == sorted(shown.values())
    announced = PublishedSite(read_site_file(site / "atlas.toml")).announced
    rows = pl.concat([piece for _, piece in announced.pages.pieces()])
    weights = dict(zip(rows["loc"], announced.weigh(rows), strict=True))
    assert sorted(weights.values(), reverse=True)[0] > 0.9
    most = in_order[-1]
    (site / "atlas.toml").write_text(
        f'{text}\n[[rule]]\nmatch = "{most.removeprefix(URL)}"\nset = {{ listed = false }}\n'
    )
    ran = run_command("build", cwd=site)
    told = " ".join(ran.err.split())
    assert f"No longer listed: this page had {clicks[most]:,} clicks in 28 days" in told
    assert "No longer listed" not in run_command("build", cwd=site).err


def test_machines_that_share_a_folder_know_what_each_heard(site, tmp_path_factory):
    elsewhere = tmp_path_factory.mktemp("shared")
    (site / "atlas.toml").open("a").write(f'\n[traffic]\nfolder = "{elsewhere}"\n')
    other = tmp_path_factory.mktemp("other") / "site"
    shutil.copytree(site, other)
    hear(site, world(site))
    assert not (site / ".jovial-atlas/traffic").exists()
    assert traffic(other) == traffic(site)


def test_what_nobody_saved_is_told_as_json(site):
    (site / "atlas.toml").open("a").write('\n[overrides]\nfile = "overrides.csv"\n')
    (site / "edited.csv").write_text(f"loc,listed\n{URL}/cafe/,no\n")
    tried = run_command("pages", "--take", "edited.csv", "--dry-run", "--format", "json", cwd=site).json
    assert (tried["saved"], len(tried["changes"])) == (False, 1)
    assert run_command("pages", "--take", "edited.csv", "--format", "json", cwd=site).json["saved"]


def log_line(path, at="10:00:00", address="192.0.2.1"):
    agent = "Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/140.0"
    return f'{address} - - [20/Nov/2026:{at} +0000] "GET {path} HTTP/1.1" 200 512 "-" "{agent}"\n'


def test_each_server_has_its_own_times(site):
    """What one server logged between ten and eleven was not read by what another one logged then."""
    for name, path in (("a", "/cafe/"), ("b", "/species/bittern/")):
        lines = [log_line(path, at) for at in ("10:00:00", "11:00:00")]
        (site / f"{name}.log").write_text("".join(lines))

    def read(name, *more):
        return run_command("logs", f"{name}.log", *more, "--format", "json", cwd=site).json["people"]

    assert (read("a", "--server", "east")["visits"], read("b", "--server", "west")["visits"]) == (1, 1)
    assert read("a", "--server", "east") | {"from": 0, "to": 0} == {
        "visits": 0, "pages": 0, "before": 2, "from": 0, "to": 0,
    }  # fmt: skip
    assert read("b")["visits"] == 1, "no name is a server of its own"
    pages = run_command("pages", "--where", "visits > 0", "--format", "json", cwd=site).json
    assert {one["loc"]: one["visits"] for one in pages} == {f"{URL}/cafe/": 1, f"{URL}/species/bittern/": 2}
