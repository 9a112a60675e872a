"""What a site file may say. Every key has its meaning here; the reference is made from it."""

from __future__ import annotations

import re
from typing import Literal

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
from jovial_atlas.sitefile.parts import Part, check, check_whole, entry
from jovial_atlas.sitefile.publisher import Place, Publisher, Structured
from jovial_atlas.sitefile.sources import Source, origin_of
from jovial_atlas.sitefile.videos import Videos


class Site(Part):
    """`[site]`: what the site is."""

    url: str = entry(description="scheme and host of the public site, without a path")
    name: str = entry("", description="name of the site; the host where it is left out")
    short_name: str = entry("", description="shorter name, for the end of titles")
    language: str = entry("en", description="main language, BCP 47")
    search: str = entry(
        "", description="address or path of the site's own search, as in "
        '"/search/?q={search_term_string}"',
    )  # fmt: skip
    timezone: str = entry("", description="zone of times that say none, as in Europe/London")
    stage: Literal["live", "draft"] = entry(
        "live", description='"draft" hides everything and announces nothing'
    )
    authors: Literal["one", "many"] = entry(
        "many", description="whether one person writes the site, so that author pages repeat others"
    )
    other_hosts: tuple[str, ...] = entry(
        (),
        description="hosts that serve this site too, as the temporary one of a hosting service; "
        "`check --live` makes sure that engines cannot index them",
    )

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
        object.__setattr__(self, "name", self.name or host)
        object.__setattr__(self, "short_name", self.short_name or self.name)


class Host(Part):
    """`[[host]]`: another host of the site, with a set of files of its own."""

    url: str = entry(description="scheme and host, without a path")
    folder: str = entry(description="folder served at its root, relative to this file")
    language: str = entry("", description="main language; the site's where it is left out")

    @check("url")
    @classmethod
    def _only_an_origin(cls, value: str) -> str:
        return origin_of(value)


class Identity(Part):
    """`[identity]`: which spellings of an address are one page."""

    trailing_slash: Literal["keep", "add", "remove"] = entry(
        "keep", description="what happens to the last slash of an address without a file ending"
    )
    query: Literal["keep", "drop"] | tuple[str, ...] = entry(
        "keep", description='"keep", "drop", or the parameters that mean something'
    )


class Dates(Part):
    """`[dates]`: where the date of a page's last change comes from."""

    trust: tuple[
        Literal["field", "meta", "json-ld", "time", "published", "git", "fingerprint", "file"], ...
    ] = entry(
        ("field", "meta", "json-ld", "time", "published", "git", "fingerprint", "file"),
        description="places, most trusted first; a place left out is not asked",
    )


class Output(Part):
    """`[output]`: where files go."""

    folder: str = entry("public", description="folder served at the root of the site")
    head_pages: int = entry(
        100_000, ge=0, description="pages up to which head data is written for each page"
    )


