"""Structured data of the sample site by the installed command: complete, connected, proven by others."""

import json

import extruct
import pytest
from PIL import Image
from pyld import jsonld
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas.demo.round import add_engines, servers
from jovial_atlas.structured.read import read_json_ld
from tests.conftest import URL, page, run_command, write_site

DATA = {
    "Event": "/events/bat-evening/", "Recipe": "/cafe/apple-crumble/", "Product": "/shop/heron-mug/",
    "JobPosting": "/volunteer/reed-cutter/", "FAQPage": "/questions/", "CafeOrCoffeeShop": "/places/cafe/",
    "TouristAttraction": "/places/visitor-barn/", "Article": "/field-notes/a-year-of-frogs/",
    "VideoObject": "/hides/heron-fishing/",
}  # fmt: skip


@pytest.fixture(scope="module")
def fen(_built_marrowfen, tmp_path_factory):
    import shutil

    folder = shutil.copytree(_built_marrowfen, tmp_path_factory.mktemp("data") / "fen")
    with servers(folder) as running:
        add_engines(folder, running)
        for command in ("survey", "build", "inject"):
            assert run_command(command, cwd=folder).code == 0
    return folder


def graphs(folder):
    for place in sorted((folder / ".jovial-atlas/head").glob("*.jsonl")):
        for line in place.read_text().splitlines():
            head = json.loads(line)
            if head["json_ld"]:
                yield head["loc"].removeprefix(URL), head["json_ld"]


def test_the_sample_s_pages_come_out_with_no_error(fen):
    found = run_command("schema", "check", "--format", "json", cwd=fen).json["findings"]
    wrong = [one for one in found if one["severity"] in ("error", "warning")]
    assert [(one["code"], one["where"]) for one in wrong] == [
        ("json-ld-broken", "events/reed-cutting-day/index.html")
    ], "which is the mistake that the sample carries on purpose"
    types = {
        one["type"]: one
        for one in run_command("schema", "table", "--format", "json", cwd=fen).json["types"]
    }
    assert set(types) >= set(DATA)
    assert {one["not_published"] for one in types.values()} == {0}
    assert types["FAQPage"]["complete"] == 1


def test_every_published_graph_is_connected_and_expands_without_loss(fen):
    def loader(url, _options):
        assert url.rstrip("/") == "https://schema.org", "nothing else is asked for"
        return {
            "contextUrl": None,
            "documentUrl": url,
            "document": {"@context": {"@vocab": "https://schema.org/"}},
        }

    kinds, count = set(), 0
    for loc, graph in graphs(fen):
        nodes = graph["@graph"]
        kinds |= {node["@type"] for node in nodes}
        identities = [node["@id"] for node in nodes]
        assert len(set(identities)) == len(identities), loc
        assert _reached(nodes) == set(identities), loc
        expanded = jsonld.expand(graph, {"documentLoader": loader})
        assert _counted(expanded) == _counted(nodes), loc
        count += 1
    assert (count > 60, kinds >= set(DATA)) == (True, True)


def _reached(nodes):
    """The nodes that are connected with the first, in either direction."""
    links = {node["@id"]: _references(node) & {one["@id"] for one in nodes} for node in nodes}
    seen, row = set(), [nodes[0]["@id"]]
    while row:
        name = row.pop()
        if name not in seen:
            seen.add(name)
            row += links[name] | {other for other, to in links.items() if name in to}
    return seen


def _references(value):
    if isinstance(value, dict):
        own = {value["@id"]} if set(value) == {"@id"} else set()
        return own.union(*(_references(one) for one in value.values()))
    return set().union(*(_references(one) for one in value)) if isinstance(value, list) else set()


def _counted(value):
    """How many properties there are, however deep."""
    if isinstance(value, dict):
        return sum(not key.startswith("@") for key in value) + sum(map(_counted, value.values()))
    return sum(map(_counted, value)) if isinstance(value, list) else 0


def test_others_read_back_from_the_pages_what_was_put_in(fen):
    for kind, path in DATA.items():
        html = (fen / f"public{path}index.html").read_text("utf-8", "replace")
        (block,) = extruct.extract(html, base_url=URL + path, syntaxes=["json-ld"])["json-ld"]
        wanted = dict(graphs(fen))[path]
        assert block == wanted, path
        assert kind in {node["@type"] for node in block["@graph"]}


def test_the_graph_of_a_page_is_shown_with_where_values_come_from(fen):
    shown = run_command("schema", "show", DATA["Event"], "--format", "json", cwd=fen).json
    event = next(node for node in shown["graph"] if node["@type"] == "Event")
    assert event["offers"]["price"] == "6.00"
    assert event["offers"]["priceCurrency"] == "GBP"
    where = shown["from"][event["@id"]]
    assert (where["startDate"], where["name"]) == ("field extra.starts", "field heading")
    tree = run_command("schema", "show", DATA["Event"], cwd=fen).out
    assert "startDate" in tree
    assert "(field extra.starts)" in tree
    assert "├─ price 6.00" in tree or "└─ price 6.00" in tree
    for name in ("g.png", "g.svg"):
        assert run_command("schema", "show", DATA["Event"], "--to", name, cwd=fen).code == 0
    assert Image.open(fen / "g.png").width > 900
    assert b"<svg" in (fen / "g.svg").read_bytes()
    assert run_command("schema", "show", "/none/", cwd=fen).code == 2
    assert run_command("schema", "show", "/", "--to", "g.gif", cwd=fen).code == 2


