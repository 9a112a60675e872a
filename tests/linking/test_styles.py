"""What style sheets load."""

import pytest

from jovial_atlas.linking.reading import links_of
from jovial_atlas.linking.styles import loaded_by_style

LOC = "https://x.example/a/b.html"


@pytest.mark.parametrize(
    ("css", "loads"),
    [
        ("a { background: url(x.png) }", [("picture", "x.png")]),
        ("a { background: URL( 'x y.png' ), url(\"q(1).svg\") }", [("picture", "x y.png"), ("picture", "q(1).svg")]),
        (r"a { background: url(x\20 y\).png) }", [("picture", "x y).png")]),
        (r"a { background: url(x\d800 .png) }", [("picture", "x\ufffd.png")]),
        ('@import "a.css"; @import url(b.css) screen; @IMPORT url("c") print;',
         [("style", "a.css"), ("style", "b.css"), ("style", "c")]),
        ("@font-face { src: url(f.eot?#iefix) format('x'), url(f.woff2) }",
         [("file", "f.eot?#iefix"), ("file", "f.woff2")]),
        ("a { filter: url(#blur); b: url(data:image/png;base64,AA==); c: url(); d: url(about:blank) }", []),
        ("/* url(no.png) */ a { content: 'url(no.png)' } /* never closed url(no.png)", []),
        ('@charset "utf-8"; @namespace svg url(http://www.w3.org/2000/svg); a { b: url(yes.gif) }',
         [("picture", "yes.gif")]),
        ("a { b: url(broken", []),
        ("a { b: url(http://[x/y.css) }", [("picture", "http://[x/y.css")]),
    ],
)  # fmt: skip
def test_what_a_style_sheet_loads(css, loads):
    assert list(loaded_by_style(css)) == loads


def test_styles_within_a_page():
    html = (
        "<!doctype html><html><head><title>B</title><style>body { background: url(body.png) }</style></head>"
        "<body><main><p style=\"background: URL('p.png')\">One</p></main>"
        "<footer><div style='background:url(/f.png)'>F</div></footer></body></html>"
    )
    found = [(row.kind, row.place, row.target) for row in links_of(html.encode(), LOC) if row.kind != "id"]
    assert found == [
        ("picture", "head", "https://x.example/a/body.png"),
        ("picture", "content", "https://x.example/a/p.png"),
        ("picture", "footer", "https://x.example/f.png"),
    ]
