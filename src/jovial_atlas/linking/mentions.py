"""Where the texts of pages say what other pages are called, without a link: bytes in, mentions out.

Loaded by processes that read pages: it loads nothing of tables. Which mention is worth a link is
judged elsewhere.
"""

from __future__ import annotations

import re
from array import array
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

import xxhash
from selectolax.lexbor import LexborHTMLParser, LexborNode

from jovial_atlas.linking.reading import PageToRead
from jovial_atlas.sources.html_page.fulltext import html_of_file
from jovial_atlas.sources.html_page.outline import outline
from jovial_atlas.words import primary, sentences_of, stemmer

#: Around what may hold no link (links, code, buttons), and between blocks; no page has these.
_OPEN, _CLOSE, _BLOCK = "\uf8fe", "\uf8fd", "\uf8ff"
_NO_LINK_INSIDE = "a, code, kbd, samp, var, button, label, select, summary, cite, form"
_NO_TEXT = ("h1, h2, h3, h4, h5, h6, pre, script, style, noscript, template, textarea, svg, math, "
            "th, dt")  # fmt: skip
_BLOCKS = ("p, li, dd, td, blockquote, figcaption, div, section, article, ul, ol, dl, table, "
           "tr, br, hr, figure, address, details, form, main, header, footer, aside")  # fmt: skip
_PIECE = re.compile(rf"[{_OPEN}{_CLOSE}]|\w+")
_MARKS = str.maketrans("", "", _OPEN + _CLOSE)
#: Words of a name at most, terms of a page that are kept, and mentions of one page in another.
_LONGEST_NAME, _MOST_TERMS, _MOST_MENTIONS = 8, 120, 3
#: All words of a shorter name must tell something.
_SHORT_NAME = 3
#: A block with fewer words is a button or a caption; a sentence is shown up to so many signs.
_LEAST_BLOCK, _LONGEST_SENTENCE = 4, 300

#: Stems of a name → the pages that are called so, by number.
Names = Mapping[tuple[str, ...], Sequence[int]]


class PageToSearch(NamedTuple):
    """A page whose text is searched, with its number and language."""

    number: int
    page: PageToRead
    language: str


class Mention(NamedTuple):
    """A page that another one names: the number of the page that is named, the words as they
    stand, the sentence around them, and the stems of the name."""

    target: int
    words: str
    sentence: str
    name: tuple[str, ...]


class PageTerms(NamedTuple):
    """What a page says: its number, the digests of its commonest stems with how often each is
    said, and what it mentions."""

    number: int
    terms: array[int]
    counts: array[int]
    mentions: list[Mention]


class Token(NamedTuple):
    """A word of a block: its stem, where it begins and ends, and whether a link may hold it."""

    stem: str
    start: int
    end: int
    free: bool


class NameTree:
    """Names of pages, found by their first stem. `places` are the addresses of the pages, by
    number: of several that are called the same the nearest is meant."""

    def __init__(self, names: Names, places: Sequence[str]) -> None:
        self._by_first: dict[str, list[tuple[tuple[str, ...], Sequence[int]]]] = {}
        self._places = places
        for stems, pages in names.items():
            self._by_first.setdefault(stems[0], []).append((stems, pages))
        for some in self._by_first.values():
            some.sort(key=lambda one: -len(one[0]))

    def found_in(
        self, tokens: Sequence[Token], page: int
    ) -> Iterator[tuple[int, int, int, tuple[str, ...]]]:
        """The pages that a block names, as the page, the first and the last of its tokens, and the
        name: the longest name at each place."""
        at, count = 0, len(tokens)
        while at < count:
            known = self._by_first.get(tokens[at].stem) if tokens[at].free else None
            step = 1
            for stems, pages in known or ():
                end = at + len(stems)
                if end > count or any(
                    tokens[at + n].stem != stem or not tokens[at + n].free
                    for n, stem in enumerate(stems)
                ):
                    continue
                step = len(stems)
                target = self._nearest(pages, page)
                if target is not None and target != page:
                    yield target, at, end - 1, stems
                break
            at += step

    def _nearest(self, pages: Sequence[int], page: int) -> int | None:
        """The page that is meant, of some that are called the same; None where that is not
        clear."""
        if len(pages) == 1:
            return pages[0]
        if page in pages:
            return page
        here = self._places[page]
        near = sorted((-_shared(self._places[one], here), one) for one in pages)
        return near[0][1] if near[0][0] < near[1][0] else None


