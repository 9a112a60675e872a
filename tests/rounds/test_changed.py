"""What a build publishes otherwise than the one before; links that were put into texts, each target once."""

import json
import tempfile
from pathlib import Path
from types import SimpleNamespace

import msgspec
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_atlas.rounds.publishing.changed import _published, changed_links
from jovial_atlas.rounds.publishing.injected import Injected, InjectState

SITE = "https://www.marrowfen.example"


def injected(page, *links, state=InjectState.CHANGED):
    put = tuple(f"words: {SITE}{link}" for link in links)
    return Injected(f"{page}.html", f"{SITE}{page}", state, links=put)


def targets(survey, *some):
    """The paths that links lead to which were not there; they are remembered."""
    found = changed_links(survey, some)
    found.keep()
    return [[loc.removeprefix(SITE) for loc in one.locs] for one in found.changes]


@pytest.fixture
def survey(tmp_path):
    return SimpleNamespace(site=SimpleNamespace(state=tmp_path))


def test_each_target_is_told_once_and_not_again(survey):
    assert targets(survey, injected("/a", "/x", "/y"), injected("/b", "/x")) == [["/x", "/y"]]
    same = injected("/a", "/x", "/y", state=InjectState.SAME)
    assert targets(survey, same, injected("/b", "/x")) == []
    assert targets(survey, injected("/b", "/x", "/z")) == [["/z"]]


def test_a_link_that_was_taken_away_and_put_back_is_new_again(survey):
    assert targets(survey, injected("/a", "/x")) == [["/x"]]
    assert targets(survey, injected("/a")) == []
    assert targets(survey, injected("/a", "/x")) == [["/x"]]


def test_files_that_were_skipped_say_nothing(survey):
    assert targets(survey, injected("/a", "/x")) == [["/x"]]
    assert targets(survey, injected("/a", "/y", state=InjectState.SKIPPED)) == []
    assert targets(survey, injected("/a", "/x")) == []


def test_nothing_is_written_before_it_is_to_be_kept_or_where_nothing_changed(survey):
    found = changed_links(survey, [injected("/a", "/x")])
    assert list(survey.site.state.iterdir()) == []
    found.keep()
    (place,) = survey.site.state.iterdir()
    assert json.loads(place.read_text("utf-8")) == {f"{SITE}/a": [f"words: {SITE}/x"]}
    assert not changed_links(survey, [injected("/a", "/x")]).keeping


@pytest.mark.parametrize("text", ["", "{", "[1]", "null"])
def test_what_cannot_be_read_is_as_if_nothing_were_known(survey, text):
    targets(survey, injected("/a", "/x"))
    (place,) = survey.site.state.iterdir()
    place.write_text(text, "utf-8")
    assert targets(survey, injected("/a", "/x")) == [["/x"]]


HEADS = st.dictionaries(st.sampled_from("abc"), st.tuples(st.sampled_from(["T", "U\u2028V"]), st.sampled_from([None, "Event", "Article"])))


@given(st.lists(HEADS, min_size=1, max_size=4))
@settings(deadline=None)
def test_lines_of_head_data_that_are_as_before_come_to_what_all_lines_come_to(rounds):
    with tempfile.TemporaryDirectory() as place:
        state = Path(place)
        (state / "head").mkdir()
        before = None
        for heads in rounds:
            lines = [{"loc": f"{SITE}/{name}", "title": title, "description": None, "json_ld": {"@type": kind} if kind else None}
                     for name, (title, kind) in heads.items()]  # fmt: skip
            text = b"".join(msgspec.json.encode(line) + b"\n" for line in lines)
            (state / "head/pages.jsonl").write_bytes(text + b"{ by hand\n\xff\n")
            decided = pl.DataFrame([(f"{SITE}/{name}", True, True) for name in "abc"], schema=["loc", "listed", "index"], orient="row")
            known = SimpleNamespace(site=SimpleNamespace(state=state), decided=decided)
            before, whole = _published(known, before), _published(known, None)
            assert before.equals(whole)
            assert dict(whole.select("loc", "title").iter_rows()) == {f"{SITE}/{name}": heads.get(name, [None])[0] for name in "abc"}