def test_spellings_of_the_organisation_are_told_and_the_sheet_says_what_to_paste(fen):
    found = run_command("schema", "organisation", "--format", "json", cwd=fen).json["spellings"]
    said = {(one["field"], one["said"], one["official"]) for one in found}
    assert {("telephone", "+44 1632 960018", True), ("telephone", "01632 960 018", False)} <= said
    (barn,) = [
        one for one in run_command("schema", "sheet", "--format", "json", cwd=fen).json["sheet"]
        if one["name"] == "Visitor barn"
    ]  # fmt: skip
    lines = [(one["field"], one["text"]) for one in barn["lines"]]
    assert ("Opening hours", "2026-11-01 to 2027-03-31: every day, 09:00 to 16:00") in lines
    assert ("Telephone", "+44 1632 960018") in lines


SECTION = '[[section]]\nname = "e"\nmatch = "/e/**"\nschema = "Event"\n'
BODY = "<p>Bat evening, 9 December 2026, Visitor barn, Sedge Lane.</p>"


@pytest.mark.parametrize(
    ("head", "data", "kinds", "codes"),
    [
        # Filled from the page and the mapping.
        ("", 'data = { startDate = "2026-12-09", location = { type = "Place", address = "Sedge Lane" } }',
         ["Event"], []),
        # Incomplete: it is not published.
        ("", 'data = { startDate = "2026-12-09" }', [], ["data-required"]),
        # The page's own JSON-LD fills the gaps, and does not stand there twice.
        ({"@type": "Event", "name": "Other", "location": {"@type": "Place", "address": "Sedge Lane"}},
         'data = { startDate = "2026-12-09" }', ["Event"], []),
        # What the page says and does not show.
        ("", 'data = { startDate = "2026-12-10", location = { type = "Place", address = "Sedge Lane" } }',
         ["Event"], ["data-disagrees"]),
        # Of another vocabulary: nothing is made of it.
        ({"@context": "https://other.example", "@type": "Event"}, 'data = { startDate = "2026-12-09", '
         'location = { type = "Place", address = "Sedge Lane" } }', ["Event"], ["data-context"]),
        # Another type of the page stays beside it.
        ({"@type": "Recipe", "name": "Soup", "image": f"{URL}/a.jpg"}, "", ["Recipe"],
         ["data-disagrees", "data-required"]),
    ],
)  # fmt: skip
def test_what_a_page_says_is_merged_validated_and_compared(tmp_path, head, data, kinds, codes):
    block = (
        f'<script type="application/ld+json">{json.dumps({"@context": "https://schema.org"} | head)}</script>'
        if head
        else ""
    )
    write_site(tmp_path, {"e/a.html": page("Bat evening", BODY, block)}, SECTION + data)
    run_command("survey", cwd=tmp_path)
    found = run_command("schema", "check", "--format", "json", cwd=tmp_path).json["findings"]
    assert sorted({one["code"] for one in found} - {"data-recommended"}) == codes
    run_command("inject", cwd=tmp_path)
    tree = LexborHTMLParser((tmp_path / "public/e/a.html").read_bytes())
    nodes = [
        node
        for script in tree.css('script[type="application/ld+json"]')
        for node in read_json_ld(script.text())[0]
    ]
    frame = {"Organization", "WebSite", "WebPage", "BreadcrumbList"}
    assert [node["@type"] for node in nodes if node["@type"] not in frame] == kinds
    if kinds == ["Event"]:
        (event,) = [node for node in nodes if node["@type"] == "Event"]
        assert (event["name"], event["location"]["address"]) == ("Bat evening", "Sedge Lane")


def test_a_page_that_speaks_in_microdata_is_not_doubled(tmp_path):
    marked = (
        '<div itemscope itemtype="https://schema.org/Event"><h2 itemprop="name">Bat evening</h2>'
        '<meta itemprop="startDate" content="2026-12-09"></div>'
    )
    write_site(tmp_path, {"e/a.html": page("Bat evening", BODY + marked)}, SECTION)
    run_command("survey", cwd=tmp_path)
    shown = run_command("schema", "show", "/e/a.html", "--format", "json", cwd=tmp_path).json
    assert "Event" not in {node["@type"] for node in shown["graph"]}
    assert shown["beside"][0]["syntax"] == "microdata"
    found = run_command("schema", "check", "--format", "json", cwd=tmp_path).json["findings"]
    assert [one["where"] for one in found if one["code"] == "data-required"] == [
        f"{URL}/e/a.html (microdata)"
    ]


