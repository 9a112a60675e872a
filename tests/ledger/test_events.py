"""Changes of pages: what was noted comes back, announcements among them, and moves with the rest."""

from contextlib import closing

import pytest

from jovial_atlas.ledger import Ledger
from jovial_atlas.records import Status

SITE = "https://www.marrowfen.example"


@pytest.fixture
def ledger(tmp_path):
    times = iter(f"2026-11-{day:02}T10:00:00Z" for day in range(1, 31))
    with closing(Ledger(tmp_path / "l.sqlite", lambda: next(times))) as one:
        yield one


def test_what_was_noted_comes_back_each_page_once(ledger):
    name = ledger.note_event(
        "stake", "title", "new words", [f"{SITE}/b", f"{SITE}/a", f"{SITE}/b"],
        control=[f"{SITE}/d", f"{SITE}/c", f"{SITE}/d"],
    )  # fmt: skip
    (event,) = ledger.events()
    assert (event.name, event.kind, event.what, event.why, event.pages) == (
        name, "stake", "title", "new words", 2,
    )  # fmt: skip
    changed, control = ledger.pages_of_event(name)
    assert changed == [f"{SITE}/a", f"{SITE}/b"]
    assert control == [f"{SITE}/c", f"{SITE}/d"]
    assert ledger.pages_of_event("99") == ([], [])


def test_more_pages_than_are_written_at_a_time(ledger):
    locs = [f"{SITE}/{number}" for number in range(12_001)]
    name = ledger.note_event("tend", "many", "", locs)
    changed, control = ledger.pages_of_event(name)
    assert (len(changed), set(changed), control) == (12_001, set(locs), [])


def test_events_are_told_in_the_order_of_their_times(ledger):
    late = ledger.note_event("tend", "late", "", [f"{SITE}/a"], at="2026-12-05T08:00:00Z")
    early = ledger.note_event("tend", "early", "", [f"{SITE}/a"], at="2026-01-05T08:00:00Z")
    number = ledger.intend("L", "indexnow", "1 added", [(f"{SITE}/a", "m")])
    ledger.settle(number, Status.TAKEN, "")
    assert [one.name for one in ledger.events()] == [early, f"a{number}", late]


@pytest.mark.parametrize(
    ("channel", "items", "status", "is_told"),
    [
        ("indexnow", [("/a", "m"), ("/gone", None)], Status.TAKEN, True),
        ("indexnow", [("/a", "m")], Status.PENDING, True),
        ("indexnow", [("/a", "m")], Status.ASSUMED, True),
        # Nobody heard of it.
        ("indexnow", [("/a", "m")], Status.REFUSED, False),
        ("indexnow", [("/a", "m")], None, False),
        # Pages that are gone only, sitemaps, and a proof are no changes of pages.
        ("indexnow", [("/gone", None)], Status.TAKEN, False),
        ("submit-sitemap", [("/s.xml", "m"), ("/t.xml.gz", "m")], Status.TAKEN, False),
        ("verify-site", [("/", "m")], Status.TAKEN, False),
    ],
)
def test_announcements_of_pages_are_events(ledger, channel, items, status, is_told):
    named = [(f"{SITE}{path}", mark) for path, mark in items]
    number = ledger.intend("Lanternfish", channel, "some", named)
    if status is not None:
        ledger.settle(number, status, "")
    told = ledger.events()
    assert bool(told) is is_told
    if is_told:
        (event,) = told
        assert (event.kind, event.what) == ("announcement", f"Lanternfish, {channel}")
        assert event.pages == 1
        assert ledger.pages_of_event(event.name) == ([f"{SITE}/a"], [])


def test_events_outlive_the_program(tmp_path):
    place = tmp_path / "l.sqlite"
    with closing(Ledger(place, lambda: "2026-11-01T10:00:00Z")) as ledger:
        name = ledger.note_event("stake", "title", "why", [f"{SITE}/a"], control=[f"{SITE}/b"])
        noted = ledger.events()
    with closing(Ledger(place, lambda: "2026-12-01T10:00:00Z")) as ledger:
        assert ledger.events() == noted
        assert ledger.pages_of_event(name) == ([f"{SITE}/a"], [f"{SITE}/b"])
