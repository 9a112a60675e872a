"""Many patterns looked up at once, against each asked for itself; rows merged, one by one."""

import re

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas import patterns
from jovial_atlas.pages import schema
from jovial_atlas.pages.merge import Repeats, merge
from jovial_atlas.rules.matching import first_fitting
from tests.conftest import URL

PIECES = st.lists(st.sampled_from(["/a", "/b", "/ab", "/", "é", "%C3%A9", "?q=1", "*", "**", "{a,b}", ".html"]),
                  min_size=1, max_size=4).map("".join)  # fmt: skip
GLOBS = st.one_of(
    PIECES.map(lambda text: "/" + text.lstrip("/")), st.sampled_from(["**", "*.html", "/**", "/"])
)
PATHS = st.lists(
    st.sampled_from(["/a", "/b", "/ab", "/c", "%C3%A9", "?q=1", ".html", "/"]), max_size=5
).map(lambda parts: "/" + "".join(parts).lstrip("/"))


@given(st.lists(PATHS, max_size=8), st.lists(st.lists(GLOBS, min_size=1, max_size=3), max_size=7))
def test_the_first_group_that_fits_is_that_of_asking_each(paths, groups):
    found = pl.DataFrame({"_path": pl.Series(paths, dtype=pl.String)}).select(first_fitting(groups))
    fits = [
        next((number for number, group in enumerate(groups)
              if any(re.search(patterns.to_regex(one), path) for one in group)), None)
        for path in paths
    ]  # fmt: skip
    assert found.to_series().to_list() == fits


def merged_one_by_one(rows, winners):
    """The rule in words of Python: gaps are filled, winners win, a source never overrules itself."""
    first, *others = rows
    first = dict(first)
    notes = []
    for other in others:
        if other["source"] == first["source"]:
            continue
        wins = other["source"] in winners
        for name in ("title", "words", "tags"):
            value, mine = other[name], first[name]
            if value in (None, "", []) or value == mine:
                continue
            used = wins or mine in (None, "", [])
            notes.append((other["source"], name, str(value), used))
            first[name] = value if used else mine
    return {name: first[name] for name in ("title", "words", "tags")}, notes


ROWS = st.lists(
    st.fixed_dictionaries(
        {"loc": st.sampled_from([f"{URL}/a", f"{URL}/b"]), "source": st.sampled_from("xyz"),
         "title": st.sampled_from([None, "", "T", "U"]), "words": st.sampled_from([None, 1, 2]),
         "tags": st.sampled_from([None, [], ["t"], ["t", "u"]])}
    ), max_size=8,
)  # fmt: skip


@given(ROWS, st.sets(st.sampled_from("xyz")))
def test_rows_of_several_sources_are_merged_as_one_by_one(rows, winners):
    table = schema.table(rows).select("loc", "source", "title", "words", "tags", "path", "merged")
    done = (
        {row["loc"]: row for row in merge(table, sorted(winners), Repeats()).to_dicts()} if rows else {}
    )
    assert set(done) == {row["loc"] for row in rows}
    for loc, row in done.items():
        values, notes = merged_one_by_one([one for one in rows if one["loc"] == loc], winners)
        assert {name: row[name] for name in values} == values
    # What was merged is kept, so that nothing is dropped unseen.
    kept = merge(table, sorted(winners), Repeats()) if rows else schema.empty()
    for row in kept.to_dicts():
        said = {
            (one["source"], one["column"], one["value"], one["used"]) for one in row["merged"] or []
        }
        _, notes = merged_one_by_one([one for one in rows if one["loc"] == row["loc"]], winners)
        assert said == set(notes)


def test_addresses_that_a_source_gives_often_are_told_shortly():
    rows = [{"loc": f"{URL}/a", "source": "x", "title": f"T{n}"} for n in range(300)]
    done = merge(schema.table(rows), [], told := Repeats())
    assert (done.height, done["title"][0], len(told.faults)) == (1, "T0", 101)
    assert told.faults[0].message == "299 rows have addresses of earlier ones, which are kept."
    rows = [{"loc": f"{URL}/a", "source": f"s{n}", "words": n} for n in range(60)]
    done = merge(schema.table(rows), [], told := Repeats())
    assert [fault.message[:16] for fault in told.faults] == ["9 rows left out:"]
    assert len(done["merged"][0]) == 50
