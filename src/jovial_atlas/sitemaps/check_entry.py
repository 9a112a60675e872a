"""One entry of a sitemap against the protocol: its elements, and those of extensions."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from datetime import datetime, timedelta

from jovial_atlas import addresses, dates, languages
from jovial_atlas.faults import Fault
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.read import Entry, Node

_ENTRY_RULES = {"urlset": protocol.URL, "sitemapindex": protocol.SITEMAP}


#: Faults of one code that are told of one file; of the others only their number.
MOST_TOLD = 100


class Notes:
    """The faults of a file as they are found, no more of each code than a person can use."""

    def __init__(self, name: str) -> None:
        self.name = name
        self._found: dict[str, list[Fault]] = {}
        self._left: dict[str, int] = {}

    def __call__(self, code: str, line: int | None, message: str) -> None:
        found = self._found.setdefault(code, [])
        if len(found) < MOST_TOLD:
            found.append(Fault(code, f"{self.name}:{line}" if line else self.name, message))
        else:
            self._left[code] = self._left.get(code, 0) + 1

    def told(self) -> Iterator[Fault]:
        """All faults, and how many more there are of each code that has too many."""
        for code, found in self._found.items():
            yield from found
            if left := self._left.get(code):
                message = f"{left:,} more like this in the file; the first {MOST_TOLD} are told."
                yield Fault(code, self.name, message)


def check_lastmod(last: str, line: int, about: str, noted: Notes, now: str) -> None:
    if dates.is_w3c(last) and (read := dates.read(last)) and read > now:
        noted("sitemap-lastmod-future", line, f"lastmod {last} lies in the future{about}.")


def note_images(images: int, line: int, about: str, noted: Notes) -> None:
    noted(
        "sitemap-images-too-many",
        line,
        f"{images:,} pictures at one address; {protocol.MAX_IMAGES:,} are allowed{about}.",
    )


def check_entry(entry: Entry, kind: str, noted: Notes, now: str) -> None:
    rules = _ENTRY_RULES.get(kind)
    if rules is None or entry.node is None:
        if not protocol.LOC.test(entry.loc):
            noted("sitemap-value", entry.line, f"{entry.loc[:120]!r} is not {protocol.LOC.form}.")
        return
    about = f" (entry {entry.loc[:120]})" if entry.loc else ""
    _check_children(entry.node, protocol.CORE, rules, about, noted)
    if entry.lastmod:
        check_lastmod(entry.lastmod, entry.line, about, noted, now)
    if kind != "urlset":
        return
    images = 0
    for child in entry.node.children:
        images += (child.space, child.name) == (protocol.IMAGE, "image")
        check = _EXTENSIONS.get((child.space, child.name))
        if check:
            check(child, entry.loc, about, noted, now)
        else:
            _check_foreign(child, about, noted)
    if images > protocol.MAX_IMAGES:
        note_images(images, entry.line, about, noted)


def _check_foreign(child: Node, about: str, noted: Notes) -> None:
    """An element in an entry that is none of a known extension."""
    meant = _NEARLY.get(_bare(child.space)) if child.space not in _SPACES else None
    if meant:
        noted(
            "sitemap-namespace",
            child.line,
            f"<{child.name}> is in the namespace {child.space!r}; engines know {meant!r} and "
            f"pass over what is in any other{about}.",
        )
    elif child.space in protocol.PREFIXES and child.space != protocol.CORE:
        noted(
            "sitemap-element-unknown",
            child.line,
            f"<{protocol.PREFIXES[child.space]}:{child.name}> may not stand in <url>{about}.",
        )


def _check_image(image: Node, _loc: str, about: str, noted: Notes, _now: str) -> None:
    _check_children(image, protocol.IMAGE, protocol.IMAGE_RULES, about, noted)


def _check_news(news: Node, _loc: str, about: str, noted: Notes, now: str) -> None:
    _check_children(news, protocol.NEWS, protocol.NEWS_RULES, about, noted)
    _check_news_date(news, about, noted, now)
    if publication := news.first(protocol.NEWS, "publication"):
        _check_children(publication, protocol.NEWS, protocol.PUBLICATION_RULES, about, noted)


def _check_link(link: Node, _loc: str, about: str, noted: Notes, _now: str) -> None:
    _check_alternate(link, about, noted)


def _check_film(video: Node, loc: str, about: str, noted: Notes, _now: str) -> None:
    _check_video(video, loc, about, noted)


#: Elements of extensions that may stand in an entry → what checks them: gets the element, the
#: address of the entry, words that name the entry, the notes, and the time of now.
_EXTENSIONS = {
    (protocol.IMAGE, "image"): _check_image,
    (protocol.VIDEO, "video"): _check_film,
    (protocol.NEWS, "news"): _check_news,
    (protocol.XHTML, "link"): _check_link,
}


_SPACES = frozenset(protocol.PREFIXES)


def _bare(space: str) -> str:
    """A namespace without what is easily written otherwise: scheme, `www.`, version, end."""
    said = re.sub(r"^https?://(?:www\.)?", "", space.strip().lower())
    return re.sub(r"/?[0-9.]*/?#?$", "", said)


#: Namespaces without these → as they are.
_NEARLY = {_bare(space): space for space in protocol.PREFIXES}


def _check_children(
    node: Node,
    space: str,
    rules: Mapping[str, protocol.Element],
    about: str,
    noted: Notes,
) -> None:
    seen: dict[str, int] = {}
    for child in node.children:
        if child.space != space:
            continue
        rule = rules.get(child.name)
        if rule is None:
            noted(
                "sitemap-element-unknown",
                child.line,
                f"<{child.name}> may not stand in <{node.name}>{about}.",
            )
            continue
        seen[child.name] = seen.get(child.name, 0) + 1
        if rule.retired:
            noted(
                "sitemap-element-retired",
                child.line,
                f"<{child.name}> in <{node.name}> is retired; engines ignore it{about}.",
            )
        elif not rule.test(child.text):
            shown = child.text if len(child.text) <= 80 else child.text[:77] + "…"
            noted(
                "sitemap-value",
                child.line,
                f"<{child.name}> {shown!r} is not {rule.form}{about}.",
            )
    for name, rule in rules.items():
        count = seen.get(name, 0)
        if rule.required and not count:
            noted(
                "sitemap-element-missing",
                node.line,
                f"<{node.name}> has no <{name}>, which is required{about}.",
            )
        elif count > rule.most:
            noted(
                "sitemap-element-repeated",
                node.line,
                f"<{node.name}> has <{name}> {count} times; {rule.most} is the most{about}.",
            )


def _check_video(video: Node, page: str, about: str, noted: Notes) -> None:
    _check_children(video, protocol.VIDEO, protocol.VIDEO_RULES, about, noted)
    _check_attributes(video, page, about, noted)
    found = [video.first(protocol.VIDEO, name) for name in ("content_loc", "player_loc")]
    media = [node for node in found if node is not None]
    if not media:
        noted(
            "video-no-media",
            video.line,
            f"<video> has neither <content_loc> nor <player_loc>; one is required{about}.",
        )
    for node in media:
        if node.text == page:
            noted(
                "video-same-as-page",
                node.line,
                f"<{node.name}> is the address of the page itself{about}.",
            )


def _check_attributes(video: Node, page: str, about: str, noted: Notes) -> None:
    for name, (attribute, form, test, required) in protocol.VIDEO_ATTRIBUTES.items():
        node = video.first(protocol.VIDEO, name)
        if node is None:
            continue
        value = node.attributes.get(attribute)
        if value is None and required:
            noted("sitemap-value", node.line, f"<{name}> has no {attribute}{about}.")
        elif value is not None and not test(value):
            said = f"<{name}> {attribute} {value!r} is not {form}{about}."
            noted("sitemap-value", node.line, said)
        elif attribute == "info" and value and addresses.origin(value) != addresses.origin(page):
            said = f"<{name}> info {value!r} is on another host than the page{about}."
            noted("sitemap-value", node.line, said)


def _check_news_date(news: Node, about: str, noted: Notes, now: str) -> None:
    node = news.first(protocol.NEWS, "publication_date")
    published = dates.read(node.text) if node else None
    if not node or not published:
        return
    # A day without a time is news until its end.
    published = published if "T" in published else f"{published}T23:59:59Z"
    age = datetime.fromisoformat(now) - datetime.fromisoformat(published)
    if age > timedelta(hours=protocol.NEWS_HOURS):
        message = f"Published {node.text}, over {protocol.NEWS_HOURS} hours ago{about}."
        noted("news-old", node.line, message)


def _check_alternate(link: Node, about: str, noted: Notes) -> None:
    if link.attributes.get("rel") != "alternate":
        return
    language = link.attributes.get("hreflang", "")
    if not language:
        noted("sitemap-value", link.line, f"<xhtml:link> has no hreflang{about}.")
    elif language.lower() != "x-default" and (wrong := languages.fault_of(language)):
        noted("alternate-language", link.line, f"hreflang {language!r} {wrong}{about}.")
    href = link.attributes.get("href", "")
    if not href.startswith(("http://", "https://")):
        noted("sitemap-value", link.line, f"<xhtml:link> href {href!r} is not absolute{about}.")
