"""A change out of a text that was changed since."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.history import Clash, FileTexts, History, KeptChange, record, taken_out

LINES = b"one\ntwo\nthree\nfour\nfive\nsix\n"
TABLE = b"loc,index,reason\n/a/,no,x\n/b/,no,y\n"


@pytest.mark.parametrize(
    ("before", "after", "now", "wanted"),
    [
        (LINES, LINES.replace(b"two", b"2"), LINES.replace(b"two", b"2"), LINES),
        (LINES, LINES.replace(b"two", b"2"), LINES.replace(b"two", b"2").replace(b"six", b"6"),
         LINES.replace(b"six", b"6")),
        (LINES, LINES.replace(b"two\n", b""), LINES.replace(b"two\n", b"") + b"seven\n", LINES + b"seven\n"),
        (None, b"a\n", b"a\n", None),
        (LINES, None, None, LINES),
        (LINES, LINES + b"x\n", LINES, LINES),
        (LINES, LINES.replace(b"two", b"2"), LINES.replace(b"two", b"zwei"), Clash(2, "zwei")),
    ],
)  # fmt: skip
def test_only_what_the_change_did_goes(before, after, now, wanted):
    assert taken_out(before, after, now) == wanted


@pytest.mark.parametrize(
    ("after", "now", "wanted"),
    [
        # A later change added a column, so that every line is another one.
        (b"loc,index,reason\n/a/,yes,x\n/b/,no,y\n", b"loc,index,title,reason\n/a/,yes,T,x\n/b/,no,,y\n",
         b"loc,index,title,reason\n/a/,no,T,x\n/b/,no,,y\n"),
        # The change took a row out; a later one added a column.
        (b"loc,index,reason\n/a/,no,x\n", b"loc,index,by,reason\n/a/,no,N,x\n",
         b"loc,index,by,reason\n/a/,no,N,x\n/b/,no,,y\n"),
        # The change added a column and a row; a later one another row.
        (b"loc,index,title,reason\n/a/,no,T,x\n/b/,no,,y\n/c/,,U,\n",
         b"loc,index,title,reason\n/a/,no,T,x\n/b/,no,,y\n/c/,,U,\n/d/,yes,,\n",
         TABLE + b"/d/,yes,\n"),
    ],
)  # fmt: skip
def test_tables_are_parted_by_cells_where_lines_do_not_do(after, now, wanted):
    assert taken_out(TABLE, after, now, table=True) == wanted


def test_a_cell_that_a_later_change_set_is_a_clash_and_so_is_a_table_without_keys():
    after, now = TABLE.replace(b"/a/,no", b"/a/,yes"), b"loc,index,title\n/a/,perhaps,T\n/b/,no,\n"
    assert isinstance(taken_out(TABLE, after, now, table=True), Clash)
    twice = b"loc,video\n/a/,1\n/a/,2\n"
    changed, later = twice.replace(b"1", b"3"), b"loc,video,x\n/a/,3,\n/a/,2,y\n"
    assert isinstance(taken_out(twice, changed, later, table=True), Clash)


@given(st.lists(st.sampled_from("abc"), max_size=6), st.lists(st.sampled_from("xyz"), max_size=6),
       st.lists(st.sampled_from("uvw"), max_size=4))  # fmt: skip
def test_what_stands_apart_is_never_a_clash(before, after, tail):
    def text(lines):
        return "".join(f"{one}\n" for one in [*lines, "-", "-", "=", "=", "+"]).encode()

    end = "".join(f"{one}\n" for one in tail).encode()
    assert taken_out(text(before), text(after), text(after) + end) == text(before) + end


def test_the_record_stays_small_and_says_so(tmp_path, monkeypatch):
    monkeypatch.setattr(record, "MOST_KEPT", 100)
    history = History(tmp_path)
    texts = [bytes([65 + number]) * 40 for number in range(6)]
    for number, (old, new) in enumerate(itertools.pairwise(texts), start=1):
        file = FileTexts("atlas.toml", record.digest(old), record.digest(new))
        history.add(KeptChange(number=number, at="2026-11-23T10:00:00Z", who="n", command="c", files=(file,)), [old, new])
    with (tmp_path / "changes.jsonl").open("ab") as stream:
        stream.write(b'{"number": 6, "at"')  # a write that was cut off
    entries = history.entries()
    assert [one.number for one in entries] == [1, 2, 3, 4, 5]
    assert history.text(entries[-1].files[0].before) == texts[4]
    with pytest.raises(record.AtlasError, match="is not kept any more"):
        history.text(entries[0].files[0].before)
