"""The links that `inject` adds to pages: those that the owner took, and those of standing rules."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import polars as pl

from jovial_atlas import addresses, patterns
from jovial_atlas.errors import AtlasError
from jovial_atlas.markup import ChangedError, LinkWish, PutLink, put_links, restore
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.site_files import file_of_row
from jovial_atlas.sitefile import HtmlSource, SiteFile
from jovial_atlas.sitefile.linking import LinkRule
from jovial_atlas.sources.html_page.context import References
from jovial_atlas.sources.settings import name_of
from jovial_atlas.words import primary, stemmer, words_in

_SHOWN = 5


@dataclass(frozen=True)
class WantedLinks:
    """Which links pages get."""

    site: SiteFile

    @cached_property
    def _taken(self) -> dict[str, list[tuple[str, str]]]:
        found: dict[str, list[tuple[str, str]]] = {}
        for one in self.site.taken_links:
            found.setdefault(one.loc, []).append((one.words, one.to))
        return found

    @cached_property
    def rules(self) -> list[tuple[LinkRule, str, list[re.Pattern[str]]]]:
        """The standing rules, with the address that each leads to, and paths that it leaves
        alone."""
        url = self.site.model.site.url
        return [
            (rule, addresses.normalise(url + rule.to if rule.to.startswith("/") else rule.to),
             [re.compile(patterns.to_regex(one)) for one in rule.but])
            for rule in self.site.model.links.rule
        ]  # fmt: skip

    @property
    def are_any(self) -> bool:
        """Whether any page may get a link."""
        most = self.site.model.links.most_added
        return bool(most and (self.site.taken_links or self.site.model.links.rule))

    def of(self, page: Page) -> list[LinkWish]:
        """What a page may link to: what the owner took for it first, then the rules in their
        order."""
        language = primary(page.language or self.site.model.site.language)
        found = [
            LinkWish((_stems(words, language),), _href(page.loc, to), to)
            for words, to in self._taken.get(page.loc, ())
        ]
        path = addresses.path_and_query(page.loc)
        for rule, to, but in self.rules:
            held = rule.sections and page.section not in rule.sections
            if held or any(one.search(path) for one in but):
                continue
            names = tuple(_stems(one, language) for one in rule.words)
            found.append(LinkWish(names, _href(page.loc, to), to, rule.per_page))
        return [one for one in found if one.resolved != page.loc]

    def put(self, page: Page, data: bytes, encoding: str) -> list[PutLink]:
        """The links that a page gets, which is `data` as it was before anything was put in."""
        wishes = self.of(page)
        if not wishes:
            return []
        references = References(page.loc)

        def resolve(href: str) -> str | None:
            address = references[href]
            return re.sub(r"/index\.html?$", "/", address) if address else None

        language = primary(page.language or self.site.model.site.language)
        most = self.site.model.links.most_added
        return put_links(data, wishes, most, stemmer(language), resolve, encoding)


    def not_put(self, page: Page, put: Sequence[PutLink]) -> list[str]:
        """What the owner took for a page and it did not get, in words."""
        done = {one.wish.resolved for one in put}
        return [
            f"no link at “{words}” to {to}: it is not in the text, or the page links there itself"
            for words, to in self._taken.get(page.loc, ())
            if to not in done
        ]


def _stems(words: str, language: str) -> tuple[str, ...]:
    return tuple(map(stemmer(language), words_in(words)))


def _href(loc: str, to: str) -> str:
    """How a page writes an address: of its own host without that."""
    same = addresses.origin(loc) == addresses.origin(to)
    return addresses.path_and_query(to) if same else to


@dataclass(slots=True)
class LinkRuleEffect:
    """What a standing rule does: how many pages get a link by it, how many links, and some of them,
    as page and words."""

    words: Sequence[str]
    to: str
    pages: int = 0
    links: int = 0
    some: list[tuple[str, str]] = field(default_factory=list)


def rule_effects(survey: LastSurvey) -> list[LinkRuleEffect]:
    """What the standing rules of a site would do to its pages now, in their order. Raises
    AtlasError where no page could be written into."""
    site = survey.site
    wanted = WantedLinks(site)
    found = [LinkRuleEffect(rule.words, to) for rule, to, _ in wanted.rules]
    for page, path in _html_pages(survey):
        try:
            data = restore(path.read_bytes())
        except (OSError, ChangedError):
            continue
        put = wanted.put(page, data, "utf-8")
        for effect in found:
            mine = [one for one in put if _is_of(one.wish, effect, page, site)]
            effect.pages += bool(mine)
            effect.links += len(mine)
            left = _SHOWN - len(effect.some)
            effect.some += [(page.loc, one.words) for one in mine[:left]]
    return found


def _is_of(wish: LinkWish, effect: LinkRuleEffect, page: Page, site: SiteFile) -> bool:
    language = primary(page.language or site.model.site.language)
    if wish.resolved != effect.to:
        return False
    return wish.names == tuple(_stems(one, language) for one in effect.words)


def _html_pages(survey: LastSurvey) -> Iterator[tuple[Page, Path]]:
    sources = [name_of(one) for one in survey.site.model.source if isinstance(one, HtmlSource)]
    if not sources:
        raise AtlasError("No [[source]] of kind html: there is no page to write links into.")
    find = file_of_row(survey.site)
    mine = pl.col("source").is_in(sources) & (pl.col("kind") == "page")
    for page in pages_of(survey.decided.filter(mine).sort("path")):
        if (path := find(page)) is not None:
            yield page, path
