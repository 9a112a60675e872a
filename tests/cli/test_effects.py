"""Whether changes helped, on the command line: changes are noted by what publishes them, and their effect is told
against pages that did not change."""

from datetime import date

import polars as pl
import pytest

from jovial_atlas.sitefile import read_site_file
from jovial_atlas.standin.searches import KnownEffect, SearchWorld, as_exported, searched, summed
from tests.conftest import SITE_HEAD, URL, run_command

SITE = (
    SITE_HEAD
    + """
[output]
folder = "public"

[[source]]
kind = "table"
path = "pages.csv"
url = "/{kind}/{slug}/"

[[section]]
name = "shop"
match = "/shop/**"
title = "{{ page.title }}"

[[section]]
name = "notes"
match = "/notes/**"

[[engine]]
name = "Quillseek"
crawlers = ["quillseek"]
channels = [{ kind = "hand" }]
"""
)
BEGUN = "2026-10-01T08:00:00Z"


@pytest.fixture
def site(tmp_path):
    rows = [f"{kind},{kind}-{number},A {kind} page {number}" for kind in ("shop", "notes") for number in range(60)]
    (tmp_path / "pages.csv").write_text("kind,slug,title\n" + "\n".join(rows) + "\n")
    (tmp_path / "atlas.toml").write_text(SITE)
    publish(tmp_path, "2026-09-01T08:00:00Z")
    return tmp_path


def run(folder, *arguments, at=BEGUN):
    ran = run_command(*arguments, cwd=folder, env={"JOVIAL_ATLAS_NOW": at})
    assert ran.code == 0, ran.err
    return ran


def publish(folder, at):
    run(folder, "survey", at=at)
    run(folder, "build", at=at)


def heard(folder, *effects, ends=date(2026, 11, 3)):
    pages = pl.read_parquet(folder / ".jovial-atlas/pages.parquet").select("loc", "title").rows()
    world = SearchWorld(pages, seed=4, shown=120.0, effects=effects)
    rows = summed(searched(world, date(2026, 8, 20), ends), ["date", "loc"])
    (folder / "seen.csv").write_bytes(as_exported(rows, "Quillseek"))
    run(folder, "hear", "--engine", "Quillseek", "seen.csv", at="2026-11-05T08:00:00Z")


def events(folder):
    return [(one["kind"], one["pages"], one["at"][:10]) for one in run(folder, "traffic", "events", "--format", "json").json["events"]]


def effect(folder, name, at="2026-11-05T08:00:00Z"):
    return run(folder, "traffic", "effect", name, "--format", "json", at=at).json


def test_a_trial_is_by_lot_is_published_for_one_half_and_its_effect_is_found(site):
    started = run(site, "traffic", "try", "shop", "--title", "{{ page.title }} – by post", "--yes", "--format", "json").json
    halves = set(started["pages"]), set(started["control"])
    assert (len(halves[0]) + len(halves[1]), halves[0] & halves[1]) == (60, set())
    publish(site, BEGUN)
    assert events(site) == [("trial", len(halves[0]), "2026-10-01"), ("title", len(halves[0]), "2026-10-01")]
    one, other = sorted(halves[0])[0], sorted(halves[1])[0]
    assert run(site, "explain", one, "--format", "json").json["head"]["title"].endswith("– by post")
    assert not run(site, "explain", other, "--format", "json").json["head"]["title"].endswith("– by post")
    trial = read_site_file(site / "atlas.toml").model.trial[0]
    heard(site, KnownEffect("", date(2026, 10, 1), clicks=2.5, locs=frozenset(loc for loc in halves[0] if trial.takes(loc))))
    told = effect(site, started["event"])
    assert (told["verdict"], told["metric"], told["trial"], told["pages"] + told["control"]) == ("helped", "clicks", True, 60)
    # Halves differ from run to run: how often intervals hold is for simulations to say.
    assert 0 < told["low"] <= told["effect"] <= told["high"]
    assert (0.7 < told["effect"] < 2.6, [one["metric"] for one in told["metrics"]]) == (True, ["clicks", "impressions", "position"])
    assert len(told["weeks"]) == 8
    shown = run(site, "traffic", "effect", started["event"]).out
    assert ("chosen by lot" in shown, "helped: +" in shown) == (True, True)
    refused = run_command("traffic", "try", "shop", "--title", "x", "--yes", cwd=site)
    assert (refused.code, "runs already" in refused.err) == (2, True)
    run(site, "traffic", "settle", trial.name, "--keep")
    assert read_site_file(site / "atlas.toml").model.section[0].title == "{{ page.title }} – by post"
    assert read_site_file(site / "atlas.toml").model.trial == ()
    run(site, "undo", "--yes")
    run(site, "traffic", "settle", trial.name, "--drop")
    assert (site / "atlas.toml").read_text() == SITE, "all is as it was before the trial"


