"""The parts of a site file that decide about pages: defaults, policies, sections, rules, guards."""

import re
from typing import Annotated, Any, Literal

from msgspec import Meta, field

from jovial_atlas import dates, patterns
from jovial_atlas.faults import is_none
from jovial_atlas.sitefile.parts import Part, check, check_whole, given_in, names_of, says

#: Names that a section may not have, since other files of the set are called so.
RESERVED_SECTIONS = frozenset({"video", "news", "index", "view"})
#: The section of every page that no section matches.
REST = "pages"

Frequency = Literal["always", "hourly", "daily", "weekly", "monthly", "yearly", "never"]
Compression = Literal["auto", "always", "never"]
Order = Literal["address", "newest", "source", "clicks"]
FoundIn = Literal["video", "player", "link", "og", "json-ld", "microdata", "rdfa", "feed", "field"]

_AGE = re.compile(r"(\d+) (day|week|month|year)s?")
_DAYS = {"day": 1, "week": 7, "month": 30, "year": 365}


def as_patterns(value: str | tuple[str, ...]) -> tuple[str, ...]:
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


def _address(value: str | None, *words: str) -> str | None:
    if value and value not in words and not value.startswith(("/", "https://", "http://")):
        said = " or ".join(f'"{word}"' for word in words)
        raise ValueError(f"{value!r} is no address; give one, a path from '/' on, or {said}")
    return value


class Decided(Part, frozen=True, kw_only=True):
    """What can be decided for a page, by its section, a rule or an override."""

    listed: Annotated[bool | None, says("whether the page stands in a sitemap")] = None
    index: Annotated[bool | None, says("whether the page may be indexed")] = None
    follow: Annotated[bool | None, says("whether links on the page are followed")] = None
    canonical: Annotated[
        str | None, says('address or path of the page that counts instead; "self" for itself')
    ] = None
    send_to: Annotated[
        str | None,
        says(
            "address or path that the server sends visitors on to for good; "
            '"parent" or "file" for picture pages'
        ),
    ] = None
    lastmod: Annotated[str | None, says("date of the last change")] = None
    changefreq: Annotated[Frequency | None, says("how often the page changes")] = None
    priority: Annotated[
        Annotated[float, Meta(ge=0, le=1)] | Literal["weight", "clicks"] | None,
        says(
            'weight within the site; "weight": from 0.1 to 1.0, by how many links lead there and '
            'from where; "clicks": by how often engines\' users clicked it in 28 days'
        ),
    ] = None
    max_snippet: Annotated[
        Annotated[int, Meta(ge=-1)] | None,
        says("longest text in a result, in characters; 0 none, -1 any"),
    ] = None
    max_image_preview: Annotated[
        Literal["none", "standard", "large"] | None, says("largest picture in a result")
    ] = None
    max_video_preview: Annotated[
        Annotated[int, Meta(ge=-1)] | None,
        says("longest piece of a video in a result, in seconds; -1 any"),
    ] = None
    archive: Annotated[bool | None, says("whether engines may show a copy they keep")] = None
    translate: Annotated[bool | None, says("whether engines may offer a translation")] = None
    image_index: Annotated[
        bool | None, says("whether engines may index the pictures of the page (noimageindex)")
    ] = None
    embedded_index: Annotated[
        bool | None,
        says("whether a noindexed page may be indexed within others (indexifembedded)"),
    ] = None
    unavailable_after: Annotated[str | None, says("date from which on no result shall show it")] = (
        None
    )
    important: Annotated[
        bool | None, says("whether `review` holds the page to more, and shows it first")
    ] = None

    @check("unavailable_after", "lastmod")
    @classmethod
    def _date(cls, value: str | None) -> str | None:
        if value is not None and not dates.is_w3c(value):
            raise ValueError(f"{value!r} is no date; write it as 2026-11-23")
        return value

    @check("canonical")
    @classmethod
    def _canonical(cls, value: str | None) -> str | None:
        return _address(value, "self")

    @check("send_to")
    @classmethod
    def _target(cls, value: str | None) -> str | None:
        return _address(value, "parent", "file")


class Defaults(Decided, frozen=True, kw_only=True):
    """`[defaults]`: what holds for all pages of the site, unless something stronger says other."""

    reason: Annotated[str, says("why, in the owner's words")] = ""


