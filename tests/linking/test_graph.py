"""The graph of links, held against networkx as an independent judge."""

import networkx
import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_atlas.linking import graph as graphs
from jovial_atlas.linking.columns import graph_of, link_columns, rank_of
from jovial_atlas.linking.lookup import DigestNumbers


def page(number: int) -> str:
    return f"https://x.example/{number}/"


def table(count: int, links: dict[int, list[int]], **columns) -> pl.LazyFrame:
    rows = {
        "loc": [page(one) for one in range(count)],
        "links": [[page(to) for to in links.get(one, ())] for one in range(count)],
        "entries": [None] * count, "redirect": [None] * count, "status": [200] * count,
        "kind": ["page"] * count,
    } | columns  # fmt: skip
    types = {"entries": pl.Int32, "redirect": pl.String, "status": pl.Int16}
    return pl.DataFrame(rows, schema_overrides=types).lazy()


def random_links(count: int, each: int, seed: int) -> dict[int, list[int]]:
    rng = np.random.default_rng(seed)
    found = {}
    for one in range(count):
        # Some link to nothing, some much, a few pages are linked by nearly all.
        some = rng.integers(0, count, rng.integers(0, 2 * each + 1)) if rng.random() > 0.1 else []
        menu = rng.choice(count, min(3, count), replace=False) if rng.random() > 0.5 else []
        found[one] = sorted({int(to) for to in [*some, *menu]} - {one})
    return found


@pytest.mark.parametrize(
    ("count", "each", "seed"), [(1, 0, 0), (2, 1, 1), (30, 1, 2), (400, 3, 3), (2_000, 20, 4)]
)
def test_random_graphs_are_as_networkx_has_them(count, each, seed, monkeypatch):
    monkeypatch.setattr(graphs, "_AT_ONCE", 997)  # many parts
    monkeypatch.setattr(graphs, "_BOUND", 1e-10)
    links = random_links(count, each, seed)
    judge = networkx.DiGraph()
    judge.add_nodes_from(range(count))
    judge.add_edges_from((one, to) for one, some in links.items() for to in some)
    graph = graph_of(table(count, links))
    depths = networkx.single_source_shortest_path_length(judge, 0)
    assert graph.depth([0]).tolist() == [depths.get(one, -1) for one in range(count)]
    assert graph.links_in.tolist() == [judge.in_degree(one) for one in range(count)]
    assert graph.links_out.tolist() == [judge.out_degree(one) for one in range(count)]
    ranks = networkx.pagerank(judge, alpha=graphs.DAMPING, tol=1e-12 / count, max_iter=1_000)
    assert np.abs(graph.visits() - [ranks[one] for one in range(count)]).max() < 1e-6
    closed = np.zeros(count, np.bool_)
    closed[1::3] = True
    open_alone = judge.copy()
    open_alone.remove_edges_from([(a, b) for a, b in judge.edges if closed[a]])
    reached = networkx.single_source_shortest_path_length(open_alone, 0)
    assert graph.depth_without([0], closed).tolist() == [reached.get(n, -1) for n in range(count)]
    groups = np.arange(count) % 3
    matrix = graph.matrix(groups, 3)
    assert matrix.sum() == judge.number_of_edges()
    assert matrix[0, 1] == sum(a % 3 == 0 and b % 3 == 1 for a, b in judge.edges)


def test_what_no_reader_follows_is_no_link():
    links = {0: [1, 2, 0], 1: [3], 2: [0], 3: [0]}
    gone = table(
        4, links, status=[200, 404, 200, 200], redirect=[None, None, page(3), None],
        entries=[1, 1, None, 1],
    )  # fmt: skip
    graph = graph_of(gone)
    assert graph.links_out.tolist() == [2, 0, 1, 1], "an error page leads nowhere, one to its target"
    assert graph.content_out.tolist() == [1, 0, 1, 1]
    assert graph.content_in.tolist() == [1, 1, 0, 1]


@pytest.mark.parametrize(
    ("loc", "link"),
    [
        ("/a/", "/a"), ("/a/", "/a/index.html"), ("/a/", "/a/index.php"), ("/a/index.html", "/a/"),
        ("/a/index.htm", "/a"), ("/a", "/a/"), ("/a", "/a/index.html"),
    ],
)  # fmt: skip
def test_pages_are_found_by_their_other_spellings(loc, link):
    x = "https://x.example"
    pages = table(2, {}).with_columns(
        loc=pl.Series([page(0), x + loc]), links=pl.Series([[x + link], []])
    )
    assert graph_of(pages).links_in.tolist() == [0, 1]
    alone = pages.with_columns(loc=pl.Series([page(0), f"{x}{loc}?q=1"]))
    assert graph_of(alone).links_in.tolist() == [0, 0], "with a query it is another page"


def test_a_page_is_linked_once_however_often_it_is_spelled():
    x = "https://x.example"
    links = [[f"{x}/2/index.html", page(1), page(2), f"{x}/2"], [], [f"{x}/2/index.html"]]
    graph = graph_of(table(3, {}, entries=[1, 0, 0]).with_columns(links=pl.Series(links)))
    assert (graph.links_in.tolist(), graph.links_out.tolist()) == ([0, 1, 1], [2, 0, 0])
    assert (graph.content_in.tolist(), graph.content_out.tolist()) == ([0, 0, 1], [1, 0, 0])
    there = table(3, {}).with_columns(
        loc=pl.Series([page(0), f"{x}/2", page(2)]), links=pl.Series([[f"{x}/2"], [], []])
    )
    assert graph_of(there).links_in.tolist() == [0, 1, 0], "by its own address a page is meant first"


def test_columns_of_a_chain_and_a_page_apart():
    told = link_columns(graph_of(table(4, {0: [1], 1: [2], 2: [1]})), [0])
    assert told["depth"].to_list() == [0, 1, 2, None]
    assert told["weight"].sum() == pytest.approx(1)
    assert told["weight_rank"].to_list() == [pytest.approx(1 / 6, abs=1e-4)] * 1 + [
        1.0, pytest.approx(2 / 3, abs=1e-4), pytest.approx(1 / 6, abs=1e-4)
    ]  # fmt: skip
    assert rank_of(np.ones(1)).tolist() == [1.0]


@settings(max_examples=60, deadline=None)
@given(
    st.sets(st.integers(0, 2**64 - 1), max_size=40), st.lists(st.integers(0, 2**64 - 1), max_size=40),
    st.integers(0, 60),
)  # fmt: skip
def test_numbers_are_found_by_digest(digests, others, narrow):
    crowded = sorted({one >> narrow for one in digests})
    numbers = np.arange(len(crowded), dtype=np.uint32)[::-1].copy()
    known = DigestNumbers(np.array(crowded, np.uint64), numbers)
    asked = [*crowded, *others, 0, 1]
    wanted = dict(zip(crowded, numbers.tolist(), strict=True))
    assert known.of(np.array(asked, np.uint64)).tolist() == [wanted.get(one, -1) for one in asked]
