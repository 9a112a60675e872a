"""The parts of a site file that decide about pages: defaults, policies, sections, rules, guards."""

from __future__ import annotations

import re
from typing import Any, Literal

from pydantic import Field, field_validator, model_validator

from jovial_atlas import dates, patterns
from jovial_atlas.sitefile.sources import Part

#: Names that a section may not have, since other files of the set are called so.
RESERVED_SECTIONS = frozenset({"video", "news", "index", "view"})
#: The section of every page that no section matches.
REST = "pages"

Frequency = Literal["always", "hourly", "daily", "weekly", "monthly", "yearly", "never"]
Compression = Literal["auto", "always", "never"]
Order = Literal["address", "newest", "source"]
FoundIn = Literal["video", "player", "link", "og", "json-ld", "feed", "field"]

_AGE = re.compile(r"(\d+) (day|week|month|year)s?")
_DAYS = {"day": 1, "week": 7, "month": 30, "year": 365}


def _patterns(value: str | tuple[str, ...]) -> tuple[str, ...]:
    found = (value,) if isinstance(value, str) else value
    for pattern in found:
        patterns.to_regex(pattern)
    return found


def days_of(age: str) -> int:
    """The days in `2 years`, `90 days`; a month has 30, a year 365. Raises ValueError."""
    match = _AGE.fullmatch(age.strip())
    if not match:
        raise ValueError(f"{age!r} is no age; write it as '2 years', '6 months' or '90 days'")
    return int(match[1]) * _DAYS[match[2]]


class Decided(Part):
    """What can be decided for a page, by its section, a rule or an override."""

    listed: bool | None = Field(None, description="whether the page stands in a sitemap")
    index: bool | None = Field(None, description="whether the page may be indexed")
    follow: bool | None = Field(None, description="whether links on the page are followed")
    canonical: str | None = Field(
        None, description='address or path of the page that counts instead; "self" for itself'
    )
    send_to: str | None = Field(
        None,
        description="address or path that the server sends visitors on to for good; "
        '"parent" or "file" for picture pages',
    )
    lastmod: str | None = Field(None, description="date of the last change")
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

    @field_validator("unavailable_after", "lastmod")
    @classmethod
    def _date(cls, value: str | None) -> str | None:
        if value is not None and not dates.is_w3c(value):
            raise ValueError(f"{value!r} is no date; write it as 2026-11-23")
        return value

    @field_validator("canonical", "send_to")
    @classmethod
    def _place(cls, value: str | None, info: object) -> str | None:
        words = ("self",) if getattr(info, "field_name", "") == "canonical" else ("parent", "file")
        if value and value not in words and not value.startswith(("/", "https://", "http://")):
            said = " or ".join(f'"{word}"' for word in words)
            raise ValueError(f"{value!r} is no address; give one, a path from '/' on, or {said}")
        return value


class Defaults(Decided):
    """`[defaults]`: what holds for all pages of the site, unless something stronger says other."""

    reason: str = Field("", description="why, in the owner's words")


class Kinds(Part):
    """`[kinds]`: by which addresses kinds of page are known, in place of the tool's own signs."""

    search: tuple[str, ...] | None = Field(
        None, description="search results; else /search/ and addresses with ?q= or ?s="
    )
    listings: tuple[str, ...] | None = Field(
        None, description="listings; else folders for tags, categories, topics, archives, "
        "authors, years and months",
    )  # fmt: skip
    paged: tuple[str, ...] | None = Field(
        None, description="second and later pages of listings; else /page/2 and ?page=2"
    )
    authors: tuple[str, ...] | None = Field(
        None, description="pages about authors; else /author/ and /authors/"
    )
    feeds: tuple[str, ...] | None = Field(
        None, description="feeds; else feed.xml, /feed/ and files that end in .rss or .atom"
    )
    print: tuple[str, ...] | None = Field(
        None, description="versions to print; else /print/ before or after, and ?print="
    )
    pictures: tuple[str, ...] | None = Field(
        None, description="pages that only show one picture; else pages with one picture and "
        "no more than 12 words, neither described nor dated",
    )  # fmt: skip

    @field_validator("*")
    @classmethod
    def _known(cls, value: tuple[str, ...] | None) -> tuple[str, ...] | None:
        return None if value is None else _patterns(value)