def _shared(one: str, other: str) -> int:
    """How many folders two addresses share."""
    count = 0
    for part, another in zip(one.split("/"), other.split("/"), strict=False):
        if part != another:
            break
        count += 1
    return count


def search_pages(pages: Sequence[PageToSearch], names: NameTree) -> list[PageTerms]:
    """What some pages say and mention. A page that cannot be read or understood is left out."""
    return [found for one in pages if (found := _searched(one, names))]


def _searched(one: PageToSearch, names: NameTree) -> PageTerms | None:
    data = html_of_file(one.page.path)
    if not data:
        return None
    try:
        return terms_of(blocks_of(data), one.number, one.language, names)
    except Exception:  # noqa: BLE001 - as when it is surveyed: no other page suffers
        return None


def terms_of(
    blocks: Sequence[str], number: int, language: str, names: NameTree
) -> PageTerms:
    """What a page with these blocks of text says and mentions."""
    counted: Counter[str] = Counter()
    mentions: list[Mention] = []
    seen: Counter[int] = Counter()
    for block in blocks:
        tokens = tokens_of(block, language)
        counted.update(one.stem for one in tokens if not one.stem.isdigit())
        if len(tokens) < _LEAST_BLOCK:
            continue
        for target, first, last, name in names.found_in(tokens, number):
            seen[target] += 1
            if seen[target] <= _MOST_MENTIONS:
                words = block[tokens[first].start : tokens[last].end]
                sentence = sentence_around(block, tokens[first].start, language)
                mentions.append(Mention(target, words, sentence, name))
    most = counted.most_common(_MOST_TERMS)
    digests = array("I", (xxhash.xxh32_intdigest(stem.encode()) for stem, _ in most))
    return PageTerms(number, digests, array("I", (count for _, count in most)), mentions)


def blocks_of(data: bytes) -> list[str]:
    """The text of a page's main content, block by block, each on one line; what may hold no link
    stands between marks, headings and code are left out."""
    found = outline(LexborHTMLParser(data))
    found.take_apart()
    main = found.main
    if main is None:
        return []
    for node in main.css(_NO_TEXT):
        node.replace_with(_BLOCK)
    for node in main.css(_NO_LINK_INSIDE):
        _around(node, _OPEN, _CLOSE)
    for node in main.css(_BLOCKS):
        _around(node, _BLOCK, _BLOCK)
    whole = main.text(separator="")
    return [said for block in whole.split(_BLOCK) if (said := " ".join(block.split()))]


def _around(node: LexborNode, before: str, after: str) -> None:
    node.insert_before(before)
    node.insert_after(after)


def tokens_of(block: str, language: str) -> list[Token]:
    """The words of a block."""
    reduce = stemmer(primary(language))
    closed, tokens = 0, []
    for piece in _PIECE.finditer(block):
        said = piece[0]
        if said == _OPEN:
            closed += 1
        elif said == _CLOSE:
            closed = max(0, closed - 1)
        else:
            tokens.append(Token(reduce(said), piece.start(), piece.end(), not closed))
    return tokens


def sentence_around(block: str, place: int, language: str) -> str:
    """The sentence of a block in which a place is, without marks."""
    at = 0
    for sentence in sentences_of(block, language):
        begin = block.find(sentence[:40], at)
        at = (begin if begin >= 0 else at) + len(sentence)
        if place < at:
            return shown(sentence)
    return shown(block)


def shown(text: str) -> str:
    """A text as people read it, of what is very long the beginning."""
    bare = text.translate(_MARKS)
    return bare if len(bare) <= _LONGEST_SENTENCE else f"{bare[: _LONGEST_SENTENCE - 1]}…"


def name_of(text: str, language: str, *, used: bool = False) -> tuple[str, ...]:
    """The stems of what a page is called; none where that is no name. What is `used` for it
    elsewhere need tell less by itself: "Section 9.3"."""
    stems = tuple(one.stem for one in tokens_of(text, language))
    telling = sum(map(_tells, stems))
    short = len(stems) < _SHORT_NAME
    enough = telling == len(stems) if short else telling > (0 if used else 1)
    return stems if stems and len(stems) <= _LONGEST_NAME and enough else ()


def _tells(stem: str) -> bool:
    return len(stem) > 2 and not stem.isdigit()
