"""Moves for servers of other kinds: JSON, CSV, and small pages."""

import csv
import io
import json
import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.addresses import normalise
from jovial_atlas.faults import Fault
from jovial_atlas.moves.hops import Hops, PatternHop, SingleHop
from jovial_atlas.moves.nginx import nginx_moves_http, nginx_moves_server
from jovial_atlas.moves.others import moved_pages, moves_as_csv, moves_as_json
from jovial_atlas.moves.resolving import joined_status, with_query
from jovial_atlas.moves.written import own_variables
from jovial_atlas.sitefile.move_table import move_cells, move_rows, move_table_text

URL = "https://www.marrowfen.example"
HOPS = Hops(
    [SingleHop("/a", f"{URL}/b", 308, True), SingleHop("/gone", "", 410, True)],
    [PatternHop("^/x/([^?]*)$", False, f"{URL}/y/$1", 301, False, "/x/**")],
    ["/x/stays"],
)


def test_json_and_csv_say_the_same_of_every_hop():
    told = json.loads(moves_as_json(HOPS))
    assert told == {
        "moves": [
            {"from": "/a", "to": f"{URL}/b", "status": 308, "query": "keep"},
            {"from": "/gone", "to": None, "status": 410, "query": "keep"},
        ],
        "patterns": [
            {"pattern": "/x/**", "expression": "^/x/([^?]*)$", "to": f"{URL}/y/$1", "status": 301,
             "query": "drop"},
        ],
        "stay": ["/x/stays"],
    }  # fmt: skip
    rows = list(csv.DictReader(io.StringIO(moves_as_csv(HOPS).decode())))
    assert [row["from"] for row in rows] == ["/a", "/gone", "^/x/([^?]*)$"]
    assert [row["to"] or None for row in rows] == [
        *(one["to"] for one in told["moves"]), f"{URL}/y/$1",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("path", "plain", "name"),
    [
        ("/a/", False, "a/index.html"), ("/a", False, "a/index.html"), ("/a", True, "a.html"),
        ("/a.html", True, "a.html"), ("/v1.2", False, "v1.2/index.html"), ("/é%20b/", False, "é b/index.html"),
        ("/a.pdf", False, None), ("/a?b=1", False, None), ("/%00", False, None),
        ("/..%2F..%2Fetc/", False, None), ("/", False, "index.html"),
    ],
)  # fmt: skip
def test_a_small_page_stands_where_servers_look_for_the_address(path, plain, name):
    (made,) = moved_pages(Hops([SingleHop(path, f"{URL}/new?a&b", 301, True)]), plain=plain)
    if name is None:
        assert isinstance(made, Fault)
        return
    assert made[0] == name
    assert made[1].count(f"{URL}/new?a&amp;b".encode()) == 5


@pytest.mark.parametrize(
    ("first", "second", "both"),
    [(301, 301, 301), (301, 308, 301), (308, 308, 308), (308, 307, 307), (302, 308, 302), (307, 410, 410)],
)
def test_two_hops_are_one_of_the_weaker_kind(first, second, both):
    assert joined_status(first, second) == both


@pytest.mark.parametrize(
    ("to", "query", "whole"),
    [("/a", "", "/a"), ("/a", "x", "/a?x"), ("/a?y", "x", "/a?y&x"), ("/a#p", "x", "/a?x#p")],
)
def test_a_query_stands_before_the_fragment(to, query, whole):
    assert with_query(to, query) == whole


PATHS = st.text(st.characters(exclude_categories=["Cs"]), min_size=1, max_size=30)


@given(PATHS, PATHS)
def test_no_address_can_end_its_string_or_its_line_in_a_configuration(old, new):
    def spelled(text):
        return normalise(f"{URL}/{text.replace('?', '')}").removeprefix(URL)

    hops = Hops([SingleHop(spelled(old), URL + spelled(new), 301, True)])
    lines, faults = nginx_moves_http(hops)
    assert faults == []
    (entry,) = [line for line in lines if "301k:" in line]
    assert re.fullmatch(r'    "(?:[^"\\\n]|\\.)*" "301[kf]:[^"\\$\n]*";', entry) or "301f" in entry
    assert not any("\n" in line for line in (*lines, *nginx_moves_server(hops)))


@given(PATHS, PATHS, st.sampled_from([301, 302, 307, 308]))
def test_a_table_reads_back_what_it_wrote(old, new, status):
    def cell(text):
        return "/" + re.sub(r"[*#{}?$]", "", text)

    stream = io.StringIO()
    csv.writer(stream).writerows([("from", "to", "status"), (cell(old), cell(new), status)])
    moves, problems = move_rows(stream.getvalue(), Path("moves.csv"), [URL])
    assert problems == []
    again, _ = move_rows(move_table_text(moves, [URL]), Path("moves.csv"), [URL])
    assert [move_cells(one, URL) for one in again] == [move_cells(one, URL) for one in moves]


def test_variables_get_an_ending_and_paths_of_files_keep_theirs():
    text = 'set $jovial_atlas_path ""; include "/srv/jovial_atlas_site/x"; Define JOVIAL_ATLAS "/JOVIAL_ATLAS/a"'
    assert own_variables(text, "") == text
    assert own_variables(text, "_de") == (
        'set $jovial_atlas_de_path ""; include "/srv/jovial_atlas_site/x"; '
        'Define JOVIAL_ATLAS_DE "/JOVIAL_ATLAS/a"'
    )