_Plain = Literal["index", "unlist", "noindex"]
_Variant = Literal["index", "unlist", "noindex", "canonical"]


class Policies(Part):
    """`[policies]`: what happens with kinds of page. "index": nothing; "unlist": stays out of the
    sitemaps; "noindex": out of the index too."""

    error_pages: _Plain = Field("noindex", description="error pages")
    drafts: _Plain = Field("noindex", description="drafts")
    future_pages: _Plain = Field("noindex", description="pages dated in the future")
    expired_pages: Literal["index", "unlist", "noindex"] = Field(
        "unlist", description="pages past their date of expiry"
    )
    search_results: _Plain = Field("noindex", description="search pages and their results")
    feeds: _Plain = Field("unlist", description="feeds")
    attachments: _Plain = Field("unlist", description="attachments of other pages")
    empty_listings: _Plain = Field(
        "unlist", description="listings that hold nothing yet; noindex would take long to heal"
    )
    paged_listings: _Plain = Field(
        "unlist", description="second and later pages of a listing; crawlers still follow them"
    )
    date_listings: _Plain = Field("index", description="listings of a year, month or day")
    author_pages: _Plain = Field(
        "unlist", description='pages about authors, where [site] says authors = "one"'
    )
    thin_pages: _Plain = Field("index", description="pages with fewer words than `thin_words`")
    thin_words: int = Field(50, ge=1, description="words below which a page counts as thin")
    picture_pages: Literal["index", "unlist", "noindex", "parent", "file"] = Field(
        "unlist",
        description='pages that only show one picture; "parent" and "file" send visitors on to '
        "the page that shows it, or to the picture",
    )
    print_versions: _Variant = Field(
        "canonical", description='versions to print; "canonical" names the page they repeat'
    )
    query_addresses: _Variant = Field(
        "canonical", description="addresses with a query, where the same without it is a page"
    )
    duplicates: _Variant = Field(
        "unlist", description="pages with the same main text as another, 30 words or more"
    )


class Texts(Part):
    """Patterns of texts: Jinja2 templates that see `page`, `section` and `site`."""

    title: str = Field("", description="pattern of titles, with {{ page.title }} and others")
    description: str = Field("", description="pattern of descriptions")
    share_title: str = Field(
        "", description="pattern of titles where pages are shared; else the heading"
    )
    share_description: str = Field(
        "", description="pattern of descriptions where pages are shared; else the description"
    )
    card_title: str = Field(
        "", description="pattern of titles in card metadata, where they differ from share_title"
    )
    card_description: str = Field(
        "", description="pattern of descriptions in card metadata, where they differ"
    )
    share_image: str = Field(
        "", description="pattern of the address or path of the picture where pages are shared; "
        "else the one the page names, or its first large one",
    )  # fmt: skip


#: The fields of `Texts`.
TEXTS = tuple(Texts.model_fields)


def check_type(kind: str, data: dict[str, Any]) -> None:
    """Raise ValueError where a type is none of the vocabulary, or a mapping does not fit it."""
    from jovial_atlas.structured.fill import wrong_mapping
    from jovial_atlas.structured.vocabulary import vocabulary

    words = vocabulary()
    if not words.is_type(kind):
        best = words.nearest_type(kind)
        meant = f"; did you mean {best}" if best else ""
        raise ValueError(f"{kind!r} is no type of the schema.org vocabulary{meant}")
    if wrong := wrong_mapping(kind, data, words):
        raise ValueError(" ".join(wrong).rstrip("."))