# Patterns of texts, which the whole site and its sections may have. They are fields of both: a
# structure of msgspec can have one base with fields, and that of sections is `Decided`.
_Title = Annotated[str, says("pattern of titles, with {{ page.title }} and others")]
_Description = Annotated[str, says("pattern of descriptions")]
_ShareTitle = Annotated[str, says("pattern of titles where pages are shared; else the heading")]
_ShareDescription = Annotated[
    str, says("pattern of descriptions where pages are shared; else the description")
]
_CardTitle = Annotated[
    str, says("pattern of titles in card metadata, where they differ from share_title")
]
_CardDescription = Annotated[
    str, says("pattern of descriptions in card metadata, where they differ")
]
_ShareImage = Annotated[
    str,
    says(
        "pattern of the address or path of the picture where pages are shared; "
        "else the one the page names, or its first large one"
    ),
]


class Texts(Part, frozen=True, kw_only=True):
    """Patterns of texts: Jinja2 templates that see `page`, `section` and `site`."""

    title: _Title = ""
    description: _Description = ""
    share_title: _ShareTitle = ""
    share_description: _ShareDescription = ""
    card_title: _CardTitle = ""
    card_description: _CardDescription = ""
    share_image: _ShareImage = ""


#: The fields of `Texts`.
TEXTS = names_of(Texts)


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


class Section(Decided, frozen=True, kw_only=True):
    """`[[section]]`: a named kind of page. The first section that matches holds the page."""

    name: Annotated[str, says("lower-case letters, digits and hyphens")]
    label: Annotated[
        str, says("what people call it; else the heading of the page at its folder")
    ] = ""
    match: Annotated[str | tuple[str, ...], says("address pattern, or several")]
    schema_type: Annotated[
        str,
        says(
            "type of the schema.org vocabulary for its pages: "
            "BlogPosting, Event, Product, Recipe, FAQPage, JobPosting or any other"
        ),
    ] = field(default="", name="schema")
    data: Annotated[
        dict[str, Any],
        says(
            "property of that type → what fills it: a text or pattern, { field = ... }, "
            "{ type = ... }, { each = ... }, { ref = ... }; see the guide to structured data"
        ),
    ] = field(default_factory=dict)
    title: _Title = ""
    description: _Description = ""
    share_title: _ShareTitle = ""
    share_description: _ShareDescription = ""
    card_title: _CardTitle = ""
    card_description: _CardDescription = ""
    share_image: _ShareImage = ""
    image: Annotated[str, says("picture for sharing where a page has none")] = ""
    image_alt: Annotated[str, says("what that picture shows, for those who do not see it")] = ""
    max_urls: Annotated[
        Annotated[int, Meta(ge=1, le=50_000)] | None, says("addresses in one of its files, at most")
    ] = None
    order: Annotated[Order | None, says("order of the addresses in its files")] = None
    compress: Annotated[Compression | None, says("whether its files are gzipped")] = None
    pictures: Annotated[bool | None, says("whether its files list pictures")] = None
    alternates: Annotated[bool | None, says("whether its files list language versions")] = None
    videos: Annotated[
        bool | tuple[FoundIn, ...],
        says("whether videos of its pages are listed; or where they may be found"),
    ] = True
    news: Annotated[
        bool, says("whether its pages of the last 48 hours stand in the news sitemap")
    ] = False
    reason: Annotated[str, says("why, in the owner's words")] = ""

    @check("name")
    @classmethod
    def _plain(cls, value: str) -> str:
        if not re.fullmatch(r"[a-z0-9]+(-[a-z0-9]+)*", value):
            raise ValueError(
                f"{value!r} may hold lower-case letters, digits and single hyphens only"
            )
        if value in RESERVED_SECTIONS:
            raise ValueError(f"{value!r} is the name of another file of the set; choose another")
        return value

    @check("match")
    @classmethod
    def _pattern(cls, value: str | tuple[str, ...]) -> str | tuple[str, ...]:
        as_patterns(value)
        return value

    @check_whole
    def _type_is_there(self) -> None:
        if self.data and not self.schema_type:
            raise ValueError("data belongs to a type; name it with schema")
        if self.schema_type:
            check_type(self.schema_type, self.data)

    @property
    def patterns(self) -> tuple[str, ...]:
        """The address patterns as a tuple."""
        return as_patterns(self.match)


class Decision(Decided, frozen=True, kw_only=True):
    """What a rule sets: `set = { listed = false }`."""

    @check_whole
    def _says_something(self) -> None:
        if not given_in(self):
            raise ValueError("it sets nothing")


