"""How alike the texts of pages are, and which pages are linked together: sparse matrices over a
site, one row a page."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import chain
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jovial_atlas.linking.graph import LinkGraph
from jovial_atlas.linking.mentions import PageTerms

#: Terms that more than this part of the pages say tell nothing; nor does one that a single page
#: says.
_TOO_COMMON, _FEW_PAGES = 0.3, 20
#: Pages that link to more are lists: what stands together there belongs together by chance.
_LONGEST_LIST = 150
#: Rows that are multiplied together.
_AT_ONCE = 512


def text_matrix(pages: int, said: Sequence[PageTerms], languages: NDArray[np.int64]) -> Any:
    """What pages say as a sparse matrix (CSR) of TF-IDF, rows of length 1: the cosine of two pages
    is the product of their rows. Pages of different `languages` (a number each) share nothing."""
    from scipy import sparse

    lengths = [len(one.terms) for one in said]
    rows = np.repeat([one.number for one in said], lengths).astype(np.int64)
    digests = np.fromiter(chain.from_iterable(one.terms for one in said), np.uint64)
    counts = np.fromiter(chain.from_iterable(one.counts for one in said), np.float64)
    keyed = digests.astype(np.uint64) + (languages[rows].astype(np.uint64) << np.uint64(32))
    _, columns, pages_of = np.unique(keyed, return_inverse=True, return_counts=True)
    most = max(_FEW_PAGES, _TOO_COMMON * max(1, len(said)))
    telling = (pages_of > 1) & (pages_of <= most)
    kept = telling[columns]
    rarity = np.log((1 + len(said)) / (1 + pages_of))
    values = (1 + np.log(counts[kept])) * rarity[columns[kept]]
    shape = (pages, len(pages_of))
    matrix = sparse.csr_array((values, (rows[kept], columns[kept])), shape=shape)
    return _of_length_one(matrix)


def _of_length_one(matrix: Any) -> Any:
    from scipy import sparse

    lengths = np.sqrt(np.asarray(matrix.multiply(matrix).sum(axis=1)).ravel())
    inverse = np.divide(1, lengths, out=np.zeros_like(lengths), where=lengths > 0)
    return sparse.csr_array(sparse.diags_array(inverse) @ matrix)


def cosines(matrix: Any, ones: NDArray[np.int64], others: NDArray[np.int64]) -> NDArray[np.float64]:
    """The cosine of each of some pairs of rows."""
    found = np.zeros(len(ones))
    for start in range(0, len(ones), 20_000):
        some = slice(start, start + 20_000)
        product = matrix[ones[some]].multiply(matrix[others[some]])
        found[some] = np.asarray(product.sum(axis=1)).ravel()
    return found


def most_alike(
    matrix: Any, rows: NDArray[np.int64], most: int
) -> Iterator[tuple[int, NDArray[np.int64], NDArray[np.float64]]]:
    """For each of some rows, the `most` other rows that are most alike, with their cosines."""
    columns = matrix.T.tocsr()
    for start in range(0, len(rows), _AT_ONCE):
        some = rows[start : start + _AT_ONCE]
        products = (matrix[some] @ columns).tocsr()
        for at, row in enumerate(some):
            yield int(row), *_best_of(products, at, [int(row)], most)


def _best_of(
    products: Any, at: int, but: Sequence[int], most: int
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """The largest values of a row of a sparse matrix, but those of some columns: columns and
    values."""
    begin, end = products.indptr[at], products.indptr[at + 1]
    found, values = products.indices[begin:end], products.data[begin:end]
    other = ~np.isin(found, but)
    found, values = found[other], values[other]
    if len(values) > most:
        best = np.argpartition(-values, most)[:most]
        found, values = found[best], values[best]
    return found.astype(np.int64), values


class LinkedTogether:
    """Which pages the same pages link to in their content: who links to one of them, and not to
    the other, may have forgotten it."""

    def __init__(self, content: Any) -> None:
        from scipy import sparse

        sizes = np.diff(content.indptr)
        self._of_pages = content
        short = sparse.diags_array(((sizes > 1) & (sizes <= _LONGEST_LIST)).astype(np.float64))
        # A short list says more than a long one of what stands in it together.
        weight = sparse.diags_array(1 / np.sqrt(np.maximum(sizes, 1)))
        lists = sparse.csr_array(weight @ short @ content)
        self._together = _of_length_one(sparse.csr_array(lists.T))

    def of(
        self, rows: NDArray[np.int64], most: int
    ) -> Iterator[tuple[int, NDArray[np.int64], NDArray[np.float64]]]:
        """For each of some pages, the `most` pages that go best with those it links to, and how
        well, 0 to 1."""
        back = self._together.T.tocsr()
        for start in range(0, len(rows), _AT_ONCE):
            some = rows[start : start + _AT_ONCE]
            linked = self._of_pages[some]
            counts = np.maximum(1, np.diff(linked.indptr))
            products = ((linked @ self._together) @ back).tocsr()
            for at, row in enumerate(some):
                own = linked.indices[linked.indptr[at] : linked.indptr[at + 1]]
                found, values = _best_of(products, at, [int(row), *own.tolist()], most)
                yield int(row), found, values / counts[at]


def content_matrix(graph: LinkGraph) -> Any:
    """The links that stand in the content, as a sparse matrix of ones (CSR)."""
    from scipy import sparse

    rows = np.repeat(np.arange(graph.pages), graph.content_out)
    # Of each page those of the content stand first.
    starts = np.repeat(graph.starts[:-1], graph.content_out)
    ends = np.cumsum(graph.content_out, dtype=np.int64)
    steps = np.arange(len(rows)) - np.repeat(ends - graph.content_out, graph.content_out)
    targets = graph.targets[starts + steps]
    shape = (graph.pages, graph.pages)
    matrix = sparse.csr_array((np.ones(len(rows)), (rows, targets)), shape=shape)
    matrix.data[:] = 1  # where an address is spelled in two ways
    return matrix
