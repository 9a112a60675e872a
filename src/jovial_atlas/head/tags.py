"""Head data as HTML tags, in one order: title, description, canonical, robots, languages, feeds,
Open Graph, card, ownership, structured data."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from html import escape
from typing import Any

from jovial_atlas.head.head import Head
from jovial_atlas.head.lengths import cut_at_word
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.sharing import picture_tags
from jovial_atlas.markup import Tag
from jovial_atlas.pages.page import Page

_ARTICLES = frozenset({"Article", "NewsArticle", "BlogPosting"})


def head_tags(
    head: Head,
    page: Page,
    settings: HeadSettings,
    versions: Sequence[Mapping[str, str]] = (),
) -> list[Tag]:
    """The tags of one page: `head` is its head data, `versions` its language versions. They are
    the same for the same page, whatever stood there."""
    tags = []
    if head.title:
        tags.append(Tag(f"<title>{escape(head.title, quote=False)}</title>", ("title",)))
    if head.description:
        tags.append(_meta("name", "description", head.description))
    if page.index:
        tags.append(Tag(f'<link rel="canonical" href="{escape(head.canonical)}">',
                        ("canonical",)))  # fmt: skip
    else:
        # One that stands in the page would contradict the noindex.
        tags.append(Tag("", ("canonical",)))
    tags += _robots(head)
    tags += [
        Tag(
            f'<link rel="alternate" hreflang="{escape(one["lang"])}" href="{escape(one["href"])}">',
            ("hreflang",),
        )
        for one in versions
    ]
    tags += _feeds(settings)
    if settings.head.social and page.index:
        tags += [_meta("property" if ":" in name and not name.startswith("twitter:") else "name",
                       name, value) for name, value in _social(head, page, settings)]  # fmt: skip
    tokens = dict(settings.head.verification)
    if page.loc == f"{settings.site.url}/":
        tokens |= settings.ownership
    tags += [_meta("name", name, token) for name, token in sorted(tokens.items())]
    if head.json_ld:
        tags.append(_data(head.json_ld))
    return tags


def _meta(key: str, name: str, value: str) -> Tag:
    return Tag(f'<meta {key}="{escape(name)}" content="{escape(value)}">', (name.lower(),))


def _robots(head: Head) -> Iterator[Tag]:
    """The robots tags that are needed. Where none is, one that stands in the page goes all the
    same: what it says was heard, or a guard refused it."""
    if head.directives:
        yield _meta("name", "robots", head.directives)
    else:
        yield Tag("", ("robots",))
    for crawler, words in head.directives_for.items():
        yield _meta("name", crawler, words)


def _feeds(settings: HeadSettings) -> Iterator[Tag]:
    feed, url = settings.feed, settings.site.url
    name = escape(settings.site.name)
    for file, kind in ((feed.rss, "rss"), (feed.atom, "atom")):
        if file:
            yield Tag(
                f'<link rel="alternate" type="application/{kind}+xml" title="{name}" '
                f'href="{url}/{escape(file)}">',
                (f"feed-{kind}",),
            )


def _social(head: Head, page: Page, settings: HeadSettings) -> Iterator[tuple[str, str]]:
    """Open Graph (https://ogp.me) and, where they say more, card metadata."""
    nodes = {node["@type"]: node for node in (head.json_ld or {}).get("@graph", [])}
    article = next((nodes[kind] for kind in nodes if kind in _ARTICLES), None)
    heading = page.heading or head.title or settings.site.name
    yield "og:title", head.share_title or heading
    yield "og:type", head.share_type or ("article" if article else "website")
    yield "og:url", head.canonical
    yield "og:site_name", settings.site.name
    if locale := _locale(page.language or settings.site.language):
        yield "og:locale", locale
    if said := head.share_description or head.description:
        yield "og:description", cut_at_word(said, 300) or ""
    picture = head.picture
    if picture:
        yield from picture_tags(picture)
    if article:
        for name, key in (("published_time", "datePublished"), ("modified_time", "dateModified")):
            if article.get(key):
                yield f"article:{name}", article[key]
        for tag in page.tags or []:
            yield "article:tag", tag
    player = dict(head.meta)
    yield from (one for one in head.meta if one[0].startswith("og:"))
    if "twitter:card" in player:
        yield from (one for one in head.meta if one[0].startswith("twitter:"))
    else:
        yield "twitter:card", "summary_large_image" if picture else "summary"
    # Readers of cards fall back to Open Graph: only what differs is said.
    for name, own, shared in (
        ("title", head.card_title, head.share_title or heading),
        ("description", head.card_description, head.share_description or head.description),
    ):
        if own and own != shared:
            yield f"twitter:{name}", own
    if settings.head.card_site:
        yield "twitter:site", settings.head.card_site


def _locale(language: str) -> str:
    """`en_GB` of `en-GB`; Open Graph knows no language without a country."""
    parts = language.split("-")
    country = next((one for one in parts[1:] if len(one) == 2), "")
    return f"{parts[0].lower()}_{country.upper()}" if country else ""


def _data(graph: Mapping[str, Any]) -> Tag:
    """JSON-LD in a script element, where `<` could end it (HTML §4.12.1.3)."""
    text = json.dumps(graph, ensure_ascii=False, separators=(",", ":"))
    text = text.replace("<", "\\u003c").replace("\u2028", "\\u2028").replace("\u2029", "\\u2029")
    kinds = tuple(f"json-ld:{node['@type']}" for node in graph["@graph"])
    return Tag(f'<script type="application/ld+json">{text}</script>', ("json-ld", *kinds))
