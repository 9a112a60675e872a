"""A row of the page table while a source fills it: the fields of `SurveyedPage`, none of which need
be there: a key that is misspelt does not pass type checking. A test holds both to the same fields.
"""

from __future__ import annotations

from typing import Any, TypedDict, cast

from jovial_atlas.media.fields import VideoRow


class ImageRow(TypedDict, total=False):
    """A picture that a page shows."""

    loc: str
    alt: str | None


class MediaRow(TypedDict, total=False):
    """What a video was found to be."""

    duration: int | None
    width: int | None
    height: int | None
    codecs: str | None
    plays: bool | None
    still: str | None
    bytes: int | None
    title: str | None
    thumbnail: str | None
    author: str | None
    author_page: str | None
    problem: str | None


class AlternateRow(TypedDict, total=False):
    """A version in another language."""

    lang: str | None
    href: str | None


class CrawlerWordsRow(TypedDict, total=False):
    """What a page says to one crawler."""

    crawler: str
    words: str


class MergedRow(TypedDict, total=False):
    """A value of another source for the same address."""

    source: str | None
    column: str | None
    value: str | None
    used: bool | None


class PageRow(TypedDict, total=False):
    """A page, as a source delivers it."""

    loc: str
    source: str | None
    path: str
    status: int | None
    kind: str | None
    in_section: str | None
    parent: str | None
    declared: str | None
    redirect: str | None
    title: str | None
    heading: str | None
    description: str | None
    excerpt: str | None
    language: str | None
    author: str | None
    canonical: str | None
    alternates: list[AlternateRow] | None
    directives: str | None
    crawler_directives: list[CrawlerWordsRow] | None
    injected: str | None
    expires: str | None
    published: str | None
    published_from: str | None
    lastmod: str | None
    lastmod_from: str | None
    words: int | None
    entries: int | None
    links: list[str] | None
    outside_links: int | None
    images: list[ImageRow]
    share_image: str | None
    share_title: str | None
    share_description: str | None
    card_title: str | None
    card_description: str | None
    share_type: str | None
    videos: list[VideoRow]
    media: list[MediaRow | None] | None
    data: str | None
    phrase: str | None
    tags: list[str] | None
    categories: list[str] | None
    fingerprint: str | None
    text_digest: str | None
    variant: str | None
    variant_of: str | None
    links_in: int | None
    links_out: int | None
    content_links_in: int | None
    content_links_out: int | None
    depth: int | None
    weight: float | None
    weight_rank: float | None
    clicks: int | None
    impressions: int | None
    visits: int | None
    position: float | None
    clicks_rank: float | None
    bytes: int | None
    mtime: int | None
    digest: str | None
    read_from: str | None
    merged: list[MergedRow] | None
    extra: dict[str, Any]


def values_of(row: PageRow | VideoRow) -> dict[str, Any]:
    """A row whose fields are named by a variable."""
    return cast(dict[str, Any], row)
