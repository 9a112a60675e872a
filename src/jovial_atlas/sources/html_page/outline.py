"""The outline of one HTML page: its elements, found in one walk, and its main content.

Knows nothing of rows or of what elements mean; `page_head` and `page_body` read them.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cache
from itertools import chain, compress, count
from operator import attrgetter, itemgetter
from typing import NamedTuple

from selectolax.lexbor import LexborHTMLParser, LexborNode

from jovial_atlas.sources.html_page.articles import ancestor, around_all, lead_on, own_articles

#: Elements of a head, wherever they stand.
_OF_HEAD = ("meta", "link", "title", "script", "style")
_NOT_CONTENT = ("script", "style", "noscript", "template", "nav", "aside", "form", "footer")
#: What pages say with elements of their own.
_SAYING = ("h1", "time", "video", "main", "article", "base", "area", "frame", "iframe", "embed",
           "object", "frameset", "a", "img", "p", "h2", "h3", "h4", "h5", "h6", "pre", "svg",
           "math", "summary", "track")  # fmt: skip
#: Elements that may be a part of a page by their role. (Those inside texts, lists and tables are
#: not: ARIA in HTML does not allow it there.)
_PARTS = ("body", "div", "section", "ul", "ol", "dl", "header", "article", "table", "center")
_ROLES = frozenset({"main", "navigation", "banner", "contentinfo"})
# Where a page marks no main content, its frame is guessed from how elements that hold frames
# are usually named.
_FRAME = re.compile(r"(?:^| )nav|breadcrumb|sidebar|footer")

#: What stands at the end of a heading for the link to itself, with the space before it.
_ANCHOR_SIGNS = "¶🔗 \u00a0\u200b\u2060\ufeff" + "".join(map(chr, range(0xF000, 0xF300)))

_number, _attributes = attrgetter("tag_id"), attrgetter("attributes")


def _numbered(names: Iterable[str]) -> dict[str, int]:
    """The parser's own numbers of elements, which are told apart faster than names."""
    tree = LexborHTMLParser("")
    return {name: tree.create_node(name).tag_id for name in names}


_NUMBERS = _numbered({*_OF_HEAD, *_NOT_CONTENT, *_SAYING, *_PARTS, "td"})
#: Elements that HTML does not know have far higher numbers than those that it knows; here all
#: have this one. No element has the other.
_UNKNOWN, _NONE = 255, 0
#: By number, whether an element says something. Pages are full of those that do not.
_SAYS = tuple(number in {*_NUMBERS.values(), _UNKNOWN} for number in range(_UNKNOWN + 1))


def _table(*numbers: int) -> bytes:
    """A table for `bytes.translate` that turns these numbers into 1, all others into 0."""
    return bytes(number in numbers for number in range(_UNKNOWN + 1))


@cache
def _any_of(names: tuple[str, ...]) -> bytes:
    return _table(*(_NUMBERS[name] for name in names))


_NAMES = {number: name for name, number in _NUMBERS.items()}
_CALLED = {name: _table(number) for name, number in _NUMBERS.items()}
_HEAD_TAGS = _table(*(_NUMBERS[name] for name in _OF_HEAD))
_UNWANTED = _table(*(_NUMBERS[name] for name in _NOT_CONTENT))
_PART = _table(_UNKNOWN, *(_NUMBERS[name] for name in _PARTS))
_UNKNOWN_TAGS = _table(_UNKNOWN)
_CELL_OR_TEXT = _table(_NUMBERS["td"], _NUMBERS["p"])


class StartTag(NamedTuple):
    """An element of a head with its attributes, which are read once; of a link also the words
    of `rel`, in lower case."""

    name: str
    node: LexborNode
    given: dict[str, str | None]
    rel: list[str]


