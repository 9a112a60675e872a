"""Several machines that share a ledger: one of them tends, another takes over when it is gone."""

from __future__ import annotations

import random
import threading
from itertools import pairwise

import psycopg
import pytest

from jovial_atlas.rounds.state.ledger import open_ledger
from jovial_atlas.sitefile import read_site_file
from tests.tending.world import TELL, URL, World

TEN = {f"/notes/{n}/": "2025-12-01" for n in range(10)}


@pytest.fixture
def machines(tmp_path, postgresql) -> list[World]:
    address = postgresql.replace("postgres@", "postgres:secret@")
    with psycopg.connect(address) as connection:
        connection.execute("drop schema if exists atlas_www_marrowfen_example cascade")
    more = f'{TELL}[ledger]\nconnect = "{address}"\n'
    return [World(tmp_path / name, more, name) for name in ("mill", "barn")]


def shared(mill: World, barn: World) -> None:
    """Both see the same server and the same engine."""
    barn.heard, barn.told, barn.to = mill.heard, mill.told, mill.to
    barn.live, barn.live_pages = mill.live, mill.live_pages
    barn.now = mill.now


def test_nothing_is_announced_or_told_twice_whoever_tends(machines):
    mill, barn = machines
    shared(mill, barn)
    pages = dict(TEN)
    for number in range(6):
        pages[f"/notes/new-{number}/"] = f"{mill.now:%Y-%m-%d}"
        for one in machines:
            one.write(pages)
        one = machines[number % 2]
        done = one.tend()
        assert (done.round.state, done.round.machine) == ("done", one.machine)
        other = machines[1 - number % 2]
        other.now, other.live, other.live_pages = one.now, one.live, one.live_pages
    assert {loc: what for loc, what in mill.heard.items() if len(what) != 1} == {}
    assert {loc.removeprefix(URL) for loc in mill.heard} == set(pages)
    for one in machines:
        one.write(dict(list(pages.items())[:3]))
    assert [one.tend().round.state for one in machines] == ["held", "held"]
    assert [one.kind for one in mill.told] == ["trouble"], "the other machine knows that it was told"


@pytest.mark.parametrize("seed", [1, 2])
def test_over_a_year_two_machines_announce_each_change_once(machines, seed):
    mill, barn = machines
    shared(mill, barn)
    chance = random.Random(seed)
    pages = {f"/notes/{n}/": "2025-12-01" for n in range(60)}
    tends, rests = mill, barn
    for number in range(26):
        day = f"{tends.now:%Y-%m-%d}"
        some = chance.choice(sorted(pages))
        match chance.choice(["add", "change", "remove", "nothing"]):
            case "add":
                pages[f"/notes/d{number}/"] = day
            case "change":
                pages[some] = day
            case "remove":
                del pages[some]
        if chance.random() < 0.3:
            tends, rests = rests, tends
        for one in machines:
            one.write(pages)
            one.is_down = number < 24 and chance.random() < 0.2
            one.ends_after = chance.choice(["", "", "survey", "build", "publish"]) if number < 24 else ""
        tends.tend(60 * 24 * 14)
        rests.now, rests.live, rests.live_pages = tends.now, tends.live, tends.live_pages
    assert tends.tend(120).round.state == "nothing"
    assert tends.listed() == set(pages)
    for loc, heard in mill.heard.items():
        assert all(one != other for one, other in pairwise(heard)), (loc, heard)
        assert heard[-1] == pages.get(loc.removeprefix(URL)), (loc, heard)
    assert {loc.removeprefix(URL) for loc, heard in mill.heard.items() if heard[-1]} == set(pages)


def test_a_machine_takes_over_from_one_that_is_gone(machines):
    mill, barn = machines
    shared(mill, barn)
    for one in machines:
        one.write(TEN)
    site = read_site_file(mill.folder / "atlas.toml")
    ledger = open_ledger(site, lambda: mill.now)
    begun, may_go = threading.Event(), threading.Event()

    def tends() -> None:
        with ledger.alone("tend"):
            ledger.note_tender("mill", "round")
            begun.set()
            may_go.wait(60)

    thread = threading.Thread(target=tends)
    thread.start()
    begun.wait(60)
    busy = barn.tend()
    assert busy.is_busy
    assert dict(barn.heard) == {}
    # The connection of the machine that tended is gone, and with it its lock.
    may_go.set()
    thread.join()
    ledger.close()
    assert barn.tend().round.state == "done"
    assert len(barn.heard) == len(TEN)
    ledger = open_ledger(site, lambda: mill.now)
    try:
        assert set(ledger.tenders()) == {"mill", "barn"}
    finally:
        ledger.close()
