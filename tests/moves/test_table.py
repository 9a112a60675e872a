"""The table of moves: what rows mean, what is wrong with them, where addresses lead."""

from pathlib import Path

import pytest

from jovial_atlas.moves.checking import TargetState, check_moves
from jovial_atlas.moves.hops import circling, hops_of
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.sitefile.move_table import move_rows, move_table_text

URL = "https://www.marrowfen.example"
OTHER = "https://old.example"


def table(*rows):
    """Moves from rows of `from,to,status`."""
    moves, problems = move_rows(
        "from,to,status\n" + "\n".join(rows), Path("moves.csv"), [URL, OTHER]
    )
    assert problems == []
    return moves


@pytest.mark.parametrize(
    ("row", "spelled"),
    [
        ("/a b/,/é/,", "/a%20b/,/%C3%A9/,301"),
        ("/a,,", "/a,,410"),
        ("/a,,refused", "/a,,refused"),
        ("/old/**,/new/**,308", "/old/**,/new/$1,308"),
        ("/old/*/#,/new/$2-$1#part,", "/old/*/#,/new/$2-$1#part,301"),
        ('"/{x,y}/*",/z/$2,', '"/{x,y}/*",/z/$2,301'),
        (f"{OTHER}/a/**,/b/$1,", f"{OTHER}/a/**,{OTHER}/b/$1,301"),
        ("http://WWW.Third.example:80/é,/b,", "http://www.third.example/%C3%A9,/b,301"),
        (f"{URL}/a,https://x.example,", "/a,https://x.example/,301"),
        (r"^/n/(\d+)-é$,/m/$1?x=1,307", r"^/n/(\d+)-%C3%A9$,/m/$1?x=1,307"),
    ],
)
def test_rows_are_kept_in_one_spelling(row, spelled):
    text = move_table_text(table(row), [URL, OTHER])
    assert text.splitlines()[1].startswith(spelled + ",")
    again, _ = move_rows(text, Path("moves.csv"), [URL, OTHER])
    assert move_table_text(again, [URL, OTHER]) == text


@pytest.mark.parametrize(
    ("row", "key", "told"),
    [
        (",/a,", "from", "is missing"),
        ("a/b,/c,", "from", "no path"),
        ("^/a(,/b,", "from", "no regular expression"),
        ("^/a\x07b,/b,", "from", "cannot be seen"),
        ("\"^/a{,3}b\",/c,", "from", "no regular expression"),
        (r"^/(?=x)a,/b,", "from", "does not mean the same"),
        ("/a,/b,303", "status", "none of"),
        ("/a,,301", "to", "is missing"),
        ("/a/*,/b/$2,", "to", "$2 stands for nothing"),
        ("/a/**,https://$1.example/,", "to", "takes the host"),
        ("/a,mailto:x@y.example,", "to", "not an absolute"),
    ],
)
def test_a_wrong_row_is_told_with_its_line_and_cell(row, key, told):
    moves, (problem,) = move_rows(f"from,to,status\n{row}\n", Path("moves.csv"), [URL])
    assert (moves, problem.line, problem.key) == ([], 2, key)
    assert told in problem.message


ROWS = (
    "/a,/b,", "/b,/c,308", "/c,/d#part,302", "/q?x=1,/r?y=2,", "/gone,,", "/to-gone,/gone,",
    "/loop,/pool,", "/pool,/loop,", "/blog/**,/notes/$1,", "/notes/old/**,/old/$1,",
    "/#/**,/year-$1/$2,", "/page?id=#,/p/$1/,", "/hid,/b,", "/x/*/y,,", "/keep,/kept?z=1,",
)  # fmt: skip


