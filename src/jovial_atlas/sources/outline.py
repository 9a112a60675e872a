"""The outline of one HTML page: its elements, found in one walk, and its main content.

Knows nothing of rows or of what elements mean; `page_head` and `page_body` read them.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from selectolax.lexbor import LexborHTMLParser, LexborNode

# Each selector costs a comparison an element: plain names are compared fastest, all of them in
# one walk, and not at all for elements that most pages are full of. (What stands inside texts,
# lists and tables is no part of a page by its role, which ARIA in HTML does not allow there.)
_WANTED = (
    ":not(a, code, td, tr, dd, dt, li, em, strong, b, i, tt, th, br):is("
    "meta, link, script, h1, title, time, video, main, article, nav, aside, form, footer, style, "
    "noscript, template, base, area, frame, iframe, embed, object, frameset, [role])"
)
_NOT_CONTENT = ("script", "style", "noscript", "template", "nav", "aside", "form", "footer")
_OF_HEAD = frozenset({"meta", "link", "title", "script", "style"})
#: Elements whose attributes say nothing of their part in the page.
_PLAIN = frozenset({"meta", "link", "script", "style", "title"})
_WITHOUT_LINKS = frozenset({"script", "style", "template"})
_FRAME_ROLES = frozenset({"banner", "contentinfo"})
# Where a page marks no main content, its frame is guessed from how frames are usually named.
_FRAME = (
    ":is(body > header, [class^=nav], [class*=' nav'], [class*=breadcrumb], [class*=sidebar], "
    "[class*=footer])"
)


@dataclass(slots=True)
class Outline:
    """The elements of a page by name, in document order; and, once `take_apart` has parted
    them, what the main content shows (`a`, `img`, `p`) and the links of the frame around it.

    Elements in `named` must be read before the page is taken apart.
    """

    tree: LexborHTMLParser
    named: dict[str, list[LexborNode]] = field(default_factory=dict)
    roles: list[tuple[str, LexborNode]] = field(default_factory=list)
    main: LexborNode | None = None
    shown: dict[str, list[LexborNode]] = field(default_factory=dict)
    framed: set[str] = field(default_factory=set)
    _order: list[LexborNode] = field(default_factory=list)

    def all(self, name: str) -> list[LexborNode]:
        return self.named.get(name, [])

    def of_head(self) -> Iterator[LexborNode]:
        """The elements that belong into a head, in document order, drawings' titles left out."""
        for node in self._order:
            if node.tag in _OF_HEAD and (node.tag != "title" or ancestor(node, "svg") is None):
                yield node

    def first(self, name: str) -> LexborNode | None:
        return next(iter(self.all(name)), None)

    def take_apart(self) -> None:
        """Part the main content from the frame around it and from all that is no content."""
        marked = [*self.all("main"), *(n for role, n in self.roles if role == "main")]
        marked += self.all("article")
        main = self.main = marked[0] if marked else self.tree.body
        self.shown = {"a": [], "img": [], "p": []}
        if main is None:
            return
        self._drop(self._frame(bool(marked)), main)
        if not marked:
            self._drop(main.css(_FRAME), main)
        for node in main.css(":is(a, p, img)"):
            self.shown[str(node.tag)].append(node)

    def rest(self) -> None:
        """Take the main content out as well: its elements are gone, the links beside it are
        in `framed`."""
        root = self.tree.root
        if self.main is None or root is None or self.main.tag == "body":
            return
        self.main.decompose(recursive=False)
        self.framed |= links(root.css("a"))

    def _frame(self, marked: bool) -> list[LexborNode]:
        unwanted = {node.mem_id for name in _NOT_CONTENT for node in self.all(name)}
        for role, node in self.roles:
            if role == "navigation" or (not marked and role in _FRAME_ROLES):
                unwanted.add(node.mem_id)
        return [node for node in self._order if node.mem_id in unwanted]

    def _drop(self, nodes: list[LexborNode], main: LexborNode) -> None:
        """Take elements out, and keep their links. In reverse document order, so that what
        stands inside another one is gone before it."""
        kept = {main.mem_id}
        above = main.parent
        while above is not None:
            kept.add(above.mem_id)
            above = above.parent
        for node in reversed(nodes):
            if node.mem_id in kept:
                continue
            if node.tag not in _WITHOUT_LINKS:
                self.framed |= links(node.css("a"))
            # Taken out of the tree, but not apart: the whole tree is freed at once anyway.
            node.decompose(recursive=False)


def outline(tree: LexborHTMLParser) -> Outline:
    """The outline of a parsed page."""
    found = Outline(tree)
    found._order = tree.css(_WANTED)
    for node in found._order:
        name = str(node.tag)
        found.named.setdefault(name, []).append(node)
        if name in _PLAIN:
            continue
        if role := node.attrs.get("role"):
            found.roles.append((role, node))
    return found


def links(nodes: Iterable[LexborNode], name: str = "href") -> set[str]:
    """References of elements without their fragments: many differ in nothing else."""
    given = {(node.attrs.get(name) or "").partition("#")[0].strip() for node in nodes}
    given.discard("")
    return given


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