#: Fields that a rule for single crawlers may set: those that a robots directive can say.
FOR_CRAWLERS = frozenset(
    ["index", "follow", "max_snippet", "max_image_preview", "max_video_preview", "archive",
     "translate", "image_index", "embedded_index", "unavailable_after"]
)  # fmt: skip
#: Keys of a rule that say which pages it is about, in the order in which they are written.
SELECTORS = ("match", "regex", "section", "language", "source", "author", "tag", "older_than",
             "newer_than", "dated", "when")  # fmt: skip


class Rule(Part, frozen=True, kw_only=True):
    """`[[rule]]`: a selector and what it sets. Rules apply in order, later wins. A page must fit
    every selector that is given."""

    match: Annotated[str | tuple[str, ...], says("address pattern, or several")] = ""
    regex: Annotated[
        str, says('regular expression that the path with its query contains, as in "/[0-9]{4}/$"')
    ] = ""
    section: Annotated[str, says("name of a section")] = ""
    language: Annotated[str, says('language, BCP 47; "de" takes in "de-AT"')] = ""
    source: Annotated[str, says("name of a source")] = ""
    author: Annotated[str, says("author of the page")] = ""
    tag: Annotated[str, says("one of the page's tags")] = ""
    older_than: Annotated[str, says('age since the last change, as in "2 years"')] = ""
    newer_than: Annotated[str, says('age since the last change, as in "90 days"')] = ""
    dated: Annotated[Literal["lastmod", "published"], says("the date from which age counts")] = (
        "lastmod"
    )
    when: Annotated[str, says("SQL condition over the page table's columns")] = ""
    crawlers: Annotated[
        tuple[str, ...], says("crawlers it is for, by product token; all if empty")
    ] = ()
    set: Annotated[Decision, says("what the rule decides")]
    reason: Annotated[str, says("why, in the owner's words")] = ""

    @check("match")
    @classmethod
    def _pattern(cls, value: str | tuple[str, ...]) -> str | tuple[str, ...]:
        if value:
            as_patterns(value)
        return value

    @check("older_than", "newer_than")
    @classmethod
    def _age(cls, value: str) -> str:
        if value:
            days_of(value)
        return value

    @check("crawlers")
    @classmethod
    def _tokens(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for one in value:
            if not re.fullmatch(r"[A-Za-z_-]+", one):
                raise ValueError(f"{one!r} is no product token (letters, '_' and '-')")
        return tuple(one.lower() for one in value)

    @check_whole
    def _selects(self) -> None:
        if not any(getattr(self, name) for name in SELECTORS if name != "dated"):
            raise ValueError("it selects no pages; give match, section or when")
        wrong = set(given_in(self.set)) - FOR_CRAWLERS
        if self.crawlers and wrong:
            raise ValueError(
                f"it is for {', '.join(self.crawlers)} alone and sets {sorted(wrong)[0]}, which "
                "no robots directive says"
            )

    @property
    def patterns(self) -> tuple[str, ...]:
        """The address patterns as a tuple, empty where the rule has none."""
        return as_patterns(self.match) if self.match else ()

    @property
    def asks_for_patterns_alone(self) -> bool:
        """Whether a page fits where its address is like one of the patterns, and only there."""
        return [name for name in SELECTORS if name != "dated" and getattr(self, name)] == ["match"]


class Overrides(Part, frozen=True, kw_only=True):
    """`[overrides]`: what single pages are decided to be, in a table of its own."""

    file: Annotated[
        str, says("CSV file with the columns loc, any field of a rule, reason and by")
    ] = ""


class Guard(Part, frozen=True, kw_only=True):
    """`[[guard]]`: which fields not everybody may override for single pages."""

    fields: Annotated[tuple[str, ...], says('fields it guards, as in ["index", "follow"]')]
    sections: Annotated[tuple[str, ...], says("sections it holds in; all if empty")] = ()
    authors: Annotated[
        tuple[str, ...], says("who may override all the same: authors of pages, and names in `by`")
    ] = ()
    reason: Annotated[str, says("why, in the owner's words")] = ""

    @check("fields")
    @classmethod
    def _known(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for name in value:
            if name not in names_of(Decision):
                raise ValueError(is_none(name, "field", names_of(Decision)).removesuffix("."))
        if not value:
            raise ValueError("it guards nothing")
        return value
