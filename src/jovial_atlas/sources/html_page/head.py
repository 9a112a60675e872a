"""What the head of a page says: title, description, language, canonical, directives, dates."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from jovial_atlas import addresses, dates, languages
from jovial_atlas.pages.row import AlternateRow, CrawlerWordsRow
from jovial_atlas.robots.directives import read_directives
from jovial_atlas.robots.words import kept
from jovial_atlas.sources.html_page.claims import read_claims
from jovial_atlas.sources.html_page.context import OpenPage, References
from jovial_atlas.sources.html_page.data import read_nodes
from jovial_atlas.sources.html_page.heading import heading_node, heading_text
from jovial_atlas.sources.html_page.outline import attribute, text

_REFRESH = re.compile(r"\s*(\d+)\s*[;,]\s*(?:url\s*=)?\s*[\"']?([^\"']+)", re.I)


def read_head(page: OpenPage, modified: float | None) -> None:
    """Fill the row's columns that stand in the head. `modified` is the file's time in
    seconds since 1970."""
    page.metas = [
        tag.given for tag in page.outline.head if tag.name == "meta" and "content" in tag.given
    ]
    _read_base(page)
    read_nodes(page)
    metas = _metas(page)
    _read_texts(metas, page)
    _read_places(page)
    page.row["expires"] = _expires(metas, page.row["directives"])
    read_claims(metas, modified, page)


#: Tags that crawlers look for in the head: metas by name, links by rel.
_EARLY_METAS = frozenset({"description", "robots", "og:title", "og:image"})
#: Scripts and styles before such a tag: more of them, or more characters inside, is too late.
_MOST_BEFORE, _MOST_CHARACTERS = 8, 10_000


def _read_places(page: OpenPage) -> None:
    """Tags of the head that stand outside it, or behind much else."""
    before = characters = 0
    late: list[str] = []
    outside: list[str] = []
    for name, node, given, rel in page.outline.head:
        if name in ("script", "style") or "stylesheet" in rel:
            if (given.get("type") or "").lower() != "application/ld+json":
                before += 1
                characters += len(node.text(deep=True)) if name != "link" else 0
            continue
        kind = _early(name, given, rel)
        if not kind:
            continue
        parent = node.parent
        if parent is not None and parent.tag not in ("head", "noscript"):
            if not given.get("itemprop"):
                outside.append(kind)
        elif before > _MOST_BEFORE or characters > _MOST_CHARACTERS:
            late.append(kind)
    if outside:
        page.fault("head-outside", f"{', '.join(dict.fromkeys(outside))} in the body.")
    if late:
        first = ", ".join(dict.fromkeys(late))
        page.fault("head-late", f"{first} after {before} scripts and styles.")


def _early(name: str, given: dict[str, str | None], rel: Sequence[str]) -> str:
    """What a tag that crawlers look for is called, "" for another one."""
    if name == "meta":
        said = (given.get("name") or given.get("property") or "").strip().lower()
        return said if said in _EARLY_METAS else ""
    if name == "link":
        alternate = "alternate" in rel and given.get("hreflang")
        return "canonical" if "canonical" in rel else "hreflang" if alternate else ""
    return "title" if name == "title" else ""


def _expires(metas: dict[str, str], directives: str | None) -> str | None:
    """The date from which on the page is no longer valid."""
    given = (
        kept(directives).get("unavailable_after", ""),
        metas.get("article:expiration_time", ""),
    )
    return next((read for one in given if one and (read := dates.read(one))), None)


def _read_base(page: OpenPage) -> None:
    bases = page.outline.all("base")
    if not bases:
        return
    href = next((href for node in bases if (href := attribute(node, "href"))), None)
    base = addresses.resolve(page.file.loc, href) if href else None
    if not base:
        return
    page.references = References(base, page.reading.served)
    if addresses.origin(base) != addresses.origin(page.file.loc):
        page.fault(
            "base-elsewhere",
            f"The base element sends all relative links to another host: {base}.",
        )


def _metas(page: OpenPage) -> dict[str, str]:
    """Contents of meta elements by lower-cased name or property; the first of each counts."""
    metas: dict[str, str] = {}
    for attributes in page.metas:
        key = attributes.get("name") or attributes.get("property") or ""
        content = (attributes.get("content") or "").strip()
        if key and content:
            metas.setdefault(key.strip().lower(), content)
    return metas


def _named(page: OpenPage, key: str, value: str) -> list[str]:
    """Contents of the meta elements whose `key` (name, http-equiv) is `value`."""
    return [
        attributes.get("content") or ""
        for attributes in page.metas
        if (attributes.get(key) or "").strip().lower() == value
    ]


def _read_texts(metas: dict[str, str], page: OpenPage) -> None:
    row = page.row
    titles = [tag.node for tag in page.outline.head if tag.name == "title"]
    row["title"] = next((said for node in titles if (said := text(node))), None)
    if len(titles) > 1:
        page.fault("title-repeated", f"The page has {len(titles)} title elements.")
    page.heading = heading_node(page)
    row["heading"] = heading_text(page.heading) if page.heading is not None else None
    row["description"] = metas.get("description")
    row["share_image"] = page.resolve(metas.get("og:image") or metas.get("og:image:url"))
    row["share_title"] = metas.get("og:title")
    row["share_description"] = metas.get("og:description")
    row["card_title"] = metas.get("twitter:title")
    row["card_description"] = metas.get("twitter:description")
    row["share_type"] = metas.get("og:type")
    described = _named(page, "name", "description")
    if len(described) > 1:
        page.fault(
            "description-repeated",
            f"The page has {len(described)} descriptions; the first is used.",
        )
    row["language"], page.language_from = _language(metas, page)
    if row["language"] and (wrong := languages.fault_of(row["language"])):
        page.fault("language-wrong", f"lang {row['language']!r} {wrong}.")
    links = [(tag.given, tag.rel) for tag in page.outline.head if tag.name == "link"]
    _read_directives(page)
    _read_canonical(links, page)
    _read_alternates(links, page)
    _read_refresh(page)


def _language(metas: dict[str, str], page: OpenPage) -> tuple[str | None, str | None]:
    """The language that the page names, and where: at its root, else in its head."""
    root = page.outline.tree.root
    said = (root.attributes.get("lang") or root.attributes.get("xml:lang")) if root else None
    if said and said.strip():
        return said.strip(), "html"
    given = (
        *(("http-equiv", one) for one in _named(page, "http-equiv", "content-language")),
        *((name, metas.get(name)) for name in ("dc.language", "og:locale")),
    )
    for place, one in given:
        tag = (one or "").partition(",")[0].strip().replace("_", "-")
        if tag:
            return (tag, place) if not languages.fault_of(tag) else (None, None)
    return None, None


def _read_directives(page: OpenPage) -> None:
    row = page.row
    single: list[CrawlerWordsRow] = [
        {"crawler": token, "words": read_directives(said).words}
        for token in page.reading.crawlers
        if (said := _named(page, "name", token))
    ]
    row["crawler_directives"], row["directives"] = single or None, None
    tags = _named(page, "name", "robots")
    if not tags:
        return
    directives = read_directives(tags)
    names = {word.strip().lower() for tag in tags for word in tag.split(",")}
    for yes, no in (("index", "noindex"), ("follow", "nofollow"), ("all", "none")):
        if {yes, no} <= names or (yes == "all" and yes in names and "noindex" in names):
            message = (
                f"The robots meta tags say both {yes!r} and its opposite; the stricter counts."
            )
            page.fault("directive-contradiction", message)
    if len(tags) > 1:
        page.fault("directive-repeated", f"The page has {len(tags)} robots meta tags.")
    row["directives"] = directives.words or None
    if directives.unknown:
        page.fault(
            "directive-unknown",
            f"The robots meta tag says {', '.join(map(repr, directives.unknown))}, "
            "which no crawler knows.",
        )


#: Attributes of link elements, and what they say of the relation.
Links = Iterable[tuple[dict[str, str | None], list[str]]]


def _read_canonical(links: Links, page: OpenPage) -> None:
    named = []
    for given, rel in links:
        if "canonical" in rel:
            href = (given.get("href") or "").strip()
            if target := page.resolve(href):
                named.append(target)
                if not href.startswith(("https://", "http://")):
                    message = f"The canonical {href!r} is no absolute address."
                    page.fault("canonical-relative", message)
            else:
                page.fault("canonical-unusable", f"The canonical {href!r} is no page address.")
    if len(set(named)) > 1:
        page.fault(
            "canonical-repeated",
            f"The page names {len(set(named))} canonicals; crawlers then trust none. "
            f"The first, {named[0]}, is used.",
        )
    if not named or not page.reading.honour_canonical:
        return
    canonical = page.row["canonical"] = named[0]
    own = page.file.loc
    if canonical == own:
        return
    if addresses.origin(canonical) == addresses.origin(own) and addresses.ending_free(
        canonical
    ) == addresses.ending_free(own):
        page.row["loc"] = canonical


def _read_alternates(links: Links, page: OpenPage) -> None:
    alternates: list[AlternateRow] = []
    for given, rel in links:
        language = (given.get("hreflang") or "").strip()
        if not language or "alternate" not in rel:
            continue
        wrong = None if language.lower() == "x-default" else languages.fault_of(language)
        target = page.resolve((given.get("href") or "").strip())
        if wrong:
            page.fault("hreflang-unknown", f"hreflang {language!r} {wrong}.")
        elif target:
            alternates.append({"lang": languages.canonical(language), "href": target})
    page.row["alternates"] = alternates or None


def _read_refresh(page: OpenPage) -> None:
    content = next(iter(_named(page, "http-equiv", "refresh")), "")
    match = _REFRESH.match(content)
    if not match or int(match[1]) > 1:
        return
    target = page.resolve(match[2])
    if target and target != page.row["loc"]:
        page.row["redirect"] = target
