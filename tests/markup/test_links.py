"""Links around words of a page: put in where they may stand, taken out octet for octet."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.markup import Additions, LinkWish, Tag, inject, put_links, restore
from jovial_atlas.words import stemmer, words_in

TAGS = [Tag("<title>New</title>", ("title",))]
STEM = stemmer("en")


def wish(text, href="/h/", per_page=1):
    names = tuple(tuple(map(STEM, words_in(one))) for one in text.split("|"))
    return LinkWish(names, href, f"https://x.example{href}", per_page)


def put(body, *wishes, most=5, encoding="utf-8"):
    data = f"<html><head><title>T</title></head><body>{body}</body></html>".encode(encoding)

    def links(some, spoken):
        return put_links(some, wishes, most, STEM, lambda href: f"https://x.example{href}", spoken)

    new = inject(data, TAGS, encoding, Additions(links=links))
    assert restore(new) == data
    return new.decode(encoding).partition("<body>")[2].partition("</body>")[0]


def link(words, href="/h/"):
    return f'<a href="{href}" data-link="added">{words}</a>'


@pytest.mark.parametrize(
    ("body", "made"),
    [
        ("<p>A grey heron.</p>", f"<p>A {link('grey heron')}.</p>"),
        ("<p>Grey\n Herons and grey herons.</p>", f"<p>{link('Grey' + chr(10) + ' Herons')} and grey herons.</p>"),
        ("<p>grey&nbsp;heron</p>", f"<p>{link('grey&nbsp;heron')}</p>"),
        ("<p>grey-heron</p>", f"<p>{link('grey-heron')}</p>"),
        ("<p>grey, heron</p>", None),
        ("<p>grey <b>heron</b></p>", None),
        ("<p>greyheron grey heronry</p>", None),
        ("<h2>Grey heron</h2><p>Grey heron</p>", f"<h2>Grey heron</h2><p>{link('Grey heron')}</p>"),
        ("<p><a href=/x/>grey heron</a></p>", None),
        ("<p><code>grey heron</code> <button>grey heron</button></p>", None),
        ("<pre>grey heron</pre><script>grey heron</script><!-- grey heron -->", None),
        ("<p>See <a href='/h/'>this</a>: a grey heron.</p>", None),
        ("<nav>grey heron</nav><footer>grey heron</footer>", None),
        ("<div class='top-nav'><div>grey heron</div></div><p>grey heron</p>",
         f"<div class='top-nav'><div>grey heron</div></div><p>{link('grey heron')}</p>"),
        ("<p>grey heron</p><main><p>A grey heron</p></main>", f"<p>grey heron</p><main><p>A {link('grey heron')}</p></main>"),
        ("<div role=main><div><p>x</p></div> grey heron</div> grey heron",
         f"<div role=main><div><p>x</p></div> {link('grey heron')}</div> grey heron"),
        ("<p title='grey heron'>&lt;grey heron&gt;</p>", f"<p title='grey heron'>&lt;{link('grey heron')}&gt;</p>"),
    ],
)  # fmt: skip
def test_links_stand_in_texts_alone(body, made):
    assert put(body, wish("grey heron")) == (made or body)


@pytest.mark.parametrize("encoding", ["utf-8", "latin-1"])
def test_letters_of_any_encoding(encoding):
    made = put("<p>Über dem Café, &Uuml;ber dem Caf&eacute;</p>", wish("café", "/c/", 2), encoding=encoding)
    assert made == f"<p>Über dem {link('Café', '/c/')}, &Uuml;ber dem {link('Caf&eacute;', '/c/')}</p>"


def test_limits_and_order():
    body = "<p>reed heron reed heron reed</p>"
    two = put(body, wish("heron"), wish("reed", "/r/", 2))
    assert two == f"<p>{link('reed', '/r/')} {link('heron')} {link('reed', '/r/')} heron reed</p>"
    assert put(body, wish("heron"), wish("reed", "/r/", 2), most=1).count("data-link") == 1
    longest = put("<p>the grey heron chick</p>", wish("grey heron|grey heron chick"))
    assert longest == f"<p>the {link('grey heron chick')}</p>"
    first = put("<p>a grey heron chick</p>", wish("heron chick", "/1/"), wish("grey heron", "/2/"))
    assert first == f"<p>a grey {link('heron chick', '/1/')}</p>"


_PIECES = st.sampled_from(["heron", " ", "<p>", "</p>", "<a href=/x>", "</a>", "&amp;", "<", ">", "<!--", "-->",
                           "<main>", "</main>", "<h1>", "</h1>", "é", "<script>", "</script>", '"', "<br/>"])  # fmt: skip


@given(st.lists(_PIECES, max_size=25))
def test_whatever_is_written_comes_back(pieces):
    put("".join(pieces), wish("heron", "/h/", 9))
