"""A site that is reorganised again and again: every address that ever was leads in one hop to where
its page is now, or is gone."""

import json
import random
import re
import shutil
from datetime import timedelta

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from jovial_atlas.demo.builder import URL
from jovial_atlas.rounds.deciding.moves import as_moves, change_of, proposed_moves, write_change
from jovial_atlas.rounds.publishing.build.options import BuildOptions
from jovial_atlas.rounds.publishing.build.run import run_build
from jovial_atlas.rounds.reading.all_sources import SurveyOptions
from jovial_atlas.rounds.reading.begun import begin_survey
from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.web import new_client
from tests.conftest import TODAY, page

PAGES, ROUNDS = 500, 10
WORDS = ("heron", "otter", "sedge", "reed", "marsh", "tern", "willow", "newt", "moss", "vole")
SITE = f'[site]\nurl = "{URL}"\n[[source]]\nkind = "html"\npath = "public"\n'


def begun():
    """Page number → path of its address."""
    return {
        number: f"/{WORDS[number % 5]}/{2020 + number % 4}/{WORDS[number % 7]}-{number}/"
        for number in range(PAGES)
    }


def reorganised(paths, change, chance):
    """What one reorganisation makes of the paths."""
    folders = sorted({path.split("/")[1] for path in paths.values()})
    if change == "folder":
        old, new = chance.choice(folders), chance.choice([*folders, "new", "old", "x"])
        return {n: re.sub(f"^/{old}/", f"/{new}/", path) for n, path in paths.items()}
    if change == "dates":
        return {n: re.sub(r"/20\d\d/", "/", path) for n, path in paths.items()}
    if change == "deeper":
        return {n: f"/all{path}" if path.count("/") < 6 else path for n, path in paths.items()}
    if change == "deleted":
        lost = set(chance.sample(sorted(paths), len(paths) // 20))
        return {n: path for n, path in paths.items() if n not in lost}
    some = set(chance.sample(sorted(paths), len(paths) // 10))
    renamed = {n: re.sub(r"[^/]+/$", f"{chance.choice(WORDS)}-{n}-{chance.randrange(9)}/", path)
               for n, path in paths.items() if n in some}  # fmt: skip
    return {**paths, **renamed}


def written(folder, paths):
    shutil.rmtree(folder / "public", ignore_errors=True)
    for number, path in {**paths, -1: "/"}.items():
        place = folder / "public" / path[1:] / "index.html"
        place.parent.mkdir(parents=True, exist_ok=True)
        body = f"<p>The {WORDS[number % 10]} of page {number} is like no other {number * 7}.</p>" * 3
        place.write_text(page(f"{WORDS[number % 10].title()} {number}", body))


def a_round(folder, now):
    """Survey, take all moves, build; gives what servers are told."""
    site = read_site_file(folder / "atlas.toml")
    with new_client(5) as client:
        run_survey(
            site, now, client, SurveyOptions({}, accept=True), begin_survey(site, now, workers=0)
        )
    survey = last_survey(site, now)
    moves = as_moves(proposed_moves(survey), site, "2026-11-23", "")
    write_change(site, change_of(site, moves))
    site = read_site_file(folder / "atlas.toml")
    run_build(site, last_survey(site, now), now, BuildOptions(accept=True))
    told = folder / ".jovial-atlas/servers/moves.json"
    return json.loads(told.read_text()) if told.exists() else {"moves": [], "patterns": [], "stay": []}


def asked(path, there, told):
    """What a server answers: as `moves.json` says, for what is not there."""
    single = {one["from"]: one for one in told["moves"]}
    if path in there:
        assert path not in single, "a page that exists is not sent on"
        return path
    if path in single:
        return (single[path]["to"] or "gone").removeprefix(URL)
    for one in told["patterns"]:
        if match := re.search(one["expression"], path):
            to = one["to"] or "gone"
            return re.sub(r"\$(\d)", lambda n: match[int(n[1])], to).removeprefix(URL)
    return "nothing"


@pytest.mark.slow
@settings(max_examples=3, phases=[Phase.generate])
@given(
    st.lists(
        st.sampled_from(["folder", "dates", "deeper", "deleted", "renamed"]),
        min_size=ROUNDS, max_size=ROUNDS,
    ),
    st.integers(0, 10_000),
)  # fmt: skip
def test_every_address_that_ever_was_leads_to_its_page_or_is_gone(tmp_path_factory, changes, seed):
    folder, chance = tmp_path_factory.mktemp("site"), random.Random(seed)
    (folder / "atlas.toml").write_text(SITE)
    paths = begun()
    ever = {path: number for number, path in paths.items()}
    written(folder, paths)
    a_round(folder, TODAY)
    for number, change in enumerate(changes, start=1):
        paths = reorganised(paths, change, chance)
        assert len(set(paths.values())) == len(paths)
        written(folder, paths)
        told = a_round(folder, TODAY + timedelta(days=number))
        ever |= {path: page_number for page_number, path in paths.items()}
        there = set(paths.values())
        wrong = {
            path: (got, paths.get(page_number, "gone"))
            for path, page_number in ever.items()
            if (got := asked(path, there, told)) != paths.get(page_number, "gone")
        }
        assert wrong == {}, change
