"""The heading of a page: what it is called where a reader sees it."""

from __future__ import annotations

import re

from selectolax.lexbor import LexborNode

from jovial_atlas import addresses
from jovial_atlas.sources.html_page.articles import ancestor
from jovial_atlas.sources.html_page.context import OpenPage
from jovial_atlas.sources.html_page.outline import attribute, lies_in, text

#: Elements that are called as titles are, for pages without an h1.
_TITLES = "h2, h3, [itemprop~=headline], .p-name, .title, .page-title, .post-title, .entry-title"
#: So many of them are looked at.
_MOST = 8
_FRAMES = frozenset({"header", "nav", "aside", "footer"})
#: The sign of a link to a heading is no longer than this.
_LONGEST_SIGN = 2
_CONTENT = frozenset({"article", "main"})


def heading_node(page: OpenPage) -> LexborNode | None:
    """The element with the heading: the first h1 of the main content, or else the first that is not
    the name of the site above it. An article below such a name has its title in its first h2, and
    so have the parts of some books."""
    headings = [node for node in page.outline.all("h1") if text(node)]
    if not headings:
        return _titled(page) or _only(page)
    own = [node for node in headings if not _is_banner(node, page)]
    if own:
        first = own[0] if len(own) == 1 else _inside(own, page)
        if not _is_titled(first, page):
            return _titled(page, whole=True) or first
        return _beginning(first, page) or first
    subject = page.outline.subject
    second = subject.css_first("h1, h2") if subject is not None else None
    return second if second is not None else headings[0]


def heading_text(node: LexborNode) -> str | None:
    """The text of a heading, without the sign of the link to itself that generators put before or
    behind it."""
    whole = text(node)
    link = node.css_first('a[href^="#"]') if whole else None
    sign = (text(link) or "") if link is not None else ""
    if whole and sign and len(sign) <= _LONGEST_SIGN and not any(map(str.isalnum, sign)):
        whole = whole.removesuffix(sign).removeprefix(sign).strip()
    return whole or None


def _inside(headings: list[LexborNode], page: OpenPage) -> LexborNode:
    """Of several headings the first in the main content, unless the title of the page names the
    first of all, and not that one."""
    main, title = _marked_main(page), page.row["title"] or ""
    first = headings[0]
    if main is None:
        return first
    inner = next((node for node in headings if lies_in(node, main)), first)
    named = [(heading_text(node) or "") in title for node in (first, inner)]
    return first if named == [True, False] else inner


def _marked_main(page: OpenPage) -> LexborNode | None:
    """The element that is marked as the main content, or is the only article."""
    outline = page.outline
    subject = outline.first("main") or outline.subject
    body = outline.tree.body
    if subject is None and body is not None and b"role" in page.near:
        return body.css_first("[role=main]")
    return subject


def _is_titled(node: LexborNode, page: OpenPage) -> bool:
    """Whether the title of the page, where it has one, names a heading."""
    title = page.row["title"]
    return not title or _plain(heading_text(node)) in title.casefold()


def _titled(page: OpenPage, *, whole: bool = False) -> LexborNode | None:
    """Of a page without an h1 the first element that is called as titles are, where the title of
    the page names it; or, as `whole`, is it: then it counts over an h1 that is the site's."""
    root, title = page.outline.tree.root, (page.row["title"] or "").casefold()
    nodes = root.css("h2, h3" if whole else _TITLES)[:_MOST] if root is not None and title else []
    for node in nodes:
        said = _plain(heading_text(node))
        if said and (said == title or (not whole and _names(title, said))):
            return node
    return None


def _names(title: str, said: str) -> bool:
    """Whether a title has these words, and not as a part of longer ones."""
    place = title.find(said)
    while place >= 0:
        if _is_edge(title, place) and _is_edge(title, place + len(said)):
            return True
        place = title.find(said, place + 1)
    return False


def _is_edge(words: str, place: int) -> bool:
    """Whether a word begins or ends at a place: one of the two signs beside it belongs to words."""
    before, behind = words[place - 1 : place], words[place : place + 1]
    return _is_of_word(before) != _is_of_word(behind)


def _is_of_word(sign: str) -> bool:
    return sign.isalnum() or sign == "_"


def _beginning(first: LexborNode, page: OpenPage) -> LexborNode | None:
    """The first heading of the main content, where the title begins with it, and the h1 is above
    that content and stands later in the title: there it is the name of a book."""
    title = (page.row["title"] or "").casefold()
    if not title or title.startswith(_plain(heading_text(first))):
        return None
    main = _marked_main(page)
    if main is None:
        return _begins_title(title, page)
    if lies_in(first, main):
        return None
    node = main.css_first("h1, h2")
    said = _plain(heading_text(node)) if node is not None else ""
    begins = bool(said) and title.startswith(said) and _is_edge(title, len(said))
    return node if begins else None


def _begins_title(title: str, page: OpenPage) -> LexborNode | None:
    """The first h2 with which a title begins, up to a sign: the h1 behind that is the site's."""
    for node in page.outline.all("h2")[:_MOST]:
        said = _plain(heading_text(node))
        if said and title.startswith(said) and _SIGN.match(title, len(said)):
            return node
    return None


_SIGN = re.compile(r"\s+(?:[-–—|·»•]|--+|::)\s+")


def _only(page: OpenPage) -> LexborNode | None:
    """Of a page without an h1 the one heading of the highest level in its main content, where there
    are no more of that level: parts of a text are several."""
    main = _marked_main(page) or page.outline.tree.body
    if main is None or len(page.outline.articles) > 1:
        return None
    for level in ("h2", "h3", "h4"):
        nodes = [node for node in main.css(level)[:_MOST] if text(node) and not _is_framed(node)]
        if nodes:
            return nodes[0] if len(nodes) == 1 else None
    return None


def _plain(heading: str | None) -> str:
    """A heading without its number, as titles have it."""
    return _NUMBER.sub("", heading or "", count=1).casefold()


_NUMBER = re.compile(r"^(?:\d+(?:\.\d+)*|[A-Z](?:\.\d+)+)\.?\s+")


def _is_framed(node: LexborNode) -> bool:
    """Whether an element stands in a part around the main content."""
    above = node.parent
    while above is not None and above.tag not in _CONTENT:
        if above.tag in _FRAMES or _is_head_of_page(above):
            return True
        above = above.parent
    return False


def _is_head_of_page(node: LexborNode) -> bool:
    """Whether a part calls itself the head of the page, as older themes do."""
    if node.tag != "div":
        return False
    values = node.attributes
    names = f"{values.get('id') or ''} {values.get('class') or ''}".lower().split()
    return values.get("role") == "banner" or not _HEADS.isdisjoint(names)


_HEADS = frozenset({"header", "banner", "masthead", "navbar"})


def _is_banner(node: LexborNode, page: OpenPage) -> bool:
    """Whether a heading stands in a frame of the page, and only leads to the home page."""
    if not _is_framed(node) or any(ancestor(node, name) is not None for name in _CONTENT):
        return False
    link = node.css_first("a[href]")
    target = page.resolve(attribute(link, "href")) if link is not None else None
    return bool(target) and addresses.path_and_query(str(target)) in ("/", "/index.html")
