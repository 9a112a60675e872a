"""What a site file may say. Every key has its meaning here; the reference is made from it."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from jovial_atlas import dates, languages, patterns
from jovial_atlas.sitefile.engines import Engine
from jovial_atlas.sitefile.sources import Part, Source, origin_of

#: Names that a section may not have, since other files of the set are called so.
RESERVED_SECTIONS = frozenset({"video", "news", "index", "view"})
#: The section of every page that no section matches.
REST = "pages"


Frequency = Literal["always", "hourly", "daily", "weekly", "monthly", "yearly", "never"]
Compression = Literal["auto", "always", "never"]
Order = Literal["address", "newest", "source"]


class Site(Part):
    """`[site]`: what the site is."""

    url: str = Field(description="scheme and host of the public site, without a path")
    name: str = Field("", description="name of the site; the host where it is left out")
    short_name: str = Field("", description="shorter name, for the end of titles")
    language: str = Field("en", description="main language, BCP 47")
    stage: Literal["live", "draft"] = Field(
        "live", description='"draft" hides everything and announces nothing'
    )

    @field_validator("url")
    @classmethod
    def _only_an_origin(cls, value: str) -> str:
        return origin_of(value)

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


class Publisher(Part):
    """`[publisher]`: who stands behind the site."""

    kind: Literal["organization", "person"] = Field("organization", description="what they are")
    name: str = Field("", description="their name; the site's name where it is left out")
    logo: str = Field("", description="address or path of the logo or portrait")
    telephone: str = Field("", description="in international form")
    email: str = Field("", description="address for letters from the public")
    profiles: tuple[str, ...] = Field((), description="addresses of profiles elsewhere")


class Output(Part):
    """`[output]`: where files go."""

    folder: str = Field("public", description="folder served at the root of the site")
    head_pages: int = Field(
        100_000, ge=0, description="pages up to which head data is written for each page"
    )


def _patterns(value: str | tuple[str, ...]) -> tuple[str, ...]:
    found = (value,) if isinstance(value, str) else value
    for pattern in found:
        patterns.to_regex(pattern)
    return found


class Decided(Part):
    """What can be decided for a page, by its section, a rule or an override."""

    listed: bool | None = Field(None, description="whether the page stands in a sitemap")
    index: bool | None = Field(None, description="whether the page may be indexed")
    follow: bool | None = Field(None, description="whether links on the page are followed")
    changefreq: Frequency | None = Field(None, description="how often the page changes")
    priority: float | None = Field(None, ge=0, le=1, description="weight within the site")
    max_snippet: int | None = Field(
        None, ge=-1, description="longest text in a result, in characters; 0 none, -1 any"
    )
    max_image_preview: Literal["none", "standard", "large"] | None = Field(
        None, description="largest picture in a result"
    )
    max_video_preview: int | None = Field(
        None, ge=-1, description="longest piece of a video in a result, in seconds; -1 any"
    )
    archive: bool | None = Field(None, description="whether engines may show a copy they keep")
    translate: bool | None = Field(None, description="whether engines may offer a translation")
    unavailable_after: str | None = Field(
        None, description="date from which on no result shall show it"
    )

    @field_validator("unavailable_after")
    @classmethod
    def _date(cls, value: str | None) -> str | None:
        if value is not None and not dates.is_w3c(value):
            raise ValueError(f"{value!r} is no date; write it as 2026-11-23")
        return value


class Section(Decided):
    """`[[section]]`: a named kind of page. The first section that matches holds the page."""

    name: str = Field(description="lower-case letters, digits and hyphens")
    label: str = Field(
        "", description="what people call it; else the heading of the page at its folder"
    )
    match: str | tuple[str, ...] = Field(description="address pattern, or several")
    schema_type: str = Field(
        "", alias="schema", description="Article, NewsArticle or BlogPosting for its pages"
    )
    title: str = Field("", description="pattern of titles, with {{ page.title }} and others")
    description: str = Field("", description="pattern of descriptions")
    max_urls: int | None = Field(
        None, ge=1, le=50_000, description="addresses in one of its files, at most"
    )
    order: Order | None = Field(None, description="order of the addresses in its files")
    compress: Compression | None = Field(None, description="whether its files are gzipped")
    pictures: bool | None = Field(None, description="whether its files list pictures")
    alternates: bool | None = Field(None, description="whether its files list language versions")
    news: bool = Field(
        False, description="whether its pages of the last 48 hours stand in the news sitemap"
    )
    reason: str = Field("", description="why, in the owner's words")

    @field_validator("name")
    @classmethod
    def _plain(cls, value: str) -> str:
        if not re.fullmatch(r"[a-z0-9]+(-[a-z0-9]+)*", value):
            raise ValueError(
                f"{value!r} may hold lower-case letters, digits and single hyphens only"
            )
        if value in RESERVED_SECTIONS:
            raise ValueError(f"{value!r} is the name of another file of the set; choose another")
        return value

    @field_validator("match")
    @classmethod
    def _pattern(cls, value: str | tuple[str, ...]) -> str | tuple[str, ...]:
        _patterns(value)
        return value

    @property
    def patterns(self) -> tuple[str, ...]:
        """The address patterns as a tuple."""
        return _patterns(self.match)


class Decision(Decided):
    """What a rule sets: `set = { listed = false }`."""

    @model_validator(mode="after")
    def _says_something(self) -> Decision:
        if not self.model_dump(exclude_none=True):
            raise ValueError("it sets nothing")
        return self


class Rule(Part):
    """`[[rule]]`: a selector and what it sets. Rules apply in order, later wins."""

    match: str | tuple[str, ...] = Field("", description="address pattern, or several")
    section: str = Field("", description="name of a section")
    when: str = Field("", description="SQL condition over the page table's columns")
    set: Decision = Field(description="what the rule decides")
    reason: str = Field("", description="why, in the owner's words")

    @field_validator("match")
    @classmethod
    def _pattern(cls, value: str | tuple[str, ...]) -> str | tuple[str, ...]:
        if value:
            _patterns(value)
        return value

    @model_validator(mode="after")
    def _selects(self) -> Rule:
        if not (self.match or self.section or self.when):
            raise ValueError("it selects no pages; give match, section or when")
        return self

    @property
    def patterns(self) -> tuple[str, ...]:
        """The address patterns as a tuple, empty where the rule has none."""
        return _patterns(self.match) if self.match else ()


class Overrides(Part):
    """`[overrides]`: what single pages are decided to be, in a table of its own."""

    file: str = Field(
        "", description="CSV file with the columns loc, any field of a rule, reason and by"
    )


class Guard(Part):
    """`[[guard]]`: which fields not everybody may override for single pages."""

    fields: tuple[str, ...] = Field(description='fields it guards, as in ["index", "follow"]')
    sections: tuple[str, ...] = Field((), description="sections it holds in; all if empty")
    authors: tuple[str, ...] = Field(
        (), description="who may override all the same: authors of pages, and names in `by`"
    )
    reason: str = Field("", description="why, in the owner's words")

    @field_validator("fields")
    @classmethod
    def _known(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for name in value:
            if name not in Decision.model_fields:
                known = ", ".join(Decision.model_fields)
                raise ValueError(f"{name!r} is no field; there are {known}")
        if not value:
            raise ValueError("it guards nothing")
        return value


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
        (RobotsGroup(agents=("*",)),), description="groups, in order"
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


class SiteModel(Part):
    """The whole site file."""

    site: Site
    host: tuple[Host, ...] = ()
    publisher: Publisher = Field(default_factory=Publisher)
    output: Output = Field(default_factory=Output)
    identity: Identity = Field(default_factory=Identity)
    dates: Dates = Field(default_factory=Dates)
    source: tuple[Annotated[Source, Field(discriminator="kind")], ...] = Field(min_length=1)
    section: tuple[Section, ...] = ()
    rule: tuple[Rule, ...] = ()
    overrides: Overrides = Field(default_factory=Overrides)
    guard: tuple[Guard, ...] = ()
    robots: Robots = Field(default_factory=Robots)
    sitemap: Sitemap = Field(default_factory=Sitemap)
    languages: Languages = Field(default_factory=Languages)
    feed: Feed = Field(default_factory=Feed)
    visitors: Visitors = Field(default_factory=Visitors)
    engine: tuple[Engine, ...] = ()
