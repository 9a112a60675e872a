"""Trials and what is asked about clicks: the keys of the site file, and the lot."""

import msgspec
import pytest

from jovial_atlas.errors import SiteFileError
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.sitefile.visiting import Trial, is_drawn

GOOD = """
[site]
url = "https://www.marrowfen.example"
[[source]]
kind = "html"
path = "public"
[[section]]
name = "species"
match = "/species/**"
"""
LOCS = [f"https://www.marrowfen.example/species/{number}/" for number in range(4_000)]


def test_the_lot_parts_pages_in_halves_and_each_lot_otherwise():
    drawn = {lot: {loc for loc in LOCS if is_drawn(lot, loc)} for lot in ("a", "b")}
    assert all(len(one) == pytest.approx(2_000, abs=200) for one in drawn.values())
    assert len(drawn["a"] & drawn["b"]) == pytest.approx(1_000, abs=200)


def test_a_page_keeps_its_side_whatever_else_the_trial_says():
    trial = Trial(name="t", section="species", lot="a", title="{title}")
    other = msgspec.structs.replace(trial, name="u", title="", description="d", since="2026-11-01")
    assert [trial.takes(loc) for loc in LOCS[:200]] == [other.takes(loc) for loc in LOCS[:200]]
    assert trial.texts == {"title": "{title}"}
    assert other.texts == {"description": "d"}


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("[traffic]\nask_above = 1.5\n", "ask_above"),
        ("[traffic]\nask_above = -0.1\n", "ask_above"),
        ("[traffic]\nask_over = 0.5\n", "ask_over"),
        (
            '[[trial]]\nname = "New titles"\nsection = "species"\nlot = "a"\ntitle = "t"\n',
            "lower-case letters",
        ),
        ('[[trial]]\nname = "t"\nsection = "species"\nlot = "a"\n', "tries nothing"),
        ('[[trial]]\nname = "t"\nsection = "species"\ntitle = "t"\n', "lot"),
    ],
)
def test_what_cannot_be_is_told_with_its_key(tmp_path, text, told):
    place = tmp_path / "atlas.toml"
    place.write_text(f"{GOOD}{text}", "utf-8")
    with pytest.raises(SiteFileError) as caught:
        read_site_file(place)
    assert any(told in f"{one}" for one in caught.value.problems)


@pytest.mark.parametrize(("text", "above"), [("", 0.05), ("[traffic]\nask_above = 0.2\n", 0.2)])
def test_what_is_asked_about(tmp_path, text, above):
    place = tmp_path / "atlas.toml"
    place.write_text(f"{GOOD}{text}", "utf-8")
    assert read_site_file(place).model.traffic.ask_above == above
