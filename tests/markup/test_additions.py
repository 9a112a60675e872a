"""What is added to a page beside its head data: where it stands, and that it comes out again."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas.markup import MARK, Additions, ChangedError, inject, restore
from jovial_atlas.markup.additions import put_in, take_out
from jovial_atlas.rounds.publishing.inject import proposed_alt
from tests.conftest import page, run_command, write_site
from tests.markup.test_inject import PIECES, TAGS

ALL = Additions(
    {name: f"<i>{name}</i>" for name in ("head_start", "head_end", "body_start", "body_end")},
    lambda href: "shop" in href,
    lambda given: f"say “{given.get('src', '')}”",
)
MORE = [
    b"<a href=/shop>", b"<a rel=noopener href='/shop'>", b'<A REL="me" HREF="/shop?x">', b"<a rel='' href=shop>",
    b"<a rel href=shop>", b"<a href=/else>", b'<a href=/shop rel="NoFollow">', b"<img src=a>", b'<img src="b" alt="">',
    b"<IMG alt=c src=c>", b"<!-- <a href=shop><img src=d> -->", b"<script>'<img src=e>'</script>", b"</body>",
    b"</html>", b"<body class='a>b'>", b"<img src='a\"b'>", b"<textarea><img src=f></textarea>",
]  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(st.lists(st.sampled_from(PIECES + MORE), max_size=14).map(b"".join) | st.binary(max_size=60))
def test_what_is_added_comes_out_again_octet_for_octet(data):
    if take_out(data) == data:
        assert take_out(put_in(data, ALL)) == data
    try:
        once = inject(data, TAGS, also=ALL)
    except ChangedError:
        assert MARK in data or take_out(data) != data
        return
    if once is not None:
        assert inject(once, TAGS, also=ALL) == once
        assert restore(once) == data


@pytest.mark.parametrize(
    ("tag", "rel"),
    [
        ("<a href=/shop>", "nofollow"),
        ("<a class='a>b' rel=noopener href='/shop'>", "noopener nofollow"),
        ('<A REL="me" HREF="/shop">', "me nofollow"),
        ("<a rel='' href=/shop>", " nofollow"),
        ("<a href=/shop rel=NOFOLLOW>", "NOFOLLOW"),
        ("<a href=/else rel=me>", "me"),
        ("<a href=/else>", None),
        ("<a name=shop>", None),
    ],
)
def test_links_that_match_get_the_word_once(tag, rel):
    new = put_in(f"<body>{tag}x</a>".encode(), ALL)
    assert LexborHTMLParser(new).css_first("a").attributes.get("rel") == rel


def test_snippets_stand_where_they_are_asked_for():
    data = b"<!doctype html><html><head><title>T</title></head><body><p>x</p></body></html>"
    plain = Additions({name: f"<i>{name}</i>" for name in ("head_end", "body_start", "body_end")})
    new = put_in(data, plain)
    for before, after in ((b"<i>head_end</i>", b"</head>"), (b"<i>body_end</i>", b"</body>")):
        assert new[new.index(before) :].partition(b"-->")[2].startswith(after)
    assert new[new.index(b"<body>") :].startswith(b"<body><!-- snippet")
    assert "☃".encode() in put_in(data, Additions({"head_start": "☃"}))
    assert b"&#9731;" in put_in(data, Additions({"head_start": "☃"}), "latin-1")
    assert put_in(b"just text", Additions({"body_end": "x"})) == b"just text"


@pytest.mark.parametrize(
    ("title", "src", "text"),
    [
        ("A  heron", "/x.jpg", "A heron"),
        ("", "/pictures/grey-heron_02.jpg?v=1", "Grey heron"),
        ("", "/IMG_20261123.jpg", "IMG"),
        ("", "/0001.jpg", ""),
        ("", "", ""),
        ("", "/caf%C3%A9-table.png", "Café table"),
    ],
)
def test_texts_of_pictures_are_proposed_from_title_or_file_name(title, src, text):
    assert proposed_alt(title, src) == text


def test_a_site_asks_for_additions_and_sees_each_text_proposed(tmp_path):
    body = '<p><a href="b.html">B</a> <a href="https://shop.example/x">S</a><img src="/grey-heron.jpg">'
    write_site(
        tmp_path, {"a.html": page("A", body, "<meta name=generator content=Press>")},
        '[inject]\ndrop_generator = true\nhead_end = "count.html"\nalts = true\n'
        'nofollow = ["/b.html", "https://*.example/**"]\n',
    )  # fmt: skip
    place = tmp_path / "public/a.html"
    before = place.read_bytes()
    run_command("survey", cwd=tmp_path)
    ran = run_command("inject", cwd=tmp_path)
    assert (ran.code, "neither HTML nor a file" in ran.err) == (2, True)
    assert place.read_bytes() == before
    (tmp_path / "count.html").write_text("<script>1</script>\n")
    ran = run_command("inject", cwd=tmp_path)
    assert "proposed alt text, /grey-heron.jpg: Grey heron" in ran.err
    tree = LexborHTMLParser(place.read_bytes())
    assert [node.attributes["rel"] for node in tree.css("a")] == ["nofollow", "nofollow"]
    assert tree.css_first("img").attributes["alt"] == "Grey heron"
    assert not tree.css("meta[name=generator]")
    assert "<script>1</script>" in tree.head.html
    run_command("inject", "--remove", cwd=tmp_path)
    assert place.read_bytes() == before
