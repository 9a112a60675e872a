"""The heading of a page: what it is called where a reader sees it."""

from __future__ import annotations

from selectolax.lexbor import LexborNode

from jovial_atlas import addresses
from jovial_atlas.sources.html_page.context import OpenPage
from jovial_atlas.sources.html_page.outline import attribute, text

#: Elements that are called as titles are, for pages without an h1.
_TITLES = "h2, h3, [itemprop~=headline], .p-name, .title, .page-title, .post-title, .entry-title"
#: So many of them are looked at.
_MOST = 8
_FRAMES = frozenset({"header", "nav", "aside", "footer"})
_CONTENT = frozenset({"article", "main"})


def heading_node(page: OpenPage) -> LexborNode | None:
    """The element with the heading: the first h1 of the main content, or else the first that is not
    the name of the site above it. An article below such a name has its title in its first h2, and
    so have the parts of some books."""
    headings = [node for node in page.outline.all("h1") if text(node)]
    if not headings:
        return _titled(page)
    for node in headings:
        if not _is_banner(node, page):
            return node
    subject = page.outline.subject
    second = subject.css_first("h1, h2") if subject is not None else None
    return second if second is not None else headings[0]


def _titled(page: OpenPage) -> LexborNode | None:
    """Of a page without an h1 the first element that is called as titles are, where the title of
    the page names it."""
    root, title = page.outline.tree.root, page.row["title"] or ""
    nodes = root.css(_TITLES)[:_MOST] if root is not None and title else []
    return next((node for node in nodes if (said := text(node)) and said in title), None)


def _is_banner(node: LexborNode, page: OpenPage) -> bool:
    """Whether a heading stands in a frame of the page, and only leads to the home page."""
    framed = False
    above = node.parent
    while above is not None:
        if above.tag in _CONTENT:
            return False
        framed = framed or above.tag in _FRAMES
        above = above.parent
    if not framed:
        return False
    link = node.css_first("a[href]")
    target = page.resolve(attribute(link, "href")) if link is not None else None
    return bool(target) and addresses.path_and_query(str(target)) in ("/", "/index.html")
