"""Videos that a page shows: elements, players, links to files, Open Graph, structured data, fields.

Each video stands once, however many of these name it: what knows most of it says first, the
others fill the gaps.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from itertools import accumulate, islice
from typing import Any
from urllib.parse import urlsplit

from selectolax.lexbor import LexborNode

from jovial_atlas import addresses, dates
from jovial_atlas.media.fields import (
    VideoRow,
    plain_text,
    price_of,
    relation,
    seconds,
    truth,
    video,
    whole,
    words,
)
from jovial_atlas.media.services import is_media, recognise
from jovial_atlas.pages.row import values_of
from jovial_atlas.sources.html_page.articles import ancestor
from jovial_atlas.sources.html_page.context import OpenPage
from jovial_atlas.sources.html_page.outline import attribute, text

_PLAYER_SIGN = re.compile(r"video|player|film", re.IGNORECASE)
_TAGS, _WORDS = re.compile(r"<[^>]*>"), re.compile(r"\S+")
_DEPTH = 6
#: So many players and videos of a page are looked at.
_MOST = 1_000


def page_videos(page: OpenPage) -> list[VideoRow]:
    """The videos of an open page, in order. The page must still be whole."""
    nodes = ((one.syntax, node) for one in page.nodes for node in _video_nodes(one.node))
    videos = [_of_node(node, page, syntax) for syntax, node in islice(nodes, _MOST)]
    videos = [one for one in videos if one["content"] or one["player"]]
    for shown in _shown(page):
        _join(videos, shown, wins="found words_before")
    if (shared := _open_graph(page)) is not None:
        _join(videos, shared)
    return videos


def linked_videos(nodes: Iterable[LexborNode], page: OpenPage, videos: list[VideoRow]) -> None:
    """Add the media files that links of the main content lead to, and what they play."""
    for node in nodes:
        href = attribute(node, "href") or ""
        if is_media(href) and (content := page.resolve(href)):
            _join(videos, video(content=content, title=text(node), found="link"))
        elif (played := _played(node, page, page.resolve(href))) is not None:
            _join(videos, played)


def _played(node: LexborNode, page: OpenPage, address: str | None) -> VideoRow | None:
    """The video that a link opens where it stands, as its class says: at a service that is
    described. (A link to a page about a video, in a text, shows none.)"""
    signs = " ".join(node.attributes.get(name) or "" for name in ("class", "rel", "data-type"))
    at = None
    if address and _PLAYER_SIGN.search(signs):
        at = recognise(address, page.reading.services)
    if at is None:
        return None
    return video(
        content=at.content, player=at.player, thumbnail=at.thumbnail, service=at.service,
        title=attribute(node, "title") or text(node), found="link",
    )  # fmt: skip


def _join(videos: list[VideoRow], new: VideoRow, wins: str = "") -> None:
    """Add a video, or fill the gaps of the one that it is. Of the fields in `wins` the new
    values count."""
    same = next((one for one in videos if _is_same(one, new)), None)
    if same is None and not (new["content"] or new["player"]):
        return
    if same is None:
        videos.append(new)
        return
    had = values_of(same)
    for name, value in new.items():
        if value is not None and (had[name] is None or name in wins.split()):
            had[name] = value


def _is_same(one: VideoRow, other: VideoRow) -> bool:
    files, players = (one["content"], other["content"]), (one["player"], other["player"])
    return any(mine and mine == theirs for mine, theirs in (files, players))


def _shown(page: OpenPage) -> Iterator[VideoRow]:
    for number, node in enumerate(page.outline.all("video")[:_MOST], start=1):
        source = node.css_first("source[src]")
        content = page.resolve(attribute(node, "src") or attribute(source, "src"))
        if not content:
            page.fault("video-no-source", f"Video element {number} names no media file.")
            continue
        shown = video(
            content=content,
            thumbnail=page.resolve(attribute(node, "poster")),
            title=attribute(node, "title") or attribute(node, "aria-label"),
            found="video",
        )
        yield _framed(node, page, number, shown)
    for name, sources in (("iframe", ("src", "data-src")), ("embed", ("src",)),
                          ("object", ("data",))):  # fmt: skip
        for number, node in enumerate(page.outline.all(name)[:_MOST], start=1):
            yield from _player(node, number, sources, page)
    for number, node in enumerate(page.outline.custom()[:_MOST], start=1):
        if _PLAYER_SIGN.search(str(node.tag)):
            yield from _player(node, number, _CUSTOM, page)


#: Attributes of elements of a page's own by which they name what they play.
_CUSTOM = ("src", "href", "data-src", "url", "data-url", "video-url", "embed-url")


def _player(
    node: LexborNode, number: int, sources: Iterable[str], page: OpenPage
) -> Iterator[VideoRow]:
    """What a frame, an object or an element of the page's own plays."""
    name = str(node.tag)
    address = page.resolve(next(filter(None, (attribute(node, s) for s in sources)), None))
    signs = " ".join([attribute(node, s) or "" for s in ("class", "title", "type")])
    if sources is _CUSTOM:
        signs = f"{signs} {name}"
    at = recognise(address, page.reading.services) if address else None
    title = attribute(node, "title") or attribute(node, "aria-label")
    if at:
        shown = video(
            content=at.content, player=at.player, thumbnail=at.thumbnail, service=at.service,
            title=title, found="player",
        )  # fmt: skip
    elif address and is_media(address):
        shown = video(content=address, found="player", title=title)
    elif address and (sources is _CUSTOM or _plays(node, address, signs, page)):
        host = urlsplit(address).netloc
        message = f"A player of {host} is of no service that is described: {address}"
        page.fault("video-service-unknown", message)
        shown = video(player=address, found="player", title=title)
    else:
        # One of an element's own may find its film by a script: there is nothing to tell of it.
        if not address and sources is not _CUSTOM and _PLAYER_SIGN.search(signs):
            page.fault("video-embed-unusable", f"A player ({name} {number}) has no address.")
        return
    yield _framed(node, page, number, shown)


