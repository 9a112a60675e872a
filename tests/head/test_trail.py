"""The trail of a page: what stands above it by address, as far as there is anything."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.head.trail import Trails
from tests.conftest import URL

NAMES = {f"{URL}/a/": "A", f"{URL}/a/b": "B", f"{URL}/a/b/c/d/": "D"}


@pytest.mark.parametrize(
    ("path", "own", "names"),
    [
        ("/", "Home", []), ("/a/", None, []), ("/a/", "A", ["Home", "A"]), ("/a/x", "X", ["Home", "A", "X"]),
        ("/a/b/c/x/?page=2", "X", ["Home", "A", "B", "X"]), ("/q/r/s", "S", ["Home", "S"]), ("/a/b/c/d/e", "E", ["Home", "A", "B", "D", "E"]),
    ],
)  # fmt: skip
def test_the_pages_above_are_named(path, own, names):
    trails = Trails(URL, "Home", NAMES.get)
    for _ in range(2):  # what is known of a folder stays as it is
        assert [name for _, name in trails.of(URL + path, own)] == names
    if names:
        assert trails.of(URL + path, own)[-1] == (URL + path, own)


@given(st.lists(st.lists(st.sampled_from(["a", "b", "c", ""]), max_size=5), max_size=8))
def test_pages_before_change_nothing(paths):
    shared = Trails(URL, "Home", NAMES.get)
    for path in paths:
        loc = f"{URL}/{'/'.join(path)}"
        assert shared.of(loc, "X") == Trails(URL, "Home", NAMES.get).of(loc, "X")


def test_very_deep_folders_are_no_trouble():
    loc = f"{URL}/{'a/' * 5000}x"
    assert Trails(URL, "Home", {f"{URL}/a": "A"}.get).of(loc, "X") == [(f"{URL}/", "Home"), (f"{URL}/a", "A"), (loc, "X")]
