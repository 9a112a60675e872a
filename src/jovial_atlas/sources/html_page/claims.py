"""Author, date and tags of a page, and what it says that it is: what each place says of them, and
whose word counts.

The places are those of the site file (`[dates]`, `[authors]`, `[tags]`): metas, structured data in
each of its syntaxes, what is shown to a reader. Where a page lists others, what is said of those is
not said of the page.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import partial
from typing import Any

from selectolax.lexbor import LexborNode

from jovial_atlas import dates
from jovial_atlas.sources.html_page.articles import is_beside
from jovial_atlas.sources.html_page.byline import (
    dateline,
    shown_author,
    shown_date,
    shown_tags,
)
from jovial_atlas.sources.html_page.context import OpenPage
from jovial_atlas.sources.html_page.outline import attribute
from jovial_atlas.structured.nodes import Node

_MODIFIED = frozenset(
    {"article:modified_time", "og:updated_time", "last-modified", "dcterms.modified",
     "dc.date.modified", "datemodified", "modified"}
)  # fmt: skip
_PUBLISHED = frozenset(
    {"article:published_time", "dcterms.created", "dcterms.issued", "dc.date", "dc.date.issued",
     "datepublished", "date", "pubdate"}
)  # fmt: skip

#: Types of nodes that say what a page is → what that is.
_DECLARED = {
    **dict.fromkeys(
        ("Article", "BlogPosting", "NewsArticle", "TechArticle", "ScholarlyArticle", "Report",
         "SocialMediaPosting", "LiveBlogPosting", "APIReference", "HowTo", "Recipe"), "article"),
    **dict.fromkeys(("CollectionPage", "Blog", "ItemList"), "listing"),
    **dict.fromkeys(("Product", "ProductGroup", "IndividualProduct", "ItemPage"), "product"),
    **dict.fromkeys(
        ("Event", "BusinessEvent", "CourseInstance", "EducationEvent", "ExhibitionEvent",
         "Festival", "FoodEvent", "LiteraryEvent", "MusicEvent", "SocialEvent", "SportsEvent",
         "TheaterEvent", "VisualArtsEvent"), "event"),
    "SearchResultsPage": "search", "ProfilePage": "author",
}  # fmt: skip
#: The same by `og:type`; of words with a dot the part before it.
_SHARED = {"article": "article", "product": "product", "profile": "author", "event": "event"}
#: Nodes that never speak of the page itself.
_REMARKS = frozenset({"Comment", "Review", "UserReview", "CriticReview", "Question", "Answer"})
_MOST_TAGS = 50
#: Syntaxes of structured data, as `structured.read` names them.
_SYNTAXES = ("json-ld", "microdata", "rdfa")
#: Nodes of the page, each with its syntax.
_Nodes = list[tuple[str, Node]]


def read_claims(metas: dict[str, str], modified: float | None, page: OpenPage) -> None:
    """Fill author, tags, dates and what the page says that it is."""
    row, trust = page.row, page.reading
    nodes, lists = _own_nodes(page)
    row["declared"] = _declared(nodes, metas, page, lists=lists)
    _read_dates(metas, nodes, modified, page)
    authors: dict[str, Callable[[], str | None]] = {
        "byline": lambda: shown_author(page),
        "meta": lambda: _named_author(metas),
        **{syntax: partial(_author, nodes, page, syntax) for syntax in _SYNTAXES},
    }
    row["author"], author_from = _first(authors, trust.authors)
    metas_tags, keywords = _of_metas(page)
    tags: dict[str, Callable[[], list[str]]] = {
        "meta": lambda: metas_tags,
        "keywords": lambda: keywords,
        "links": lambda: shown_tags(page),
        **{syntax: partial(_keywords, nodes, syntax) for syntax in _SYNTAXES},
    }
    said, tags_from = _first(tags, trust.tags)
    row["tags"] = list(dict.fromkeys(said or ()))[:_MOST_TAGS] or None
    row["read_from"] = _told(
        heading=str(page.heading.tag) if page.heading is not None else None,
        language=page.language_from, author=author_from, tags=tags_from,
    )  # fmt: skip


def _told(**places: str | None) -> str | None:
    """`name=place` for what has a place."""
    return " ".join(f"{name}={place}" for name, place in places.items() if place) or None


def _first(
    places: Mapping[str, Callable[[], Any]], trust: Iterable[str]
) -> tuple[Any | None, str | None]:
    """The value of the first place that has one, and that place."""
    for place in trust:
        if place in places and (value := places[place]()):
            return value, place
    return None, None


def _types(node: Node) -> list[str]:
    kinds = node.get("@type")
    return [one for one in (kinds if isinstance(kinds, list) else [kinds]) if isinstance(one, str)]


def _own_nodes(page: OpenPage) -> tuple[_Nodes, bool]:
    """The nodes that may speak of the page; and whether one syntax has several articles, which are
    those that the page lists."""
    nodes = [(one.syntax, one.node) for one in page.nodes if _REMARKS.isdisjoint(_types(one.node))]
    if len(nodes) < 2:
        return nodes, False
    articles = [syntax for syntax, node in nodes if _is_article(node)]
    several = {syntax for syntax in articles if articles.count(syntax) > 1}
    own = [(s, node) for s, node in nodes if s not in several or not _is_article(node)]
    return own, bool(several)


def _is_article(node: Node) -> bool:
    return any(_DECLARED.get(kind) == "article" for kind in _types(node))


def _declared(
    nodes: _Nodes, metas: Mapping[str, str], page: OpenPage, *, lists: bool
) -> str | None:
    """What the page says that it is, by its structured data, `og:type`, its articles and
    microformats."""
    if lists or len(page.outline.articles) > 1:
        return "listing"
    by_nodes = [_DECLARED[one] for _, node in nodes for one in _types(node) if one in _DECLARED]
    shared = _SHARED.get(metas.get("og:type", "").partition(".")[0].lower())
    # What a page is about says more than that it lists something beside it.
    for kind in ("search", "event", "product", "article", "author"):
        if kind in by_nodes or kind == shared:
            return kind
    if b"h-feed" in page.near or b"h-event" in page.near:
        tree = page.outline.tree
        if tree.css_first(".h-feed") is not None:
            return "listing"
        if tree.css_first(".h-event") is not None:
            return "event"
    return "listing" if "listing" in by_nodes else None


def _author(nodes: _Nodes, page: OpenPage, syntax: str) -> str | None:
    """The first person that structured data names as the author. (Of an organisation that publishes
    everything the byline knows more.)"""
    named: list[str] = []
    for own, node in nodes:
        given = node.get("author") if own == syntax else None
        for one in given if isinstance(given, list) else [given]:
            maker = _resolved(one, page)
            name = maker.get("name") if isinstance(maker, dict) else maker
            if isinstance(name, list):
                name = name[0] if name else None
            if not isinstance(name, str) or not name.strip() or "://" in name:
                continue
            if not isinstance(maker, dict) or "Organization" not in _types(maker):
                return name.strip()
            named.append(name.strip())
    return None if not named else shown_author(page) or named[0]


def _resolved(value: Any, page: OpenPage) -> Any:
    """The node that a reference within the page leads to."""
    if isinstance(value, dict) and "name" not in value and (name := value.get("@id")):
        return next((n.node for n in page.nodes if n.node.get("@id") == name and "name" in n.node),
                    value)  # fmt: skip
    return value


def _named_author(metas: Mapping[str, str]) -> str | None:
    keys = ("author", "article:author", "dc.creator", "citation_author")
    given = (metas.get(key) for key in keys)
    return next((one for one in given if one and "://" not in one), None)


def _of_metas(page: OpenPage) -> tuple[list[str], list[str]]:
    """The tags that metas name, and the keywords."""
    tags: list[str] = []
    keywords: list[str] = []
    for given in page.metas:
        key = (given.get("name") or given.get("property") or "").strip().lower()
        if key in ("article:tag", "tags", "keywords", "news_keywords"):
            words = [one.strip() for one in (given.get("content") or "").split(",")]
            (keywords if "keywords" in key else tags).extend(one for one in words if one)
    return tags, keywords


def _keywords(nodes: _Nodes, syntax: str) -> list[str]:
    """`keywords` of nodes that say what the page is: a list, or words with commas between them."""
    found: list[str] = []
    for own, node in nodes:
        given = node.get("keywords") if own == syntax else None
        for one in given if isinstance(given, list) else [given]:
            name = one.get("name") if isinstance(one, dict) else one
            if isinstance(name, str) and "://" not in name:
                found += [word.strip() for word in name.split(",") if word.strip()]
    return found


def _read_dates(
    metas: Mapping[str, str], nodes: _Nodes, modified: float | None, page: OpenPage
) -> None:
    """Published, and the last change from the most trusted place that has it."""
    row = page.row
    #: Places that have dates; most have none.
    places: dict[str, Iterable[str]] = {}
    if not _PUBLISHED.isdisjoint(metas):
        places["meta"] = [metas[key] for key in metas if key in _PUBLISHED]
    times = page.outline.all("time")
    for syntax in _SYNTAXES if nodes else ():
        places[syntax] = _strings(nodes, syntax, "datePublished")
    if times:
        places["time"] = _times(times, "datepublished", "published")
    published, where, changed = _published(places, page)
    row["published"], row["published_from"] = published, where
    places = {}
    if not _MODIFIED.isdisjoint(metas):
        places["meta"] = [metas[key] for key in metas if key in _MODIFIED]
    for syntax in _SYNTAXES if nodes else ():
        places[syntax] = _strings(nodes, syntax, "dateModified")
    if times:
        places["time"] = _times(times, "datemodified", "updated", "modified")
    if changed:
        places["words"] = [changed]
    if published:
        places["published"] = [published]
    if page.file.committed:
        places["git"] = [page.file.committed]
    if modified is not None:
        places["file"] = map(dates.from_timestamp, [modified])
    row["lastmod"], row["lastmod_from"] = _first_date(page, places, page.reading.trust)


def _published(
    places: Mapping[str, Iterable[str]], page: OpenPage
) -> tuple[str | None, str | None, str | None]:
    """The date of publication and its place: where tags say it, else where it is shown; and the
    date of the last change that is shown beside it."""
    published, where = _first_date(page, places, places)
    if published is None and (published := shown_date(page)):
        where = "time"
    if published is not None or page.row["declared"] == "event":
        return published, where, None
    published, changed = dateline(page)
    return published, "words" if published else None, changed


#: Places whose dates are in the product's form already.
_IN_FORM = frozenset({"published", "words", "git", "file"})


def _first_date(
    page: OpenPage, places: Mapping[str, Iterable[str]], trust: Iterable[str]
) -> tuple[str | None, str | None]:
    """The date of the first place that has one that can be right, and that place."""
    for place in trust if places else ():
        for written in places.get(place, ()):
            if not written:
                continue
            read = written if place in _IN_FORM else dates.read(written)
            if read is None:
                page.fault("date-unreadable", f"The {place} date {written[:60]!r} is no date.")
            elif not dates.plausible(read, page.reading.now):
                page.fault(
                    "date-implausible",
                    f"The {place} date {written[:60]!r} lies in the future or before 1990; "
                    "it is not used.",
                )
            else:
                return read, place
    return None, None


def _strings(nodes: _Nodes, syntax: str, key: str) -> Iterator[str]:
    for own, node in nodes:
        value = node.get(key) if own == syntax else None
        if isinstance(value, str) and value.strip():
            yield value


def _times(nodes: Iterable[LexborNode], prop: str, *classes: str) -> Iterator[str]:
    """Values of time elements that say by `itemprop` or class what they date; any other
    time element may be the date of an event."""
    for node in nodes:
        words = (
            " ".join((node.attributes.get(name) or "") for name in ("itemprop", "class"))
            .lower()
            .split()
        )
        said = attribute(node, "datetime")
        dated = said and (prop in words or any(name in words for name in classes))
        if said and dated and not is_beside(node):
            yield said
