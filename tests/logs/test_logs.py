"""Server logs: each form of a line, crawlers told from those who borrow their name, and the command."""

import gzip
import io
import json

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_atlas.engines.public_pages import PublicPages
from jovial_atlas.ledger import Ledger, Visit
from jovial_atlas.logs.lines import Hit, parse_line
from jovial_atlas.logs.tally import count
from jovial_atlas.logs.verify import Resolver, is_genuine
from jovial_atlas.rounds.telling.logs import NeverAsked
from tests.conftest import URL, run_command

BOT = "Mozilla/5.0 (compatible; Lanternbot/2.1; +http://lantern.example/bot)"


def line(
    target="/",
    status=200,
    agent=BOT,
    address="192.0.2.7",
    at="23/Nov/2026:10:00:00 +0000",
    method="GET",
):
    return f'{address} - - [{at}] "{method} {target} HTTP/1.1" {status} 512 "-" "{agent}"\n'


HIT = Hit("2026-11-23T10:00:00Z", "192.0.2.7", "GET", "/a?b=c", 200, BOT)


@pytest.mark.parametrize(
    ("text", "hit"),
    [
        (line("/a?b=c"), HIT),
        ("www.fen.example:443 " + line("/a?b=c"), HIT),
        (line("/a?b=c").replace("- -", "- wren"), HIT),
        (line("/a?b=c", at="23/Nov/2026:12:30:00 +0230"), HIT),
        (line("/a?b=c", at="23/Nov/2026:05:00:00 -0500"), HIT),
        (line("/", address="2001:db8::1"), Hit(HIT.at, "2001:db8::1", "GET", "/", 200, BOT)),
        ('192.0.2.7 - - [23/Nov/2026:10:00:00 +0000] "GET / HTTP/1.0" 304 -',
         Hit(HIT.at, "192.0.2.7", "GET", "/", 304, "")),
        (line(agent=r"says \"hi\" Lanternbot"), Hit(HIT.at, "192.0.2.7", "GET", "/", 200, r"says \"hi\" Lanternbot")),
        (json.dumps({"time_iso8601": "2026-11-23T11:00:00+01:00", "remote_addr": "192.0.2.7", "status": "200",
                     "request": "GET /a?b=c HTTP/2.0", "http_user_agent": BOT}), HIT),
        (json.dumps({"ts": 1795428000.5, "client_ip": "192.0.2.7", "status": 200, "method": "GET", "uri": "/a?b=c",
                     "user_agent": BOT}), HIT),
        (json.dumps({"time": "23/Nov/2026:10:00:00 +0000", "ip": "192.0.2.7", "code": 200, "path": "/a?b=c",
                     "agent": BOT}), HIT),
        ("no log line at all Lanternbot", None),
        (line(at="23/Nix/2026:10:00:00 +0000"), None),
        ("{broken", None),
        ('{"status": 200}', None),
        ("[1]", None),
    ],
)  # fmt: skip
def test_lines_are_read_in_each_form(text, hit):
    assert parse_line(text.strip().encode()) == hit


@settings(max_examples=300, deadline=None)
@given(st.binary(max_size=200) | st.text(max_size=120).map(lambda t: line(t).encode()))
def test_no_line_breaks_the_reading(data):
    parse_line(data)
    count([io.BytesIO(data + b"\n" + data)], ["lanternbot"])


def test_visits_are_counted_by_crawler_and_tokens_are_whole_words():
    lines = [
        line("/robots.txt"), line("/a", at="24/Nov/2026:10:00:00 +0000"), line("/a", 404),
        line("/b", agent="Lanternbot-Images/1"), line("/lanternbot", agent="Someone"), line("/c", agent="QUILLSEEK/1"),
        "nonsense lanternbot\n",
    ]  # fmt: skip
    found = count([io.BytesIO("".join(lines).encode())], ["lanternbot", "quillseek"])
    assert (found.lines, found.unread) == (7, 1)
    bot = found.crawlers["lanternbot"]
    assert (bot.requests, bot.first, bot.last) == (
        3,
        "2026-11-23T10:00:00Z",
        "2026-11-24T10:00:00Z",
    )
    assert {path: (v.count, v.status, v.last[:10]) for path, v in bot.visits.items()} == {
        "/robots.txt": (1, 200, "2026-11-23"), "/a": (2, 200, "2026-11-24"),
    }  # fmt: skip
    assert found.crawlers["quillseek"].requests == 1


def test_lines_are_whole_wherever_a_piece_of_the_file_ends(monkeypatch):
    data = "".join(line(f"/{n}") for n in range(50)).encode()
    whole = count([io.BytesIO(data)], ["lanternbot"])
    for size in (7, 64, 333):
        monkeypatch.setattr("jovial_atlas.logs.tally._CHUNK", size)
        found = count([io.BytesIO(data.rstrip())], ["lanternbot"])
        assert (found.lines, found.crawlers) == (50, whole.crawlers)


NAMES = {"192.0.2.7": ["seven.crawl.lantern.example."], "192.0.2.8": ["eight.crawl.lantern.example"],
         "198.51.100.1": ["home.provider.example"]}  # fmt: skip
ADDRESSES = {
    "seven.crawl.lantern.example": ["192.0.2.7"],
    "eight.crawl.lantern.example": ["203.0.113.9"],
}
DNS = Resolver(lambda address: NAMES.get(address, ()), lambda name: ADDRESSES.get(name, ()))


