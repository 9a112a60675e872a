"""Which page should link to which: by what texts mention, by how alike they are, and by what is
linked together elsewhere. Candidates are weighed here; words and sentences come with mentions."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from math import exp, log, sqrt

import numpy as np
from numpy.typing import NDArray

from jovial_atlas.linking.graph import LinkGraph
from jovial_atlas.linking.likeness import (
    LinkedTogether,
    content_matrix,
    cosines,
    most_alike,
    text_matrix,
)
from jovial_atlas.linking.mentions import Mention, PageTerms

#: What makes it likely that a link is missing, as log-odds. Fitted on links that were taken out of
#: three manuals, each held against weights fitted on the other two (docs/links.md).
_AT_FIRST = -7.75
_NAMED, _RARE, _RARE_OF_SEVERAL, _WORDS = 0.3, 2.15, 0.9, 1.25
_ALIKE, _SOMEWHAT_ALIKE = 2.3, 3.3
_TOGETHER, _SOMEWHAT_TOGETHER, _TOGETHER_AND_LINKED = 0.35, 0.35, 0.75
_LINKED, _IN_A_MENU = 0.35, -0.55
#: What a name is, and what that adds: the phrase, heading or title of a page, what links call it
#: (and its heading does not), or what links call a part of it. Of several the first is told.
NAMED_BY = {"phrase": 2.5, "heading": 0.0, "title": 0.0, "called": 2.25, "part": -1.25}
_ORDER = {name: number for number, name in enumerate(NAMED_BY)}
#: What is alike by less says nothing.
_LEAST_ALIKE = 0.12
#: Candidates of each page that are looked at.
_NEAREST = 25
#: A page that so large a part of all others links to is in a menu: readers find it anyway.
_IN_MENU = 0.5


@dataclass(slots=True)
class Candidate:
    """A link that may be missing, from a page to a page by their numbers, with how sure it is,
    0 to 1, and why: what names the page, how alike the texts are, how well it goes with what is
    linked already."""

    source: int
    target: int
    mention: Mention | None = None
    named_by: str = ""
    alike: float = 0.0
    together: float = 0.0
    score: float = 0.0


@dataclass(frozen=True)
class LinkCorpus:
    """What proposals are made from: the graph, what pages say (`said`), their languages by number,
    which may link (`sources`) and be linked to (`targets`), and what the names of pages are:
    stems → kind of name (`NAMED_BY`)."""

    graph: LinkGraph
    said: Sequence[PageTerms]
    languages: NDArray[np.int64]
    sources: NDArray[np.bool_]
    targets: NDArray[np.bool_]
    names: Mapping[tuple[str, ...], str] = field(default_factory=dict)

    @cached_property
    def mentioned(self) -> dict[tuple[str, ...], int]:
        """Name → how many pages mention it."""
        counted: Counter[tuple[str, ...]] = Counter()
        for page in self.said:
            counted.update({mention.name for mention in page.mentions})
        return dict(counted)


def candidates(corpus: LinkCorpus) -> list[Candidate]:
    """All links that may be missing, in no order."""
    content = content_matrix(corpus.graph)
    linked = _pairs_of(content)
    found: dict[tuple[int, int], Candidate] = {}
    _from_mentions(corpus, linked, found)
    texts = text_matrix(corpus.graph.pages, corpus.said, corpus.languages)
    may = np.flatnonzero(corpus.sources)
    for row, others, values in most_alike(texts, may, _NEAREST):
        for other, value in zip(others.tolist(), values.tolist(), strict=True):
            if value >= _LEAST_ALIKE and _is_new(corpus, linked, row, other):
                one = found.setdefault((row, other), Candidate(row, other))
                one.alike = value
    for row, others, values in LinkedTogether(content).of(may, _NEAREST):
        for other, value in zip(others.tolist(), values.tolist(), strict=True):
            if _is_new(corpus, linked, row, other):
                one = found.setdefault((row, other), Candidate(row, other))
                one.together = min(1.0, value)
    _fill_alike(texts, [one for one in found.values() if not one.alike])
    in_menu = corpus.graph.links_in > _IN_MENU * corpus.graph.pages
    for one in found.values():
        one.score = _score(one, corpus, in_menu=bool(in_menu[one.target]))
    return list(found.values())


def comes_before(kind: str, other: str) -> bool:
    """Whether a kind of name is the one that is told, of two (`NAMED_BY`)."""
    return _ORDER[kind] < _ORDER[other]


def _pairs_of(content: object) -> set[tuple[int, int]]:
    rows, columns = content.nonzero()  # type: ignore[attr-defined]
    return set(zip(rows.tolist(), columns.tolist(), strict=True))


def _is_new(corpus: LinkCorpus, linked: set[tuple[int, int]], source: int, target: int) -> bool:
    return (
        bool(corpus.sources[source] and corpus.targets[target])
        and corpus.languages[source] == corpus.languages[target]
        and (source, target) not in linked
    )


def _from_mentions(
    corpus: LinkCorpus, linked: set[tuple[int, int]], found: dict[tuple[int, int], Candidate]
) -> None:
    for page in corpus.said:
        for mention in page.mentions:
            if not _is_new(corpus, linked, page.number, mention.target):
                continue
            pair = (page.number, mention.target)
            named_by = corpus.names[mention.name]
            one = found.setdefault(pair, Candidate(*pair))
            if one.mention is None or comes_before(named_by, one.named_by):
                one.mention, one.named_by = mention, named_by


def _fill_alike(texts: object, some: Sequence[Candidate]) -> None:
    ones = np.array([one.source for one in some], np.int64)
    others = np.array([one.target for one in some], np.int64)
    for one, value in zip(some, cosines(texts, ones, others).tolist(), strict=True):
        one.alike = value


def _score(one: Candidate, corpus: LinkCorpus, *, in_menu: bool) -> float:
    """How likely it is that a link is missing."""
    known = log(1 + int(corpus.graph.content_in[one.target]))
    odds = _AT_FIRST + _LINKED * known + _IN_A_MENU * in_menu
    odds += _ALIKE * one.alike + _SOMEWHAT_ALIKE * sqrt(one.alike)
    odds += _TOGETHER * one.together + sqrt(one.together) * (
        _SOMEWHAT_TOGETHER + _TOGETHER_AND_LINKED * known
    )
    if one.mention:
        words = len(one.mention.name)
        rare = _rarity(one.mention, corpus)
        odds += _NAMED + NAMED_BY[one.named_by] + _RARE * rare + _WORDS * log(words)
        odds += _RARE_OF_SEVERAL * rare if words > 1 else 0
    return 1 / (1 + exp(-odds))


def _rarity(mention: Mention, corpus: LinkCorpus) -> float:
    """How much a name tells: 1 for one that no other page mentions, 0 for one on every page."""
    counted = corpus.mentioned.get(mention.name, 1)
    return 1 - log(counted) / log(len(corpus.said) + 1)
