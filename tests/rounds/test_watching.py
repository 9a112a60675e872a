"""What `status` makes of what engines said: sections over several files, drops, advice, figures."""

import pytest
from lxml import etree

from jovial_atlas import addresses
from jovial_atlas.ledger import Built, Ledger, PageReport, SitemapReport, Visit
from jovial_atlas.report.trends import Layers, Lines, Waits, as_png, as_svg
from jovial_atlas.rounds.telling.advice import help_for
from jovial_atlas.rounds.telling.coverage import Past, pasts, section_states
from jovial_atlas.rounds.telling.trends import trends
from jovial_atlas.sitefile import Engine

SITE = "https://www.marrowfen.example"
SECTIONS = {"/sitemap.xml": "", "/n-1.xml": "notes", "/n-2.xml": "notes", "/t-1.xml": "tags"}


def said(loc, found, indexed, reasons=None, at="2026-11-23T10:00:00Z"):
    return SitemapReport(loc, at, "success", found, indexed, reasons or {}, asked_at=at)


def reports(*some):
    return {one.loc: one for one in some}


def test_a_section_is_all_of_its_files_and_the_worst_gap_comes_first():
    now = reports(
        said("/sitemap.xml", 59, 19), said("/t-1.xml", 9, 8, {"thin": 1}),
        said("/n-1.xml", 30, 6, {"noindex": 4, "thin": 20}), said("/n-2.xml", 20, 5, {"noindex": 15}),
    )  # fmt: skip
    submitted = {"/n-1.xml": 30, "/n-2.xml": 21, "/t-1.xml": 9}
    notes, tags = section_states(SECTIONS, submitted, now, [], {}, {})
    assert (notes.name, notes.submitted, notes.found, notes.indexed) == ("notes", 51, 50, 11)
    assert list(notes.reasons.items()) == [("thin", 20), ("noindex", 19)]
    assert (notes.missing, tags.missing, notes.drop, notes.indexed_before) == (39, 1, None, None)
    (known,) = section_states(
        {**SECTIONS, "/u-1.xml": "unheard"}, {}, reports(said("/t-1.xml", 9, 8)), [], {}, {}
    )
    assert known.name == "tags"


def test_a_drop_is_told_from_the_time_at_which_it_is_surest():
    now = reports(said("/n-1.xml", 40, 20), said("/t-1.xml", 9, 8))
    past = [
        Past("2026-11-22T00:00:00Z", reports(said("/n-1.xml", 40, 21), said("/t-1.xml", 9, 9))),
        Past("2026-11-09T00:00:00Z", reports(said("/n-1.xml", 40, 40), said("/t-1.xml", 9, 9))),
    ]
    notes, tags = section_states(SECTIONS, {}, now, past, {}, {})
    assert (notes.drop.since[:10], notes.drop.before.part) == ("2026-11-09", 40)
    assert (notes.indexed_before, tags.drop) == (21, None)
    # The same counts, but it is known that the very same pages are indexed as before.
    pages = {f"/{n}": PageReport(f"/{n}", n < 20, "", None) for n in range(40)}
    of_page = dict.fromkeys(pages, "notes")
    same = [Past(one.since, one.reports, pages) for one in past]
    assert section_states(SECTIONS, {}, now, same, pages, of_page)[0].drop is None


def test_what_was_said_before_is_of_other_days_each_once(tmp_path):
    times = iter(f"2026-11-{day:02}T10:00:00Z" for day in (1, 1, 10, 10, 22, 22, 23, 23))
    ledger = Ledger(tmp_path / "l.sqlite", lambda: next(times))
    for number in range(8):
        ledger.note_reports("L", [said("/n-1.xml", 9, number)])
    found = pasts("L", ledger, ledger.reports("L"))
    assert [(one.since[8:10], one.reports["/n-1.xml"].indexed) for one in found] == [
        ("22", 5), ("10", 3), ("01", 1)
    ]  # fmt: skip
    assert pasts("M", ledger, {}) == []
    ledger.close()


