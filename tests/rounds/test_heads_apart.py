"""Head data that other processes make is that which one process makes."""

import shutil

import pytest

from jovial_atlas.rounds.publishing.build import heads
from jovial_atlas.rounds.publishing.build.options import BuildOptions
from jovial_atlas.rounds.publishing.build.run import run_build
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.rounds.state.names import KNOWN_PICTURES
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.sources.workers import pool
from tests.conftest import TODAY


@pytest.mark.parametrize("least", [0, 10_000])
def test_heads_made_apart_are_the_same(marrowfen, monkeypatch, least):
    with (marrowfen / "atlas.toml").open("a", encoding="utf-8") as text:
        text.write('\n[sharing]\ncopies = true\nmark = "/pictures/heron-mark.png"\n')
    made = []
    for apart in (False, True):
        site = read_site_file(marrowfen / "atlas.toml")
        for place in (site.output / "share", site.state / "head"):
            shutil.rmtree(place, ignore_errors=True)
        (site.shared_state / KNOWN_PICTURES).unlink(missing_ok=True)
        monkeypatch.setattr(heads, "worth_processes", lambda _, apart=apart: apart)
        monkeypatch.setattr(pool, "_WORTH_WORKERS", least)
        run_build(site, last_survey(site, TODAY), TODAY, BuildOptions(accept=True))
        found = {
            path.relative_to(marrowfen): path.read_bytes()
            for folder in (site.state / "head", site.output / "share")
            for path in folder.rglob("*.*")
        }
        made.append((found, (site.shared_state / KNOWN_PICTURES).read_bytes()))
    (here, measured), (there, measured_apart) = made
    assert {path.suffix for path in here} >= {".jsonl", ".jpg"}
    assert here == there
    assert sorted(measured) == sorted(measured_apart)


def test_few_pages_are_not_worth_a_process(marrowfen):
    site = read_site_file(marrowfen / "atlas.toml")
    assert not heads.worth_processes(last_survey(site, TODAY))
