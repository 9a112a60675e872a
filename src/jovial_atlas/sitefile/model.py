"""What a site file may say. Every key has its meaning here; the reference is made from it."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

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
from jovial_atlas.sitefile.publisher import Place, Publisher, Structured
from jovial_atlas.sitefile.sources import Part, Source, origin_of
from jovial_atlas.sitefile.videos import Videos


class Site(Part):
    """`[site]`: what the site is."""

    url: str = Field(description="scheme and host of the public site, without a path")
    name: str = Field("", description="name of the site; the host where it is left out")
    short_name: str = Field("", description="shorter name, for the end of titles")
    language: str = Field("en", description="main language, BCP 47")
    search: str = Field(
        "", description="address or path of the site's own search, as in "
        '"/search/?q={search_term_string}"',
    )  # fmt: skip
    timezone: str = Field("", description="zone of times that say none, as in Europe/London")
    stage: Literal["live", "draft"] = Field(
        "live", description='"draft" hides everything and announces nothing'
    )
    authors: Literal["one", "many"] = Field(
        "many", description="whether one person writes the site, so that author pages repeat others"
    )
    other_hosts: tuple[str, ...] = Field(
        (),
        description="hosts that serve this site too, as the temporary one of a hosting service; "
        "`check --live` makes sure that engines cannot index them",
    )

    @field_validator("url")
    @classmethod
    def _only_an_origin(cls, value: str) -> str:
        return origin_of(value)

    @field_validator("search")
    @classmethod
    def _search(cls, value: str) -> str:
        if value and "{search_term_string}" not in value:
            raise ValueError(f"{value!r} names no {{search_term_string}}")
        return value

    @field_validator("timezone")
    @classmethod
    def _zone(cls, value: str) -> str:
        from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

        try:
            if value:
                ZoneInfo(value)
        except (ZoneInfoNotFoundError, ValueError, OSError):
            raise ValueError(f"{value!r} is no time zone; write it as Europe/London") from None
        return value

    @field_validator("other_hosts")
    @classmethod
    def _origins(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(origin_of(one) for one in value)

    @model_validator(mode="after")
    def _names(self) -> Site:
        host = self.url.partition("://")[2]
        object.__setattr__(self, "name", self.name or host)
        object.__setattr__(self, "short_name", self.short_name or self.name)
        return self


class Host(Part):
    """`[[host]]`: another host of the site, with a set of files of its own."""

    url: str = Field(description="scheme and host, without a path")
    folder: str = Field(description="folder served at its root, relative to this file")
    language: str = Field("", description="main language; the site's where it is left out")

    @field_validator("url")
    @classmethod
    def _only_an_origin(cls, value: str) -> str:
        return origin_of(value)


class Identity(Part):
    """`[identity]`: which spellings of an address are one page."""

    trailing_slash: Literal["keep", "add", "remove"] = Field(
        "keep", description="what happens to the last slash of an address without a file ending"
    )
    query: Literal["keep", "drop"] | tuple[str, ...] = Field(
        "keep", description='"keep", "drop", or the parameters that mean something'
    )


class Dates(Part):
    """`[dates]`: where the date of a page's last change comes from."""

    trust: tuple[
        Literal["field", "meta", "json-ld", "time", "published", "git", "fingerprint", "file"], ...
    ] = Field(
        ("field", "meta", "json-ld", "time", "published", "git", "fingerprint", "file"),
        description="places, most trusted first; a place left out is not asked",
    )


class Output(Part):
    """`[output]`: where files go."""

    folder: str = Field("public", description="folder served at the root of the site")
    head_pages: int = Field(
        100_000, ge=0, description="pages up to which head data is written for each page"
    )