@dataclass(slots=True)
class Outline:
    """The elements of a page by name, in document order; and, once `take_apart` has parted
    them, what the main content shows (`a`, `img`, `p`), and where the links in it lead to, None
    where they have no reference.

    What stands outside the main content must be read before the page is taken apart.
    """

    tree: LexborHTMLParser
    #: The elements that belong into a head, drawings' titles left out.
    head: list[StartTag] = field(default_factory=list)
    main: LexborNode | None = None
    shown: dict[str, list[LexborNode]] = field(default_factory=dict)
    linked: list[str | None] = field(default_factory=list)
    # The links outside the main content, and what stands in it, as `_numbers`.
    _outside: list[LexborNode] = field(default_factory=list)
    _inside: bytearray = field(default_factory=bytearray)
    # The elements that say something, and the number of each.
    _nodes: list[LexborNode] = field(default_factory=list)
    _numbers: bytearray = field(default_factory=bytearray)
    _articles: list[LexborNode] | None = None
    _outer: list[LexborNode] = field(default_factory=list)

    def all(self, name: str) -> list[LexborNode]:
        """The elements of a name."""
        if _NUMBERS[name] not in self._numbers:  # as most are not
            return []
        return self._among(self._numbers, _CALLED[name])

    def first(self, name: str) -> LexborNode | None:
        """The first element of a name."""
        place = self._numbers.find(_NUMBERS[name])
        return self._nodes[place] if place >= 0 else None

    def custom(self) -> list[LexborNode]:
        """The elements that HTML does not know."""
        return self._among(self._numbers, _UNKNOWN_TAGS) if _UNKNOWN in self._numbers else []

    def _among(self, numbers: bytearray, table: bytes) -> list[LexborNode]:
        """The elements whose numbers, as far as they are given, are in a table."""
        marks = numbers.translate(table)
        return list(compress(self._nodes, marks)) if 1 in marks else []

    def _places(self, table: bytes) -> list[int]:
        """The places of the elements whose numbers are in a table, of which there are few."""
        marks, places = self._numbers.translate(table), []
        place = marks.find(1)
        while place >= 0:
            places.append(place)
            place = marks.find(1, place + 1)
        return places

    def _given(self, table: bytes) -> dict[int, dict[str, str | None]]:
        """The attributes of the elements whose numbers are in a table, by place."""
        marks = self._numbers.translate(table)
        nodes = compress(self._nodes, marks)
        return dict(zip(compress(count(), marks), map(_attributes, nodes), strict=True))

    def take_apart(self) -> None:
        """Part the main content from the frame around it and from all that is no content."""
        parts = self._given(_PART)
        roles: dict[str, list[int]] = {}
        for place, given in parts.items():
            if (role := given.get("role")) in _ROLES:
                roles.setdefault(role, []).append(place)
        start = self._start(roles.get("main", ()))
        main = self.main = self._nodes[start] if start >= 0 else self.tree.body
        self.shown = {"a": [], "img": [], "p": []}
        if main is None:
            return
        unwanted = {*self._places(_UNWANTED), *roles.get("navigation", ())}
        if start < 0:
            start = self._numbers.find(_NUMBERS["body"])
            unwanted.update(roles.get("banner", ()), roles.get("contentinfo", ()))
            unwanted.update(self._named_frames(parts, main.mem_id))
        inside, outside = bytearray(len(self._numbers)), self._numbers[:]
        for begin, stop in self._kept(start, unwanted):
            inside[begin:stop] = self._numbers[begin:stop]
            outside[begin:stop] = bytes(stop - begin)
        self.shown = {name: self._among(inside, _CALLED[name]) for name in self.shown}
        self.linked = _references(self.shown["a"])
        self._outside, self._inside = self._among(outside, _CALLED["a"]), inside

    @property
    def framed(self) -> list[str | None]:
        """Where the links in the frame lead to, None where they have no reference."""
        return _references(self._outside)

    def in_main(self, *names: str) -> list[LexborNode]:
        """The elements of some names in the main content, in document order. A selector takes
        several times as long to find them."""
        return self._among(self._inside, _any_of(names))

    @property
    def articles(self) -> list[LexborNode]:
        """The articles that stand in no other: one is what the page is about, several make it a
        listing of others. There is none where they are parts of one text: lead nowhere."""
        if self._articles is None:
            every = self.all("article")
            self._outer = every if len(every) < 2 else own_articles(every)
            is_text = len(self._outer) > 1 and not lead_on(self._outer)
            self._articles = [] if is_text else self._outer
        return self._articles

    @property
    def subject(self) -> LexborNode | None:
        """The element that holds what the page is about and says of itself, where one is marked as
        the main content, or is the only article; None for a listing and where nothing is marked."""
        articles = self.articles
        if len(articles) == 1:
            return articles[0]
        return self.first("main") if not articles else None

    def _start(self, mains: Sequence[int]) -> int:
        """The place of the element that holds the main content; -1 where none is marked."""
        start = self._numbers.find(_NUMBERS["main"])
        if start >= 0:
            return start
        if mains:
            return mains[0]
        own = self.articles or self._outer
        if len(own) < 2:
            return self._place_of(own[0]) if own else -1
        # Of a listing, and of a text in parts, all articles are content, not the first one.
        around = around_all(own)
        while around is not None and around.tag != "body":
            place = self._place_of(around)
            if place >= 0:
                return place
            around = around.parent
        return -1

    def _place_of(self, node: LexborNode) -> int:
        number = min(node.tag_id, _UNKNOWN)
        for place in self._places(_table(number)):
            if self._nodes[place].mem_id == node.mem_id:
                return place
        return -1

    def _named_frames(self, parts: dict[int, dict[str, str | None]], body: int) -> Iterator[int]:
        """The places of elements that are called as frames usually are; `body` is the address of
        the body, whose headers are frames by their place."""
        for place, given in chain(self._given(_CELL_OR_TEXT).items(), parts.items()):
            # Hardly any has attributes: to see that is faster than to ask for one.
            if given and (said := given.get("class")) and _FRAME.search(said):
                yield place
        for place in self._places(_CALLED["header"]):
            above = self._nodes[place].parent
            if above is not None and above.mem_id == body:
                yield place

    def _kept(self, start: int, unwanted: Iterable[int]) -> list[tuple[int, int]]:
        """Take elements out of the main content, which begins at `start`. Gives the stretches
        of places that are left of it."""
        after, stop = start + 1, len(self._nodes) - _behind(self._nodes[start])
        kept = []
        for place in sorted(unwanted):
            if after <= place < stop:
                kept.append((after, place))
                after = place + len(_wanted(self._nodes[place]))
                # Taken out of the tree, but not apart: the whole tree is freed at once anyway.
                self._nodes[place].decompose(recursive=False)
        return [*kept, (after, stop)]


