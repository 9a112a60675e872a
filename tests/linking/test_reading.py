"""What a page leads to, and what becomes of those who follow."""

import polars as pl
import pytest

from jovial_atlas.linking.broken import broken_links
from jovial_atlas.linking.reading import links_of
from jovial_atlas.linking.states import LinkSurroundings, link_states, target_states

LOC = "https://x.example/a/b.html"
PAGE = """<!doctype html><html><head><title>B</title>
<link rel="stylesheet" href="/s.css"><link rel="icon" href="i.png"><script src="x.js"></script>
<link rel="alternate" hreflang="de" href="/de/"><link rel="next" href="c.html"></head><body>
<header><a href="/"><img src="/logo.svg" alt="Home"></a><nav class="top"><a href="/n/">News</a></nav></header>
<nav class="breadcrumbs"><a href="/a/">A</a></nav>
<main><h1>B</h1><p>See <a href="c.html#part%20two">the <b>other</b>
page</a>, <a rel="ugc nofollow" href="https://out.example/">out</a>, <a href="#up">up</a>,
<a href="mailto:x@x.example">mail</a>, <a href="">none</a>, <a name="anchor"></a>.</p>
<img srcset="one.png 1x, two,2.png 2x" src="zero.png"><picture><source srcset="p.webp"></picture>
<video src="f.mp4" poster="f.jpg"><track src="f.vtt"></video><iframe src="/frame/"></iframe>
<p id="up">Up</p><p id="a%3Cb">B</p></main>
<aside><a href="/side/" title="Aside"></a></aside>
<footer><div class="menu"><a href="/f/">Foot</a></div></footer><div><a href="/x/">X</a></div>
</body></html>"""


def rows(html=PAGE, served=None):
    return list(links_of(html.encode(), LOC, served))


def test_links_have_their_texts_and_places():
    links = [(row.target, row.place, row.text, row.fragment, row.nofollow) for row in rows()
             if row.kind == "link"]  # fmt: skip
    x = "https://x.example"
    assert links == [
        (f"{x}/", "header", "Home", None, False),
        (f"{x}/n/", "menu", "News", None, False),
        (f"{x}/a/", "trail", "A", None, False),
        (f"{x}/a/c.html", "content", "the other page", "part two", False),
        ("https://out.example/", "content", "out", None, True),
        (LOC, "content", "up", "up", False),
        (f"{x}/side/", "beside", "Aside", None, False),
        (f"{x}/f/", "footer", "Foot", None, False),
        (f"{x}/x/", "layout", "X", None, False),
        (f"{x}/a/c.html", "head", None, None, False),
    ]


def test_what_is_loaded_and_named():
    found = rows()
    loaded = {(r.kind, r.place, r.target.removeprefix("https://x.example")) for r in found
              if r.kind not in ("link", "id")}  # fmt: skip
    assert loaded == {
        ("style", "head", "/s.css"), ("picture", "head", "/a/i.png"), ("script", "head", "/a/x.js"),
        ("picture", "header", "/logo.svg"), ("picture", "content", "/a/zero.png"),
        ("picture", "content", "/a/one.png"), ("picture", "content", "/a/two,2.png"),
        ("picture", "content", "/a/p.webp"), ("film", "content", "/a/f.mp4"),
        ("picture", "content", "/a/f.jpg"), ("film", "content", "/a/f.vtt"),
        ("frame", "content", "/frame/"),
    }  # fmt: skip
    assert {r.fragment for r in found if r.kind == "id"} == {"anchor", "up", "a%3Cb", "a<b"}


@pytest.mark.parametrize(
    ("head", "served", "target"),
    [
        ('<base href="/z/">', None, "https://x.example/z/c.html"),
        ('<base href="http://127.0.0.1:1/q/">', ("http://127.0.0.1:1", "https://x.example"),
         "https://x.example/q/c.html"),
        ('<base href="::">', None, "https://x.example/a/c.html"),
    ],
)  # fmt: skip
def test_references_begin_where_the_page_says(head, served, target):
    (row,) = rows(f"<head>{head}</head><p><a href=c.html>C</a>", served)
    assert row.target == target


