"""Which links may be missing, and where they could stand."""

import numpy as np
import pytest

from jovial_atlas.linking.graph import LinksOfPages, link_graph
from jovial_atlas.linking.mentions import (
    NameTree,
    blocks_of,
    name_of,
    sentence_around,
    terms_of,
)
from jovial_atlas.linking.places import place_for
from jovial_atlas.linking.proposing import LinkCorpus, candidates

PLACES = [f"https://x.example/{name}/" for name in ("a/x", "a/heron", "b/heron", "b/y", "otter")]


def names(**said):
    return {name_of(text.replace("_", " "), "en"): pages for text, pages in said.items()}


@pytest.mark.parametrize(
    ("text", "page", "found"),
    [
        ("We saw a grey heron today.", 0, [(1, "grey heron")]),
        ("Grey Herons stand here.", 0, [(1, "Grey Herons")]),
        ("A grey, tall heron stands.", 0, []),
        ("A <a href=/x>grey heron</a> stands.", 0, []),
        ("A <code>grey heron</code> stands there.", 0, []),
        ("A grey heron stands.", 3, [(2, "grey heron")]),
        ("A grey heron stands.", 2, []),
        ("A grey heron stands.", 4, []),
        ("Otters swim by night, otters do.", 3, [(4, "Otters"), (4, "otters")]),
        ("</p><h2>Grey heron</h2><p>Something else is told.", 0, []),
        ("a tall grey heron", 0, [(1, "grey heron")]),
        ("grey heron", 0, []),
    ],
)
def test_pages_are_found_by_their_names(text, page, found):
    tree = NameTree(names(grey_heron=[1, 2], otter=[4]), PLACES)
    blocks = blocks_of(f"<main><p>{text}</p></main>".encode())
    mentions = terms_of(blocks, page, "en", tree).mentions
    assert [(one.target, one.words) for one in mentions] == found


def test_the_sentence_is_the_one_around_the_words():
    (block,) = blocks_of(b"<p>First, e.g. here. Then a <a>linked</a> heron came. Last.</p>")
    assert sentence_around(block, block.index("heron"), "en") == "Then a linked heron came."
    assert sentence_around(block, 3, "en") == "First, e.g. here."


@pytest.mark.parametrize(
    ("text", "used", "good"),
    [
        ("Herons", False, True), ("Index J", False, False), ("Section 9.3", False, False),
        ("Section 9.3", True, True), ("12", True, False), ("of the", False, False),
        ("one two three four five six seven eight nine", False, False), ("", False, False),
    ],
)  # fmt: skip
def test_what_is_a_name(text, used, good):
    assert bool(name_of(text, "en", used=used)) is good


def test_a_place_is_where_most_of_the_name_is_said(tmp_path):
    page = tmp_path / "a.html"
    page.write_text("<p>We mend the boardwalk, and cut reed.</p><p>The reed is cut by a cutter.</p>")
    place = place_for("Reed cutter", page, "en")
    assert (place.words, place.sentence) == ("reed", "We mend the boardwalk, and cut reed.")
    assert place_for("Otters of the sluice", page, "en") == (None, "")
    assert place_for("Anything", tmp_path / "none.html", "en") == (None, "")


def corpus(texts, links=(), languages=None, tree=None):
    count = len(texts)
    said = [terms_of([text], n, "en", tree or NameTree({}, [])) for n, text in enumerate(texts)]
    parts = [sorted(to for a, to in links if a == n) for n in range(count)]
    graph = link_graph(count, [LinksOfPages(
        np.array([len(one) for one in parts]), np.array([to for one in parts for to in one], np.int32),
        np.ones(sum(map(len, parts)), np.bool_),
    )])  # fmt: skip
    yes = np.ones(count, np.bool_)
    spoken = np.array(languages or [0] * count)
    kinds = {name: "heading" for one in said for name in {m.name for m in one.mentions}}
    return LinkCorpus(graph, said, spoken, yes, yes, kinds)


HERON = "The heron fishes in shallow water and waits for frogs at the edge of the reed"
MUSEUM = "Our museum shows paintings of the old town and closes on rainy afternoons"


def test_what_is_alike_named_or_linked_together_is_proposed_first():
    texts = [HERON, f"{HERON} bed", MUSEUM, f"{MUSEUM} in winter", "The grey heron is told elsewhere here"]
    tree = NameTree({name_of("grey heron", "en"): [0]}, PLACES)
    found = {(one.source, one.target): one for one in candidates(corpus(texts, tree=tree))}
    assert found[0, 1].alike > 0.8
    assert (0, 2) not in found
    assert found[4, 0].mention.words == "grey heron"
    assert found[4, 0].score == max(one.score for one in found.values() if one.source == 4)
    linked = {(one.source, one.target) for one in candidates(corpus(texts, [(0, 1)]))}
    assert (0, 1) not in linked
    assert (1, 0) in linked
    other = candidates(corpus(texts, languages=[0, 1, 0, 0, 0]))
    assert (0, 1) not in {(one.source, one.target) for one in other}


def test_who_links_to_the_same_may_have_forgotten_one():
    links = [(a, to) for a in range(3) for to in (5, 6, 7)] + [(3, 5), (3, 6), (4, 8), (4, 9)]
    texts = [f"alone{n}" for n in range(10)]
    found = {(one.source, one.target): one.together for one in candidates(corpus(texts, links))}
    assert max((pair for pair in found if pair[0] == 3), key=found.get) == (3, 7)
    assert (4, 7) not in found
