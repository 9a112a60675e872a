"""Addresses of Markdown files by templates, and the template behind addresses that are known."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.sources.records.markdown_address import (
    address_values,
    date_in_name,
    slug_of,
    template_behind,
)

TITLES = ("Otters at dawn", "The heron's café", "Eels, and newts", "Straße über das Moor", "A crane")
TEMPLATES = (
    "/{title_slug}/", "/{year}/{month}/{title_slug}.html", "/{category_slug}/{slug}/",
    "/blog/{year}/{month}/{day}/{slug}.html", "/{path}/",
)  # fmt: skip


def values_of(number: int, title: str) -> dict[str, str]:
    path = f"posts/2026-0{number + 1}-1{number}-note-{number}.md"
    return address_values(path, {"title": title}, None, ("Birds", "Wet land")[number % 2])


@pytest.mark.parametrize("template", TEMPLATES)
def test_the_template_is_found_by_which_addresses_were_made(template):
    known = []
    for number, title in enumerate(TITLES):
        values = values_of(number, title)
        path = template
        for name, value in values.items():
            path = path.replace(f"{{{name}}}", value)
        known.append((path, values))
    assert template_behind(known) == template
    odd = [("/elsewhere/", values_of(n, "Other")) for n in range(len(TITLES) + 1)]
    assert template_behind([*known, *odd]) == "", "fewer than half follow it"
    assert template_behind(known[:2]) == "", "two say nothing"


@pytest.mark.parametrize(
    ("text", "slug"),
    [("Otters at dawn", "otters-at-dawn"), ("The heron's café", "the-herons-cafe"), ("  A — B!  ", "a-b"),
     ("Über_das Moor", "uber-das-moor"), ("沼地", "沼地"), ("!?", "")],
)  # fmt: skip
def test_slugs_are_words_with_hyphens_between(text, slug):
    assert slug_of(text) == slug


@given(st.text())
def test_a_slug_of_a_slug_is_itself(text):
    assert slug_of(slug_of(text)) == slug_of(text)


@pytest.mark.parametrize(("name", "day"), [("2026-11-03-otters", "2026-11-03"), ("otters", None), ("2026-11-03", None)])
def test_days_in_names_are_read(name, day):
    assert date_in_name(name) == day
