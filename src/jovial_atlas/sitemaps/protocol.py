"""The grammar of sitemap files: namespaces, limits, and one table of rules per element.

Core protocol: https://www.sitemaps.org/protocol.html (0.9). Pictures and videos: the
published extension schemas of the namespaces below. Writer, reader and checker take
every rule from here.
"""

from __future__ import annotations

import re
from collections.abc import Callable

import msgspec

from jovial_atlas import dates

CORE = "http://www.sitemaps.org/schemas/sitemap/0.9"
IMAGE = "http://www.google.com/schemas/sitemap-image/1.1"
VIDEO = "http://www.google.com/schemas/sitemap-video/1.1"
NEWS = "http://www.google.com/schemas/sitemap-news/0.9"
XHTML = "http://www.w3.org/1999/xhtml"

#: Addresses a file or an index may hold, and its bytes before compression.
MAX_ENTRIES = 50_000
MAX_BYTES = 52_428_800
MAX_LOC = 2_048  # a loc has fewer characters than this
MAX_IMAGES = 1_000
MAX_TAGS = 32
MAX_NEWS = 1_000
#: The form in which files are written; another number means writing all of them anew.
FORM = 3
#: Hours for which an article is news.
NEWS_HOURS = 48

Test = Callable[[str], bool]


class Element(msgspec.Struct, frozen=True):
    """One element's rule: its form in words, its test, how often it may stand."""

    name: str
    form: str
    test: Test
    required: bool = False
    most: int = 1
    retired: bool = False


#: Signs that no address has (RFC 3986 §2): they are percent-encoded, and a percent sign stands
#: before two hexadecimal digits.
_NO_SIGN = re.compile(r"[{}|\\^\"`<>]|%(?![0-9A-Fa-f]{2})")


def _address(text: str) -> bool:
    return bool(re.match(r"https?://[^/\s?#]+[^\s]*\Z", text)) and not _NO_SIGN.search(text)


def _loc(text: str) -> bool:
    return _address(text) and "#" not in text and len(text) < MAX_LOC


def _number(low: float, high: float, pattern: str = r"\d+(?:\.\d+)?") -> Test:
    return lambda text: bool(re.fullmatch(pattern, text)) and low <= float(text) <= high


def _text(most: int) -> Test:
    return lambda text: 0 < len(text) <= most


def _one_of(*words: str) -> Test:
    return lambda text: text in words


def _words_of(pattern: str) -> Test:
    return lambda text: bool(text) and all(re.fullmatch(pattern, word) for word in text.split())


def _any(_text: str) -> bool:
    return True


_ADDRESS_FORM = "an absolute http or https address as RFC 3986 has it"
_DATE_FORM = "a W3C Datetime (2026-11-23, or 2026-11-23T10:00:00Z)"
_YES_NO = "yes or no"

LOC = Element(
    "loc",
    f"{_ADDRESS_FORM} of fewer than {MAX_LOC:,} characters, without a fragment",
    _loc,
    required=True,
)
LASTMOD = Element("lastmod", _DATE_FORM, dates.is_w3c)
FREQUENCIES = ("always", "hourly", "daily", "weekly", "monthly", "yearly", "never")

#: Children of <url> and <sitemap> in the order of the schema.
URL_RULES = {
    rule.name: rule
    for rule in (
        LOC,
        LASTMOD,
        Element("changefreq", "one of " + ", ".join(FREQUENCIES), _one_of(*FREQUENCIES)),
        Element("priority", "a number from 0.0 to 1.0", _number(0, 1)),
    )
}
SITEMAP_RULES = {rule.name: rule for rule in (LOC, LASTMOD)}

#: Children of <image:image>.
IMAGE_RULES = {
    rule.name: rule
    for rule in (
        Element("loc", _ADDRESS_FORM, _address, required=True),
        Element("caption", "text", _any, retired=True),
        Element("geo_location", "text", _any, retired=True),
        Element("title", "text", _any, retired=True),
        Element("license", _ADDRESS_FORM, _any, retired=True),
    )
}

