"""A page of a site as one value: what its sources say of it, and what is decided for it.

The columns of the page table, their types and meanings stand here alone: the schema of the table
and its reference are made from these fields. Whole tables are worked on in columns; a `Page` is for
what is done page by page. A field that a table does not have, or that was not asked for, is None.
"""

from collections.abc import Iterator
from typing import TYPE_CHECKING, Annotated, Any

import msgspec
from msgspec import Meta

from jovial_atlas.pages import EXTRA as EXTRA

if TYPE_CHECKING:
    import polars as pl

#: Whole numbers that are not of 32 bits say so.
Wide = {"bits": 64}
Narrow = {"bits": 16}
Int64 = Annotated[int, Meta(extra=Wide)]
Int16 = Annotated[int, Meta(extra=Narrow)]


class Image(msgspec.Struct, frozen=True):
    """A picture that a page shows."""

    loc: str
    alt: str | None = None


class Video(msgspec.Struct, frozen=True, kw_only=True):
    """A video that a page shows. `found` says where: video, player, link, og, json-ld,
    microdata, rdfa, feed, field."""

    content: str | None = None
    player: str | None = None
    thumbnail: str | None = None
    title: str | None = None
    description: str | None = None
    duration: Int64 | None = None
    width: int | None = None
    height: int | None = None
    published: str | None = None
    expires: str | None = None
    category: str | None = None
    tags: list[str] | None = None
    rating: float | None = None
    views: Int64 | None = None
    family_friendly: bool | None = None
    live: bool | None = None
    subscription: bool | None = None
    countries: str | None = None
    platforms: str | None = None
    uploader: str | None = None
    uploader_page: str | None = None
    price: list[str] | None = None
    gallery: str | None = None
    gallery_title: str | None = None
    segments: list[str] | None = None
    ids: list[str] | None = None
    listed: bool | None = None
    found: str | None = None
    service: str | None = None
    words_before: int | None = None


class Media(msgspec.Struct, frozen=True, kw_only=True):
    """What a video was found to be when it was looked at: the media file probed, a service
    asked."""

    duration: Int64 | None = None
    width: int | None = None
    height: int | None = None
    codecs: str | None = None
    plays: bool | None = None
    still: str | None = None
    bytes: Int64 | None = None
    title: str | None = None
    thumbnail: str | None = None
    author: str | None = None
    author_page: str | None = None
    problem: str | None = None


class Alternate(msgspec.Struct, frozen=True):
    """A version in another language."""

    lang: str | None
    href: str | None


class CrawlerWords(msgspec.Struct, frozen=True):
    """What a page says to one crawler."""

    crawler: str
    words: str | None = None


class Merged(msgspec.Struct, frozen=True):
    """A value of another source for the same address."""

    source: str | None
    column: str | None
    value: str | None
    used: bool | None


def says(meaning: str) -> Meta:
    """The meaning of a field, for the reference."""
    return Meta(description=meaning)