class Section(Decided, Texts):
    """`[[section]]`: a named kind of page. The first section that matches holds the page."""

    name: str = Field(description="lower-case letters, digits and hyphens")
    label: str = Field(
        "", description="what people call it; else the heading of the page at its folder"
    )
    match: str | tuple[str, ...] = Field(description="address pattern, or several")
    schema_type: str = Field(
        "", alias="schema", description="type of the schema.org vocabulary for its pages: "
        "BlogPosting, Event, Product, Recipe, FAQPage, JobPosting or any other",
    )  # fmt: skip
    data: dict[str, Any] = Field(
        default_factory=dict,
        description="property of that type → what fills it: a text or pattern, { field = ... }, "
        "{ type = ... }, { each = ... }, { ref = ... }; see the guide to structured data",
    )
    image: str = Field("", description="picture for sharing where a page has none")
    image_alt: str = Field("", description="what that picture shows, for those who do not see it")
    max_urls: int | None = Field(
        None, ge=1, le=50_000, description="addresses in one of its files, at most"
    )
    order: Order | None = Field(None, description="order of the addresses in its files")
    compress: Compression | None = Field(None, description="whether its files are gzipped")
    pictures: bool | None = Field(None, description="whether its files list pictures")
    alternates: bool | None = Field(None, description="whether its files list language versions")
    videos: bool | tuple[FoundIn, ...] = Field(
        True, description="whether videos of its pages are listed; or where they may be found"
    )
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

    @model_validator(mode="after")
    def _type_is_there(self) -> Section:
        if self.data and not self.schema_type:
            raise ValueError("data belongs to a type; name it with schema")
        if self.schema_type:
            check_type(self.schema_type, self.data)
        return self

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


#: Fields that a rule for single crawlers may set: those that a robots directive can say.
FOR_CRAWLERS = frozenset(
    ["index", "follow", "max_snippet", "max_image_preview", "max_video_preview", "archive",
     "translate", "unavailable_after"]
)  # fmt: skip
#: Keys of a rule that say which pages it is about, in the order in which they are written.
SELECTORS = ("match", "regex", "section", "language", "source", "author", "tag", "older_than",
             "newer_than", "dated", "when")  # fmt: skip


class Rule(Part):
    """`[[rule]]`: a selector and what it sets. Rules apply in order, later wins. A page must fit
    every selector that is given."""

    match: str | tuple[str, ...] = Field("", description="address pattern, or several")
    regex: str = Field(
        "", description="regular expression that the path with its query contains, as in "
        '"/[0-9]{4}/$"',
    )  # fmt: skip
    section: str = Field("", description="name of a section")
    language: str = Field("", description='language, BCP 47; "de" takes in "de-AT"')
    source: str = Field("", description="name of a source")
    author: str = Field("", description="author of the page")
    tag: str = Field("", description="one of the page's tags")
    older_than: str = Field("", description='age since the last change, as in "2 years"')
    newer_than: str = Field("", description='age since the last change, as in "90 days"')
    dated: Literal["lastmod", "published"] = Field(
        "lastmod", description="the date from which age counts"
    )
    when: str = Field("", description="SQL condition over the page table's columns")
    crawlers: tuple[str, ...] = Field(
        (), description="crawlers it is for, by product token; all if empty"
    )
    set: Decision = Field(description="what the rule decides")
    reason: str = Field("", description="why, in the owner's words")

    @field_validator("match")
    @classmethod
    def _pattern(cls, value: str | tuple[str, ...]) -> str | tuple[str, ...]:
        if value:
            _patterns(value)
        return value

    @field_validator("older_than", "newer_than")
    @classmethod
    def _age(cls, value: str) -> str:
        if value:
            days_of(value)
        return value

    @field_validator("crawlers")
    @classmethod
    def _tokens(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for one in value:
            if not re.fullmatch(r"[A-Za-z_-]+", one):
                raise ValueError(f"{one!r} is no product token (letters, '_' and '-')")
        return tuple(one.lower() for one in value)

    @model_validator(mode="after")
    def _selects(self) -> Rule:
        if not any(getattr(self, name) for name in SELECTORS if name != "dated"):
            raise ValueError("it selects no pages; give match, section or when")
        wrong = set(self.set.model_dump(exclude_none=True)) - FOR_CRAWLERS
        if self.crawlers and wrong:
            raise ValueError(
                f"it is for {', '.join(self.crawlers)} alone and sets {sorted(wrong)[0]}, which "
                "no robots directive says"
            )
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
