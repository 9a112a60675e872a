"""What a site file may say. Every key has its meaning here; the reference is made from it."""

import re
from typing import Annotated, Literal

from msgspec import Meta, field, structs

from jovial_atlas.sitefile.crawling import Robots
from jovial_atlas.sitefile.deciding import (
    Compression,
    Defaults,
    Guard,
    Order,
    Overrides,
    Rule,
    Section,
    as_patterns,
)
from jovial_atlas.sitefile.engines import Engine, LedgerPlace
from jovial_atlas.sitefile.heads import HeadData, Inject, Lengths, Sharing
from jovial_atlas.sitefile.kinds import Kinds, Policies
from jovial_atlas.sitefile.linking import Linking
from jovial_atlas.sitefile.moving import Moving
from jovial_atlas.sitefile.parts import Part, check, check_whole, says
from jovial_atlas.sitefile.publisher import Place, Publisher, Structured
from jovial_atlas.sitefile.reviewing import Reviewing
from jovial_atlas.sitefile.sources import Source, origin_of
from jovial_atlas.sitefile.spoken import Languages
from jovial_atlas.sitefile.tending import Publish, Tell, Tend
from jovial_atlas.sitefile.videos import Videos
from jovial_atlas.sitefile.visiting import TrafficChoices, Trial


