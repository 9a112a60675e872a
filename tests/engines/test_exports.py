"""What engines export: dates and numbers of several languages, columns named once, and what comes of it."""

import pytest

from jovial_atlas.engines.exports import export_rows, read_date, read_export, read_number
from jovial_atlas.errors import AtlasError
from jovial_atlas.ledger import Ledger
from tests.conftest import URL, run_command
from tests.logs.test_logs import line


@pytest.mark.parametrize(
    ("text", "day_first", "wanted"),
    [
        ("2026-11-23", True, "2026-11-23"), ("2026-11-23T10:00:00Z", True, "2026-11-23T10:00:00Z"),
        ("23.11.2026", True, "2026-11-23"), ("3/4/2026", True, "2026-04-03"), ("3/4/2026", False, "2026-03-04"),
        ("2026/11/23", True, "2026-11-23"), ("23/11/26", True, "2026-11-23"), ("Nov 23, 2026", True, "2026-11-23"),
        ("23 November 2026", True, "2026-11-23"), ("23. Dez. 2026", True, "2026-12-23"),
        ("23 févr. 2026", True, "2026-02-23"), ("23 de marzo de 2026", True, "2026-03-23"),
        ("23/11/2026 14:30", True, "2026-11-23"), ("Nov 3, 2026, 3:15 PM", True, "2026-11-03T15:15:00Z"),
        ("23 listopada 2026", True, "2026-11-23"), ("2026年11月23日", True, "2026-11-23"),
        ("soon", True, None), ("novembre 2026", True, None), ("12", True, None), ("31.02.2026", True, None),
    ],
)  # fmt: skip
def test_dates_are_read_in_several_languages(text, day_first, wanted):
    assert read_date(text, day_first) == wanted


@pytest.mark.parametrize(
    ("text", "wanted"),
    [("1234", 1234), ("1,234", 1234), ("1.234.567", 1234567), ("1 234", 1234), ("1'234", 1234), ("0", 0),
     ("12,5", None), ("many", None)],
)  # fmt: skip
def test_counts_are_read_with_any_sign_between_thousands(text, wanted):
    assert read_number(text) == wanted


@pytest.mark.parametrize(
    ("data", "rows"),
    [
        (b"loc,found,indexed,last_read\n/s.xml,50,10,11/23/2026\n", [{"loc": "/s.xml", "found": 50, "indexed": 10,
                                                                      "last_read": "2026-11-23"}]),
        ("loc;found;indexed;last_read\n/s.xml;1.050;–;3.4.2026\n".encode("utf-8-sig"),
         [{"loc": "/s.xml", "found": 1050, "indexed": None, "last_read": "2026-04-03"}]),
        ("loc\tfound\n/s.xml\t7\n\n".encode("utf-16"), [{"loc": "/s.xml", "found": 7}]),
        ("loc;found\n/é.xml;7\n".encode("windows-1252"), [{"loc": "/é.xml", "found": 7}]),
    ],
)  # fmt: skip
def test_tables_are_read_in_any_encoding_with_any_sign_between_cells(data, rows):
    assert read_export(export_rows(data), "sitemaps", {}).rows == rows


@pytest.mark.parametrize(
    ("data", "words"),
    [(b"loc,found\n/s.xml,lots\n", "Line 2: 'lots' is no number"), (b"loc,x\n/,1\n", "no column 'found'"),
     (b"loc,found,last_read\n/,1,soon\n", "is no date"), (b"loc,found\n/\n", "Line 2 has 1 cells")],
)  # fmt: skip
def test_what_cannot_be_read_is_told_by_line(data, words):
    with pytest.raises(AtlasError, match=words):
        read_export(export_rows(data), "sitemaps", {})


ENGINE = '\n[[engine]]\nname = "Quillseek"  # by hand\ncrawlers = ["quillseek"]\nchannels = [{ kind = "hand" }]\n'


def test_exports_are_taken_and_their_columns_remembered(marrowfen):
    (marrowfen / "atlas.toml").open("a").write(ENGINE)
    (marrowfen / "s.csv").write_text(f"Datei;Gefunden;Indexiert;Gelesen\n{URL}/sitemap-species-1.xml;9;2;23.11.2026\n"
                                     "https://other.example/s.xml;1;1;\n")  # fmt: skip
    refused = run_command("hear", "--engine", "quillseek", "s.csv", cwd=marrowfen)
    assert (refused.code, "no mapping of Quillseek fits" in refused.err) == (2, True)
    columns = [f"--column={ours}={theirs}" for ours, theirs in
               (("loc", "Datei"), ("found", "Gefunden"), ("indexed", "Indexiert"), ("last_read", "Gelesen"))]  # fmt: skip
    first = run_command("hear", "--engine", "Quillseek", "s.csv", "--kind", "sitemaps", *columns, "--format", "json",
                        cwd=marrowfen)  # fmt: skip
    assert first.json["heard"] == [{"file": "s.csv", "kind": "sitemaps", "rows": 1, "elsewhere": 1}]
    kept = (marrowfen / "atlas.toml").read_text()
    assert ("# by hand" in kept, 'found = "Gefunden"' in kept) == (True, True)
    assert run_command("hear", "--engine", "Quillseek", "s.csv", cwd=marrowfen).code == 0
    assert (marrowfen / "atlas.toml").read_text() == kept
    (marrowfen / "r.csv").write_text("reason,pages\ncrawled but not indexed,31\nredirect,1\n")
    (marrowfen / "a.csv").write_text(
        "loc,indexed,reason,last_crawl\n/about/,no,duplicate,Nov 20 2026\n/,yes,,\n"
    )
    run_command("hear", "--engine", "Quillseek", "r.csv", "a.csv", cwd=marrowfen)
    (marrowfen / "access.log").write_text(
        line("/robots.txt", agent="Quillseek/1", at="01/Jan/2020:00:00:00 +0000")
        + line("/", 500, agent="Quillseek/1")
    )
    run_command("logs", "access.log", cwd=marrowfen)
    state = run_command("status", "--offline", "--format", "json", cwd=marrowfen).json["engines"][0]
    (species,) = [one for one in state["sitemaps"] if "species" in one["loc"]]
    assert (species["found"], species["indexed"], species["last_read"]) == (9, 2, "2026-11-23")
    steps = "\n".join(state["next"])
    (marrowfen / "t.csv").write_text(
        f"Datei;Gefunden;Indexiert;Gelesen\n{URL}/sitemap-tags-1.xml;5;5;\n"
    )
    assert run_command("submit", "--done", cwd=marrowfen).code == 0
    later = {"JOVIAL_ATLAS_NOW": "2031-01-01T00:00:00Z"}
    run_command("hear", "--engine", "Quillseek", "t.csv", cwd=marrowfen, env=later)
    again = run_command("status", "--offline", "--format", "json", cwd=marrowfen, env=later).json
    states = {one["state"] for one in again["engines"][0]["sitemaps"]}
    assert "lost" not in states, "a table of one sitemap says nothing of the others"
    for words in ("species: 2 of 9 indexed; no reason given", "leaves out 31 pages: crawled but not indexed",
                  f"1 address not indexed: {URL}/about/ (duplicate)", "its crawlers last read it on 2020-01-01",
                  "never asked for, by the logs", "1 address answered its crawlers with an error"):  # fmt: skip
        assert words in steps, words
    ledger = Ledger(marrowfen / ".jovial-atlas/ledger.sqlite", lambda: "")
    assert ledger.pages("Quillseek")[f"{URL}/about/"].last_crawl == "2026-11-20"
    ledger.close()
