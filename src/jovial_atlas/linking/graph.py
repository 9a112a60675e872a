"""The pages of a site as a graph: an arrow for each page that another links to.

Held in rows (compressed sparse rows): four octets an arrow, and nothing else of that size, so that
fifty million arrows fit beside all else.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

#: Damping that Brin and Page 1998 took: so often a reader follows a link, and else begins anew.
DAMPING = 0.85
#: Shares of visits are worked out until all of them together change by less than this.
_BOUND = 1e-6
_MOST_ROUNDS = 200
#: Arrows that are worked on together.
_AT_ONCE = 4_000_000


class LinksOfPages(NamedTuple):
    """The links of some pages, in the order of pages: how many each has, the pages that they lead
    to by number, each once a page, and of each whether it stands in the content."""

    counts: NDArray[np.int64]
    targets: NDArray[np.int32]
    in_content: NDArray[np.bool_]


@dataclass(frozen=True)
class LinkGraph:
    """Who links to whom. Pages are numbers from 0 on; those that `starts[n]` to `starts[n + 1]`
    of `targets` name are linked to by page n. No page links to itself, none twice to another.

    `content_in` and `content_out`: links to and from each page that stand in the content.
    """

    starts: NDArray[np.int64]
    targets: NDArray[np.int32]
    content_in: NDArray[np.int32]
    content_out: NDArray[np.int32]

    @property
    def pages(self) -> int:
        """How many pages there are."""
        return len(self.starts) - 1

    @cached_property
    def links_out(self) -> NDArray[np.int32]:
        """How many pages each page links to."""
        return np.diff(self.starts).astype(np.int32)

    @cached_property
    def links_in(self) -> NDArray[np.int32]:
        """How many pages link to each page."""
        found = np.zeros(self.pages, np.int64)
        for place in range(0, len(self.targets), _AT_ONCE):
            some = self.targets[place : place + _AT_ONCE]
            found += np.bincount(some, minlength=self.pages)
        return found.astype(np.int32)

    def depth(self, from_pages: Sequence[int] | NDArray[np.int64]) -> NDArray[np.int32]:
        """How many links a reader follows at least from the nearest of some pages to each page;
        -1 for those that no way leads to."""
        return self.depth_without(from_pages, np.zeros(self.pages, np.bool_))

    def depth_without(
        self, from_pages: Sequence[int] | NDArray[np.int64], closed: NDArray[np.bool_]
    ) -> NDArray[np.int32]:
        """As `depth`, where links of `closed` pages are not followed. (They may be reached.)"""
        depth = np.full(self.pages, -1, np.int32)
        front = np.unique(np.asarray(from_pages, np.int64))
        depth[front] = 0
        at = 0
        while len(front):
            at += 1
            reached = np.zeros(self.pages, np.bool_)
            for some in _in_parts(front[~closed[front]], self.links_out):
                reached[self._targets_of(some)] = True
            front = np.flatnonzero(reached & (depth < 0))
            depth[front] = at
        return depth

    def _targets_of(self, pages: NDArray[np.int64]) -> NDArray[np.int32]:
        """The pages that some pages link to, one after the other."""
        counts = self.links_out[pages].astype(np.int64)
        ends = np.cumsum(counts)
        steps = np.arange(ends[-1] if len(ends) else 0)
        places = steps + np.repeat(self.starts[pages] - (ends - counts), counts)
        led: NDArray[np.int32] = self.targets[places]
        return led

    def visits(self, damping: float = DAMPING) -> NDArray[np.float64]:
        """The share of visits that each page has of a reader who follows links at random, and now
        and then, or where nothing leads on, begins anew anywhere (Brin and Page 1998). They sum to
        1."""
        count = self.pages
        if not count:
            return np.zeros(0)
        share = np.full(count, 1 / count)
        ended = self.links_out == 0
        handed = np.zeros(count)
        parts = list(self._columns())
        with ThreadPoolExecutor(os.cpu_count()) as threads:
            for _ in range(_MOST_ROUNDS):
                np.divide(share, self.links_out, out=handed, where=~ended)
                new = np.zeros(count)
                for some in threads.map(lambda one: one[2] @ handed[one[0] : one[1]], parts):
                    new += some
                new *= damping
                new += (1 - damping) / count + damping * share[ended].sum() / count
                change = np.abs(new - share).sum()
                share = new
                if change < _BOUND:
                    break
        whole: NDArray[np.float64] = share / share.sum()
        return whole

    def _columns(self) -> Iterator[tuple[int, int, Any]]:
        """The matrix of who is linked to by whom, in parts of some pages that link: each with its
        first page and the one behind its last. All parts share their ones."""
        from scipy import sparse

        bounds = _bounds(self.starts)
        ones = np.ones(max((int(self.starts[b] - self.starts[a]) for a, b in bounds), default=0))
        for begin, end in bounds:
            first, last = self.starts[begin], self.starts[end]
            inner = (self.starts[begin : end + 1] - first).astype(np.int32)
            values = (ones[: last - first], self.targets[first:last], inner)
            shape = (self.pages, end - begin)
            yield begin, end, sparse.csc_array(values, shape=shape, copy=False)

    def matrix(self, groups: NDArray[np.int64], count: int) -> NDArray[np.int64]:
        """How many links lead from each group of pages to each: `groups` gives the group of each
        page, from 0 on."""
        found = np.zeros(count * count, np.int64)
        for begin, end in _bounds(self.starts):
            sources = np.repeat(groups[begin:end], self.links_out[begin:end])
            targets = groups[self.targets[self.starts[begin] : self.starts[end]]]
            found += np.bincount(sources * count + targets, minlength=count * count)
        return found.reshape(count, count)


def _bounds(starts: NDArray[np.int64]) -> list[tuple[int, int]]:
    """Pages in stretches of so many links as are worked on together."""
    places = [0]
    while places[-1] < len(starts) - 1:
        wanted = starts[places[-1]] + _AT_ONCE
        place = int(np.searchsorted(starts, wanted, side="right")) - 1
        places.append(max(place, places[-1] + 1))
    return list(pairwise(places))


def _in_parts(
    pages: NDArray[np.int64], counts: NDArray[np.int32]
) -> Iterator[NDArray[np.int64]]:
    """Some pages, so many together that their links can be worked on at once."""
    ends = np.cumsum(counts[pages], dtype=np.int64)
    cuts = np.searchsorted(ends, np.arange(_AT_ONCE, ends[-1] if len(ends) else 0, _AT_ONCE))
    for some in np.split(pages, np.unique(cuts)):
        if len(some):
            yield some


def link_graph(pages: int, parts: Iterable[LinksOfPages]) -> LinkGraph:
    """The graph of a number of pages, from the links of all of them in their order. What leads to
    the page itself, or to a negative number, is left out."""
    starts = np.zeros(pages + 1, np.int64)
    content_in = np.zeros(pages, np.int64)
    content_out = np.zeros(pages, np.int32)
    targets: list[NDArray[np.int32]] = []
    at = 0
    for part in parts:
        numbers = np.repeat(np.arange(at, at + len(part.counts), dtype=np.int32), part.counts)
        good = (part.targets >= 0) & (part.targets != numbers)
        led = part.targets[good].astype(np.int32, copy=False)
        counts = np.bincount(numbers[good] - at, minlength=len(part.counts))
        starts[at + 1 : at + 1 + len(counts)] = counts
        within = good & part.in_content
        content_in += np.bincount(part.targets[within], minlength=pages)
        content_out[at : at + len(counts)] = np.bincount(
            numbers[within] - at, minlength=len(counts)
        )
        targets.append(led)
        at += len(part.counts)
    np.cumsum(starts, out=starts)
    whole = np.empty(starts[-1], np.int32)
    place = len(whole)
    while targets:  # each is let go as soon as it is copied
        led = targets.pop()
        whole[place - len(led) : place] = led
        place -= len(led)
    return LinkGraph(starts, whole, content_in.astype(np.int32), content_out)