class Site(Part, frozen=True, kw_only=True):
    """`[site]`: what the site is."""

    url: Annotated[str, says("scheme and host of the public site, without a path")]
    name: Annotated[str, says("name of the site; the host where it is left out")] = ""
    short_name: Annotated[str, says("shorter name, for the end of titles")] = ""
    language: Annotated[str, says("main language, BCP 47")] = "en"
    search: Annotated[
        str,
        says('address or path of the site\'s own search, as in "/search/?q={search_term_string}"'),
    ] = ""
    timezone: Annotated[str, says("zone of times that say none, as in Europe/London")] = ""
    stage: Annotated[
        Literal["live", "draft"], says('"draft" hides everything and announces nothing')
    ] = "live"
    authors: Annotated[
        Literal["one", "many"],
        says("whether one person writes the site, so that author pages repeat others"),
    ] = "many"
    other_hosts: Annotated[
        tuple[str, ...],
        says(
            "hosts that serve this site too, as the temporary one of a hosting service; "
            "`check --live` makes sure that engines cannot index them"
        ),
    ] = ()

    @check("url")
    @classmethod
    def _only_an_origin(cls, value: str) -> str:
        return origin_of(value)

    @check("search")
    @classmethod
    def _search(cls, value: str) -> str:
        if value and "{search_term_string}" not in value:
            raise ValueError(f"{value!r} names no {{search_term_string}}")
        return value

    @check("timezone")
    @classmethod
    def _zone(cls, value: str) -> str:
        from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

        try:
            if value:
                ZoneInfo(value)
        except (ZoneInfoNotFoundError, ValueError, OSError):
            raise ValueError(f"{value!r} is no time zone; write it as Europe/London") from None
        return value

    @check("other_hosts")
    @classmethod
    def _origins(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(origin_of(one) for one in value)

    @check_whole
    def _names(self) -> None:
        host = self.url.partition("://")[2]
        structs.force_setattr(self, "name", self.name or host)
        structs.force_setattr(self, "short_name", self.short_name or self.name)


class Host(Part, frozen=True, kw_only=True):
    """`[[host]]`: another host of the site, with a set of files of its own."""

    url: Annotated[str, says("scheme and host, without a path")]
    folder: Annotated[str, says("folder served at its root, relative to this file")]
    language: Annotated[str, says("main language; the site's where it is left out")] = ""

    @check("url")
    @classmethod
    def _only_an_origin(cls, value: str) -> str:
        return origin_of(value)


class Identity(Part, frozen=True, kw_only=True):
    """`[identity]`: which spellings of an address are one page."""

    trailing_slash: Annotated[
        Literal["keep", "add", "remove"],
        says("what happens to the last slash of an address without a file ending"),
    ] = "keep"
    query: Annotated[
        Literal["keep", "drop"] | tuple[str, ...],
        says('"keep", "drop", or the parameters that mean something'),
    ] = "keep"


class Dates(Part, frozen=True, kw_only=True):
    """`[dates]`: where the date of a page's last change comes from."""

    trust: Annotated[
        tuple[
            Literal[
                "field", "meta", "json-ld", "microdata", "rdfa", "time", "words", "published",
                "git", "fingerprint", "file",
            ],
            ...,
        ],
        says(
            'places, most trusted first; a place left out is not asked; "words" is a date that '
            "stands beside the heading"
        ),
    ] = (
        "field", "meta", "json-ld", "microdata", "rdfa", "time", "words", "published", "git",
        "fingerprint", "file",
    )  # fmt: skip


class Authors(Part, frozen=True, kw_only=True):
    """`[authors]`: where the author of a page comes from."""

    trust: Annotated[
        tuple[Literal["json-ld", "microdata", "rdfa", "byline", "meta", "feed"], ...],
        says("places, most trusted first; a place left out is not asked"),
    ] = ("json-ld", "microdata", "rdfa", "byline", "meta", "feed")


class Tags(Part, frozen=True, kw_only=True):
    """`[tags]`: where the tags of a page come from."""

    trust: Annotated[
        tuple[Literal["meta", "json-ld", "microdata", "rdfa", "links", "keywords", "feed"], ...],
        says(
            'places, most trusted first; a place left out is not asked; "links" lead to the pages '
            "of tags"
        ),
    ] = ("meta", "json-ld", "microdata", "rdfa", "links", "keywords", "feed")


class OutputFolder(Part, frozen=True, kw_only=True):
    """`[output]`: where files go."""

    folder: Annotated[str, says("folder served at the root of the site")] = "public"
    head_pages: Annotated[
        int, says("pages up to which head data is written for each page", ge=0)
    ] = 100_000


class Losing(Part, frozen=True, kw_only=True):
    """`[loss]`: how much of what was listed a survey, a build or an announcement may lose at once
    before it is refused until told otherwise with `--accept`. Each takes the share and the least
    number of pages together; a site that would lose all of its pages is refused in any case. What a
    rule or another decision of the site file takes out counts only then."""

    share: Annotated[
        float, says("share of all listed addresses, from 0 to 1; above 1 nothing is refused", ge=0)
    ] = 0.4
    pages: Annotated[int, says("and at least so many of them", ge=1)] = 10
    section_share: Annotated[float, says("share of the addresses of one section", ge=0)] = 0.9
    section_pages: Annotated[int, says("and at least so many of them", ge=1)] = 5
    source_share: Annotated[float, says("share of the addresses of one source", ge=0)] = 0.9
    source_pages: Annotated[int, says("and at least so many of them", ge=1)] = 5


class Surveying(Part, frozen=True, kw_only=True):
    """`[survey]`: who reads pages."""

    cluster: Annotated[
        str, says("scheduler of a Dask cluster that reads pages, like tcp://reader:8786")
    ] = ""

    @check("cluster")
    @classmethod
    def _address(cls, value: str) -> str:
        if value and not re.fullmatch(r"[a-z]+://\S+", value):
            raise ValueError(f"{value!r} is no address of a scheduler; give tcp://host:port")
        return value


class Sitemap(Part, frozen=True, kw_only=True):
    """`[sitemap]`: how sitemap files are written."""

    compress: Annotated[Compression, says('"auto": files of 1 MiB and more are gzipped')] = "auto"
    max_urls: Annotated[int, says("addresses in one file, at most", ge=1, le=50_000)] = 50_000
    order: Annotated[
        Order,
        says(
            "order of the addresses in a file: as the page table has them, by "
            "address, newest first, or those first that are clicked most"
        ),
    ] = "source"
    pictures: Annotated[bool, says("whether pictures are listed with their pages")] = True
    alternates: Annotated[bool, says("whether language versions are listed")] = True
    folder: Annotated[
        str, says("folder for all files but the index, below the root of the site")
    ] = "/"
    unlisted: Annotated[
        tuple[str, ...],
        says(
            'sections, "video" or "news" whose files get a name that nobody can guess and '
            "are only submitted"
        ),
    ] = ()
    text: Annotated[bool, says("whether all addresses are written as plain text too")] = False
    style: Annotated[
        bool, says("whether files name a style sheet, so that people can read them")
    ] = True
    news_name: Annotated[str, says("name of the publication in the news sitemap")] = ""

    @check("folder")
    @classmethod
    def _folder(cls, value: str) -> str:
        if not re.fullmatch(r"/([A-Za-z0-9_~-][A-Za-z0-9._~-]*/)*", value):
            raise ValueError(f"{value!r} is no folder of the site; write it as /name/")
        return value


class Feed(Part, frozen=True, kw_only=True):
    """`[feed]`: the newest pages as RSS and Atom."""

    rss: Annotated[str, says("file name of the RSS 2.0 feed; empty for none")] = "feed.xml"
    atom: Annotated[str, says("file name of an Atom feed; empty for none")] = ""
    count: Annotated[int, says("pages in it", ge=1, le=1_000)] = 50
    content: Annotated[
        Literal["none", "summary", "full"], says("what of each page stands in it")
    ] = "summary"
    attribution_before: Annotated[
        str,
        says('pattern of a first line above each page, as in "From {{ site.name }}:"'),
    ] = ""
    attribution: Annotated[
        str,
        says('pattern of a last line under each page, as in "First published by {{ site.name }}"'),
    ] = ""
    sections: Annotated[tuple[str, ...], says("sections it takes pages from; all if empty")] = ()

    @check("rss", "atom")
    @classmethod
    def _name(cls, value: str) -> str:
        if value and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*\.(xml|rss|atom)", value):
            raise ValueError(f"{value!r} is no name of a feed; write it as name.xml")
        return value


class Visitors(Part, frozen=True, kw_only=True):
    """`[visitors]`: a page of links for people, grouped by section."""

    page: Annotated[str, says("file name; empty for none")] = "sitemap.html"
    per_page: Annotated[int, says("links on one page", ge=10, le=5_000)] = 500
    most: Annotated[int, says("listed pages from which on no such page is written", ge=1)] = 20_000
    order: Annotated[
        Literal["address", "title", "newest"],
        says("order of the links of a section: by address, by their text, or newest first"),
    ] = "address"
    sections: Annotated[
        tuple[str, ...],
        says("sections that it shows, in this order; all, in the order of the file, if empty"),
    ] = ()
    exclude: Annotated[
        str | tuple[str, ...], says("addresses of listed pages that it leaves out, as in /press/**")
    ] = ""

    @check("exclude")
    @classmethod
    def _patterns(cls, value: str | tuple[str, ...]) -> str | tuple[str, ...]:
        if value:
            as_patterns(value)
        return value

    @check("page")
    @classmethod
    def _name(cls, value: str) -> str:
        if value and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*\.html", value):
            raise ValueError(f"{value!r} is no name of a page; write it as name.html")
        return value


class SiteModel(Part, frozen=True, kw_only=True):
    """The whole site file."""

    site: Site
    host: tuple[Host, ...] = ()
    publisher: Publisher = field(default_factory=Publisher)
    place: tuple[Place, ...] = ()
    structured: Structured = field(default_factory=Structured)
    output: OutputFolder = field(default_factory=OutputFolder)
    survey: Surveying = field(default_factory=Surveying)
    loss: Losing = field(default_factory=Losing)
    identity: Identity = field(default_factory=Identity)
    dates: Dates = field(default_factory=Dates)
    authors: Authors = field(default_factory=Authors)
    tags: Tags = field(default_factory=Tags)
    source: Annotated[tuple[Source, ...], Meta(min_length=1)]
    kinds: Kinds = field(default_factory=Kinds)
    policies: Policies = field(default_factory=Policies)
    defaults: Defaults = field(default_factory=Defaults)
    section: tuple[Section, ...] = ()
    rule: tuple[Rule, ...] = ()
    overrides: Overrides = field(default_factory=Overrides)
    guard: tuple[Guard, ...] = ()
    robots: Robots = field(default_factory=Robots)
    sitemap: Sitemap = field(default_factory=Sitemap)
    languages: Languages = field(default_factory=Languages)
    videos: Videos = field(default_factory=Videos)
    head: HeadData = field(default_factory=HeadData)
    lengths: Lengths = field(default_factory=Lengths)
    review: Reviewing = field(default_factory=Reviewing)
    traffic: TrafficChoices = field(default_factory=TrafficChoices)
    trial: tuple[Trial, ...] = ()
    links: Linking = field(default_factory=Linking)
    moves: Moving = field(default_factory=Moving)
    sharing: Sharing = field(default_factory=Sharing)
    inject: Inject = field(default_factory=Inject)
    feed: Feed = field(default_factory=Feed)
    visitors: Visitors = field(default_factory=Visitors)
    ledger: LedgerPlace = field(default_factory=LedgerPlace)
    engine: tuple[Engine, ...] = ()
    tend: Tend = field(default_factory=Tend)
    publish: Publish = field(default_factory=Publish)
    tell: tuple[Tell, ...] = ()
