"""The robots directives of a page, as its verdict has them: for all crawlers, and for one alone."""

from __future__ import annotations

from jovial_atlas.pages.page import CrawlerVerdict, Page
from jovial_atlas.robots.words import DECIDED, kept


def directives_of(page: Page, stage: str) -> str:
    """The robots directives for all crawlers: only what differs from the default."""
    return ", ".join(_words(page, stage))


def directives_for(page: Page, stage: str) -> dict[str, str]:
    """Crawler → the directives for it alone. They add to those for all crawlers, so only what
    these do not say yet is there."""
    crawlers = page.crawlers
    if not crawlers:
        return {}
    general = _words(page, stage)
    own = {one.crawler: one.words for one in page.crawler_directives or ()}
    by_crawler = {
        token: [
            word
            for word in [
                *_words(decided, stage),
                # Only that crawler knows all of its words.
                *(_joined(*said) for said in _own(own.get(token)).items()),
            ]
            if word not in general
        ]
        for token, decided in crawlers.items()
        if decided is not None
    }
    return {token: ", ".join(words) for token, words in by_crawler.items() if words}


def _own(words: str | None) -> dict[str, str]:
    """What a page says that no field stands for, by directive."""
    return {name: value for name, value in kept(words).items() if name not in DECIDED}


def _joined(name: str, value: str) -> str:
    return f"{name}: {value}" if value else name


def _words(decided: Page | CrawlerVerdict, stage: str) -> list[str]:
    words = []
    if not decided.index or stage == "draft":
        words.append("noindex")
    if not decided.follow:
        words.append("nofollow")
    if decided.max_snippet == 0:
        words.append("nosnippet")
    for name, value in (
        ("max-snippet", decided.max_snippet or None),
        ("max-image-preview", decided.max_image_preview),
        ("max-video-preview", decided.max_video_preview),
        ("unavailable_after", decided.unavailable_after),
    ):
        if value is not None:
            words.append(f"{name}:{value}")
    if decided.archive is False:
        words.append("noarchive")
    if decided.translate is False:
        words.append("notranslate")
    if decided.image_index is False:
        words.append("noimageindex")
    if decided.embedded_index:
        words.append("indexifembedded")
    return words
