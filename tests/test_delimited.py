"""Tables as people's spreadsheets and other people's exports write them."""

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas import delimited

TABLE = [["loc", "title"], ["/a/", "Reeds, wet; and \t high"], ["/b/", 'Say "Ü"']]


UNCLOSED = "a quote opens in it that is not closed where the cell ends"


def written(separator, end):
    def cell(text):
        quoted = text.replace('"', '""')
        return f'"{quoted}"' if set(text) & {*delimited.SEPARATORS, '"'} else text

    return "".join(separator.join(map(cell, row)) + end for row in TABLE)


@pytest.mark.parametrize("separator", delimited.SEPARATORS)
@pytest.mark.parametrize("end", ["\n", "\r\n", "\r"])
@pytest.mark.parametrize(
    ("encoding", "told"),
    [("utf-8", "UTF-8"), ("utf-8-sig", "UTF-8"), ("utf-16", "UTF-16"), ("cp1252", "Windows-1252")],
)
def test_every_separator_line_end_and_encoding(separator, end, encoding, told):
    text, name = delimited.decoded(written(separator, end).encode(encoding))
    assert name == told
    assert [cells for _, cells, wrong in delimited.rows(text)] == TABLE


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        # The hint of a spreadsheet counts, and is a line.
        ("sep=|\na|b;c\n", [(2, ["a", "b;c"], "")]),
        ('"a;b;c",d\n\n1,2\n', [(1, ["a;b;c", "d"], ""), (3, ["1", "2"], "")]),
        ('a,b\n"1\n2",3\n4,5', [(1, ["a", "b"], ""), (3, ["1\n2", "3"], ""), (4, ["4", "5"], "")]),
        ("", []),
        ("a\n" + "x" * 140_000 + "\n2\n", [(1, ["a"], ""), (2, ["x" * 140_000], ""), (3, ["2"], "")]),
        # What stands behind a quote that is never closed is not lost.
        ('a,b\n1,"x\n2,y\n3,"z"\n4,u', [(1, ["a", "b"], ""), (2, [], UNCLOSED), (3, ["2", "y"], ""), (4, ["3", "z"], ""),
                                       (5, ["4", "u"], "")]),
        ('a,b\n"x\ny" ,"z"\t\n1,"2"3\n', [(1, ["a", "b"], ""), (3, ["x\ny ", "z\t"], ""), (4, ["1", "23"], "")]),
        ('a,b\n1,"x', [(1, ["a", "b"], ""), (2, [], UNCLOSED)]),
        ('"a,b\r\n1,2', [(1, [], UNCLOSED), (2, ["1", "2"], "")]),
        ('a\n"x\ny","z\n\n2', [(1, ["a"], ""), (2, [], UNCLOSED), (3, [], UNCLOSED), (5, ["2"], "")]),
        ('a\n"x"', [(1, ["a"], ""), (2, ["x"], "")]),
    ],
)  # fmt: skip
def test_rows_come_with_the_line_that_people_see(text, rows):
    assert list(delimited.rows(text)) == rows
    assert list(delimited.rows(io.StringIO(text, newline=""))) == rows


@given(
    st.lists(
        st.lists(st.sampled_from(["", "a", "b c", 'say "x"', '"', "ü,", "1;2", " ", "x\ny"]),
                 min_size=1, max_size=3),
        max_size=5,
    ),
    st.sampled_from(["\n", "\r\n", "\r"]),
    st.booleans(),
)  # fmt: skip
def test_a_table_by_columns_is_what_its_rows_are(rows, end, as_written):
    stream = io.StringIO()
    if as_written:  # by a program, with quotes where they have to be
        csv.writer(stream, lineterminator=end).writerows(rows)
    else:  # by hand
        stream.write(end.join(",".join(row) for row in rows))
    text = stream.getvalue()
    by_rows = list(delimited.rows(io.StringIO(text, newline="")))
    assert list(delimited.rows(text)) == by_rows
    columns = delimited.columns_of_lines(text)
    if columns is not None:
        assert [(n, list(row), "") for n, row in enumerate(zip(*columns, strict=True), 1)] == by_rows
