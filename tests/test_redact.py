"""What is shown: no sign that a terminal obeys, no secret in any of its spellings, no formula."""

import base64
import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.cli.visible import in_line, json_safe, visible
from jovial_atlas.redact import redacted, redacted_bytes
from jovial_atlas.sitefile.cells import as_cell, from_cell

SECRET = "s3cret/token+of=owner"


@given(st.text())
def test_no_text_moves_a_terminal(text):
    shown = visible(text)
    assert not any((ord(c) < 32 and c not in "\n\t") or 0x7F <= ord(c) < 0xA0 for c in shown)
    assert not any(c in shown for c in "\u202a\u202e\u2066\u2069")
    assert "\n" not in in_line(text)
    assert json.loads(json_safe(json.dumps(text, ensure_ascii=False))) == text


@pytest.mark.parametrize(
    "said",
    [SECRET, f"Authorization: Bearer {SECRET}", "s3cret%2Ftoken%2Bof%3Downer", json.dumps(SECRET),
     "Basic " + base64.b64encode(SECRET.encode()).decode(), f"a{SECRET}b{SECRET}"],
)  # fmt: skip
def test_a_secret_is_taken_out_however_it_is_spelled(said):
    for shown in (redacted(said, [SECRET]), redacted_bytes(said.encode(), [SECRET]).decode()):
        assert "s3cret" not in shown
        assert base64.b64encode(SECRET.encode()).decode() not in shown


@given(st.text())
def test_a_cell_is_no_formula_and_comes_back(text):
    cell = as_cell(text)
    assert from_cell(cell) == text
    if cell[:1] in ("=", "+", "-", "@", "\t", "\r"):
        float(cell.replace(",", "."))


@pytest.mark.parametrize(
    ("text", "cell"),
    [("=1+1", "'=1+1"), ("@a", "'@a"), ("-5", "-5"), ("+49 30", "'+49 30"), ("'=x", "''=x"), ("it's", "it's"),
     ("＝1", "'＝1"), ("\t=1", "'\t=1")],
)  # fmt: skip
def test_cells(text, cell):
    assert as_cell(text) == cell
