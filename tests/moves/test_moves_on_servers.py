"""Moves as the real nginx and the real Apache httpd answer them: one hop, the right status, whatever
stands in addresses."""

import http.client
from pathlib import Path

import httpx
import pytest

from jovial_atlas.moves.apache import apache_moves_folder, apache_moves_server, apache_tables
from jovial_atlas.moves.hops import hops_of, in_other_case
from jovial_atlas.moves.move import Move
from jovial_atlas.moves.nginx import nginx_moves_http, nginx_moves_server
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.sitefile.move_table import move_rows
from jovial_atlas.values import replace
from tests.real_servers import apache, nginx

URL = "https://www.marrowfen.example"
TABLE = r"""from,to,status,query
/a b/é(1).html,/new/ö b/,301,
"/q""x;}$y{/z",/t$1;&{x}?a="1&b=$2,308,
/Case,/case,301,
/CASE,/upper,302,
/keep,/kept?x=1,307,keep
/drop,/dropped,301,drop
/dropped-all,/dd?a=1,301,drop
/frag,/page#part,301,keep
/fragq,/page?a=1#part,301,keep
/page?id=5,/five,301,
/page?id=6&x=%20,/six/,308,
/gone/x,,410,
/new/index.html,/new/,301,
/c,/d,302,
/d,/e,308,
/per%25cent,/p%25,301,
/plus+sign,/plus%2Bsign,301,
/semi;colon,/semi,301,
/quote',https://other.example/q,301,
/nl%0Ax,/nl,301,
/blog/**,/notes/$1,301,
/date/#/#/*,/posts/$3?y=$1,308,
"/{x,y}/*.html",/z/$2/,302,drop
/old.php?id=#&**,/items/$1/,301,
^/ex/([a-z]+)-(\d+)$,/ex/$2/$1,307,
/dead/**,,410,
"^/odd/""(\\|x)$",/odd-$1,301,
"""
#: What is asked for, and what must be answered: the status, and where it leads.
ASKED = [
    ("/a%20b/%C3%A9(1).html", 301, "/new/%C3%B6%20b/"),
    ("/a%20b/%c3%a9%281%29.html?u=1", 301, "/new/%C3%B6%20b/?u=1"),
    ("/q%22x;%7D$y%7B/z", 308, "/t%241%3B&%7Bx%7D?a=%221&b=%242"),
    ("/Case", 301, "/case"), ("/case", 404, None), ("/CASE", 302, "/upper"),
    ("/keep", 307, "/kept?x=1"), ("/keep?y=2", 307, "/kept?x=1&y=2"),
    ("/drop?y=2", 301, "/dropped"), ("/dropped-all?y", 301, "/dd?a=1"),
    ("/frag", 301, "/page#part"), ("/frag?z=1", 301, "/page?z=1#part"),
    ("/fragq", 301, "/page?a=1#part"), ("/fragq?z=1", 301, "/page?a=1&z=1#part"),
    ("/page?id=5", 301, "/five"), ("/page?id=6&x=%20", 308, "/six/"), ("/page?id=7", 404, None),
    ("/gone/x", 410, None), ("/gone/x?y", 410, None),
    ("/new/index.html", 301, "/new/"), ("/new/index.html?a=1", 301, "/new/?a=1"), ("/new/", 200, None),
    ("/c", 302, "/e"), ("/d", 308, "/e"), ("/per%25cent", 301, "/p%25"),
    ("/plus+sign", 301, "/plus%2Bsign"), ("/semi;colon", 301, "/semi"),
    ("/quote'", 301, "https://other.example/q"), ("/nl%0Ax", 301, "/nl"),
    ("/blog/x/y.html?a=b", 301, "/notes/x/y.html?a=b"),
    ("/blog/stays.html", 200, None), ("/blog/picture.jpg", 200, None),
    ("/blog/%0d%0aSet-Cookie:%20x=1", 301, "/notes/%0d%0aSet-Cookie:%20x=1"),
    ("/blog/%C3%A9%20x", 301, "/notes/%C3%A9%20x"),
    ("/blog//evil.example", 301, "/notes//evil.example"),
    ("/date/2024/05/x%20y?z", 308, "/posts/x%20y?y=2024&z"), ("/date/2024/may/x", 404, None),
    ("/x/k.html?a=1", 302, "/z/k/"), ("/y/k%3Fl.html", 302, "/z/k%3Fl/"),
    ("/old.php?id=12&z=1", 301, "/items/12/"), ("/old.php?id=x&z", 404, None),
    ("/ex/ab-12?q=1", 307, "/ex/12/ab?q=1"), ("/dead/x/y", 410, None),
    ('/odd/"x', 301, "/odd-x"),
    ("/", 200, None), ("/none", 404, None),
]  # fmt: skip
#: More than are looked up in one table.
MANY = [
    Move(URL, f"/old/{number}-{name}/", f"{URL}/new/{number}/", status)
    for number, (name, status) in enumerate(
        zip(["heron", "reiher-%C3%BC", "Otter", "x%20y"] * 1_000, [301, 308] * 2_000, strict=True)
    )
]


