"""The name of a site, read off its titles."""

import polars as pl
import pytest

from jovial_atlas.rounds.reading.titles import name_in_titles, name_with_sign


@pytest.mark.parametrize(
    ("titles", "name", "signed"),
    [
        (["Otter – Birds – Marrowfen", "Heron – Marrowfen", "Home"], "Marrowfen", " – Marrowfen"),
        (["Otter (Fen (2nd part))", "Heron (Fen (2nd part))"], "Fen (2nd part)", " (Fen (2nd part))"),
        (["Fen -- Otter", "Fen -- Heron: a life"], "Fen", "Fen -- "),
        (["Fen: Otter", "Fen: Heron"], "Fen", "Fen: "),
        # What only one has is the name of nothing, and so is what stands in brackets for itself.
        (["Otter (Lutra lutra)", "Heron (Ardea) – grey"], "Otter (Lutra lutra)", ""),
        (["Fen | Otter"], "Otter", " | Otter"),
        ([None], "", ""),
    ],
)
def test_the_name_stands_behind_a_sign_in_brackets_or_first(titles, name, signed):
    locs = ["https://w.example/", *(f"https://w.example/{n}" for n in range(1, len(titles)))]
    pages = pl.DataFrame({"loc": locs, "title": titles}, schema={"loc": pl.String, "title": pl.String})
    assert (name_in_titles(pages, "https://w.example"), name_with_sign(pages)) == (name, signed)