@pytest.mark.parametrize(
    ("reason", "words"),
    [
        ("Excluded by 'noindex' tag", "where the noindex comes from"),
        ("blocked by robots.txt", "which rule bars them"),
        ("duplicate with another canonical", "which canonical"),
        ("duplicate of another page", "repeat each other"),
        ("redirect", "lead to instead"),
        ("Not found (404)", "which are missing"),
        ("Server error (5xx)", "what fails"),
        ("discovered, not crawled yet", "submit URL"),
        ("Crawled - not indexed", "as a reader would"),
        ("struck by lightning", ""),
    ],
)
def test_reasons_come_with_what_helps(reason, words):
    assert words in help_for(reason)
    assert bool(help_for(reason)) is bool(words)


@pytest.mark.parametrize(
    ("address", "local"),
    [
        ("https://www.marrowfen.example/", False), ("http://127.0.0.1:8000", True),
        ("http://[::1]/", True), ("http://reserve/", True), ("http://fen.local/", True),
        ("http://build.fen.test/", True), ("https://latest.example", False),
        ("http://10.0.0.5", True), ("https://localhost.example", False),
    ],
)  # fmt: skip
def test_hosts_that_lead_nowhere_public_are_known(address, local):
    assert addresses.is_local(address) is local


@pytest.fixture
def history(tmp_path):
    """A ledger with a week of one engine, in which one page of four was never visited."""
    now = ["2026-11-01T00:00:00Z"]
    ledger = Ledger(tmp_path / "l.sqlite", lambda: now[0])
    ledger.note_built([Built("/n-1.xml", "notes", 4), Built("/v-1.xml", "video", 1)])
    locs = [f"{SITE}/{name}" for name in "abcd"]
    number = ledger.intend("L & M", "indexnow", "", [(loc, "m") for loc in locs])
    ledger.settle(number, "taken", "")
    for day, indexed in ((2, 1), (4, 3), (8, 2)):
        now[0] = f"2026-11-{day:02}T00:00:00Z"
        ledger.note_reports("L & M", [
            said("/n-1.xml", 4, indexed, {"noindex": 4 - indexed} if indexed < 4 else {}),
            said("/v-1.xml", 1, 1),
        ])  # fmt: skip
        ledger.note_pages(
            "L & M", [PageReport(loc, n < indexed, "", None) for n, loc in enumerate(locs)]
        )
    ledger.note_visits(
        [Visit("L & M", "bot", loc, "2026-11-05T00:00:00Z", 200, 2, f"2026-11-0{n + 2}T00:00:00Z")
         for n, loc in enumerate(locs[:3])]
    )  # fmt: skip
    yield ledger
    ledger.close()


def test_history_becomes_figures_that_are_the_same_each_time(history):
    found = {
        one.name: one for one in trends([Engine(name="L & M"), Engine(name="Silent")], history)
    }
    lines, layers, waiting = (found[f"l-m-{name}"] for name in ("sections", "statuses", "waiting"))
    assert len(found) == 3
    assert isinstance(lines, Lines)
    assert lines.panels["notes"]["submitted"] == [("2026-11-01T00:00:00Z", 4)]
    assert [value for _, value in lines.panels["notes"]["indexed"]] == [1, 3, 2]
    assert isinstance(layers, Layers)
    assert layers.layers == {"indexed": [1, 3, 2], "noindex": [3, 1, 2]}, (
        "videos are not counted twice"
    )
    assert isinstance(waiting, Waits)
    visit, indexed = waiting.curves["first visit"], waiting.curves["indexed"]
    assert (visit.days, visit.came, visit.wait, visit.median) == ((0, 1, 2, 3, 7), 3, 1, 2)
    assert (indexed.came, indexed.wait) == (3, 1)
    for one in found.values():
        drawn = as_svg(one)
        assert drawn == as_svg(one)
        etree.fromstring(drawn)
        assert as_png(one).startswith(b"\x89PNG")


def test_without_history_nothing_is_drawn(tmp_path):
    ledger = Ledger(tmp_path / "l.sqlite", lambda: "2026-11-01T00:00:00Z")
    assert list(trends([Engine(name="L")], ledger)) == []
    ledger.close()
