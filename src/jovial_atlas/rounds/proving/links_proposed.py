"""Proposals for links: pages that should link to a page, and pages that a page should link to."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from contextlib import closing
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import polars as pl

from jovial_atlas.errors import AtlasError
from jovial_atlas.head.texts import phrase_of, phrases_in
from jovial_atlas.linking.mentions import (
    NameTree,
    PageTerms,
    PageToSearch,
    name_of,
    search_pages,
)
from jovial_atlas.linking.places import LinkPlace, place_for
from jovial_atlas.linking.proposing import Candidate, LinkCorpus, candidates, comes_before
from jovial_atlas.linking.reading import PageToRead
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.review.measures import is_mute
from jovial_atlas.rounds.proving.links import SiteLinks
from jovial_atlas.rounds.state.page_files import page_place
from jovial_atlas.sources.workers.pool import WorkerPool, result_of
from jovial_atlas.words import primary

#: More pages are not searched together.
_MOST = 200_000
_CHUNK = 48
#: Kinds of page that nobody links to from a text, and that have no text of their own.
_NOT_LINKED = ("home", "paged", "search", "error", "draft", "feed", "picture")
_NO_TEXT = ("search", "error", "draft", "feed", "paged", "listing", "author")
#: A text of links is a name where so many pages use it, so much of it for one page.
_CALLED_BY, _CALLED_PART = 2, 0.8
#: What is less sure is not proposed.
_LEAST_SURE = 0.004


@dataclass(frozen=True, slots=True)
class LinkProposal:
    """A link that one page should have to another: the words to link in a sentence of it, None
    where no words are there that could lead on; why; how sure, 0 to 1; and whether nothing leads
    to the page yet (`orphan`), or the owner holds it for important."""

    source: str
    target: str
    words: str | None
    sentence: str
    why: str
    score: float
    orphan: bool
    important: bool


@dataclass(frozen=True)
class LinkProposals:
    """All links of a site that may be missing."""

    links: SiteLinks
    workers: int | None = None

    @cached_property
    def _pages(self) -> list[Page]:
        survey = self.links.survey
        if survey.count > _MOST:
            raise AtlasError(
                f"{survey.count:,} pages are too many to be searched for links together, which "
                f"takes {_MOST:,}."
            )
        return list(pages_of(survey.table.collect(engine="streaming")))

    @cached_property
    def _numbers(self) -> dict[str, int]:
        return {page.loc: number for number, page in enumerate(self._pages)}

    @cached_property
    def _names(self) -> dict[tuple[str, ...], tuple[str, list[int]]]:
        """Name → what kind of name it is, the surest one, and the pages that are called so."""
        found: dict[tuple[str, ...], tuple[str, list[int]]] = {}
        for kind, text, number in self._said_names():
            stems = name_of(text, self._language_of(number), used=kind in ("called", "part"))
            if not stems:
                continue
            had, pages = found.setdefault(stems, (kind, []))
            if comes_before(kind, had):
                found[stems] = (kind, pages)
            if number not in pages:
                pages.append(number)
        return found

    def _said_names(self) -> Iterator[tuple[str, str, int]]:
        """What pages are called, as kind of name, name and number of the page."""
        survey, model = self.links.survey, self.links.site.model
        sites = [name for name in (model.site.name, model.site.short_name) if name]
        for number, page in enumerate(self._pages):
            if page.role in _NOT_LINKED:
                continue
            for phrase in phrases_in(phrase_of(page, survey.heads)):
                yield "phrase", phrase, number
            if page.heading:
                yield "heading", page.heading, number
            elif page.title:
                yield "title", _without(page.title, sites), number
        for target, text, kind in self._called():
            yield kind, text, target

    def _called(self) -> Iterator[tuple[int, str, str]]:
        """What links in texts call a page, where several do and mean no other by it."""
        used = (
            self.links.stated.filter(
                pl.col("kind") == "link", pl.col("place") == "content",
                pl.col("text").is_not_null(), pl.col("state").is_in(["good", "spelling"]),
            )
            .select("page", "text", "fragment", target=pl.coalesce("known_as", "target"))
            .group_by("text", "target")
            .agg(pl.col("page").n_unique(), whole=pl.col("fragment").is_null().any())
            .collect(engine="streaming")
        )  # fmt: skip
        whole: Counter[str] = Counter()
        for text, _, count, _ in used.iter_rows():
            whole[text] += count
        for text, target, count, is_whole in used.iter_rows():
            number = self._numbers.get(target)
            enough = count >= _CALLED_BY and count >= _CALLED_PART * whole[text]
            if number is not None and enough and not is_mute(text, self._language_of(number)):
                yield number, text, "called" if is_whole else "part"

    def _language(self, page: Page) -> str:
        return primary(page.language or self.links.site.model.site.language)

    def _language_of(self, number: int) -> str:
        return self._language(self._pages[number])

    @cached_property
    def _to_read(self) -> dict[int, PageToRead]:
        place = page_place(self.links.site)
        found = {}
        for number, page in enumerate(self._pages):
            path = place(page) if page.role not in _NO_TEXT else None
            if path is not None:
                found[number] = PageToRead(page.loc, path, page.digest)
        return found

    @cached_property
    def _said(self) -> list[PageTerms]:
        names = {stems: pages for stems, (_, pages) in self._names.items()}
        tree = NameTree(names, [page.loc for page in self._pages])
        wanted = [
            PageToSearch(number, page, self._language_of(number))
            for number, page in self._to_read.items()
        ]
        chunks = [wanted[start : start + _CHUNK] for start in range(0, len(wanted), _CHUNK)]
        with closing(WorkerPool(self.workers)) as pool:
            futures = pool.submit(search_pages, chunks, tree, many=len(wanted))
            if futures:
                return [one for future in futures for one in result_of(future)]
            return [one for chunk in chunks for one in search_pages(chunk, tree)]

    @cached_property
    def _candidates(self) -> list[Candidate]:
        pages = self._pages
        languages = {name: at for at, name in enumerate(dict.fromkeys(map(self._language, pages)))}
        corpus = LinkCorpus(
            self.links.graph,
            self._said,
            np.array([languages[self._language(page)] for page in pages], np.int64),
            np.array(
                [page.listed and number in self._to_read for number, page in enumerate(pages)],
                np.bool_,
            ),
            np.array([page.listed and page.role not in _NOT_LINKED for page in pages], np.bool_),
            {stems: kind for stems, (kind, _) in self._names.items()},
        )
        found = [one for one in candidates(corpus) if _is_worth_telling(one)]
        return sorted(found, key=lambda one: (-one.score, one.source, one.target))

    def into(self, loc: str, most: int) -> list[LinkProposal]:
        """Pages that should link to a page, the surest first."""
        number = self._numbers[loc]
        return self._proposed([one for one in self._candidates if one.target == number][:most])

    def out_of(self, loc: str, most: int) -> list[LinkProposal]:
        """Pages that a page should link to, the surest first."""
        number = self._numbers[loc]
        return self._proposed([one for one in self._candidates if one.source == number][:most])

    def best(self, most: int, each: int) -> list[LinkProposal]:
        """The best of all, at most `each` to a page and from it: links to pages that nothing leads
        to first, then those to important pages, then the surest."""
        links_in = self.links.graph.links_in
        waiting = sorted(
            self._candidates,
            key=lambda one: (links_in[one.target] > 0, not self._pages[one.target].important),
        )
        used: Counter[tuple[str, int]] = Counter()
        chosen: list[LinkProposal] = []
        for one in waiting:
            ends = (("from", one.source), ("to", one.target))
            if len(chosen) == most:
                break
            if all(used[end] < each for end in ends):
                proposal = self._one(one, self._place(one))
                # Where nothing leads to a page yet, the owner may find the words.
                if proposal.words or proposal.orphan:
                    used.update(ends)
                    chosen.append(proposal)
        return chosen

    def _proposed(self, some: Sequence[Candidate]) -> list[LinkProposal]:
        return [self._one(one, self._place(one)) for one in some]

    def _place(self, one: Candidate) -> LinkPlace:
        if one.mention:
            return LinkPlace(one.mention.words, one.mention.sentence)
        target = self._pages[one.target]
        said = target.heading or target.title or ""
        return place_for(said, self._to_read[one.source].path, self._language_of(one.source))

    def _one(self, one: Candidate, place: LinkPlace) -> LinkProposal:
        source, target = self._pages[one.source], self._pages[one.target]
        return LinkProposal(
            source.loc, target.loc, place.words, place.sentence, "; ".join(_reasons(one)),
            round(one.score, 3), bool(self.links.graph.links_in[one.target] == 0),
            bool(target.important),
        )  # fmt: skip


def _is_worth_telling(one: Candidate) -> bool:
    """Whether a candidate is likely, or the text says the very name of a page."""
    return one.score >= _LEAST_SURE or one.named_by in ("phrase", "heading", "title")


def _without(title: str, sites: Iterable[str]) -> str:
    """A title without the name of the site, and what parts it from that."""
    for name in sites:
        if title != name:
            title = title.removesuffix(name).removeprefix(name).strip(" -–—|·:»«")
    return title


def _reasons(one: Candidate) -> Iterator[str]:
    named = {"phrase": "its target phrase", "heading": "its heading", "title": "its title",
             "called": "what other pages call it", "part": "what other pages call a part of it",
             }  # fmt: skip
    if one.mention:
        yield f"the text says “{one.mention.words}”, {named[one.named_by]}"
    if one.alike >= _TOLD:
        yield f"the texts are alike ({one.alike:.0%})"
    if one.together >= _TOLD:
        yield f"pages that link to the same link to it too ({one.together:.0%})"
    if not one.mention and max(one.alike, one.together) < _TOLD:
        yield "the texts are somewhat alike"


#: Likeness that is told.
_TOLD = 0.15