X = "https://x.example"
PAGES = pl.DataFrame(
    {
        "loc": [f"{X}/", f"{X}/a/", f"{X}/old/", f"{X}/older/", f"{X}/loop/", f"{X}/no/",
                f"{X}/barred/", f"{X}/copy/", f"{X}/err/", f"{X}/sent/"],
        "status": [200] * 8 + [410, 200],
        "redirect": [None, None, f"{X}/a/", f"{X}/old/", f"{X}/loop/", None, None, None, None, None],
        "send_to": [None] * 9 + ["https://out.example/"],
        "canonical": [None] * 7 + [f"{X}/a/", None, None],
        "index": [True] * 5 + [False] + [True] * 4,
        "decided_by": ["default"] * 6 + ["robots.txt"] + ["default"] * 3,
        "kind": ["page"] * 10,
    },
    schema_overrides={"status": pl.Int16},
).lazy()  # fmt: skip


@pytest.mark.parametrize(
    ("target", "state", "final"),
    [
        (f"{X}/", "good", None),
        (f"{X}/there.pdf", "good", None),
        (f"{X}/gone/", "missing", None),
        (f"{X}/err/", "missing", None),
        (f"{X}/old/", "redirects", f"{X}/a/"),
        (f"{X}/older/", "redirects", f"{X}/a/"),
        (f"{X}/loop/", "redirects", None),
        (f"{X}/sent/", "redirects", "https://out.example/"),
        (f"{X}/no/", "noindex", None),
        (f"{X}/barred/", "barred", None),
        (f"{X}/copy/", "canonical", None),
        (f"{X}/a", "spelling", None),
        (f"{X}/a/index.html", "spelling", None),
        (f"{X}/a/index.php", "spelling", None),
        (f"{X}/a?q=1", "missing", None),
        ("http://x.example/a/", "insecure", None),
        ("http://x.example/there.pdf", "insecure", None),
        ("http://x.example/gone/", "missing", None),
        ("https://stage.example/a/", "temporary", None),
        ("http://localhost:8000/", "temporary", None),
        ("http://192.168.0.4/", "temporary", None),
        ("https://out.example/", "outside", None),
    ],
)
def test_states_of_targets(target, state, final):
    around = LinkSurroundings(PAGES, f"{X}/there.pdf".__eq__, [X], ["stage.example"])
    (row,) = target_states(pl.Series([target]), around).iter_rows(named=True)
    assert (row["state"], row["final"]) == (state, final)


def test_places_without_a_name_and_what_is_loaded_in_the_clear():
    kinds = {"page": pl.String, "kind": pl.String, "place": pl.String, "target": pl.String,
             "fragment": pl.String, "written": pl.String, "text": pl.String}  # fmt: skip
    said = [("link", f"{X}/a/", "here"), ("link", f"{X}/a/", "top"), ("link", f"{X}/a/", "nowhere"),
            ("link", f"{X}/a", "nowhere"), ("link", f"{X}/a/", "!/route"), ("link", f"{X}/a/", ":~:text=x"),
            ("link", f"{X}/a/", "L12-L40"), ("link", f"{X}/a/", "7-9"), ("link", f"{X}/unread/", "any"), ("picture", "http://out.example/p.png", None),
            ("link", "http://out.example/p.png", None), ("style", f"{X}/no/", None)]  # fmt: skip
    links = pl.DataFrame(
        [(f"{X}/", kind, "content", target, name, "", "t") for kind, target, name in said],
        schema=kinds, orient="row",
    )  # fmt: skip
    more = pl.concat([PAGES, PAGES.head(1).with_columns(loc=pl.lit(f"{X}/unread/"))])
    around = LinkSurroundings(more, lambda _: False, [X])
    names = pl.DataFrame({"page": [f"{X}/a/"] * 3, "fragment": [None, "here", "L12"]})
    stated = link_states(links.lazy(), target_states(links["target"], around), names.lazy())
    assert stated.collect()["state"].to_list() == [
        "good", "good", "fragment", "fragment", "good", "good", "good", "fragment", "good", "mixed", "outside", "good",
    ]  # fmt: skip
    told = [(one.target, one.state, one.pages) for one in broken_links(stated)]
    assert told == [("http://out.example/p.png", "mixed", 1), (f"{X}/a#nowhere", "fragment", 1),
                    (f"{X}/a/#7-9", "fragment", 1), (f"{X}/a/#nowhere", "fragment", 1)]  # fmt: skip