@pytest.mark.parametrize(
    ("address", "ranges", "hosts", "resolver", "wanted"),
    [
        ("192.0.2.7", ["192.0.2.0/24"], [], None, True),
        ("198.51.100.1", ["192.0.2.0/24", "2001:db8::/32"], [], None, False),
        ("2001:db8::5", ["192.0.2.0/24", "2001:db8::/32"], [], None, True),
        ("192.0.2.7", [], ["*.crawl.lantern.example"], DNS, True),
        ("192.0.2.8", [], ["*.crawl.lantern.example"], DNS, False),  # the name leads elsewhere
        ("198.51.100.1", [], ["*.crawl.lantern.example"], DNS, False),
        ("192.0.2.7", [], ["*.crawl.lantern.example"], None, None),
        ("192.0.2.7", [], [], DNS, None),
        ("nowhere", ["192.0.2.0/24"], [], None, False),
    ],
)  # fmt: skip
def test_a_crawler_is_who_it_says_by_range_or_by_name_and_back(
    address, ranges, hosts, resolver, wanted
):
    assert is_genuine(address, ranges, hosts, resolver) is wanted


def test_the_ledger_keeps_the_latest_visit(tmp_path):
    ledger = Ledger(tmp_path / "l.sqlite", lambda: "2026-11-23")
    first = Visit("L", "bot", "/a", "2026-11-22T00:00:00Z", 200, 3, "2026-11-20T00:00:00Z")
    ledger.note_visits([first])
    ledger.note_visits([Visit("L", "bot", "/a", "2026-11-21T00:00:00Z", 500, 1)])
    assert ledger.visits("L") == [first]
    later = Visit("L", "bot", "/a", "2026-11-23T00:00:00Z", 404, 1, "2026-11-23T00:00:00Z")
    again = Visit("L", "bot", "/a", later.last, 404, 9, "2026-11-01T00:00:00Z")
    ledger.note_visits([later, Visit("Q", "q", "/a", "2026-11-23T00:00:00Z", 200, 1)])
    ledger.note_visits([again])
    assert ledger.visits("L") == [later], "a log that is read again tells nothing new"
    assert ledger.visit_history("L") == [first, later]
    ledger.close()


ENGINE = """
[[engine]]
name = "Lanternfish"
crawlers = ["lanternbot"]
crawler_ranges = ["192.0.2.0/24"]
"""


def test_the_command_says_who_came_and_who_only_says_so(marrowfen):
    none = run_command("logs", "access.log", cwd=marrowfen)
    assert (none.code, "names no engine" in none.err) == (2, True)
    (marrowfen / "atlas.toml").open("a").write(ENGINE)
    lines = [
        line("/robots.txt"), line("/sitemap.xml"), line("/"), line("/about/"), line("/gone/", 404),
        line("/contact/", address="198.51.100.9"), line("/x", agent="Mozilla"),
    ]  # fmt: skip
    (marrowfen / "access.log").write_text("".join(lines[:4]))
    (marrowfen / "access.log.1.gz").write_bytes(gzip.compress("".join(lines[4:]).encode()))
    files = ("access.log", "access.log.1.gz")
    read = run_command("logs", *files, "--format", "json", cwd=marrowfen).json
    (bot,) = read["crawlers"]
    assert (read["lines"], bot["requests"], bot["pages"], bot["forged"]) == (7, 5, 2, 1)
    assert (bot["robots_at"], bot["sitemaps_read"]) == ("2026-11-23T10:00:00Z", 1)
    assert bot["errors"] == {"404": [1, "/gone/"]}
    assert bot["forgers"] == ["198.51.100.9"]
    assert f"{URL}/contact/" in read["never"]
    assert f"{URL}/about/" not in read["never"]
    shown = run_command("logs", *files, cwd=marrowfen).out
    assert "not its own: 198.51.100.9" in shown
    assert "--never shows them" in shown
    ledger = Ledger(marrowfen / ".jovial-atlas/ledger.sqlite", lambda: "")
    kept = {one.loc.removeprefix(URL) for one in ledger.visits("Lanternfish")}
    assert kept == {"/robots.txt", "/sitemap.xml", "/", "/about/"}
    ledger.close()
    (marrowfen / "broken.gz").write_bytes(b"\x1f\x8bnothing")
    assert run_command("logs", "broken.gz", cwd=marrowfen).code == 2


@given(st.lists(st.integers(0, 30), max_size=20, unique=True), st.sets(st.integers(0, 30), max_size=9), st.integers(1, 5),
       st.integers(0, 6))  # fmt: skip
def test_pages_that_nobody_asked_for_are_found_piece_by_piece(public, asked, size, most):
    locs = [f"{URL}/{number}/" for number in public]
    tables = [pl.DataFrame({"loc": locs[start : start + size]}) for start in range(0, len(locs), size)]
    pages = PublicPages([lambda table=table: table for table in tables])
    never = NeverAsked(pages, [f"{URL}/{number}/" for number in asked & set(public)])
    wanted = sorted(f"{URL}/{number}/" for number in set(public) - asked)
    assert (len(never), never.first(), never.first(most)) == (len(wanted), wanted, wanted[:most])