def outline(tree: LexborHTMLParser) -> Outline:
    """The outline of a parsed page."""
    found = Outline(tree)
    if tree.root is None:
        return found
    nodes = found._nodes = _wanted(tree.root)
    try:
        numbers = found._numbers = bytearray(map(_number, nodes))
    except ValueError:
        numbers = found._numbers = bytearray(min(node.tag_id, _UNKNOWN) for node in nodes)
    for place in found._places(_HEAD_TAGS):
        node, name = nodes[place], _NAMES[numbers[place]]
        if name == "title" and ancestor(node, "svg") is not None:
            numbers[place] = _NONE
            continue
        given = node.attributes
        rel = (given.get("rel") or "").lower().split() if name == "link" else []
        found.head.append(StartTag(name, node, given, rel))
    return found


def _wanted(root: LexborNode) -> list[LexborNode]:
    """The elements that say something, of an element and all inside."""
    try:
        return [node for node in root.traverse() if _SAYS[node.tag_id]]
    except IndexError:
        return [node for node in root.traverse() if _SAYS[min(node.tag_id, _UNKNOWN)]]


def _behind(node: LexborNode) -> int:
    """How many elements that say something follow an element in its document."""
    count = 0
    at: LexborNode | None = node
    while at is not None:
        beside = at.next
        while beside is not None:
            count += 0 if beside.is_text_node else len(_wanted(beside))
            beside = beside.next
        at = at.parent
    return count


def _references(links: Iterable[LexborNode]) -> list[str | None]:
    """What `href` of each says. Made without a step in Python for each: pages are full of links."""
    references: list[str | None] = []
    said = map(itemgetter("href"), map(attrgetter("attrs"), links))
    while True:
        try:
            references.extend(said)
        except KeyError:
            # What came before is there, and the rest is still to come.
            references.append(None)
        else:
            return references


def text(node: LexborNode) -> str | None:
    """The text of an element on one line."""
    said = node.text(separator="") if node.css_first(_PARTING) is None else _parted(node)
    # Documentation generators end a heading with a link to itself, shown as a pilcrow or as a
    # sign of a font of their own.
    return " ".join(said.split()).rstrip(_ANCHOR_SIGNS) or None


#: Elements inside a text before and behind which a line ends where a reader sees it.
_PARTS_OF_TEXT = frozenset({"br", "div", "p", "li", "hr", "tr", "td"})
_PARTING = ", ".join(sorted(_PARTS_OF_TEXT))


def _parted(node: LexborNode) -> str:
    """The text of an element whose lines are parted by elements, and by no space."""
    pieces = []
    for one in node.traverse(include_text=True):
        if one.tag in _PARTS_OF_TEXT:
            pieces.append(" ")
        elif one.is_text_node:
            before = one.prev
            pieces.append(" " if before is not None and before.tag in _PARTS_OF_TEXT else "")
            pieces.append(one.text_content or "")
    return "".join(pieces)


def attribute(node: LexborNode | None, name: str) -> str | None:
    """The value of an attribute, None where it is empty."""
    value = node.attributes.get(name) if node is not None else None
    return value.strip() if value and value.strip() else None


def lies_in(node: LexborNode, outer: LexborNode) -> bool:
    """Whether an element is inside another."""
    above = node.parent
    while above is not None and above.mem_id != outer.mem_id:
        above = above.parent
    return above is not None