#: What a frame is allowed that plays something.
_PLAYING = ("autoplay", "encrypted-media", "in-picture")
_PLAYER_ADDRESS = re.compile(r"[/.](?:player|embed|video|videos)(?:[/._-]|$)", re.IGNORECASE)


def _plays(node: LexborNode, address: str, signs: str, page: OpenPage) -> bool:
    """Whether a frame of another site plays a video, by what it is allowed, or by its name and its
    freedom to fill the screen. (Maps may fill it too.)"""
    if addresses.origin(address) == addresses.origin(page.file.loc):
        return False
    allowed = (attribute(node, "allow") or "").lower()
    if any(word in allowed for word in _PLAYING):
        return True
    full = "allowfullscreen" in node.attributes or "fullscreen" in allowed
    return full and bool(_PLAYER_SIGN.search(signs) or _PLAYER_ADDRESS.search(address))


def _framed(node: LexborNode, page: OpenPage, number: int, given: VideoRow) -> VideoRow:
    """A video of an element: its size, its caption, and how far down it stands."""
    figure = ancestor(node, "figure")
    caption = figure.css_first("figcaption") if figure else None
    width, height = whole(attribute(node, "width")), whole(attribute(node, "height"))
    return given | {
        "width": width,
        "height": height,
        "description": (text(caption) or None) if caption else None,
        "words_before": _words_before(str(node.tag), number, page),
    }


def _words_before(tag: str, number: int, page: OpenPage) -> int | None:
    """Words of the main content that stand before the element."""
    counts = page.words_before.get(tag)
    if counts is None:
        outline = page.outline
        main = outline.first("main") or outline.first("article") or outline.tree.body
        html = (main.html or "") if main is not None else ""
        pieces = re.split(rf"<{tag}\b", html)
        # All but the first piece begin within a tag.
        found = [len(_WORDS.findall(_TAGS.sub(" ", f"<{tag}{one}"))) for one in pieces[1:]]
        counts = [*accumulate([len(_WORDS.findall(_TAGS.sub(" ", pieces[0]))), *found])]
        page.words_before[tag] = counts
    return counts[number - 1] if number < len(counts) else None