def test_foreign_pages_are_checked_wherever_they_are(tmp_path, atlas):
    bad = '<div vocab="https://schema.org/" typeof="Evnt"><p property="name">x</p></div>'
    (tmp_path / "a.html").write_text(page(body=bad))
    (tmp_path / "b.jsonld").write_text(
        '{"@context":"https://schema.org","@type":"Event","name":"x"}'
    )
    (tmp_path / "c.html").write_text(page(head='<script type="application/ld+json">{</script>'))
    for target, code, wanted in (("a.html", 1, "data-type"), ("b.jsonld", 1, "data-required"),
                                 ("c.html", 1, "data-syntax"), (".", 1, "data-type")):  # fmt: skip
        ran = atlas("schema", "check", target, "--format", "json")
        assert (ran.code, wanted in {one["code"] for one in ran.json["findings"]}) == (code, True)
    assert atlas("schema", "check", "none.html").code == 2


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ('[[section]]\nname = "e"\nmatch = "/e/**"\nschema = "Evnt"', "did you mean Event"),
        (
            '[[section]]\nname = "e"\nmatch = "/e/**"\nschema = "Event"\ndata = { nme = "x" }',
            "Did you mean name",
        ),
        ('[[section]]\nname = "e"\nmatch = "/e/**"\ndata = { name = "x" }', "belongs to a type"),
        ('[[place]]\nname = "x"\nhours = ["9 to 5"]', "no opening time"),
        ('[[place]]\nname = "x"\naddress = { country = "England" }', "ISO 3166"),
        ('[structured]\ncurrency = "pounds"', "ISO 4217"),
        ('[structured]\nfeatures = { Event = { required = "name" } }', "is a list"),
    ],
)
def test_what_cannot_be_right_in_the_site_file_is_told(tmp_path, atlas, more, words):
    write_site(tmp_path, {"a.html": page()}, more)
    ran = atlas("survey")
    assert (ran.code, words in ran.err) == (2, True), ran.err


def test_a_page_is_checked_at_its_address(fen):
    with servers(fen) as running:
        address = f"http://{running.site}{DATA['Product']}"
        ran = run_command("schema", "check", address, "--format", "json", cwd=fen)
        assert (ran.code, {one["where"] for one in ran.json["findings"]}) == (0, {address})
        gone = run_command("schema", "check", f"http://{running.site}/none/", cwd=fen)
    assert (gone.code, "answers with status 404" in gone.err) == (2, True)


def test_the_table_counts_what_is_missing(tmp_path, atlas):
    write_site(tmp_path, {"e/a.html": page("A", BODY), "e/b.html": page("B", BODY)},
               SECTION + 'data = { startDate = "2026-12-09", location = { type = "Place", address = "Sedge Lane" } }')  # fmt: skip
    atlas("survey")
    types = {one["type"]: one for one in atlas("schema", "table", "--format", "json").json["types"]}
    event = types["Event"]
    assert (event["pages"], event["complete"], event["missing"]["offers"]) == (2, 0, 2)
    rows = atlas("schema", "table", "--format", "csv").out.splitlines()
    assert rows[0] == "type,pages,complete,not_published,missing"
    assert "Event" in atlas("schema", "table").out


def test_all_is_published_where_the_owner_insists(tmp_path, atlas):
    more = f'{SECTION}data = {{ startDate = "2026-12-09" }}\n[structured]\npublish = "all"\nbreadcrumbs = false\n'
    write_site(tmp_path, {"e/a.html": page("Bat evening", BODY)}, more)
    atlas("survey")
    shown = atlas("schema", "show", "/e/a.html", "--format", "json").json
    kinds = [node["@type"] for node in shown["graph"]]
    assert kinds == ["Organization", "WebSite", "WebPage", "Event"]
    assert ("data-required", 3) in {(one["code"], one["node"]) for one in shown["issues"]}
    found = atlas("schema", "check", "--format", "json").json["findings"]
    (told,) = [one for one in found if one["code"] == "data-required"]
    assert "It is not published" not in told["message"]


def test_fields_are_found_by_selector_and_stay_when_the_page_does(tmp_path, atlas):
    body = '<p class="price">8,00 £</p><ol class="do"><li>One</li><li>Two</li></ol><time class="at" datetime="2026-12-09">'
    place = write_site(tmp_path, {"e/a.html": page("A", body), "e/b.html": page("B")}, "")
    fields = 'fields = { price = ".price", steps = ".do li", starts = "time.at@datetime", none = "p[", absent = ".x" }'
    place.write_text(place.read_text().replace('path = "public"', f'path = "public"\n{fields}'))
    for _ in range(2):  # read, and then as it was
        assert atlas("survey").code == 0
        extra = atlas("explain", "/e/a.html", "--format", "json").json["extra"]
        assert {k: v for k, v in extra.items() if v} == {
            "price": "8,00 £", "steps": "One\nTwo", "starts": "2026-12-09",
        }  # fmt: skip
    assert [one["loc"].removeprefix(URL) for one in atlas(
        "pages", "--where", "extra.price is not null", "--format", "json").json] == ["/e/a.html"]  # fmt: skip
