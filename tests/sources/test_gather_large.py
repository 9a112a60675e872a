"""Large page tables are looked through some rows at a time, which comes to the same."""

import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jovial_atlas.pages import gather, merge, repeated, schema, survey
from jovial_atlas.pages.survey import compare

ROWS = st.lists(st.tuples(st.integers(0, 12), st.integers(0, 2)), max_size=12, unique_by=lambda one: one[0])


def table(rows):
    return pl.LazyFrame(
        {"loc": [f"/{n}" for n, _ in rows], "title": [str(t) for _, t in rows], "fingerprint": None},
        schema={"loc": pl.String, "title": pl.String, "fingerprint": pl.String},
    )


def plainly(before, after):
    old, new = dict(before), dict(after)
    return (
        len(new.keys() - old.keys()),
        sum(old[one] != new[one] for one in old.keys() & new.keys()),
        len(old.keys() - new.keys()),
    )


@given(before=ROWS, after=ROWS, same_order=st.booleans())
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None, max_examples=60)
def test_surveys_are_compared_in_pieces(monkeypatch, before, after, same_order):
    monkeypatch.setattr(survey, "_AT_ONCE", 3)
    if same_order:  # the same addresses, perhaps with other titles
        titles = dict(after)
        after = [(n, titles.get(n, t)) for n, t in before]
    found = compare(table(before), table(after))
    assert (found.added, found.changed, found.removed) == plainly(before, after)


@pytest.mark.parametrize("at_once", [1, 2, 100])
def test_what_stands_twice_is_found_in_shares(monkeypatch, at_once):
    monkeypatch.setattr(repeated, "_AT_ONCE", at_once)
    known = [0, 1, 2**62, 2**63 - 1, 2**63, 2**64 - 1, 9]
    hashes = pl.Series([*known, 2**64 - 1, 0, 2**63, 0], dtype=pl.UInt64)
    parts = list(repeated._shares(hashes, at_once))
    assert sorted(one for part in parts for one in part.select("row", "hash").rows()) == list(enumerate(hashes))
    assert len(parts) > 1 or at_once == 100
    assert repeated.later_rows(hashes).rows() == [(0, 8), (0, 10), (4, 9), (5, 7)]


@given(st.lists(st.lists(st.one_of(st.none(), st.text(max_size=6), st.sampled_from(["a", "b c", "it's"])), max_size=4),
                min_size=1, max_size=6))  # fmt: skip
@settings(deadline=None, max_examples=80)
def test_lists_are_shown_as_python_shows_them(lists):
    values = pl.Series("x", lists, dtype=pl.List(pl.String))
    assert merge._shown(values).to_list() == [str(one)[:300] for one in lists]


SOURCED = st.lists(st.tuples(st.integers(0, 6), st.sampled_from("ab"), st.sampled_from(["", "x", "y"])), max_size=12)


@given(SOURCED, st.booleans(), st.integers(1, 4), st.integers(1, 5))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None, max_examples=120)
def test_rows_are_merged_in_pieces_as_all_at_once(monkeypatch, tmp_path, rows, wins, group, fetched):
    said = [{"loc": f"https://www.marrowfen.example/{n}/", "source": of, "title": title or None} for n, of, title in rows]
    found = []
    monkeypatch.setattr(repeated, "ROW_GROUP", group)
    monkeypatch.setattr(repeated, "_FETCHED", fetched)
    for few, spill in ((0, 1), (0, 1_000), (1_000, 1_000), (1_000, 1)):
        monkeypatch.setattr(gather, "_FEW", few)
        with gather.Gathering(tmp_path, spill_rows=spill) as gathering:
            for start in range(0, len(said), 2):
                gathering.begin()
                gathering.add(gather.Batch(pl.DataFrame(said[start : start + 2], schema=dict.fromkeys(("loc", "source", "title"), pl.String))))
            table = gathering.finish(tmp_path / "pages.parquet", ["b"] if wins else []).collect()
        if (few, spill) == (0, 1):
            assert table["loc"].to_list() == list(dict.fromkeys(one["loc"] for one in said))
        found.append((schema.complete(table.sort("loc")).select("loc", "source", "title", "merged").to_dicts(), sorted(map(str, gathering.faults))))
    assert all(one == found[0] for one in found)


def test_addresses_of_one_hash_are_kept_apart(monkeypatch):
    rows = pl.DataFrame({"loc": ["/a", "/b", "/c", "/a"], "source": ["x", "x", "x", "y"], "title": [None, "B", "C", "A"]})
    rows = rows.with_columns(path=pl.lit("f"), merged=pl.lit(None, schema.SCHEMA["merged"]))
    later = repeated.later_rows(pl.Series([7, 8, 7, 7], dtype=pl.UInt64))
    merged = pl.concat(repeated.MergedPieces([rows.lazy()], later, [], merge.Repeats()))
    assert merged.select("loc", "title").rows() == [("/a", "A"), ("/b", "B"), ("/c", "C")]
