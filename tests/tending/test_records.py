"""Small parts of tending: lengths of time, times of cron, the record of rounds and messages."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas import dates
from jovial_atlas.ledger import Ledger
from jovial_atlas.records import DueMessage, OpenNotice, RoundStep, TendedRound
from jovial_atlas.rounds.tending.messages import ToldMessage, read_message
from jovial_atlas.sitefile.tending import quiet_hours, seconds_of

START = datetime(2026, 1, 1, 4, tzinfo=UTC)


@pytest.fixture
def ledger(tmp_path):
    clock = {"now": START}
    made = Ledger(tmp_path / "ledger.sqlite", lambda: dates.write(clock["now"]))
    made.clock = clock
    yield made
    made.close()


def a_round(at: datetime, state: str = "nothing", machine: str = "mill", told=()) -> TendedRound:
    steps = [RoundStep("survey", state, 0.25, "nothing changed")]
    return TendedRound(dates.write(at), machine, state, steps, {"added": 2}, 3, list(told))


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("90s", 90), ("15m", 900), ("10 minutes", 600), ("2h", 7_200), ("1 day", 86_400), ("0", 0),
     ("soon", None), ("15", None), ("-5m", None), ("1.5h", None), ("", None)],
)  # fmt: skip
def test_lengths_of_time_are_read_as_people_write_them(text, seconds):
    if seconds is None:
        with pytest.raises(ValueError, match="is no length of time"):
            seconds_of(text)
    else:
        assert seconds_of(text) == seconds


@pytest.mark.parametrize("text", ["22-7", "24:00-07:00", "22:00", "22:60-07:00", "late"])
def test_quiet_hours_that_are_none_are_told(text):
    assert quiet_hours("22:00-07:30") == (time(22), time(7, 30))
    with pytest.raises(ValueError, match="are no hours"):
        quiet_hours(text)


def test_rounds_without_changes_of_a_day_are_one_and_all_others_stand_alone(ledger):
    told = [{"to": "a", "what": "b"}]
    given_rounds = [
        a_round(START), a_round(START + timedelta(minutes=15)), a_round(START + timedelta(minutes=30)),
        a_round(START + timedelta(minutes=45), "done"), a_round(START + timedelta(hours=1)),
        a_round(START + timedelta(hours=2), told=told), a_round(START + timedelta(hours=3)),
        a_round(START + timedelta(hours=4), machine="barn"), a_round(START + timedelta(days=1)),
    ]  # fmt: skip
    for one in given_rounds:
        ledger.note_round(one)
    kept = ledger.rounds()[::-1]
    assert [(one.state, one.machine, one.times) for one in kept] == [
        ("nothing", "mill", 3), ("done", "mill", 1), ("nothing", "mill", 1), ("nothing", "mill", 1),
        ("nothing", "mill", 1), ("nothing", "barn", 1), ("nothing", "mill", 1),
    ]  # fmt: skip
    assert (kept[0].at, kept[0].last) == (given_rounds[0].at, given_rounds[2].at)
    assert kept[0].in_short == "3 rounds until 2026-01-01 04:30"
    assert ledger.count_rounds() == {"nothing": 8, "done": 1}
    assert ledger.last_round("done").at == given_rounds[3].at
    assert len(ledger.rounds_since(given_rounds[7].at)) == 2
    assert ledger.first_round_at() == given_rounds[0].at
    ledger.forget_rounds(given_rounds[8].at)
    assert [one.at for one in ledger.rounds()] == [given_rounds[8].at]


def test_a_round_in_short_says_what_changed_and_what_held_it():
    steps = [RoundStep("survey", "done", 0.1), RoundStep("check", "held", 0.2, "1 error")]
    held = TendedRound("2026-01-01T04:00:00Z", "mill", "held", steps, {"added": 2, "removed": 0})
    assert held.in_short == "2 added; check: 1 error"
    assert held.seconds == pytest.approx(0.3)
    assert a_round(START, "done").in_short == "2 added"


def test_messages_wait_until_they_are_due_and_go_with_their_notice(ledger):
    number = ledger.note_notice(OpenNotice("behind", "error", ("notes",), "It is behind."))
    at, later = dates.write(START), dates.write(START + timedelta(hours=1))
    ledger.note_messages([
        DueMessage("mail", "trouble", "x", at, number), DueMessage("hook", "trouble", "y", later, number),
    ])  # fmt: skip
    (due,) = ledger.unsent(at)
    assert (due.to, due.tries, len(ledger.unsent())) == ("mail", 0, 2)
    ledger.note_unsent(due.number, later, "no answer")
    assert ledger.unsent(at) == []
    again = ledger.unsent(later)[0]
    assert (again.tries, again.trouble) == (1, "no answer")
    ledger.note_sent(again.number)
    assert ledger.told_of(number) == {"mail"}
    ledger.drop_unsent(number)
    assert ledger.unsent() == []
    (notice,) = ledger.open_notices()
    assert (notice.key, notice.sections, notice.number) == ("behind", ("notes",), number)
    ledger.clock["now"] = START + timedelta(hours=2)
    ledger.end_notice(number)
    assert ledger.open_notices() == []
    assert ledger.notices_since(later) == [(notice, True)]


@given(st.text(), st.text(), st.lists(st.text(max_size=9), max_size=3), st.integers(0, 9))
def test_a_message_is_kept_as_it_was(title, message, sections, count):
    said = ToldMessage("digest", "Fen", title, message, "2026-01-01T04:00:00Z", "error",
                       tuple(sections), "", {"rounds": count})  # fmt: skip
    assert read_message(said.written()) == said
    assert message.strip() in said.text() or "\n\n\n" in message


@pytest.mark.parametrize("text", ["", "[]", "{}", '{"kind": "x"}', "no"])
def test_what_is_no_message_is_told(text):
    with pytest.raises(ValueError, match=""):
        read_message(text)
