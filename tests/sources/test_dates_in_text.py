"""Dates in words: every common form in several languages, and what is none."""

import pytest

from jovial_atlas.dates_in_text import dates_in


@pytest.mark.parametrize(
    ("text", "language", "days"),
    [
        ("11 November 2026", "en", ["2026-11-11"]),
        ("Posted on Nov. 11th, 2026 by Wren", "en", ["2026-11-11"]),
        ("Wed, 11 Nov 2026", None, ["2026-11-11"]),
        ("11. November 2026", "de-AT", ["2026-11-11"]),
        ("3. März 2026", "de", ["2026-03-03"]),
        ("le 1er août 2026", "fr", ["2026-08-01"]),
        ("3 de marzo de 2026", "es", ["2026-03-03"]),
        ("11.3.2026 und 2026-03-12", "de", ["2026-03-11", "2026-03-12"]),
        ("2026/03/11", "en", ["2026-03-11"]),
        ("2026年3月11日", "ja", ["2026-03-11"]),
        # What may be two days, is no day, or has no year.
        ("3/4/2026", "en", []),
        ("31 February 2026", "en", []),
        ("11 November", "en", []),
        ("version 1.2.2026.4", "en", []),
        ("3. März 2026", "fr", []),
        ("11 Widgets 2026", "en", []),
    ],
)
def test_days_are_read_from_words(text, language, days):
    assert [one.day for one in dates_in(text, language)] == days


def test_places_of_dates_are_told():
    text = "by Wren, 11 November 2026, fen"
    (shown,) = dates_in(text, "en")
    assert text[shown.start : shown.end] == "11 November 2026"