def _open_graph(page: OpenPage) -> VideoRow | None:
    """`og:video` and its structured properties (https://ogp.me)."""
    properties: dict[str, str] = {}
    for attributes in page.metas:
        key = (attributes.get("property") or attributes.get("name") or "").strip().lower()
        if key.startswith(("og:", "video:")):
            properties.setdefault(key, (attributes.get("content") or "").strip())
    address = page.resolve(
        properties.get("og:video:secure_url")
        or properties.get("og:video:url")
        or properties.get("og:video")
    )
    if not address:
        return None
    at = recognise(address, page.reading.services)
    is_file = properties.get("og:video:type", "").startswith("video/") or is_media(address)
    return video(
        content=at.content if at else address if is_file else None,
        player=at.player if at else None if is_file else address,
        service=at.service if at else None,
        thumbnail=(at.thumbnail if at else None) or page.resolve(properties.get("og:image")),
        width=whole(properties.get("og:video:width")),
        height=whole(properties.get("og:video:height")),
        duration=whole(properties.get("video:duration") or properties.get("og:video:duration")),
        published=dates.read(properties.get("video:release_date", "")),
        found="og",
    )


def _video_nodes(value: Any, depth: int = 0) -> Iterator[dict[str, Any]]:
    """All VideoObject nodes in structured data, however deep."""
    if isinstance(value, list):
        for one in value:
            yield from _video_nodes(one, depth)
    elif isinstance(value, dict) and depth < _DEPTH:
        kinds = value.get("@type")
        if "VideoObject" in (kinds if isinstance(kinds, list) else [kinds]):
            yield value
            return
        for inner in value.values():
            if isinstance(inner, (dict, list)):
                yield from _video_nodes(inner, depth + 1)


def _of_node(node: Mapping[str, Any], page: OpenPage, syntax: str) -> VideoRow:
    """A VideoObject (https://schema.org/VideoObject) as a video."""
    player = page.resolve(plain_text(node.get("embedUrl")))
    at = recognise(player, page.reading.services) if player else None
    maker = _first(node.get("author") or node.get("creator") or node.get("publisher"))
    rating = _first(node.get("aggregateRating"))
    counted = _first(node.get("interactionStatistic"))
    live = _first(node.get("publication"))
    allowed, denied = node.get("regionsAllowed"), node.get("ineligibleRegion")
    return video(
        content=page.resolve(plain_text(node.get("contentUrl"))) or (at.content if at else None),
        player=at.player if at else player,
        service=at.service if at else None,
        thumbnail=page.resolve(
            plain_text(_first(node.get("thumbnailUrl") or node.get("thumbnail")))
        ),
        title=plain_text(node.get("name")),
        description=plain_text(node.get("description")),
        duration=seconds(plain_text(node.get("duration"))),
        width=whole(plain_text(node.get("width"))),
        height=whole(plain_text(node.get("height"))),
        published=dates.read(plain_text(node.get("uploadDate")) or ""),
        expires=dates.read(plain_text(node.get("expires")) or ""),
        category=plain_text(_first(node.get("genre"))),
        tags=words(node.get("keywords")),
        rating=_of_five(rating) if isinstance(rating, dict) else None,
        views=whole(plain_text(counted.get("userInteractionCount")))
        if isinstance(counted, dict)
        else None,
        family_friendly=truth(node.get("isFamilyFriendly")),
        live=truth(live.get("isLiveBroadcast")) if isinstance(live, dict) else None,
        subscription=truth(node.get("requiresSubscription")),
        countries=relation("allow", allowed) or relation("deny", denied),
        uploader=plain_text(maker),
        uploader_page=page.resolve(plain_text(maker.get("url")))
        if isinstance(maker, dict)
        else None,
        price=_prices(node.get("offers")),
        found=syntax,
    )


def _prices(offers: Any) -> list[str] | None:
    """Prices of offers, as `3.99 GBP`."""
    some = [one for one in (offers if isinstance(offers, list) else [offers])
            if isinstance(one, dict)]  # fmt: skip
    said = [f"{plain_text(one.get('price'))} {plain_text(one.get('priceCurrency'))}"
            for one in some]  # fmt: skip
    return [one for one in said if price_of(one)] or None


def _first(value: Any) -> Any:
    return value[0] if isinstance(value, list) and value else value


def _of_five(rating: Mapping[str, Any]) -> float | None:
    try:
        value, best = float(rating["ratingValue"]), float(rating.get("bestRating") or 5)
    except (KeyError, TypeError, ValueError):
        return None
    return round(5 * value / best, 1) if best > 0 and 0 <= value <= best else None
