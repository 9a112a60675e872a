"""Builds of large sites that go on from the one before, against builds that decide all anew."""

import polars as pl
import pytest

from jovial_atlas.errors import OutputError
from jovial_atlas.pages import snapshot
from jovial_atlas.pages.blocks import blocks_of
from jovial_atlas.rounds.publishing.build import resuming, run, windows
from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.sitemaps import plan, protocol
from jovial_atlas.web import new_client
from tests.conftest import SITE_HEAD, TODAY

SITE = f"""{SITE_HEAD}[[source]]
kind = "table"
path = "pages.parquet"
url = "/{{folder}}/{{slug}}/"

[[section]]
name = "a"
match = "/a/**"

[sitemap]
max_urls = 10
"""
HIDING = '[[rule]]\nwhen = "extra.weight = 0"\nset = { index = false }\n'
UNLISTING = '[[rule]]\nwhen = "extra.weight = 0"\nset = { listed = false }\n'


def row(number: int, **more: object) -> dict[str, object]:
    usual = {"folder": "a" if number < 30 else "b", "lastmod": f"2026-10-{number % 28 + 1:02}",
             "title": "T", "weight": 0 if number in (7, 50) else 1}  # fmt: skip
    return {"slug": f"p{number:02}", **usual, **more}


PAGES = [row(number) for number in range(60)]


def but(number: int, **more: object) -> list[dict[str, object]]:
    return [row(n, **more) if n == number else one for n, one in enumerate(PAGES)]


@pytest.fixture
def build(tmp_path, monkeypatch):
    """`build(where, rows, more)` surveys and builds in a folder of that name; gives the files of
    the output folder, how many pages are not listed, and whether it went on."""
    monkeypatch.setattr(snapshot, "ROW_GROUP", 8)

    def work(where, rows, more=""):
        folder = tmp_path / where
        folder.mkdir(exist_ok=True)
        pl.DataFrame(rows).write_parquet(folder / "pages.parquet")
        (folder / "atlas.toml").write_text(SITE + more)
        site = read_site_file(folder / "atlas.toml")
        with new_client(5) as client:
            run_survey(site, TODAY, client)
        went = []
        monkeypatch.setattr(
            run, "resume", lambda *given: None if where == "anew" else note(resuming.resume(*given))
        )

        def note(found):
            went.append(found is not None)
            return found

        done = run.run_build(site, last_survey(site, TODAY), TODAY)
        files = {p.name: p.read_bytes() for p in site.output.iterdir()}
        states = {one.path: one.state for one in done.files}
        return files, states, (done.listed, done.not_listed), went == [True]

    work.folder = tmp_path
    return work


@pytest.mark.parametrize(
    ("after", "more", "goes_on"),
    [
        (PAGES, "", True),
        (but(33, lastmod="2026-11-01"), "", True),
        (but(33, title="Another"), "", True),
        (but(33, weight=0), "", True),
        (but(33, weight=0), UNLISTING, False),
        (but(33, lastmod="2026-11-01"), UNLISTING, True),
        (but(33, lastmod="2026-11-01"), HIDING, True),
        (but(6, lastmod="2026-11-01"), HIDING, False),
        (PAGES[1:], "", False),
        ([*PAGES, row(60, folder="b")], "", False),
        ([*PAGES[:8], *PAGES[16:24], *PAGES[8:16], *PAGES[24:]], "", False),
        (but(33, lastmod="2026-11-01"), '[[rule]]\nolder_than = "1 year"\n'
         "set = { listed = false }\n", False),
    ],
)  # fmt: skip
def test_going_on_gives_what_deciding_anew_gives(build, after, more, goes_on):
    for where in ("on", "anew"):
        build(where, PAGES, more)
    *found, went = build("on", after, more)
    *wanted, _ = build("anew", after, more)
    assert found == wanted
    assert went is goes_on
    *again, went = build("on", after, more)
    assert (again[0], again[2]) == (found[0], found[2])
    assert set(again[1].values()) == {"same"}
    assert went is not ("older_than" in more)


def test_one_changed_page_rewrites_its_file_and_the_index(build):
    build("on", PAGES)
    _, states, _, went = build("on", but(33, lastmod="2026-11-01"))
    changed = {path for path, state in states.items() if state != "same"}
    assert changed - {"feed.xml", "sitemap.html"} == {"sitemap-pages-1.xml", "sitemap.xml"}
    assert went


def test_another_site_file_or_a_lost_placement_decides_anew(build, tmp_path):
    build("on", PAGES)
    assert build("on", PAGES, '[[rule]]\nmatch = "/b/**"\nset = { listed = false }\n')[-1] is False
    (tmp_path / "on/.jovial-atlas/placed-pages.parquet").unlink()
    assert build("on", PAGES, "")[-1] is False


