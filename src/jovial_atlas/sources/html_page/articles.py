"""The articles of a page: what it is about, others that it lists, or the parts of one text."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from selectolax.lexbor import LexborNode


def ancestor(node: LexborNode, tag: str) -> LexborNode | None:
    """The nearest element of a name around another."""
    parent = node.parent
    while parent is not None and parent.tag != tag:
        parent = parent.parent
    return parent


def own_articles(every: Sequence[LexborNode]) -> list[LexborNode]:
    """Of articles those that stand in no other and are no remarks of readers; of an article and
    teasers for others the article alone: it has the only h1, and most of the text."""
    outer = [node for node in every if ancestor(node, "article") is None and not is_beside(node)]
    titled = [node for node in outer if node.css_first("h1") is not None]
    if len(outer) > 1 and len(titled) == 1:
        sizes = [len(node.text()) for node in outer]
        if 2 * len(titled[0].text()) > sum(sizes):
            return titled
    return outer or list(every[:1])


#: From this share of articles on that lead to a page, each to one of its own, they list pages.
_LEADING, _APART = 0.5, 0.8


def lead_on(articles: Sequence[LexborNode]) -> bool:
    """Whether articles are those that a page lists: by its heading, or by all of its links, each
    leads to another page. Chapters of a text, and functions of a module, name each other, or the
    same pages again and again."""
    led = [target for node in articles if (target := _leads_to(node))]
    titled = sum(by_heading for _, by_heading in led)
    apart = {target for target, _ in led}
    least = _LEADING * len(articles)
    return titled >= least or (len(led) >= least and len(apart) >= _APART * len(led))


def _leads_to(article: LexborNode) -> tuple[str, bool] | None:
    """Where the heading of an article leads, else all of its links, and which of both it is; None
    where they lead to several pages, or nowhere."""
    targets = set()
    for link in article.css("a[href]"):
        target = (link.attributes.get("href") or "").strip().partition("#")[0]
        if not target or target.lower().startswith(("mailto:", "tel:", "javascript:")):
            continue
        said = len(link.text().strip())
        # A sign alone, as one to edit a text with, leads readers nowhere.
        if not said and link.css_first("img, svg, picture") is None:
            continue
        heading = _heading_around(link, article)
        if link.css_first(_HEADING) is not None or (
            heading is not None and said > _NAMING * len(heading.text().strip())
        ):
            return target, True
        targets.add(target)
    return (targets.pop(), False) if len(targets) == 1 else None


_HEADING = "h1, h2, h3, h4, h5, h6"
_HEADINGS = frozenset(_HEADING.split(", "))
#: A link in a heading is what the heading leads to where it is more than this share of it.
_NAMING = 0.5


def _heading_around(node: LexborNode, article: LexborNode) -> LexborNode | None:
    at = node.parent
    while at is not None and at.mem_id != article.mem_id:
        if at.tag in _HEADINGS:
            return at
        at = at.parent
    return None


#: How parts are called that stand beside what a page is about: remarks of readers, other articles.
_BESIDE = re.compile(
    r"(?:^|[\s_-])(?:comments?|replies|related|recommended|recent|similar|teasers?)(?:$|[\s_-])",
    re.I,
)
#: So many elements around one are asked.
_LEVELS = 6


def is_beside(node: LexborNode) -> bool:
    """Whether an element stands in a part of remarks or of other articles."""
    at: LexborNode | None = node
    for _ in range(_LEVELS):
        if at is None or at.tag in ("body", "main"):
            return False
        given = at.attributes
        if _BESIDE.search(f"{given.get('class') or ''} {given.get('id') or ''}"):
            return True
        at = at.parent
    return False


def around_all(nodes: Sequence[LexborNode]) -> LexborNode | None:
    """The nearest element around all of some elements."""
    first, *others = nodes
    chain = list(_above(first))
    for node in others:
        above = {one.mem_id for one in _above(node)}
        chain = [one for one in chain if one.mem_id in above]
    return chain[0] if chain else None


def _above(node: LexborNode) -> Iterator[LexborNode]:
    at = node.parent
    while at is not None:
        yield at
        at = at.parent