@pytest.mark.parametrize(
    ("path", "leads"),
    [
        ("/a", (302, "/d#part")), ("/b", (302, "/d#part")), ("/a?u=v", (302, "/d?u=v#part")),
        ("/q", None), ("/q?x=1", (301, "/r?y=2")), ("/q?x=2", None),
        ("/gone?x", (410, "")), ("/to-gone", (410, "")), ("/loop", "loops"),
        ("/blog/x/y", (301, "/notes/x/y")), ("/blog/old/z", (301, "/old/z")), ("/blog/stays", None),
        ("/2024/x", (301, "/year-2024/x")), ("/2024x/x", None), ("/page?id=7", (301, "/p/7/")),
        ("/hid", None), ("/x/1/y", (410, "")), ("/x/1/2/y", None), ("/keep?k", (301, "/kept?z=1&k")),
        ("/none", None),
    ],
)  # fmt: skip
def test_an_address_leads_to_its_end_in_one_hop(path, leads):
    pages = {f"{URL}/hid", f"{URL}/blog/stays"}
    end = MoveMap(table(*ROWS), pages.__contains__).end(URL + path)
    if leads is None or leads == "loops":
        assert (end is None) if leads is None else end.loops
        return
    assert (end.status, end.to.removeprefix(URL), end.loops) == (*leads, False)


def test_patterns_are_led_on_where_all_they_take_is_and_circles_are_left_out():
    moves = table(
        "/a/**,/b/$1,", "/b/**,/c/x/$1,302", "/one/*,/two/$1,308", "/two/**,/three/$1,308",
        "/deep/**,/flat/$1,", "/flat/*,/level/$1,", "/r/**,/s/$1,", "/s/**,/r/$1,",
    )  # fmt: skip
    by = MoveMap(moves)
    circle = {f"{URL}/r/**", f"{URL}/s/**"}
    assert circling(by, ()) == circle
    assert circling(by, {f"{URL}/r/**"}) == {f"{URL}/r/**"}, "where there are pages again"
    whole = MoveMap([move for move in moves if move.old not in circle])
    hops = hops_of(URL, whole, {}, [f"{URL}/deep/x", f"{URL}/deep/x/y", f"{OTHER}/a/x"])
    told = {hop.pattern: (hop.to.removeprefix(URL), hop.status) for hop in hops.patterns}
    assert told["/a/**"] == ("/c/x/$1", 302)
    assert told["/one/*"] == ("/three/$1", 308)
    assert told["/deep/**"] == ("/flat/$1", 301), "what is deeper stays there"
    assert [(hop.path, hop.to.removeprefix(URL)) for hop in hops.single] == [("/deep/x", "/level/x")]


def test_a_table_is_checked_as_a_whole():
    moves = table(
        "/a,/b,", "/b,/c,", "/c,/missing,", "/t,/t1,", "/t,/t2,", "/l,/l2,", "/l2,/l,",
        "/n,/noindex,", "/o,/sends,", "/page,/b,", "/p/**,/c/$1,", "/p/x/*,/y/$1,",
        "/h1,/,", "/h2,/,", "/h3,/,", "/elsewhere,https://third.example/,",
    )  # fmt: skip
    moves[0] = moves[0].__class__(**{**moves[0].__dict__, "since": "2024-01-01", "last_hit": "2024-02-01T00:00:00Z"})
    pages = {f"{URL}/page", f"{URL}/p/lives"}
    states = {
        f"{URL}/noindex": TargetState(True, False),
        f"{URL}/sends": TargetState(True, True, "https://third.example/x"),
        f"{URL}/missing": TargetState(False), "https://third.example/": None,
    }  # fmt: skip
    faults = check_moves(
        moves,
        MoveMap(moves, pages.__contains__),
        lambda address: states.get(address, TargetState(True)),
        [(moves[9], [f"{URL}/page"]), (moves[10], [f"{URL}/p/lives"])],
        {f"{URL}/"},
        "2025-11-23",
        {f"{URL}/r/**"},
    )
    told = sorted({(fault.code, fault.where.removeprefix(URL)) for fault in faults})
    assert told == sorted({
        ("move-chain", "/a"), ("move-chain", "/b"), ("move-nowhere", "/a"), ("move-nowhere", "/b"),
        ("move-nowhere", "/c"), ("move-contradicts", "/t"), ("move-loop", "/l"),
        ("move-loop", "/l2"), ("move-loop", "/r/**"), ("move-noindex", "/n"), ("move-outside", "/o"),
        ("move-hides-page", "/page"), ("move-hides-page", "/p/**"), ("move-swallowed", "/p/x/*"),
        ("move-home", "/h1"), ("move-unasked", "/a"),
    })  # fmt: skip