def test_where_most_files_are_due_after_all_everything_is_decided_anew(build, tmp_path):
    build("on", PAGES)
    for place in (tmp_path / "on/public").glob("sitemap-*-*.xml"):
        place.unlink()
    files, states, (listed, _), _ = build("on", PAGES)
    assert listed == 60
    assert sum(state == "new" for state in states.values()) == 6
    assert len([name for name in files if name.startswith("sitemap-") and "-" in name[8:]]) >= 6


def test_blocks_differ_where_their_rows_do(tmp_path, monkeypatch):
    monkeypatch.setattr(snapshot, "ROW_GROUP", 8)
    place = tmp_path / "t.parquet"

    def blocks(constant=None, **columns):
        table = pl.LazyFrame({"loc": [str(n) for n in range(20)], "status": 200, **columns})
        snapshot.sink(table, place, constant)
        return blocks_of(place)

    first = blocks()
    assert [block.rows for block in first] == [8, 8, 4]
    assert blocks() == first
    other = blocks(loc=[str(n + (n == 9)) for n in range(20)])
    assert [a == b for a, b in zip(first, other, strict=True)] == [True, False, True]
    with_one = blocks({"status": 200})
    assert all(a != b for a, b in zip(first, with_one, strict=True))
    assert snapshot.constants(place) == {"status": 200}
    assert snapshot.load(place).equals(pl.read_parquet(place).with_columns(
        status=pl.lit(200, pl.Int16)))  # fmt: skip
    for data in (b"", b"PAR1", b"x" * 40, place.read_bytes()[:-9] + b"\xff" + b"\0\0\0\0PAR1"):
        place.write_bytes(data)
        with pytest.raises(OutputError, match="no readable Parquet file"):
            blocks_of(place)


SOME_UNLISTED = '\n[[rule]]\nmatch = "/b/**"\nset = { listed = false }\nreason = "Not yet"\n'
IN_SECTIONS = '\n[[section]]\nname = "b"\nmatch = "/b/**"\npriority = 0.3\n'


@pytest.mark.parametrize(
    ("pages", "more"),
    [
        (PAGES, ""), (PAGES, SOME_UNLISTED), (PAGES, HIDING), (PAGES, IN_SECTIONS),
        ([row(n, folder="ab"[n % 2]) for n in range(60)], IN_SECTIONS),
    ],
)  # fmt: skip
def test_a_first_build_in_windows_gives_what_one_of_all_at_once_gives(build, monkeypatch, pages, more):
    """So does every build after it, which goes on from what it left."""
    monkeypatch.setattr(windows, "_GROUPS", 2)
    wanted = build("anew", pages, more)
    monkeypatch.setattr(windows, "WINDOWED", 1)
    in_windows, at = [], windows.place_in_windows
    monkeypatch.setattr(windows, "place_in_windows", lambda *given: in_windows.append(1) or at(*given))
    found = build("on", pages, more)
    assert (in_windows, found[:3]) == ([1], wanted[:3])
    other = [{**one, "lastmod": "2026-11-01"} if n == 33 else one for n, one in enumerate(pages)]
    assert build("on", other, more)[:3] == build("anew", other, more)[:3]
    assert build("on", other[3:], more)[:3] == build("anew", other[3:], more)[:3]
    assert in_windows == [1]


def test_what_does_not_fit_into_a_file_takes_the_longer_way(build, monkeypatch):
    monkeypatch.setattr(protocol, "MAX_BYTES", 700)
    wanted = build("anew", PAGES)
    monkeypatch.setattr(windows, "WINDOWED", 1)
    assert build("on", PAGES)[:3] == wanted[:3]
    assert not [one for one in (build.folder / "on/.jovial-atlas").iterdir() if one.name.endswith(".new")]


@pytest.mark.parametrize("few", [1_000, 1])
def test_new_rows_go_on_where_others_ended(monkeypatch, few):
    monkeypatch.setattr(plan, "_FEW_RUNS", few)
    used: dict[int, int] = {}
    first = plan.place_new(pl.Series([0, 0, 1, 0, 1], dtype=pl.UInt32), {0: 2, 1: 3}, used)
    second = plan.place_new(pl.Series([1, 1, 0, 0], dtype=pl.UInt32), {0: 2, 1: 3}, used)
    assert (first.to_list(), second.to_list()) == ([1, 1, 1, 2, 1], [1, 2, 2, 3])
    assert used == {0: 5, 1: 4}
