"""Which pages are versions to print, or the same page with a query, and which only look so."""

from pathlib import Path

import pytest

from jovial_atlas.pages import schema
from jovial_atlas.rounds.reading.variants import find_variants
from jovial_atlas.sitefile.read import parse_site_file

URL = "https://www.marrowfen.example"
SITE = f'[site]\nurl = "{URL}"\n\n[[source]]\nkind = "html"\npath = "public"\n'


def variants(pages, more=""):
    """Kind and original by path, of pages with their titles (None: not known), which begin with their
    headings, and a mark of their texts."""
    rows = [
        {"loc": URL + path, "kind": "page", "title": called, "fingerprint": mark,
         "heading": (called or "").partition(" | ")[0].removesuffix(" (print)") or None}
        for path, (called, mark) in pages.items()
    ]  # fmt: skip
    site = parse_site_file(SITE + more, Path("atlas.toml"))
    found = find_variants(schema.table(rows).lazy(), {"title"}, site, {"print", "query"})
    return {loc.removeprefix(URL): (kind, of and of.removeprefix(URL)) for loc, kind, of in found.iter_rows()}


UNKNOWN = (None, None)


@pytest.mark.parametrize(
    ("page", "path", "same"),
    [
        # A page about printing is no version of the one above it.
        (("Services", "a"), ("/services/", "/services/print/", ("Print", "b")), False),
        (("Services", "a"), ("/services/", "/services/print/", ("Print services", "b")), False),
        (("Fen | Services", "a"), ("/services/", "/services/print/", ("Fen | Print", "b")), False),
        (("Walks | Fen", "a"), ("/walks/", "/walks/print/", ("Walks (print) | Fen", "b")), True),
        (("Package fen", "a"), ("/fen/", "/fen/print/", ("Package fen.print", "b")), False),
        (("Walks", "a"), ("/walks/", "/walks/print/", ("Walks (print version)", "b")), True),
        (("Walks", "a"), ("/walks/", "/walks/print/", ("Druckversion: Walks", "b")), True),
        (("Walks", "a"), ("/walks/", "/walks/print/", ("WALKS", "b")), True),
        (("Walks", "a"), ("/walks/", "/walks/print/", ("To print", "a")), True),
        (("Walks", "a"), ("/walks/", "/print/walks/", ("Print of a walk", "b")), False),
        # Elsewhere a class of the same name is another one.
        (("Event", "a"), ("/java/time/event.html", "/java/print/event.html", ("Event", "b")), False),
        # Of a table of addresses nothing else is known.
        (UNKNOWN, ("/walks/", "/print/walks/", UNKNOWN), True),
        (UNKNOWN, ("/walks/", "/walks/print/", UNKNOWN), False),
        (("Walks", "a"), ("/walks/", "/walks/?print=1", ("Something else", "b")), True),
        (("Section", "a"), ("/section.html", "/section.print.html", ("Section", "b")), True),
        (("Section", "a"), ("/section.html", "/section.print.html", ("Section.print", "b")), False),
        (UNKNOWN, ("/section.html", "/section.print.html", UNKNOWN), True),
    ],
)
def test_versions_to_print_are_called_as_the_page_or_say_the_same(page, path, same):
    at, other, called = path
    assert variants({at: page, other: called}) == ({other: ("print", at)} if same else {})


def test_versions_to_print_are_those_that_the_site_file_names():
    pages = {"/walks/": ("Walks", "a"), "/paper/walks/": ("On paper", "b")}
    assert variants(pages, '\n[kinds]\nprint = ["/paper/**"]\n') == {"/paper/walks/": ("print", None)}


@pytest.mark.parametrize(
    ("query", "called", "same"),
    [
        ("page=about", ("About", "b"), False),
        ("page=about", ("Marrowfen", "b"), False),  # where all pages have one title
        ("page=about", UNKNOWN, False),
        ("id=7&utm_source=x", UNKNOWN, False),
        ("id=7", ("Marrowfen", "a"), True),
        ("utm_source=x&sort=date", UNKNOWN, True),
        ("", UNKNOWN, True),
        ("sort=date", ("Marrowfen", "b"), True),
        ("sort=date", ("Old ones first", "b"), False),
        ("colour=red", ("Marrowfen", "b"), True),
        ("colour=red", ("Red ones", "b"), False),
        ("colour=red", UNKNOWN, False),
    ],
)
def test_a_query_repeats_the_page_without_it_or_leads_to_one_of_its_own(query, called, same):
    path = f"/show?{query}"
    expected = {path: ("query", "/show")} if same else {}
    assert variants({"/show": ("Marrowfen", "a"), path: called}) == expected
