"""Visits of people from server logs: programs are none, somebody counts once a day, nothing about anybody is kept, and
a log that is read again is not counted again."""

import gzip

import polars as pl
import pytest

from jovial_atlas.logs.people import PeopleCounter
from tests.conftest import run_command

BROWSER = "Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/140.0"
PHONE = "Mozilla/5.0 (iPhone; CPU iPhone OS 17_5 like Mac OS X) Version/17.5 Mobile/15E148 Safari/604.1"


def line(day, path, address="192.0.2.7", agent=BROWSER, clock="10:00:00", method="GET", status=200, zone="+0000"):
    return f'{address} - - [{day:02d}/Nov/2026:{clock} {zone}] "{method} {path} HTTP/1.1" {status} 12 "-" "{agent}"\n'


def counted(text, known=None, size=37):
    """What comes of a log that is read some octets at a time."""
    counter = PeopleCounter(known or {})
    data = text.encode()
    for start in range(0, len(data), size):
        counter.take(data[start : start + size])
    counter.end_of_file()
    found = counter.counted()
    visits = {(day.day, path): count for day, path, count in found.visits.iter_rows()}
    return visits, found


@pytest.mark.parametrize(
    ("text", "visits"),
    [
        (line(1, "/a/") + line(1, "/a/", clock="23:59:59") + line(2, "/a/"), {(1, "/a/"): 1, (2, "/a/"): 1}),
        (line(1, "/a/") + line(1, "/a/", "192.0.2.8") + line(1, "/a/", agent=PHONE), {(1, "/a/"): 3}),
        (line(1, "/a/", clock="00:30:00", zone="+0100") + line(2, "/a/").rstrip("\n"), {(2, "/a/"): 1}),
        (line(1, "/a/", status=304) + line(1, "/b/", status=404) + line(1, "/c/", method="POST"), {(1, "/a/"): 1}),
        ("no line of a log\n" + "host.example " + line(1, "/a/") + line(1, "/a/", "2001:db8::1"), {(1, "/a/"): 2}),
        ("".join(line(1, "/a/", f"192.0.2.{n}", agent) for n, agent in enumerate(
            ["lanternbot/1.0", "-", "", "curl/8.9", "python-requests/2.32", "Reader (+https://reader.example)",
             "Some Feed Fetcher", "HeadlessChrome/126.0", "site-monitor 2"])), {}),
    ],
)  # fmt: skip
def test_people_are_told_from_programs_and_count_once_a_day(text, visits):
    # The first of November begins in another day where a clock is ahead of UTC.
    assert {key: value for key, value in counted(text)[0].items() if key[0] < 30} == visits


def test_a_crawler_of_the_site_file_is_nobody():
    counter = PeopleCounter(tokens=["Quill-Seek"])
    counter.take(line(1, "/a/", agent="Quill-Seek/1.0 (simulated)").encode() + line(1, "/a/").encode())
    assert counter.counted().visits["visits"].to_list() == [1]


def test_times_that_were_counted_do_not_count_again():
    first = line(1, "/a/", clock="08:00:00") + line(1, "/a/", "192.0.2.8", clock="12:00:00")
    visits, found = counted(first)
    again, left = counted(first + line(1, "/a/", "192.0.2.9", clock="12:00:01"), found.times)
    assert (visits, again, left.before) == ({(1, "/a/"): 2}, {(1, "/a/"): 1}, 2)
    assert counted(first, left.times | found.times)[0] == {}


def test_the_command_keeps_counts_and_nothing_about_anybody(marrowfen):
    (marrowfen / "atlas.toml").open("a").write('\n[[engine]]\nname = "Quillseek"\ncrawlers = ["quillseek"]\n'
                                               'channels = [{ kind = "hand" }]\n')  # fmt: skip
    log = "".join(
        line(day, path, f"198.51.100.{who}")
        for day in (3, 4)
        for who in range(1, 6)
        for path in ("/events/", "/events/?from=letter", "/style.css", "/nothing/", "/shop/")[: who]
    )
    (marrowfen / "a.log.gz").write_bytes(gzip.compress(log.encode()))
    tried = run_command("logs", "a.log.gz", "--dry-run", "--format", "json", cwd=marrowfen).json["people"]
    said = run_command("logs", "a.log.gz", "--format", "json", cwd=marrowfen).json["people"]
    assert said == tried
    assert (said["visits"], said["pages"], said["from"], said["to"]) == (20, 2, "2026-11-03", "2026-11-04")
    kept = pl.read_parquet(marrowfen / ".jovial-atlas/traffic/visits/2026-11.parquet")
    assert kept.columns == ["date", "loc", "visits"]
    state = [one for one in (marrowfen / ".jovial-atlas/traffic").rglob("*") if one.is_file()]
    assert not any(b"198.51.100" in one.read_bytes() or b"Firefox" in one.read_bytes() for one in state)
    again = run_command("logs", "a.log.gz", cwd=marrowfen)
    assert "0 visits" in again.out
    (page,) = run_command("pages", "--match", "/events/", "--format", "json", cwd=marrowfen).json
    assert page["visits"] == 18
    hidden = run_command("rules", "add", "--match", "/events/", "--set", "index=false", cwd=marrowfen)
    assert "this page had 18 visits in 28 days, 90 % of the site" in hidden.out
