"""What a site file may say. Every key has its meaning here; the reference is made from it."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from msgspec import Meta, field, structs

from jovial_atlas import languages, patterns
from jovial_atlas.media.pictures import Corner, Focus
from jovial_atlas.sitefile.deciding import (
    Compression,
    Defaults,
    Guard,
    Kinds,
    Order,
    Overrides,
    Policies,
    Rule,
    Section,
    Texts,
)
from jovial_atlas.sitefile.engines import Engine, LedgerPlace
from jovial_atlas.sitefile.parts import Part, check, check_whole, says
from jovial_atlas.sitefile.publisher import Place, Publisher, Structured
from jovial_atlas.sitefile.sources import Source, origin_of
from jovial_atlas.sitefile.videos import Videos


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
            Literal["field", "meta", "json-ld", "time", "published", "git", "fingerprint", "file"],
            ...,
        ],
        says("places, most trusted first; a place left out is not asked"),
    ] = ("field", "meta", "json-ld", "time", "published", "git", "fingerprint", "file")


class Output(Part, frozen=True, kw_only=True):
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


class RobotsGroup(Part, frozen=True, kw_only=True):
    """One group of robots.txt."""

    agents: Annotated[tuple[str, ...], says('crawlers by product token, "*" for all')]
    allow: Annotated[tuple[str, ...], says("path patterns that may be fetched")] = ()
    disallow: Annotated[tuple[str, ...], says("path patterns that may not")] = ()
    comment: Annotated[str, says("comment above the group")] = ""
    reasons: Annotated[dict[str, str], says("pattern → why, as a comment above its rule")] = field(
        default_factory=dict
    )

    @check_whole
    def _reasons_have_rules(self) -> None:
        for pattern in self.reasons:
            if pattern not in (*self.allow, *self.disallow):
                raise ValueError(f"reasons names {pattern!r}, which is no rule of this group")

    @check("agents")
    @classmethod
    def _tokens(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        if not value:
            raise ValueError("it names no crawler")
        for agent in value:
            if agent != "*" and not re.fullmatch(r"[A-Za-z_-]+", agent):
                raise ValueError(f"{agent!r} is no product token (letters, '_' and '-', or '*')")
        return value

    @check("allow", "disallow")
    @classmethod
    def _paths(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for path in value:
            if path and path[0] not in "/*$":
                raise ValueError(f"{path!r} must begin with '/' or '*'")
            if re.search(r"[\x00-\x1f#]", path):
                raise ValueError(f"{path!r} may hold neither '#' nor control characters")
        return value


class Robots(Part, frozen=True, kw_only=True):
    """`[robots]`: what robots.txt says."""

    groups: Annotated[tuple[RobotsGroup, ...], says("groups, in order")] = (
        RobotsGroup(agents=("*",)),
    )
    comment: Annotated[str, says("comment at the top")] = ""
    records: Annotated[tuple[str, ...], says('other records, as in "Crawl-delay: 10"')] = ()
    sitemaps: Annotated[tuple[str, ...], says("sitemaps to name beside the tool's own")] = ()

    @check("records")
    @classmethod
    def _records(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for record in value:
            if ":" not in record or "\n" in record:
                raise ValueError(f"{record!r} is no record; it needs a name, a colon and a value")
        return value


class Sitemap(Part, frozen=True, kw_only=True):
    """`[sitemap]`: how sitemap files are written."""

    compress: Annotated[Compression, says('"auto": files of 1 MiB and more are gzipped')] = "auto"
    max_urls: Annotated[int, says("addresses in one file, at most", ge=1, le=50_000)] = 50_000
    order: Annotated[
        Order,
        says(
            "order of the addresses in a file: as the page table has them, by "
            "address, or newest first"
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

    @check("page")
    @classmethod
    def _name(cls, value: str) -> str:
        if value and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*\.html", value):
            raise ValueError(f"{value!r} is no name of a page; write it as name.html")
        return value


class Languages(Part, frozen=True, kw_only=True):
    """`[languages]`: where versions of a page in other languages are."""

    folders: Annotated[
        dict[str, str],
        says(
            "language → folder; pages with the same path in two of them are versions of each other"
        ),
    ] = field(default_factory=dict)
    default: Annotated[str, says("language for everybody else (x-default)")] = ""

    @check("folders")
    @classmethod
    def _folders(cls, value: dict[str, str]) -> dict[str, str]:
        for language, folder in value.items():
            if fault := languages.fault_of(language):
                raise ValueError(f"{language!r} {fault}")
            if not folder.startswith("/") or not folder.endswith("/"):
                raise ValueError(f"{folder!r} must begin and end with '/'")
        return value

    @check_whole
    def _default_is_there(self) -> None:
        if self.default and self.default not in self.folders:
            raise ValueError(f"default = {self.default!r} is none of `folders`")


class Lengths(Part, frozen=True, kw_only=True):
    """`[lengths]`: what results show of titles and descriptions. Pixels are those of a result on
    a wide screen; no engine promises them."""

    title_px: Annotated[int, says("width of a title in a result, in pixels", ge=1)] = 580
    title_size: Annotated[int, says("size of its letters, in pixels", ge=1)] = 20
    title_least: Annotated[int, says("characters below which a title says little", ge=0)] = 15
    description_px: Annotated[int, says("width of a description, in pixels", ge=1)] = 920
    description_narrow_px: Annotated[
        int, says("width of a description on a narrow screen, in pixels", ge=1)
    ] = 680
    description_size: Annotated[int, says("size of its letters, in pixels", ge=1)] = 14
    description_least: Annotated[
        int, says("characters below which a description says little", ge=0)
    ] = 70


KindOfPage = Literal["home", "listing", "paged", "search", "error"]


class HeadData(Texts, frozen=True, kw_only=True):
    """`[head]`: what stands in the heads of pages. Patterns of a section win over these, and the
    texts of single pages, in the overrides file, over both."""

    social: Annotated[bool, says("whether Open Graph and card metadata are written")] = True
    titles: Annotated[
        dict[KindOfPage, str],
        says(
            "kind of page (home, listing, paged, search, error) → pattern of its titles; "
            "sections' patterns win over these, these over `title`"
        ),
    ] = field(default_factory=dict)
    descriptions: Annotated[
        dict[KindOfPage, str], says("kind of page → pattern of its descriptions")
    ] = field(default_factory=dict)
    image: Annotated[str, says("address or path of the picture where a page has none")] = ""
    image_alt: Annotated[str, says("what that picture shows, for those who do not see it")] = ""
    fragments: Annotated[
        bool,
        says(
            "whether each page's head is also written as a file of its own, as "
            "HTML and as JSON, for systems that serve pages themselves"
        ),
    ] = False
    card_site: Annotated[str, says("handle of the site for cards, with its @")] = ""
    verification: Annotated[
        dict[str, str], says("name of an ownership tag → token, as an engine gives it")
    ] = field(default_factory=dict)


class Inject(Part, frozen=True, kw_only=True):
    """`[inject]`: what `inject` does to built pages beside their head data. A snippet is HTML, or
    the path of a file that holds it."""

    drop_generator: Annotated[
        bool, says("whether the tag goes that names the publishing system")
    ] = False
    head_start: Annotated[str, says("snippet right after <head>")] = ""
    head_end: Annotated[str, says("snippet right before </head>")] = ""
    body_start: Annotated[str, says("snippet right after <body>")] = ""
    body_end: Annotated[str, says("snippet right before </body>")] = ""
    nofollow: Annotated[
        tuple[str, ...],
        says(
            "links that get rel=nofollow: paths of the site, as in /login/**, or "
            "addresses, as in https://shop.example/**"
        ),
    ] = ()
    alts: Annotated[
        bool,
        says(
            "whether pictures without an alt text get one from their title or file "
            "name; each is told, and marked in the page"
        ),
    ] = False

    @check("nofollow")
    @classmethod
    def _links(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for pattern in value:
            (patterns.to_address_regex if "://" in pattern else patterns.to_regex)(pattern)
        return value

    @check("head_start", "head_end", "body_start", "body_end")
    @classmethod
    def _whole(cls, value: str) -> str:
        if "<!-- /snippet" in value:
            raise ValueError("a snippet may not hold the comment that ends it")
        return value


class Sharing(Part, frozen=True, kw_only=True):
    """`[sharing]`: the pictures with which pages are shared."""

    copies: Annotated[
        bool,
        says(
            "whether pictures of another shape, too large or too heavy are shared "
            "as copies of 1200×630 pixels, which `build` makes"
        ),
    ] = False
    focus: Annotated[
        Focus, says('what a copy keeps: "centre", "top", or "detail", where most is sharp')
    ] = "centre"
    points: Annotated[
        dict[str, tuple[float, float]],
        says(
            "path of a picture → what its copy keeps, as parts of width and height from "
            "the upper left, as in [0.3, 0.5]"
        ),
    ] = field(default_factory=dict)
    most_bytes: Annotated[int, says("octets of a copy, at most; quality gives way", ge=20_000)] = (
        600_000
    )
    mark: Annotated[
        str, says("address or path of a picture that copies carry in a corner, as the logo")
    ] = ""
    corner: Annotated[Corner, says("the corner it stands in")] = "bottom-right"

    @check("points")
    @classmethod
    def _points(cls, value: dict[str, tuple[float, float]]) -> dict[str, tuple[float, float]]:
        for path, point in value.items():
            if not path.startswith("/"):
                raise ValueError(f"{path!r} is no path; it begins with '/'")
            if not all(0 <= part <= 1 for part in point):
                raise ValueError(f"{list(point)} is no point; both parts are from 0 to 1")
        return value


class SiteModel(Part, frozen=True, kw_only=True):
    """The whole site file."""

    site: Site
    host: tuple[Host, ...] = ()
    publisher: Publisher = field(default_factory=Publisher)
    place: tuple[Place, ...] = ()
    structured: Structured = field(default_factory=Structured)
    output: Output = field(default_factory=Output)
    loss: Losing = field(default_factory=Losing)
    identity: Identity = field(default_factory=Identity)
    dates: Dates = field(default_factory=Dates)
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
    sharing: Sharing = field(default_factory=Sharing)
    inject: Inject = field(default_factory=Inject)
    feed: Feed = field(default_factory=Feed)
    visitors: Visitors = field(default_factory=Visitors)
    ledger: LedgerPlace = field(default_factory=LedgerPlace)
    engine: tuple[Engine, ...] = ()