class RobotsGroup(Part):
    """One group of robots.txt."""

    agents: tuple[str, ...] = entry(description='crawlers by product token, "*" for all')
    allow: tuple[str, ...] = entry((), description="path patterns that may be fetched")
    disallow: tuple[str, ...] = entry((), description="path patterns that may not")
    comment: str = entry("", description="comment above the group")
    reasons: dict[str, str] = entry(
        default_factory=dict, description="pattern → why, as a comment above its rule"
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


class Robots(Part):
    """`[robots]`: what robots.txt says."""

    groups: tuple[RobotsGroup, ...] = entry(
        (RobotsGroup(agents=("*",)),), description="groups, in order"
    )
    comment: str = entry("", description="comment at the top")
    records: tuple[str, ...] = entry((), description='other records, as in "Crawl-delay: 10"')
    sitemaps: tuple[str, ...] = entry((), description="sitemaps to name beside the tool's own")

    @check("records")
    @classmethod
    def _records(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for record in value:
            if ":" not in record or "\n" in record:
                raise ValueError(f"{record!r} is no record; it needs a name, a colon and a value")
        return value


class Sitemap(Part):
    """`[sitemap]`: how sitemap files are written."""

    compress: Compression = entry("auto", description='"auto": files of 1 MiB and more are gzipped')
    max_urls: int = entry(50_000, ge=1, le=50_000, description="addresses in one file, at most")
    order: Order = entry(
        "source", description="order of the addresses in a file: as the page table has them, by "
        "address, or newest first",
    )  # fmt: skip
    pictures: bool = entry(True, description="whether pictures are listed with their pages")
    alternates: bool = entry(True, description="whether language versions are listed")
    folder: str = entry(
        "/", description="folder for all files but the index, below the root of the site"
    )
    unlisted: tuple[str, ...] = entry(
        (),
        description='sections, "video" or "news" whose files get a name that nobody can guess and '
        "are only submitted",
    )
    text: bool = entry(False, description="whether all addresses are written as plain text too")
    style: bool = entry(
        True, description="whether files name a style sheet, so that people can read them"
    )
    news_name: str = entry("", description="name of the publication in the news sitemap")

    @check("folder")
    @classmethod
    def _folder(cls, value: str) -> str:
        if not re.fullmatch(r"/([A-Za-z0-9_~-][A-Za-z0-9._~-]*/)*", value):
            raise ValueError(f"{value!r} is no folder of the site; write it as /name/")
        return value


class Feed(Part):
    """`[feed]`: the newest pages as RSS and Atom."""

    rss: str = entry("feed.xml", description="file name of the RSS 2.0 feed; empty for none")
    atom: str = entry("", description="file name of an Atom feed; empty for none")
    count: int = entry(50, ge=1, le=1_000, description="pages in it")
    content: Literal["none", "summary", "full"] = entry(
        "summary", description="what of each page stands in it"
    )
    attribution: str = entry(
        "", description="pattern of a last line under each page, as in "
        '"First published by {{ site.name }}"',
    )  # fmt: skip
    sections: tuple[str, ...] = entry((), description="sections it takes pages from; all if empty")

    @check("rss", "atom")
    @classmethod
    def _name(cls, value: str) -> str:
        if value and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*\.(xml|rss|atom)", value):
            raise ValueError(f"{value!r} is no name of a feed; write it as name.xml")
        return value


class Visitors(Part):
    """`[visitors]`: a page of links for people, grouped by section."""

    page: str = entry("sitemap.html", description="file name; empty for none")
    per_page: int = entry(500, ge=10, le=5_000, description="links on one page")
    most: int = entry(
        20_000, ge=1, description="listed pages from which on no such page is written"
    )

    @check("page")
    @classmethod
    def _name(cls, value: str) -> str:
        if value and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*\.html", value):
            raise ValueError(f"{value!r} is no name of a page; write it as name.html")
        return value


class Languages(Part):
    """`[languages]`: where versions of a page in other languages are."""

    folders: dict[str, str] = entry(
        default_factory=dict,
        description="language → folder; pages with the same path in two of them are versions "
        "of each other",
    )
    default: str = entry("", description="language for everybody else (x-default)")

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


class Lengths(Part):
    """`[lengths]`: what results show of titles and descriptions. Pixels are those of a result on
    a wide screen; no engine promises them."""

    title_px: int = entry(580, ge=1, description="width of a title in a result, in pixels")
    title_size: int = entry(20, ge=1, description="size of its letters, in pixels")
    title_least: int = entry(15, ge=0, description="characters below which a title says little")
    description_px: int = entry(920, ge=1, description="width of a description, in pixels")
    description_narrow_px: int = entry(
        680, ge=1, description="width of a description on a narrow screen, in pixels"
    )
    description_size: int = entry(14, ge=1, description="size of its letters, in pixels")
    description_least: int = entry(
        70, ge=0, description="characters below which a description says little"
    )


KindOfPage = Literal["home", "listing", "paged", "search", "error"]


class HeadData(Texts):
    """`[head]`: what stands in the heads of pages. Patterns of a section win over these, and the
    texts of single pages, in the overrides file, over both."""

    social: bool = entry(True, description="whether Open Graph and card metadata are written")
    titles: dict[KindOfPage, str] = entry(
        default_factory=dict,
        description="kind of page (home, listing, paged, search, error) → pattern of its titles; "
        "sections' patterns win over these, these over `title`",
    )
    descriptions: dict[KindOfPage, str] = entry(
        default_factory=dict, description="kind of page → pattern of its descriptions"
    )
    image: str = entry("", description="address or path of the picture where a page has none")
    image_alt: str = entry("", description="what that picture shows, for those who do not see it")
    fragments: bool = entry(
        False, description="whether each page's head is also written as a file of its own, as "
        "HTML and as JSON, for systems that serve pages themselves",
    )  # fmt: skip
    card_site: str = entry("", description="handle of the site for cards, with its @")
    verification: dict[str, str] = entry(
        default_factory=dict,
        description="name of an ownership tag → token, as an engine gives it",
    )


class Inject(Part):
    """`[inject]`: what `inject` does to built pages beside their head data. A snippet is HTML, or
    the path of a file that holds it."""

    drop_generator: bool = entry(
        False, description="whether the tag goes that names the publishing system"
    )
    head_start: str = entry("", description="snippet right after <head>")
    head_end: str = entry("", description="snippet right before </head>")
    body_start: str = entry("", description="snippet right after <body>")
    body_end: str = entry("", description="snippet right before </body>")
    nofollow: tuple[str, ...] = entry(
        (), description="links that get rel=nofollow: paths of the site, as in /login/**, or "
        "addresses, as in https://shop.example/**",
    )  # fmt: skip
    alts: bool = entry(
        False, description="whether pictures without an alt text get one from their title or file "
        "name; each is told, and marked in the page",
    )  # fmt: skip

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


class Sharing(Part):
    """`[sharing]`: the pictures with which pages are shared."""

    copies: bool = entry(
        False, description="whether pictures of another shape, too large or too heavy are shared "
        "as copies of 1200×630 pixels, which `build` makes",
    )  # fmt: skip
    focus: Focus = entry(
        "centre", description='what a copy keeps: "centre", "top", or "detail", where most is sharp'
    )
    points: dict[str, tuple[float, float]] = entry(
        default_factory=dict,
        description="path of a picture → what its copy keeps, as parts of width and height from "
        "the upper left, as in [0.3, 0.5]",
    )
    most_bytes: int = entry(
        600_000, ge=20_000, description="octets of a copy, at most; quality gives way"
    )
    mark: str = entry(
        "", description="address or path of a picture that copies carry in a corner, as the logo"
    )
    corner: Corner = entry("bottom-right", description="the corner it stands in")

    @check("points")
    @classmethod
    def _points(cls, value: dict[str, tuple[float, float]]) -> dict[str, tuple[float, float]]:
        for path, point in value.items():
            if not path.startswith("/"):
                raise ValueError(f"{path!r} is no path; it begins with '/'")
            if not all(0 <= part <= 1 for part in point):
                raise ValueError(f"{list(point)} is no point; both parts are from 0 to 1")
        return value


class SiteModel(Part):
    """The whole site file."""

    site: Site
    host: tuple[Host, ...] = ()
    publisher: Publisher = entry(default_factory=Publisher)
    place: tuple[Place, ...] = ()
    structured: Structured = entry(default_factory=Structured)
    output: Output = entry(default_factory=Output)
    identity: Identity = entry(default_factory=Identity)
    dates: Dates = entry(default_factory=Dates)
    source: tuple[Source, ...] = entry(min_length=1)
    kinds: Kinds = entry(default_factory=Kinds)
    policies: Policies = entry(default_factory=Policies)
    defaults: Defaults = entry(default_factory=Defaults)
    section: tuple[Section, ...] = ()
    rule: tuple[Rule, ...] = ()
    overrides: Overrides = entry(default_factory=Overrides)
    guard: tuple[Guard, ...] = ()
    robots: Robots = entry(default_factory=Robots)
    sitemap: Sitemap = entry(default_factory=Sitemap)
    languages: Languages = entry(default_factory=Languages)
    videos: Videos = entry(default_factory=Videos)
    head: HeadData = entry(default_factory=HeadData)
    lengths: Lengths = entry(default_factory=Lengths)
    sharing: Sharing = entry(default_factory=Sharing)
    inject: Inject = entry(default_factory=Inject)
    feed: Feed = entry(default_factory=Feed)
    visitors: Visitors = entry(default_factory=Visitors)
    ledger: LedgerPlace = entry(default_factory=LedgerPlace)
    engine: tuple[Engine, ...] = ()
