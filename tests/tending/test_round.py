"""One round after the other: what is done, what is held, who is told."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from jovial_atlas.errors import OutputError
from jovial_atlas.files import FileSet
from jovial_atlas.rounds.state.ledger import open_ledger
from jovial_atlas.rounds.tending.health import health_of
from jovial_atlas.running import RanCommand
from jovial_atlas.sitefile import read_site_file
from tests.tending.world import SITE, TELL, URL, World

TEN = {f"/notes/{n}/": "2025-12-01" for n in range(10)}


@pytest.fixture
def world(tmp_path: Path) -> World:
    made = World(tmp_path / "site")
    made.write(TEN)
    return made


def states(done) -> dict[str, str]:
    return {step.name: step.state for step in done.round.steps}


def test_a_page_that_is_added_appears_everywhere_by_itself_and_the_engine_is_told_once(world):
    first = world.tend()
    assert first.round.state == "done", first
    assert set(states(first)) == {
        "survey", "guard", "build", "check", "publish", "look", "submit", "hear", "status",
    }  # fmt: skip
    world.write({**TEN, "/notes/new/": "2026-01-01"})
    second = world.tend()
    assert (second.round.state, second.round.changes["added"]) == ("done", 1)
    assert "/notes/new/" in world.listed()
    assert world.heard[f"{URL}/notes/new/"] == ["2026-01-01"]
    told = {loc: list(what) for loc, what in world.heard.items()}
    assert [world.tend().round.state for _ in range(3)] == ["nothing"] * 3
    assert world.heard == told, "a round without changes sends nothing"
    world.write({**TEN, "/notes/3/": "2026-01-02"})
    world.tend()
    assert world.heard[f"{URL}/notes/3/"] == ["2025-12-01", "2026-01-02"]
    assert world.heard[f"{URL}/notes/new/"] == ["2026-01-01", None], "that it went is told once"
    assert world.told == []


def hidden(world: World) -> None:
    (world.folder / "atlas.toml").write_text(SITE + TELL + '[[rule]]\nmatch = "/**"\nset = { index = false }\n')


def lost(world: World) -> None:
    world.write(dict(list(TEN.items())[:2]))


def astray(world: World) -> None:
    """A page names a canonical that does not exist, which is an error and takes it out of the sitemap."""
    rows = [
        f"{path},{path} of the fen,{day},{f'{URL}/gone/' if path == '/notes/0/' else ''}"
        for path, day in TEN.items()
    ]
    (world.folder / "pages.csv").write_text("\n".join(["loc,title,lastmod,canonical", *rows]) + "\n")


def wrong(world: World) -> None:
    (world.folder / "atlas.toml").write_text(SITE + TELL + "[sit]\n")


def temporary(world: World) -> None:
    text = SITE.replace(URL, "http://127.0.0.1:8000")
    (world.folder / "atlas.toml").write_text(text + TELL)


@pytest.mark.parametrize(
    ("harm", "step", "state", "said"),
    [
        (hidden, "guard", "held", "may not be indexed"),
        (lost, "survey", "held", "8 of 10 listed pages would be lost"),
        (wrong, "settings", "failed", "sit"),
    ],
)
def test_harm_is_held_with_what_stands_told_once_and_again_when_it_is_well(world, harm, step, state, said):
    world.tend()
    stands, heard = dict(world.live), json.dumps(world.heard)
    harm(world)
    held = world.tend()
    assert (held.round.state, held.round.steps[-1].name) == (state, step)
    assert said in held.round.steps[-1].detail
    assert (world.live, json.dumps(world.heard)) == (stands, heard)
    assert [one["to"] for one in held.round.told] == ["command tell"]
    for _ in range(3):
        assert world.tend().round.told == [], "once, not every round"
    (world.folder / "atlas.toml").write_text(SITE + TELL)
    world.write(TEN)
    well = world.tend()
    assert well.round.state in ("done", "nothing")
    assert [one.kind for one in world.told] == ["trouble", "well"]
    assert said in world.told[0].message and world.told[1].since == world.told[0].at


def test_a_build_with_a_finding_that_holds_gives_way_to_the_one_that_stood(world):
    (world.folder / "atlas.toml").write_text(SITE.replace('[tend]', '[tend]\nhold_at = "error"') + TELL)
    world.tend()
    public = world.folder / "public"
    before = {path.name: path.read_bytes() for path in public.iterdir()}
    astray(world)
    held = world.tend()
    assert (held.round.state, held.round.steps[-1].name) == ("held", "check"), held
    assert {path.name: path.read_bytes() for path in public.iterdir()} == before
    assert "the build of before stands" in held.round.steps[-1].detail
    assert "canonical" in world.told[0].message
    world.write({**TEN, "/notes/0/": "2026-01-02"})
    assert world.tend().round.state == "done"
    assert world.heard[f"{URL}/notes/0/"] == ["2025-12-01", "2026-01-02"]


def test_a_round_that_broke_off_before_its_check_keeps_the_build_that_was_right(world):
    (world.folder / "atlas.toml").write_text(SITE.replace("[tend]", '[tend]\nhold_at = "error"') + TELL)
    world.tend()
    public = world.folder / "public"
    before = {path.name: path.read_bytes() for path in public.iterdir()}
    astray(world)
    world.ends_after = "build"
    world.tend()
    world.ends_after = ""
    held = world.tend()
    assert (held.round.state, held.round.steps[-1].name) == ("held", "check")
    assert {path.name: path.read_bytes() for path in public.iterdir()} == before


def test_a_round_that_a_warning_holds_tells_somebody_and_no_secret(world):
    more = TELL.replace('severity = "warning"', 'severity = "error"')
    text = SITE.replace("[tend]", '[tend]\nhold_at = "advice"') + more
    (world.folder / "atlas.toml").write_text(text)
    held = world.tend()
    assert (held.round.state, held.round.steps[-1].name) == ("held", "check")
    assert world.told and world.told[0].severity == "error", "what holds a round is told as an error"
    (world.folder / "atlas.toml").write_text(SITE + more + '[[tell]]\nkind = "webhook"\nurl = "https://h.example/"\nsecret_env = "S"\n')
    world.environment = {"S": "bittern-42"}
    world._run = lambda _command: RanCommand(1, "the key bittern-42 is refused")
    failed = world.tend()
    assert failed.round.steps[-1].name == "publish"
    assert "is refused" in failed.round.steps[-1].detail
    assert "bittern-42" not in str(failed.round) + str(world.told)


def test_nothing_is_announced_before_the_live_site_serves_it(world):
    world.tend()
    world.cannot_publish = True
    world.write({**TEN, "/notes/new/": "2026-01-01"})
    failed = world.tend()
    assert (failed.round.state, failed.round.steps[-1].name) == ("failed", "publish")
    assert "no route to the host" in failed.round.steps[-1].detail
    assert f"{URL}/notes/new/" not in world.heard
    # The command says that it did, and the site does not serve it yet.
    world.cannot_publish, world.is_late = False, True
    waits = world.tend()
    assert (waits.round.state, waits.round.steps[-1].name) == ("held", "look")
    assert "is not what was built" in waits.round.steps[-1].detail
    assert f"{URL}/notes/new/" not in world.heard
    public = world.folder / "public"
    world.live = {path.name: path.read_bytes() for path in public.iterdir()}
    world.live_pages = dict(world.pages)
    assert world.tend().round.state == "done"
    assert world.heard[f"{URL}/notes/new/"] == ["2026-01-01"]


def test_an_engine_that_is_down_is_told_later_and_not_in_every_round(world):
    world.is_down = True
    assert world.tend().round.state == "done"
    assert world.told[0].message.startswith("Lanternfish did not take")
    assert [world.tend().round.state for _ in range(3)] == ["nothing"] * 3
    world.is_down = False
    assert world.tend(60).round.state == "done"
    assert all(what == ["2025-12-01"] for what in world.heard.values())
    assert len(world.heard) == len(TEN)
    assert [one.kind for one in world.told] == ["trouble", "well"]


def test_a_draft_is_built_and_announced_to_nobody(world):
    text = SITE.replace('language = "en"', 'language = "en"\nstage = "draft"')
    (world.folder / "atlas.toml").write_text(text + TELL)
    done = world.tend()
    assert (done.round.state, states(done)["submit"]) == ("done", "skipped")
    assert (dict(world.heard), world.told) == ({}, [])


def test_a_signal_ends_a_round_after_its_step_and_the_next_one_goes_on(world):
    world.ends_after = "build"
    held = world.tend()
    assert [step.state for step in held.round.steps] == ["done", "done", "done", "skipped"]
    assert dict(world.heard) == {}
    world.ends_after = ""
    assert world.tend().round.state == "done"
    assert len(world.heard) == len(TEN)


def test_what_cannot_be_told_is_told_later_and_quiet_hours_are_kept(tmp_path, monkeypatch):
    import time

    monkeypatch.setenv("TZ", "UTC")
    time.tzset()
    world = World(tmp_path / "site", TELL + TELL.replace('["tell"]', '["other"]').replace(
        'severity = "warning"', 'severity = "error"\nquiet = "22:00-06:00"') )  # fmt: skip
    world.write(TEN)
    world.tend()
    world.is_mute = True
    lost(world)
    world.tend()
    assert world.told == []
    world.is_mute = False
    world.tend(0.5)
    assert world.to == [], "a minute is waited at first"
    world.tend(1)
    assert world.to == ["command tell"]
    world.now = world.now.replace(hour=5, minute=58)
    world.tend(0)
    assert world.to == ["command tell"]
    world.tend(3)
    assert world.to == ["command tell", "command other"]
    world.write(TEN)
    world.now = world.now.replace(hour=23)
    world.tend(0)
    assert [one.kind for one in world.told] == ["trouble", "trouble", "well"]


def test_a_digest_tells_what_happened_with_figures(tmp_path):
    world = World(tmp_path / "site", '[[tell]]\nkind = "file"\npath = "t"\ndigest = "day"\n')
    world.write(TEN)
    for hour in range(30):
        if hour == 3:
            world.write({**TEN, "/notes/new/": "2026-01-01"})
        world.tend(60)
    (digest,) = world.told
    assert digest.kind == "digest"
    assert (digest.figures["pages added"], digest.figures["still open"]) == (11, 0)
    assert digest.figures["rounds"] >= 24
    assert "Nothing needs you" in digest.message


def test_health_knows_when_no_round_went_well_for_too_long(world):
    def health(within: float = 0) -> str:
        ledger = open_ledger(read_site_file(world.folder / "atlas.toml"), lambda: world.now)
        try:
            return health_of(ledger, world.now, within).state
        finally:
            ledger.close()

    assert health() == "never"
    world.tend()
    assert (health(60), health()) == ("well", "well")
    world._pause(3_600)
    assert (health(60), health(7_200)) == ("late", "well")
    lost(world)
    world.tend()
    assert health() == "held"


@contextmanager
def full_disk() -> Iterator[None]:
    """No file of a build finds room, as long as the block runs."""

    def no_room(_set: FileSet) -> Path:
        raise OutputError("sitemap.xml cannot be written (No space left on device).")

    real, FileSet._place = FileSet._place, no_room
    try:
        yield
    finally:
        FileSet._place = real


#: What may happen on a day: to content, engine, publishing and telling.
DAYS = st.lists(
    st.tuples(
        st.sampled_from(["add", "change", "remove", "move", "empty", "nothing", "nothing"]),
        st.sampled_from(["down", "up", "up"]), st.sampled_from(["stuck", "runs", "runs"]),
        st.sampled_from(["mute", "heard"]), st.sampled_from(["", "", "survey", "build", "publish"]),
        st.sampled_from(["full", "room", "room", "room"]),
    ),
    min_size=20, max_size=30,
)  # fmt: skip


@settings(
    max_examples=4, deadline=None, suppress_health_check=list(HealthCheck),
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
)  # fmt: skip
@given(DAYS)
def test_over_a_year_all_that_is_public_is_listed_and_announced_once_for_each_change(tmp_path_factory, days):
    world = World(tmp_path_factory.mktemp("year") / "site")
    # So many that what goes in a month is no loss that is held.
    pages = {f"/notes/{n}/": "2025-12-01" for n in range(150)}
    world.write(pages)
    world.tend()
    for number, (event, engine, publishing, telling, ends, disk) in enumerate(days):
        world.now = world.now.replace(hour=4)
        day = f"{world.now:%Y-%m-%d}"
        first = sorted(pages)[number % len(pages)]
        if event == "add":
            pages[f"/notes/d{number}/"] = day
        elif event == "change":
            pages[first] = day
        elif event in ("remove", "move"):
            del pages[first]
            if event == "move":
                pages[f"{first}moved/"] = day
        # At night the site build fails: an empty table, and the loss guard holds.
        world.write({"/notes/0/": day} if event == "empty" else pages)
        world.is_down, world.cannot_publish = engine == "down", publishing == "stuck"
        world.is_mute, world.ends_after = telling == "mute", ends
        with full_disk() if disk == "full" else nullcontext():
            done = world.tend(60 * 24 * 365 / len(days))
        if event == "empty":
            assert done.round.state == "held", done
    world.write(pages)
    world.is_down = world.cannot_publish = world.is_mute = False
    world.ends_after = ""
    # What nobody took for long is tried again once a day.
    for minutes in (90, 90, 90, 60 * 25):
        world.tend(minutes)
    last = world.tend(90)
    assert last.round.state == "nothing", last
    assert world.listed() == set(pages)
    for loc, heard in world.heard.items():
        assert all(one != other for one, other in pairwise(heard)), (loc, heard)
        assert heard[-1] == pages.get(loc.removeprefix(URL)), (loc, heard)
    assert {loc.removeprefix(URL) for loc, heard in world.heard.items() if heard[-1]} == set(pages)
    ledger = open_ledger(read_site_file(world.folder / "atlas.toml"), lambda: world.now)
    try:
        assert (ledger.open_notices(), ledger.unsent()) == ([], [])
    finally:
        ledger.close()