class SurveyedPage(msgspec.Struct, frozen=True, kw_only=True):
    """A row of the page table: what the sources say."""

    loc: Annotated[str, says("the page's normalised absolute address; unique")]
    source: Annotated[str | None, says("name of the source that delivered the page")] = None
    path: Annotated[str | None, says("file inside the source, with `/`")] = None
    status: Annotated[
        Int16 | None, says("HTTP status with which the address is answered")
    ] = None  # fmt: skip
    kind: Annotated[
        str | None,
        says(
            "page, error (an error page), frames (a frameset), document (a file that is not HTML), "
            "attachment, draft, or future (dated in the future)"
        ),
    ] = None
    in_section: Annotated[
        str | None, says("section that the source names, before any pattern")
    ] = None  # fmt: skip
    parent: Annotated[
        str | None, says("address or number of the page that an attachment belongs to")
    ] = None  # fmt: skip
    declared: Annotated[
        str | None,
        says(
            "what the page's own markup says that it is: article, listing, product, event, search, "
            "author"
        ),
    ] = None
    redirect: Annotated[
        str | None, says("address to which the page sends visitors on at once")
    ] = None  # fmt: skip
    title: Annotated[str | None, says("text of the title element")] = None
    heading: Annotated[str | None, says("text of the first h1")] = None
    description: Annotated[str | None, says("content of the meta description")] = None
    excerpt: Annotated[
        str | None, says("first sentences of the main content, about 300 characters")
    ] = None  # fmt: skip
    language: Annotated[str | None, says("lang of the html element, as written")] = None
    author: Annotated[str | None, says("author, as the page or its source names one")] = None
    canonical: Annotated[
        str | None, says("canonical address the page names, normalised")
    ] = None  # fmt: skip
    alternates: Annotated[
        list[Alternate] | None,
        says("versions in other languages that the page names, by hreflang"),
    ] = None
    directives: Annotated[
        str | None, says("robots directives found, sorted, comma-separated")
    ] = None  # fmt: skip
    crawler_directives: Annotated[
        list[CrawlerWords] | None,
        says("directives for single crawlers of the site's engines, as `directives`"),
    ] = None
    injected: Annotated[
        str | None,
        says(
            "what tells which head data `inject` wrote into the file; empty for that of an older "
            "version, null where there is none"
        ),
    ] = None
    expires: Annotated[str | None, says("date from which on the page is no longer valid")] = None
    published: Annotated[str | None, says("date of first publication")] = None
    published_from: Annotated[
        str | None,
        says("where from: meta, json-ld, microdata, rdfa, time, words, feed, field"),
    ] = None  # fmt: skip
    lastmod: Annotated[str | None, says("date of the last change of the content")] = None
    lastmod_from: Annotated[
        str | None,
        says(
            "where it comes from: field, meta, json-ld, microdata, rdfa, time, words, published, "
            "git, fingerprint, file, site file"
        ),
    ] = None  # fmt: skip
    words: Annotated[int | None, says("words in the main content")] = None
    entries: Annotated[
        int | None, says("pages of the site that the main content links to")
    ] = None  # fmt: skip
    links: Annotated[
        list[str] | None,
        says(
            "other addresses on the same site that the page links to; those of its main content "
            "stand first, `entries` says how many they are"
        ),
    ] = None
    outside_links: Annotated[int | None, says("addresses of other sites that it links to")] = None
    images: Annotated[
        list[Image] | None, says("pictures shown, in order, each once")
    ] = None  # fmt: skip
    share_image: Annotated[
        str | None, says("address of the picture that the page names for sharing")
    ] = None  # fmt: skip
    share_title: Annotated[
        str | None, says("title for sharing (og:title), as the page says it")
    ] = None  # fmt: skip
    share_description: Annotated[
        str | None, says("description for sharing (og:description), as the page says it")
    ] = None
    card_title: Annotated[
        str | None, says("title of its card (twitter:title), as the page says it")
    ] = None  # fmt: skip
    card_description: Annotated[
        str | None, says("description of its card (twitter:description), as the page says it")
    ] = None
    share_type: Annotated[
        str | None, says("what the page says it is when it is shared (og:type)")
    ] = None  # fmt: skip
    videos: Annotated[list[Video] | None, says("videos shown, in order, each once")] = None
    media: Annotated[
        list[Media | None] | None,
        says("what was found out about each of the videos, in their order"),
    ] = None
    data: Annotated[
        str | None,
        says("structured data found in the page, questions, steps and items of its lists, as JSON"),
    ] = None
    phrase: Annotated[str | None, says("target phrase, as the source names it")] = None
    tags: Annotated[list[str] | None, says("tags, as the source names them")] = None
    categories: Annotated[
        list[str] | None, says("categories, as the source names them")
    ] = None  # fmt: skip
    fingerprint: Annotated[str | None, says("digest of the main content's text")] = None
    text_digest: Annotated[
        str | None, says("digest of the main content's text without its heading")
    ] = None  # fmt: skip
    variant: Annotated[
        str | None,
        says(
            "what kind of repetition of another page it is: print, query, content (the same text)"
        ),
    ] = None
    variant_of: Annotated[str | None, says("address of the page that it repeats")] = None
    links_in: Annotated[int | None, says("pages of the site that link to it")] = None
    links_out: Annotated[int | None, says("pages of the site that it links to")] = None
    content_links_in: Annotated[
        int | None, says("pages of the site that link to it in their main content")
    ] = None  # fmt: skip
    content_links_out: Annotated[
        int | None, says("pages of the site that its main content links to")
    ] = None  # fmt: skip
    depth: Annotated[
        int | None,
        says("links to follow from the start page, at least; null where none lead there"),
    ] = None
    weight: Annotated[
        float | None, says("share of the visits of a reader who follows links at random")
    ] = None  # fmt: skip
    weight_rank: Annotated[
        float | None, says("which part of all other pages has less weight, 0 to 1")
    ] = None  # fmt: skip
    clicks: Annotated[Int64 | None, says("clicks in engines in 28 days, as was heard")] = None
    impressions: Annotated[Int64 | None, says("times shown by engines in those 28 days")] = None
    visits: Annotated[Int64 | None, says("visits of people in 28 days, by server logs")] = None
    position: Annotated[float | None, says("its mean place in engines in those 28 days")] = None
    clicks_rank: Annotated[float | None, says("part of shown pages that is clicked less")] = None
    bytes: Annotated[Int64 | None, says("size of the file")] = None
    mtime: Annotated[
        Int64 | None, says("time of the file, in nanoseconds since 1970")
    ] = None  # fmt: skip
    digest: Annotated[str | None, says("digest of the file's bytes")] = None
    read_from: Annotated[
        str | None,
        says("from which places of the page values were taken, as `author=byline tags=links`"),
    ] = None
    merged: Annotated[
        list[Merged] | None, says("values of other sources for this address, used or not")
    ] = None