@pytest.fixture(scope="module")
def place(tmp_path_factory):
    folder = tmp_path_factory.mktemp("moves")
    for name in ("index.html", "new/index.html", "blog/stays.html", "blog/picture.jpg"):
        file = folder / "public" / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text("there")
    return folder


@pytest.fixture(scope="module")
def hops():
    moves, problems = move_rows(TABLE, Path("moves.csv"), [URL])
    assert problems == []
    pages = [f"{URL}/{name}" for name in ("", "new/", "case", "blog/stays.html")]
    by = MoveMap([*moves, *MANY], pages.__contains__)
    found = hops_of(URL, by, {f"{URL}/blog/**": [f"{URL}/blog/stays.html"]})
    return replace(found, other_case=in_other_case(found.single, ["/case"]))


def answers(port, moves):
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)

    def ask(path):
        connection.putrequest("GET", path)
        connection.endheaders()
        answer = connection.getresponse()
        answer.read()
        assert "set-cookie" not in answer.headers
        to = answer.getheader("location")
        return answer.status, to and to.removeprefix(URL)

    assert [(path, *ask(path)) for path, _, _ in ASKED] == ASKED
    told = [(move.path, *ask(move.path)) for move in moves]
    assert told == [(m.path, m.status, m.to.removeprefix(URL)) for m in moves]


@pytest.mark.slow
def test_nginx_answers_every_move_in_one_hop(place, hops):
    lines, faults = nginx_moves_http(hops)
    assert faults == []
    http_lines, server = "\n".join(lines), "\n".join(nginx_moves_server(hops))
    with nginx(place, place / "public", http_lines, server) as port:
        answers(port, MANY)


@pytest.mark.slow
def test_apache_answers_every_move_in_one_hop(place, hops):
    for name, data in apache_tables(hops):
        (place / name).parent.mkdir(exist_ok=True)
        (place / name).write_bytes(data)
    body = "\n".join(apache_moves_server(hops, str(place)))
    with apache(place, place / "public", body) as port:
        answers(port, MANY)


@pytest.mark.slow
def test_an_htaccess_answers_as_the_virtual_host_does(place, hops):
    some = MANY[:100]
    wanted = {one.path for one in some}
    few = [hop for hop in hops.single if not hop.path.startswith("/old/") or hop.path in wanted]
    htaccess = place / "public/.htaccess"
    lines = apache_moves_folder(replace(hops, single=few, staying=[*hops.staying, "/blog/alive"]))
    # What the owner has behind them is still asked, for pages under patterns too.
    lines.append("RewriteRule ^blog/alive$ /new/index.html [L]")
    htaccess.write_text("\n".join(lines) + "\n")
    try:
        body = f"<Directory {place}/public>\nAllowOverride FileInfo\n</Directory>"
        with apache(place, place / "public", body) as port:
            answers(port, some)
            alive = httpx.get(f"http://127.0.0.1:{port}/blog/alive", trust_env=False)
            assert alive.status_code == 200
    finally:
        htaccess.unlink()