def test_changes_of_what_is_published_are_noted_and_nothing_else_is(site):
    publish(site, BEGUN)
    assert events(site) == []
    text = (site / "atlas.toml").read_text()
    (site / "atlas.toml").write_text(text.replace('match = "/notes/**"', 'match = "/notes/**"\ntitle = "{{ page.title }}!"\ndescription = "All of {{ page.title }}"'))
    run(site, "build", "--dry-run")
    assert events(site) == []
    publish(site, BEGUN)
    # Data of a page has its description too.
    assert events(site) == [(kind, 60, "2026-10-01") for kind in ("title", "description", "data")]
    run(site, "rules", "add", "--match", "/notes/notes-1*/", "--set", "listed=false", "--reason", "Too thin", "--yes", at="2026-10-02T08:00:00Z")
    publish(site, "2026-10-03T08:00:00Z")
    assert events(site)[3:] == [("listing", 11, "2026-10-03")]
    last = run(site, "traffic", "events", "--format", "json").json["events"][-1]
    assert "rules add" in last["why"]
    run(site, "moves", "add", "/old/", "/shop/shop-1/")
    publish(site, "2026-10-04T08:00:00Z")
    assert events(site)[4:] == [("move", 1, "2026-10-04")]
    heard(site)
    assert effect(site, "1")["verdict"] == "cannot be told from chance"
    assert effect(site, "5")["verdict"] == "too few"
    assert effect(site, "4")["pages"] <= 11


def test_what_this_tool_cannot_see_is_noted_by_hand_and_may_be_too_early(site):
    assert run_command("traffic", "note", "New menu", cwd=site).code == 2
    noted = run(site, "traffic", "note", "New menu", "--section", "notes", "--on", "2026-10-30", "--format", "json").json
    assert noted["pages"] == 60
    heard(site)
    told = effect(site, noted["event"])
    assert (told["verdict"], told["effect"], told["after"]) == ("too early", None, None)
    wrong = run_command("traffic", "effect", "77", cwd=site)
    assert (wrong.code, "There is no event '77'" in wrong.err) == (2, True)
    small = run_command("traffic", "try", "pages", "--title", "x", cwd=site)
    assert small.code == 2
    assert URL in (site / "atlas.toml").read_text()


def test_pages_that_are_listed_for_months_and_never_shown_are_named(site):
    rows = (site / "pages.csv").read_text().splitlines()
    days = ["2026-10-01" if ",shop-8," in row else "2026-01-01" for row in rows[1:]]
    dated = [f"{rows[0]},lastmod", *(f"{row},{day}" for row, day in zip(rows[1:], days, strict=True))]
    (site / "pages.csv").write_text("\n".join(dated) + "\n")
    publish(site, BEGUN)
    heard(site, KnownEffect("/(shop-7|shop-8|notes-9)/$", date(2026, 1, 1), shown=0.0))
    never = run(site, "traffic", "--format", "json", at="2026-11-05T08:00:00Z").json["never_shown"]
    # The eighth page of the shop is there for too short a time.
    assert never == [f"{URL}/notes/notes-9/", f"{URL}/shop/shop-7/"]
    assert run(site, "traffic", "--weeks", "2", "--format", "json", at="2026-11-05T08:00:00Z").json["never_shown"] == never


def test_large_sites_note_what_changed_of_pages_that_engines_show(site):
    """Too large for head data, by what the site file says: what the page table holds is compared, of the
    pages that were heard of."""
    (site / "atlas.toml").write_text(SITE.replace("[output]", "[output]\nhead_pages = 50"))
    world_ = SearchWorld([(f"{URL}/shop/shop-{number}/", f"A shop page {number}") for number in range(20)])
    rows = searched(world_, date(2026, 8, 1), date(2026, 8, 31))
    (site / "clicks.csv").write_bytes(as_exported(summed(rows, ["date", "loc"]), "Quillseek"))
    run(site, "hear", "--engine", "Quillseek", "clicks.csv")
    publish(site, BEGUN)
    text = (site / "pages.csv").read_text()
    (site / "pages.csv").write_text(text.replace("A shop page", "A fine shop page"))
    publish(site, "2026-10-02T08:00:00Z")
    events = run(site, "traffic", "events", "--format", "json").json["events"]
    assert [(one["kind"], one["pages"]) for one in events] == [("title", 20)]
    publish(site, "2026-10-03T08:00:00Z")
    assert run(site, "traffic", "events", "--format", "json").json["events"] == events