class CrawlerVerdict(msgspec.Struct, frozen=True, kw_only=True):
    """What is decided for one crawler alone; a field is None where it does not differ from no
    word at all."""

    index: bool | None = None
    follow: bool | None = None
    max_snippet: Int64 | None = None
    max_image_preview: str | None = None
    max_video_preview: Int64 | None = None
    archive: bool | None = None
    translate: bool | None = None
    image_index: bool | None = None
    embedded_index: bool | None = None
    unavailable_after: str | None = None


class Page(SurveyedPage, frozen=True, kw_only=True):
    """A page with its verdict."""

    section: Annotated[str, says("the one section that holds the page")] = ""
    role: Annotated[
        str,
        says(
            "what it is on its site: home, article, listing, paged, author, search, error, draft, "
            "picture, document, product, event, feed, or page"
        ),
    ] = ""
    listed: Annotated[bool, says("whether it stands in a sitemap")] = True
    index: Annotated[bool, says("whether engines may index it")] = True
    follow: Annotated[bool, says("whether crawlers may follow its links")] = True
    canonical: Annotated[
        str | None,
        says("the page that counts, after all layers; what the page names where none speaks"),
    ] = None
    send_to: Annotated[
        str | None,
        says("where the server sends visitors on to: an address, `parent` or `file`"),
    ] = None
    lastmod: Annotated[str | None, says("date of the last change, after all layers")] = None
    changefreq: Annotated[
        str | None, says("how often it changes, as its sitemap says")
    ] = None  # fmt: skip
    priority: Annotated[
        float | None, says("its weight within the site, as its sitemap says")
    ] = None  # fmt: skip
    max_snippet: Annotated[
        Int64 | None, says("longest text in a result, in characters")
    ] = None  # fmt: skip
    max_image_preview: Annotated[
        str | None, says("largest picture in a result: none, standard, large")
    ] = None  # fmt: skip
    max_video_preview: Annotated[
        Int64 | None, says("longest piece of a video in a result, in seconds")
    ] = None  # fmt: skip
    archive: Annotated[
        bool | None, says("whether engines may show a copy that they keep")
    ] = None  # fmt: skip
    translate: Annotated[
        bool | None, says("whether engines may offer a translation")
    ] = None  # fmt: skip
    image_index: Annotated[
        bool | None, says("whether engines may index its pictures")
    ] = None  # fmt: skip
    embedded_index: Annotated[
        bool | None, says("whether it may be indexed within other pages, though noindexed")
    ] = None  # fmt: skip
    unavailable_after: Annotated[
        str | None, says("date from which on no result shall show it")
    ] = None  # fmt: skip
    important: Annotated[
        bool | None, says("whether `review` holds the page to more, and shows it first")
    ] = None  # fmt: skip
    own_canonical: Annotated[
        str | None,
        says("the canonical that the page names; only where anything else decides it"),
    ] = None
    own_lastmod: Annotated[
        str | None,
        says("the date that its source gives; only where anything else decides it"),
    ] = None
    crawlers: Annotated[
        dict[str, CrawlerVerdict | None] | None,
        says("crawler → what is decided for it alone; only where anything is"),
    ] = None
    verdict: Annotated[str, says("listed or unlisted")] = ""
    reason: Annotated[str | None, says("why, in a few words")] = None
    decided_by: Annotated[
        str | None, says("the layer that had the last word on `listed`")
    ] = None  # fmt: skip
    #: Fields of the site's own, as its sources have them.
    extra: dict[str, Any] | None = None


#: The fields that a verdict adds, in their order, with the meaning of each.
VERDICT_FIELDS = (
    "section", "role", "listed", "index", "follow", "canonical", "send_to", "lastmod", "changefreq",
    "priority", "max_snippet", "max_image_preview", "max_video_preview", "archive", "translate",
    "image_index", "embedded_index", "unavailable_after", "important", "own_canonical",
    "own_lastmod", "crawlers", "verdict",
    "reason", "decided_by",
)  # fmt: skip


def page_of(row: dict[str, Any]) -> Page:
    """The page of a row of a table with verdicts."""
    return msgspec.convert(row, Page)


def pages_of(table: "pl.DataFrame") -> Iterator[Page]:
    """The pages of a table with verdicts, in order, without their links. What holds nothing is not
    taken apart row by row: most columns of most sites do."""
    from jovial_atlas.pages.filled import filled_parts

    asked = [name for name in table.columns if name != "links"]
    for row in filled_parts(table.select(asked)).iter_rows(named=True):
        yield msgspec.convert(row, Page)
