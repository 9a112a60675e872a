"""What a page says of itself in its visible text: its heading, author, date and tags.

Read from the classes and attributes that are used for it (microformats 2 and their older classes,
`rel`, microdata), and from where `address` and `time` stand; only where head and structured data
say nothing, and never from the entries of a listing.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from selectolax.lexbor import LexborNode

from jovial_atlas import addresses, dates
from jovial_atlas.sources.html_page.context import OpenPage
from jovial_atlas.sources.html_page.outline import attribute, text

_AUTHOR = "[rel~=author], [itemprop~=author], .p-author, .author, .byline, address"
#: What in a byline is the name.
_NAME = ".p-name, .fn, [itemprop~=name], a"
_DATED = "time, abbr.published, .dt-published, [itemprop~=datePublished]"
_TAG = '[rel~=tag], .p-category, a[href*="/tag/"], a[href*="/tags/"], a[href^="tag/"]'
_BY = re.compile(r"(?:by|von|par|por|di|door|av|af|autor|author|posted by)\b[\s:]*", re.I)
#: A byline longer than this is a text about somebody.
_LONGEST_NAME = 80
_MOST_TAGS = 50
#: What parts of pages say with their time where it is that of publication.
_PUBLISHED = frozenset({"published", "dt-published", "datepublished", "pubdate", "entry-date"})
_CHANGED = frozenset({"updated", "dt-updated", "datemodified", "modified"})


def heading_of(page: OpenPage) -> str | None:
    """The heading: the first h1 of the main content, or else the first that is not the name of the
    site above it. An article below such a name has its title in its first h2, and so have the parts
    of some books."""
    headings = page.outline.all("h1")
    if not headings:
        return _titled(page)
    for node in headings:
        if not _is_banner(node, page):
            return text(node)
    subject = page.outline.subject
    second = subject.css_first("h1, h2") if subject is not None else None
    return text(second if second is not None else headings[0])


def _titled(page: OpenPage) -> str | None:
    """Of a page without an h1 the first h2 or h3, where the title of the page names it."""
    root = page.outline.tree.root
    node = root.css_first("h2, h3") if root is not None else None
    said = text(node) if node is not None else None
    return said if said and said in (page.row["title"] or "") else None


def _is_banner(node: LexborNode, page: OpenPage) -> bool:
    """Whether a heading stands in the head of the page, and only leads to the home page."""
    above = node.parent
    while above is not None and above.tag not in ("header", "article", "main", "nav"):
        above = above.parent
    if above is None or above.tag not in ("header", "nav"):
        return False
    outer = above.parent
    while outer is not None:
        if outer.tag in ("article", "main"):
            return False
        outer = outer.parent
    link = node.css_first("a[href]")
    target = page.resolve(attribute(link, "href")) if link is not None else None
    return bool(target) and addresses.path_and_query(str(target)) in ("/", "/index.html")


def read_byline(metas: dict[str, str], page: OpenPage) -> None:
    """Fill author, date of publication and tags where head and structured data say nothing."""
    row, octets = page.row, page.octets
    tags = _of_metas(page)
    subject = page.outline.subject
    if subject is not None:
        if not row["author"] and (
            b"author" in octets or b"address" in octets or b"byline" in octets
        ):
            row["author"] = _author(subject)
        if not row["published"] and (b"<time" in octets or b"published" in octets):
            _read_date(subject, page)
        if not tags and (b"/tag" in octets or b'"tag' in octets or b"p-category" in octets):
            tags = _tags(subject)
    if not row["author"]:
        given = (
            metas.get("article:author") or metas.get("dc.creator") or metas.get("citation_author")
        )
        row["author"] = given if given and "://" not in given else None
    row["tags"] = list(dict.fromkeys(tags))[:_MOST_TAGS] or None


def _of_metas(page: OpenPage) -> list[str]:
    """The tags that metas name: one each, or a list with commas."""
    single: list[str] = []
    listed: list[str] = []
    for given in page.metas:
        key = (given.get("name") or given.get("property") or "").strip().lower()
        content = (given.get("content") or "").strip()
        if key in ("article:tag", "tags") and content:
            single.append(content)
        elif key == "keywords" and content:
            listed += [word.strip() for word in content.split(",") if word.strip()]
    return single or listed


def _author(subject: LexborNode) -> str | None:
    for node in subject.css(_AUTHOR)[:5]:
        inner = node.css_first(_NAME)
        name = text(inner if inner is not None else node) or ""
        name = _BY.sub("", name, count=1).strip() if _BY.match(name) else name
        if name and len(name) <= _LONGEST_NAME:
            return name
    return None


def _read_date(subject: LexborNode, page: OpenPage) -> None:
    """The date that the page shows: one that says that it is that of publication, else the only one
    in the head or the foot of the article."""
    shown = subject.css(_DATED)[:20]
    said = next((node for node in shown if not _words(node).isdisjoint(_PUBLISHED)), None)
    if said is None:
        framed = [node for node in shown if node.tag == "time" and _is_framed(node, subject)
                  and _words(node).isdisjoint(_CHANGED)]  # fmt: skip
        said = framed[0] if len({attribute(node, "datetime") for node in framed}) == 1 else None
    if said is None:
        return
    written = next(
        (value for name in ("datetime", "title", "content") if (value := attribute(said, name))),
        text(said),
    )
    read = dates.read(written) if written else None
    if read is None or not dates.plausible(read, page.reading.now):
        return
    row = page.row
    row["published"], row["published_from"] = read, "time"
    if row["lastmod_from"] in (None, "git", "file") and "published" in page.reading.trust:
        trust = list(page.reading.trust)
        if row["lastmod_from"] is None or trust.index("published") < trust.index(
            str(row["lastmod_from"])
        ):
            row["lastmod"], row["lastmod_from"] = read, "published"


def _words(node: LexborNode) -> set[str]:
    given = node.attributes
    words = f"{given.get('class') or ''} {given.get('itemprop') or ''}".lower().split()
    return {*words, *(["pubdate"] if "pubdate" in given else [])}


def _is_framed(node: LexborNode, subject: LexborNode) -> bool:
    """Whether an element stands in a header or a footer of the subject, or in a part that is
    called after its data."""
    at = node.parent
    while at is not None and at.mem_id != subject.mem_id:
        if at.tag in ("header", "footer", "address"):
            return True
        if _META_PART.search(at.attributes.get("class") or ""):
            return True
        at = at.parent
    return False


_META_PART = re.compile(
    r"(?:^|[\s_-])(?:meta|byline|post-info|entry-info|date|dateline)(?:$|[\s_-])"
)


def _tags(subject: LexborNode) -> list[str]:
    nodes: Iterable[LexborNode] = subject.css(_TAG)
    return [said for node in nodes if (said := text(node))]