class RobotsGroup(Part):
    """One group of robots.txt."""

    agents: tuple[str, ...] = Field(description='crawlers by product token, "*" for all')
    allow: tuple[str, ...] = Field((), description="path patterns that may be fetched")
    disallow: tuple[str, ...] = Field((), description="path patterns that may not")
    comment: str = Field("", description="comment above the group")
    reasons: dict[str, str] = Field(
        default_factory=dict, description="pattern → why, as a comment above its rule"
    )

    @model_validator(mode="after")
    def _reasons_have_rules(self) -> RobotsGroup:
        for pattern in self.reasons:
            if pattern not in (*self.allow, *self.disallow):
                raise ValueError(f"reasons names {pattern!r}, which is no rule of this group")
        return self

    @field_validator("agents")
    @classmethod
    def _tokens(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        if not value:
            raise ValueError("it names no crawler")
        for agent in value:
            if agent != "*" and not re.fullmatch(r"[A-Za-z_-]+", agent):
                raise ValueError(f"{agent!r} is no product token (letters, '_' and '-', or '*')")
        return value

    @field_validator("allow", "disallow")
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

    groups: tuple[RobotsGroup, ...] = Field(
        (RobotsGroup.model_construct(agents=("*",)),), description="groups, in order"
    )
    comment: str = Field("", description="comment at the top")
    records: tuple[str, ...] = Field((), description='other records, as in "Crawl-delay: 10"')
    sitemaps: tuple[str, ...] = Field((), description="sitemaps to name beside the tool's own")

    @field_validator("records")
    @classmethod
    def _records(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for record in value:
            if ":" not in record or "\n" in record:
                raise ValueError(f"{record!r} is no record; it needs a name, a colon and a value")
        return value


class Sitemap(Part):
    """`[sitemap]`: how sitemap files are written."""

    compress: Compression = Field("auto", description='"auto": files of 1 MiB and more are gzipped')
    max_urls: int = Field(50_000, ge=1, le=50_000, description="addresses in one file, at most")
    order: Order = Field(
        "source", description="order of the addresses in a file: as the page table has them, by "
        "address, or newest first",
    )  # fmt: skip
    pictures: bool = Field(True, description="whether pictures are listed with their pages")
    alternates: bool = Field(True, description="whether language versions are listed")
    folder: str = Field(
        "/", description="folder for all files but the index, below the root of the site"
    )
    unlisted: tuple[str, ...] = Field(
        (),
        description='sections, "video" or "news" whose files get a name that nobody can guess and '
        "are only submitted",
    )
    text: bool = Field(False, description="whether all addresses are written as plain text too")
    style: bool = Field(
        True, description="whether files name a style sheet, so that people can read them"
    )
    news_name: str = Field("", description="name of the publication in the news sitemap")

    @field_validator("folder")
    @classmethod
    def _folder(cls, value: str) -> str:
        if not re.fullmatch(r"/([A-Za-z0-9_~-][A-Za-z0-9._~-]*/)*", value):
            raise ValueError(f"{value!r} is no folder of the site; write it as /name/")
        return value


class Feed(Part):
    """`[feed]`: the newest pages as RSS and Atom."""

    rss: str = Field("feed.xml", description="file name of the RSS 2.0 feed; empty for none")
    atom: str = Field("", description="file name of an Atom feed; empty for none")
    count: int = Field(50, ge=1, le=1_000, description="pages in it")
    content: Literal["none", "summary", "full"] = Field(
        "summary", description="what of each page stands in it"
    )
    attribution: str = Field(
        "", description="pattern of a last line under each page, as in "
        '"First published by {{ site.name }}"',
    )  # fmt: skip
    sections: tuple[str, ...] = Field((), description="sections it takes pages from; all if empty")

    @field_validator("rss", "atom")
    @classmethod
    def _name(cls, value: str) -> str:
        if value and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*\.(xml|rss|atom)", value):
            raise ValueError(f"{value!r} is no name of a feed; write it as name.xml")
        return value


class Visitors(Part):
    """`[visitors]`: a page of links for people, grouped by section."""

    page: str = Field("sitemap.html", description="file name; empty for none")
    per_page: int = Field(500, ge=10, le=5_000, description="links on one page")
    most: int = Field(
        20_000, ge=1, description="listed pages from which on no such page is written"
    )

    @field_validator("page")
    @classmethod
    def _name(cls, value: str) -> str:
        if value and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*\.html", value):
            raise ValueError(f"{value!r} is no name of a page; write it as name.html")
        return value


class Languages(Part):
    """`[languages]`: where versions of a page in other languages are."""

    folders: dict[str, str] = Field(
        default_factory=dict,
        description="language → folder; pages with the same path in two of them are versions "
        "of each other",
    )
    default: str = Field("", description="language for everybody else (x-default)")

    @field_validator("folders")
    @classmethod
    def _folders(cls, value: dict[str, str]) -> dict[str, str]:
        for language, folder in value.items():
            if fault := languages.fault_of(language):
                raise ValueError(f"{language!r} {fault}")
            if not folder.startswith("/") or not folder.endswith("/"):
                raise ValueError(f"{folder!r} must begin and end with '/'")
        return value

    @model_validator(mode="after")
    def _default_is_there(self) -> Languages:
        if self.default and self.default not in self.folders:
            raise ValueError(f"default = {self.default!r} is none of `folders`")
        return self


class Lengths(Part):
    """`[lengths]`: what results show of titles and descriptions. Pixels are those of a result on
    a wide screen; no engine promises them."""

    title_px: int = Field(580, ge=1, description="width of a title in a result, in pixels")
    title_size: int = Field(20, ge=1, description="size of its letters, in pixels")
    title_least: int = Field(15, ge=0, description="characters below which a title says little")
    description_px: int = Field(920, ge=1, description="width of a description, in pixels")
    description_narrow_px: int = Field(
        680, ge=1, description="width of a description on a narrow screen, in pixels"
    )
    description_size: int = Field(14, ge=1, description="size of its letters, in pixels")
    description_least: int = Field(
        70, ge=0, description="characters below which a description says little"
    )


KindOfPage = Literal["home", "listing", "paged", "search", "error"]


class HeadData(Texts):
    """`[head]`: what stands in the heads of pages. Patterns of a section win over these, and the
    texts of single pages, in the overrides file, over both."""

    social: bool = Field(True, description="whether Open Graph and card metadata are written")
    titles: dict[KindOfPage, str] = Field(
        default_factory=dict,
        description="kind of page (home, listing, paged, search, error) → pattern of its titles; "
        "sections' patterns win over these, these over `title`",
    )
    descriptions: dict[KindOfPage, str] = Field(
        default_factory=dict, description="kind of page → pattern of its descriptions"
    )
    image: str = Field("", description="address or path of the picture where a page has none")
    image_alt: str = Field("", description="what that picture shows, for those who do not see it")
    fragments: bool = Field(
        False, description="whether each page's head is also written as a file of its own, as "
        "HTML and as JSON, for systems that serve pages themselves",
    )  # fmt: skip
    card_site: str = Field("", description="handle of the site for cards, with its @")
    verification: dict[str, str] = Field(
        default_factory=dict,
        description="name of an ownership tag → token, as an engine gives it",
    )


class Inject(Part):
    """`[inject]`: what `inject` does to built pages beside their head data. A snippet is HTML, or
    the path of a file that holds it."""

    drop_generator: bool = Field(
        False, description="whether the tag goes that names the publishing system"
    )
    head_start: str = Field("", description="snippet right after <head>")
    head_end: str = Field("", description="snippet right before </head>")
    body_start: str = Field("", description="snippet right after <body>")
    body_end: str = Field("", description="snippet right before </body>")
    nofollow: tuple[str, ...] = Field(
        (), description="links that get rel=nofollow: paths of the site, as in /login/**, or "
        "addresses, as in https://shop.example/**",
    )  # fmt: skip
    alts: bool = Field(
        False, description="whether pictures without an alt text get one from their title or file "
        "name; each is told, and marked in the page",
    )  # fmt: skip

    @field_validator("nofollow")
    @classmethod
    def _links(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for pattern in value:
            (patterns.to_address_regex if "://" in pattern else patterns.to_regex)(pattern)
        return value

    @field_validator("head_start", "head_end", "body_start", "body_end")
    @classmethod
    def _whole(cls, value: str) -> str:
        if "<!-- /snippet" in value:
            raise ValueError("a snippet may not hold the comment that ends it")
        return value


class Sharing(Part):
    """`[sharing]`: the pictures with which pages are shared."""

    copies: bool = Field(
        False, description="whether pictures of another shape, too large or too heavy are shared "
        "as copies of 1200×630 pixels, which `build` makes",
    )  # fmt: skip
    focus: Focus = Field(
        "centre", description='what a copy keeps: "centre", "top", or "detail", where most is sharp'
    )
    points: dict[str, tuple[float, float]] = Field(
        default_factory=dict,
        description="path of a picture → what its copy keeps, as parts of width and height from "
        "the upper left, as in [0.3, 0.5]",
    )
    most_bytes: int = Field(
        600_000, ge=20_000, description="octets of a copy, at most; quality gives way"
    )
    mark: str = Field(
        "", description="address or path of a picture that copies carry in a corner, as the logo"
    )
    corner: Corner = Field("bottom-right", description="the corner it stands in")

    @field_validator("points")
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
    publisher: Publisher = Field(default_factory=Publisher)
    place: tuple[Place, ...] = ()
    structured: Structured = Field(default_factory=Structured)
    output: Output = Field(default_factory=Output)
    identity: Identity = Field(default_factory=Identity)
    dates: Dates = Field(default_factory=Dates)
    source: tuple[Annotated[Source, Field(discriminator="kind")], ...] = Field(min_length=1)
    kinds: Kinds = Field(default_factory=Kinds)
    policies: Policies = Field(default_factory=Policies)
    defaults: Defaults = Field(default_factory=Defaults)
    section: tuple[Section, ...] = ()
    rule: tuple[Rule, ...] = ()
    overrides: Overrides = Field(default_factory=Overrides)
    guard: tuple[Guard, ...] = ()
    robots: Robots = Field(default_factory=Robots)
    sitemap: Sitemap = Field(default_factory=Sitemap)
    languages: Languages = Field(default_factory=Languages)
    videos: Videos = Field(default_factory=Videos)
    head: HeadData = Field(default_factory=HeadData)
    lengths: Lengths = Field(default_factory=Lengths)
    sharing: Sharing = Field(default_factory=Sharing)
    inject: Inject = Field(default_factory=Inject)
    feed: Feed = Field(default_factory=Feed)
    visitors: Visitors = Field(default_factory=Visitors)
    ledger: LedgerPlace = Field(default_factory=LedgerPlace)
    engine: tuple[Engine, ...] = ()
