"""Tables on disk."""

import tempfile
from pathlib import Path

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.pages import snapshot
from jovial_atlas.pages.schema import SCHEMA

FEW = {"title": st.sampled_from([None, "", "a"]), "kind": st.sampled_from(["page", "draft"]),
       "status": st.sampled_from([None, 200]), "words": st.sampled_from([0, 7])}  # fmt: skip


def test_a_table_without_texts_is_saved(tmp_path):
    table = pl.DataFrame({"loc": ["/a", "/b"], "tags": [["x"], ["x"]]})
    snapshot.save(table, tmp_path / "t.parquet", alike=True)
    assert snapshot.load(tmp_path / "t.parquet").equals(table)


@given(st.lists(st.fixed_dictionaries(FEW), max_size=4), st.booleans())
def test_a_table_is_read_as_it_was_written_whatever_its_rows_have_in_common(rows, alike):
    kinds = {"loc": pl.String, **{name: SCHEMA[name] for name in FEW}}
    numbered = [{"loc": f"/{number}", **row} for number, row in enumerate(rows)]
    table = pl.DataFrame(numbered, schema=kinds)
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "t.parquet"
        snapshot.save(table, place, alike=alike)
        assert snapshot.load(place).select(table.columns).equals(table)
        same = snapshot.constants(place)
    if alike and len(rows) > 1:
        first = numbered[0].items()
        assert same == {
            name: value for name, value in first
            if value is not None and all(row[name] == value for row in numbered)
        }  # fmt: skip