#: Children of <video:video> in the order of the schema.
VIDEO_RULES = {
    rule.name: rule
    for rule in (
        Element("thumbnail_loc", _ADDRESS_FORM, _address, required=True),
        Element("title", "text", _text(10_000), required=True),
        Element("description", "text of at most 2,048 characters", _text(2_048), required=True),
        Element("content_loc", _ADDRESS_FORM, _address),
        Element("player_loc", _ADDRESS_FORM, _address),
        Element("duration", "whole seconds from 1 to 28,800", _number(1, 28_800, r"\d+")),
        Element("expiration_date", _DATE_FORM, dates.is_w3c),
        Element("rating", "a number from 0.0 to 5.0", _number(0, 5)),
        Element("content_segment_loc", _ADDRESS_FORM, _address, most=MAX_ENTRIES),
        Element("view_count", "a whole number", _number(0, float("inf"), r"\d+")),
        Element("publication_date", _DATE_FORM, dates.is_w3c),
        Element("tag", "text", _text(10_000), most=MAX_TAGS),
        Element("category", "text of at most 256 characters", _text(256)),
        Element("family_friendly", _YES_NO, _one_of("yes", "no")),
        Element("restriction", "ISO 3166-1 countries, as in GB IE", _words_of("[A-Z]{2}")),
        Element("gallery_loc", _ADDRESS_FORM, _address),
        Element("price", "a number", _number(0, float("inf")), most=MAX_ENTRIES),
        Element("requires_subscription", _YES_NO, _one_of("yes", "no")),
        Element("uploader", "text of at most 255 characters", _text(255)),
        Element("tvshow", "a television show", _any),
        Element("platform", "some of web, mobile, tv", _words_of("web|mobile|tv")),
        Element("live", _YES_NO, _one_of("yes", "no")),
        Element("id", "an identifier", _any, most=MAX_ENTRIES),
    )
}

#: Attributes of children of <video:video>: element → (name, form, test, whether required).
VIDEO_ATTRIBUTES: dict[str, tuple[str, str, Test, bool]] = {
    "restriction": ("relationship", "allow or deny", _one_of("allow", "deny"), True),
    "platform": ("relationship", "allow or deny", _one_of("allow", "deny"), True),
    "uploader": ("info", _ADDRESS_FORM, _address, False),
    "gallery_loc": ("title", "text", _any, False),
}

_PRICE_TYPES = ("rent", "own", "purchase", "package", "subscription")

#: Children of <video:video> that may stand several times, with their attributes: element →
#: attribute → (form, test, whether required).
VIDEO_LISTS: dict[str, dict[str, tuple[str, Test, bool]]] = {
    "content_segment_loc": {
        "duration": ("whole seconds from 1 to 28,800", _number(1, 28_800, r"\d+"), False)
    },
    "price": {
        "currency": ("a currency of ISO 4217, as in GBP", _words_of("[A-Z]{3}"), True),
        "type": (
            f"one of {', '.join(_PRICE_TYPES)}", lambda text: text.lower() in _PRICE_TYPES, False,
        ),
        "resolution": ("hd or sd", lambda text: text.lower() in ("hd", "sd"), False),
    },
    "id": {"type": ("the kind of identifier", _any, False)},
}

#: Children of <news:publication> and <news:news>.
PUBLICATION_RULES = {
    rule.name: rule
    for rule in (
        Element("name", "text", _text(10_000), required=True),
        Element(
            "language",
            "an ISO 639 code of two or three letters, zh-cn or zh-tw",
            lambda text: bool(re.fullmatch(r"[a-z]{2,3}|zh-cn|zh-tw", text)),
            required=True,
        ),
    )
}
NEWS_RULES = {
    rule.name: rule
    for rule in (
        Element("publication", "name and language", _any, required=True),
        Element("publication_date", _DATE_FORM, dates.is_w3c, required=True),
        Element("title", "text", _text(10_000), required=True),
        *(
            Element(name, "text", _any, retired=True)
            for name in ("access", "genres", "keywords", "stock_tickers")
        ),
    )
}
