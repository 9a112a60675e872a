"""The outline of one HTML page: its elements, found in one walk, and its main content.

Knows nothing of rows or of what elements mean; `page_head` and `page_body` read them.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from operator import attrgetter
from typing import NamedTuple

from selectolax.lexbor import LexborHTMLParser, LexborNode

#: Elements of a head, wherever they stand.
_OF_HEAD = ("meta", "link", "title", "script", "style")
_NOT_CONTENT = ("script", "style", "noscript", "template", "nav", "aside", "form", "footer")
#: What pages say with elements of their own.
_SAYING = ("h1", "time", "video", "main", "article", "base", "area", "frame", "iframe", "embed",
           "object", "frameset", "a", "img", "p")  # fmt: skip
#: Elements that may be a part of a page by their role. (Those inside texts, lists and tables are
#: not: ARIA in HTML does not allow it there.)
_PARTS = ("body", "div", "section", "ul", "ol", "dl", "header", "article", "table", "center")
_ROLES = frozenset({"main", "navigation", "banner", "contentinfo"})
# Where a page marks no main content, its frame is guessed from how elements that hold frames
# are usually named.
_FRAME = re.compile(r"(?:^| )nav|breadcrumb|sidebar|footer")

_number = attrgetter("tag_id")


def _numbered(names: Iterable[str]) -> dict[str, int]:
    """The parser's own numbers of elements, which are told apart faster than names."""
    tree = LexborHTMLParser("")
    return {name: tree.create_node(name).tag_id for name in names}


_NUMBERS = _numbered({*_OF_HEAD, *_NOT_CONTENT, *_SAYING, *_PARTS, "td"})
#: Elements that HTML does not know have far higher numbers than this.
_LAST = 1_000
#: The numbers of elements that say nothing. Pages are full of them.
_SILENT = frozenset(range(_LAST)) - frozenset(_NUMBERS.values())


class Tag(NamedTuple):
    """An element of a head with its attributes, which are read once."""

    name: str
    node: LexborNode
    given: dict[str, str | None]


@dataclass(slots=True)
class Outline:
    """The elements of a page by name, in document order; and, once `take_apart` has parted
    them, what the main content shows (`a`, `img`, `p`), and where the links in it and in the
    frame around it lead to, without fragments.

    What stands outside the main content must be read before the page is taken apart.
    """

    tree: LexborHTMLParser
    #: The elements that belong into a head, drawings' titles left out.
    head: list[Tag] = field(default_factory=list)
    main: LexborNode | None = None
    shown: dict[str, list[LexborNode]] = field(default_factory=dict)
    linked: set[str] = field(default_factory=set)
    framed: set[str] = field(default_factory=set)
    # The elements that say something, and their places in that list by number.
    _nodes: list[LexborNode] = field(default_factory=list)
    _found: dict[int, list[int]] = field(default_factory=dict)

    def all(self, name: str) -> list[LexborNode]:
        """The elements of a name."""
        return [self._nodes[place] for place in self._places(name)]

    def first(self, name: str) -> LexborNode | None:
        """The first element of a name."""
        places = self._places(name)
        return self._nodes[places[0]] if places else None

    def _places(self, name: str) -> list[int]:
        return self._found.get(_NUMBERS[name], [])

    def take_apart(self) -> None:
        """Part the main content from the frame around it and from all that is no content."""
        parts = self._parts()
        roles: dict[str, list[int]] = {}
        for place, given in parts.items():
            if (role := given.get("role")) in _ROLES:
                roles.setdefault(role, []).append(place)
        marked = self._places("main") or roles.get("main") or self._places("article")
        main = self.main = self._nodes[marked[0]] if marked else self.tree.body
        self.shown = {"a": [], "img": [], "p": []}
        if main is None:
            return
        unwanted = {place for name in _NOT_CONTENT for place in self._places(name)}
        unwanted.update(roles.get("navigation", ()))
        if not marked:
            unwanted.update(roles.get("banner", ()), roles.get("contentinfo", ()))
            unwanted.update(self._named_frames(parts, main.mem_id))
        kept = self._kept((marked or self._places("body"))[0], unwanted)
        for name in ("img", "p"):
            self.shown[name] = [self._nodes[one] for one in _within(self._places(name), kept)]
        anchors = self._places("a")
        hrefs = {place: self._nodes[place].attrs.get("href") for place in anchors}
        inside = _within(anchors, kept)
        self.shown["a"] = [self._nodes[place] for place in inside]
        self.linked = _bare(map(hrefs.pop, inside))
        self.framed = _bare(hrefs.values())

    def _parts(self) -> dict[int, dict[str, str | None]]:
        """The attributes of elements that may be parts of a page, by place."""
        places = [place for name in _PARTS for place in self._places(name)]
        found = sorted([*places, *self._found.get(_LAST, ())])
        return {place: self._nodes[place].attributes for place in found}

    def _named_frames(self, parts: dict[int, dict[str, str | None]], body: int) -> Iterator[int]:
        """The places of elements that are called as frames usually are; `body` is the address of
        the body, whose headers are frames by their place."""
        for name in ("td", "p"):
            for place in self._places(name):
                # Hardly any has attributes: to see that is faster than to ask for one.
                given = self._nodes[place].attributes
                if given and (said := given.get("class")) and _FRAME.search(said):
                    yield place
        for place, given in parts.items():
            if (said := given.get("class")) and _FRAME.search(said):
                yield place
        for place in self._places("header"):
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
    places = found._found = defaultdict(list)
    for place, number in enumerate(map(_number, nodes)):
        places[number if number < _LAST else _LAST].append(place)
    named = sorted((place, name) for name in _OF_HEAD for place in found._places(name))
    for place, name in named:
        if name == "title" and ancestor(nodes[place], "svg") is not None:
            places[_NUMBERS[name]].remove(place)
        else:
            found.head.append(Tag(name, nodes[place], nodes[place].attributes))
    return found


def _wanted(root: LexborNode) -> list[LexborNode]:
    """The elements that say something, of an element and all inside."""
    return [node for node in root.traverse() if node.tag_id not in _SILENT]


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


def _within(places: list[int], stretches: Iterable[tuple[int, int]]) -> list[int]:
    """Those of some places, in order, that lie within one of the stretches."""
    return [
        place
        for start, stop in stretches
        for place in places[bisect_left(places, start) : bisect_left(places, stop)]
    ]


def _bare(references: Iterable[str | None]) -> set[str]:
    """References without fragments: many differ in nothing else."""
    found = {said.partition("#")[0] for said in references if said}
    return {bare for said in found if (bare := said.strip())}


def text(node: LexborNode) -> str | None:
    """The text of an element on one line."""
    # Documentation generators end a heading with a link to itself, shown as a pilcrow.
    return " ".join(node.text(separator="").split()).removesuffix("¶").rstrip() or None


def attribute(node: LexborNode | None, name: str) -> str | None:
    """The value of an attribute, None where it is empty."""
    value = node.attributes.get(name) if node is not None else None
    return value.strip() if value and value.strip() else None


def ancestor(node: LexborNode, tag: str) -> LexborNode | None:
    """The nearest element of a name around another."""
    parent = node.parent
    while parent is not None and parent.tag != tag:
        parent = parent.parent
    return parent
