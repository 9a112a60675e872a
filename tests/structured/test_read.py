"""Structured data of foreign pages: JSON-LD, microdata and RDFa come out alike, and nothing breaks."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas.structured.read import read_json_ld, read_page

MUG = {"@type": "Product", "name": "Mug", "image": "https://x.example/m.jpg", "sku": "1",
       "brand": {"@type": "Brand", "name": "Fen"},
       "offers": [{"@type": "Offer", "price": "9.00"}, {"@type": "Offer", "price": "8.00"}]}  # fmt: skip
JSON_LD = f'<script type="Application/LD+json">{json.dumps({"@context": "https://schema.org"} | MUG)}</script>'
MICRODATA = """<div itemscope itemtype="http://schema.org/Product" itemref="far none">
<p itemprop="name"> Mug </p><img itemprop=image src="/m.jpg"><meta itemprop=sku content=1>
<div itemprop="brand" itemscope itemtype="https://schema.org/Brand"><i itemprop="name">Fen</i></div>
<div itemprop="offers" itemscope itemtype="https://schema.org/Offer"><data itemprop=price value=9.00>nine</data></div>
</div><div id=far><b itemprop="offers" itemscope itemtype="https://schema.org/Offer"><i itemprop=price>8.00</i></b></div>
<div itemscope itemtype="https://other.example/Thing"><i itemprop=name>x</i></div>"""
RDFA = """<div vocab="https://schema.org/" typeof="Product"><p property="name">Mug</p>
<img property="image" src="/m.jpg"><meta property="sku" content="1">
<div property="brand" typeof="Brand"><i property="name">Fen</i></div>
<div property="offers" typeof="Offer"><i property="price" content="9.00">nine</i></div>
<div property="offers" typeof="schema:Offer"><i property="schema:price">8.00</i></div></div>
<div typeof="foaf:Person"><i property="foaf:name">x</i></div>"""


def read(html):
    found, faults = read_page(
        LexborHTMLParser(f"<html><body>{html}</body></html>"),
        lambda one: f"https://x.example{one}" if one.startswith("/") else one,
    )
    return found, [fault.code for fault in faults]


@pytest.mark.parametrize(
    ("html", "syntax"), [(JSON_LD, "json-ld"), (MICRODATA, "microdata"), (RDFA, "rdfa")]
)
def test_three_syntaxes_say_the_same(html, syntax):
    (one,), faults = read(html)
    assert (one.syntax, one.node, faults) == (syntax, MUG, [])


@pytest.mark.parametrize(
    ("text", "nodes", "faults"),
    [
        ('{"@context":"http://schema.org/","@type":"Event"}', [{"@type": "Event"}], []),
        ('{"@context":{"s":"https://schema.org/"},"@type":"s:Event","s:name":"x"}',
         [{"@type": "Event", "name": "x"}], []),
        ('{"@context":{"@vocab":"https://schema.org/"},"@graph":[{"@type":["Event","Thing"]},3]}',
         [{"@type": ["Event", "Thing"]}], ["data-syntax"]),
        ('[{"@context":"https://schema.org","@type":"Event"},7]', [{"@type": "Event"}], ["data-syntax"]),
        ('{"@context":"https://schema.org","@type":"https://schema.org/Event",'
         '"http://schema.org/location":{"@type":"schema.org/Place"}}',
         [{"@type": "Event", "location": {"@type": "schema.org/Place"}}], []),
        ('{"@type":"Event"}', [{"@type": "Event"}], ["data-context"]),
        ('{"@context":"https://other.example","@type":"Event"}', [], ["data-context"]),
        ("{nothing", [], ["data-syntax"]),
        ("3", [], ["data-syntax"]),
    ],
)  # fmt: skip
def test_documents_of_json_ld_are_read_or_told(text, nodes, faults):
    found, wrong = read_json_ld(text)
    assert (found, [one.code for one in wrong]) == (nodes, faults)


@pytest.mark.parametrize(
    ("html", "value"),
    [
        ('<a itemprop=x href="/a">t</a>', "https://x.example/a"),
        ('<time itemprop=x datetime="2026-11-23">now</time>', "2026-11-23"),
        ("<time itemprop=x>2026</time>", "2026"),
        ('<object itemprop=x data="/o"></object>', "https://x.example/o"),
        ("<meter itemprop=x value=3></meter>", "3"),
        ('<span itemprop=x content="said">shown</span>', "said"),
        ("<p itemprop=x>one\n  two</p>", "one two"),
        ("<p itemprop='x y'>both</p>", "both"),
    ],
)
def test_elements_give_the_values_of_the_standard(html, value):
    (one,), _ = read(f'<div itemscope itemtype="https://schema.org/Thing">{html}</div>')
    assert one.node["x"] == value


PIECES = [MICRODATA, RDFA, JSON_LD, "<div itemscope>", "<p itemprop=name>", "</div>", "<div typeof=''>", "<div itemref=a id=a itemscope itemtype=https://schema.org/A>", '<script type="application/ld+json">[[{}]]</script>']  # fmt: skip


@settings(max_examples=150, deadline=None)
@given(st.lists(st.sampled_from(PIECES), max_size=8))
def test_whatever_stands_in_a_page_is_read_or_passed_over(pieces):
    found, _ = read("".join(pieces))
    assert all(isinstance(one.node, dict) for one in found)


HOME = "https://schema.org"


@pytest.mark.parametrize(
    ("said", "node"),
    [
        ({"@context": {"@vocab": f"{HOME}/", "@language": "en"}, "@type": "Event", "name": "x"},
         {"@type": "Event", "name": "x"}),
        ({"@context": {"s": f"{HOME}/", "n": "s:name", "Ev": "s:Event", "id": "@id", "type": "@type"},
          "type": "Ev", "id": "#a", "n": "x", "other": "y"}, {"@type": "Event", "@id": "#a", "name": "x"}),
        ({"@context": [HOME, {"name": "http://xmlns.com/foaf/0.1/name"}], "@type": "Person", "name": "x",
          "schema:email": "a@b"}, {"@type": "Person", "email": "a@b"}),
        ({"@context": HOME, "type": "Event", "id": "/e", "name": {"@value": "Walk", "@language": "en"}},
         {"@type": "Event", "@id": "/e", "name": "Walk"}),
        ({"@context": [HOME, {"name": {"@id": "schema:name", "@container": "@language"}}], "@type": "Event",
          "name": {"en": "Walk", "de": ["Gang", "Tour"]}}, {"@type": "Event", "name": ["Walk", "Gang", "Tour"]}),
        ({"@context": HOME, "@type": "ItemList", "itemListElement": {"@list": [{"@type": "ListItem"}]}},
         {"@type": "ItemList", "itemListElement": [{"@type": "ListItem"}]}),
        ({"@context": {"@vocab": f"{HOME}/", "a": {"@id": "author", "@type": "@id"}}, "@type": "Article",
          "a": "https://x.example/b"}, {"@type": "Article", "author": "https://x.example/b"}),
        ({"@context": HOME, "@type": "Person", "knows": {"@context": None, "@type": "Person", "name": "x"}},
         {"@type": "Person", "knows": {}}),
    ],
)  # fmt: skip
def test_contexts_mean_what_json_ld_says(said, node):
    nodes, faults = read_json_ld(json.dumps(said))
    assert (nodes, faults) == ([node], [])


def test_an_id_that_is_no_text_is_a_fault_and_not_used():
    nodes, faults = read_json_ld(json.dumps({"@context": HOME, "@id": 5, "@type": "Event"}))
    assert (nodes, [one.code for one in faults]) == ([{"@type": "Event"}], ["data-syntax"])


@pytest.mark.parametrize(
    ("html", "node"),
    [
        ('<div itemscope itemtype="https://schema.org/Person"><a itemprop=url href="/p#x">x</a>'
         '<img itemprop=image src="/i.png"></div>',
         {"@type": "Person", "url": "https://x.example/p#x", "image": "https://x.example/i.png"}),
        ('<div prefix="s: https://schema.org/" typeof="s:Person"><a property="s:url" href="/p">x</a>'
         '<i property="other:name">y</i></div>', {"@type": "Person", "url": "https://x.example/p"}),
    ],
)  # fmt: skip
def test_addresses_in_markup_are_relative_to_the_page(html, node):
    (one,), faults = read(html)
    assert (one.node, faults) == (node, [])
