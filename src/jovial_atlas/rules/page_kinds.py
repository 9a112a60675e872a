"""What pages are on their site: one table, which the policies, head data and films read.

Each kind has a sign of its own; `[kinds]` of the site file puts address patterns in its place. A
sign that is weak alone (an address that looks like that of a listing) needs a second one: that
nothing else says what the page is. The signs stand in docs/kinds.md.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping

import msgspec
import polars as pl

from jovial_atlas.rules.selectors import matches, path_column
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.parts import given_in

#: From a search form or a list of results. What is searched for is words: a number names a page,
#: but on the home page.
_SEARCH = (
    r"^/(?:[a-z]{2}(?:-[a-z]{2})?/)?(?:search(?:/?$|/index\.html?$|\.html?$|/?\?)"
    r"|\?(?:.*&)?(?:q|s|query|search)=)"
    r"|[?&](?:q|s|query|search)=(?:$|&|[^&]*[^&0-9])"
)
#: Searches of parts of a site, which say next to nothing and lead nowhere before anything is found;
#: and parts of a search that scripts fill, which are called nothing.
_SEARCH_WITHIN, _FORM_WORDS = r"/search(\.html?|/|/index\.html?)$", 80
_SEARCH_PARTS, _PART_WORDS = r"/search/[^/?]+\.html?$", 30
#: How the file of a home page in another language may end, behind its language.
_HOME_FILES = (".html", ".htm", "")
#: A folder of drafts.
_DRAFTS = r"(^|/)(_?drafts|_draft)/"
_LISTINGS = r"^/(tags?|categor(y|ies)|topics?|archives?|authors?)(/|\.html?$)"
_DATES = r"^(/[^/]+)?/(19|20)\d\d/(\d\d?/){0,2}$"
_PAGED = r"/page[/-]\d+(/|\.html?)?$|/page\d+/$|/index-?\d+\.html?$|[?&]paged?=\d+"
#: The number in such a path, which the page may be called by; and the query that says it is one.
_PAGED_NUMBER, _PAGED_QUERY = r"/(?:page[/-]?|index-?)(\d+)", r"[?&]paged?=\d+"
#: Addresses of later pages that hardly anything but blogs has, which may show articles in full.
_OF_BLOG = r"/page/\d+/?$|[?&]paged=\d+"
_AUTHORS = r"^(/[^/]+)?/authors?/[^/]+/?$"
_FEEDS = r"(^|/)(feed|rss|atom)(\.xml|/?$)|\.(rss|atom)$"
#: A page that says no more than this beside its picture says nothing.
_PICTURE_WORDS = 12
#: A later page of a listing leads to something, and to the pages beside it.
_LEADS_ON = 3
#: A page with an address of a listing is one where its text is no longer than this, and so much
#: more for each page that it leads to.
_LISTING_WORDS, _ENTRY_WORDS = 400, 30

Where = Callable[[SiteFile], pl.Expr]


class PageKind(msgspec.Struct, frozen=True):
    """One kind: its name in the column `role`, the pages it is about, the columns that takes, and
    the key of `[kinds]` that puts patterns in place of its sign. `address` says that addresses
    alone tell it: each survey notes once whether there is any (see `SIGN`)."""

    name: str
    pages: Where
    key: str
    needs: tuple[str, ...] = ()
    address: bool = False


def _column(column: str, *values: str) -> Where:
    return lambda _site: pl.col(column).is_in(values).fill_null(False)


def _address(expression: str) -> Where:
    return lambda _site: pl.col("_path").str.contains(expression)


def _nothing_else() -> pl.Expr:
    """The second sign of a listing: the page is not said to be something else, and is not a long
    text that happens to have such an address."""
    said = pl.col("declared").is_in(["article", "product", "event"]).fill_null(False)
    return ~said & lists_at_most()


def lists_at_most() -> pl.Expr:
    """Whether a page has no more text than a listing of what it leads to."""
    longest = _LISTING_WORDS + _ENTRY_WORDS * pl.col("entries").fill_null(0)
    return pl.col("words").fill_null(0) <= longest


def _listing(_site: SiteFile) -> pl.Expr:
    address = pl.col("_path").str.contains(f"{_LISTINGS}|{_DATES}") & _nothing_else()
    return address | (pl.col("declared") == "listing").fill_null(False)


def _searching(_site: SiteFile) -> pl.Expr:
    # Some themes mark every page as an article, the search as well.
    form = pl.col("_path").str.contains(_SEARCH) & lists_at_most()
    unnamed = pl.col("title").is_null() & pl.col("heading").is_null()
    # Rows of a table have no words at all: nothing is known of their pages.
    words = pl.when(pl.col("entries") == 0).then("words")
    within = pl.col("_path").str.contains(_SEARCH_WITHIN) & (words <= _FORM_WORDS)
    part = pl.col("_path").str.contains(_SEARCH_PARTS) & unnamed & (words <= _PART_WORDS)
    return form | within.fill_null(False) | part.fill_null(False)


def _paged(site: SiteFile) -> pl.Expr:
    of_blog, of_query = (pl.col("_path").str.contains(one) for one in (_OF_BLOG, _PAGED_QUERY))
    said = (pl.col("declared") == "listing").fill_null(False)
    # Pages of a book and chapters have numbers too: with long texts, or names of their own.
    leads_on = pl.col("entries").fill_null(_LEADS_ON) >= _LEADS_ON
    lists = _nothing_else() & (of_query | (leads_on & _is_called_later(site)))
    return pl.col("_path").str.contains(_PAGED) & (of_blog | said | lists)


def _is_called_later(site: SiteFile) -> pl.Expr:
    """Whether a page has no name but that of its site, or one with the number of its address."""
    number = pl.col("_path").str.extract(_PAGED_NUMBER)
    names = pl.concat_str("title", "heading", separator=" ", ignore_nulls=True)
    numbered = names.str.extract_all(r"\d+").list.contains(number).fill_null(False)
    of_site = [site.model.site.name, site.model.site.short_name]
    return numbered | pl.all_horizontal(
        pl.col(name).is_in(of_site).fill_null(True) for name in ("title", "heading")
    )


def _picture(_site: SiteFile) -> pl.Expr:
    alone = (pl.col("images").list.len() == 1) & (pl.col("videos").list.len() == 0)
    # A page that leads on to several others is no page about its picture.
    bare = (pl.col("words") <= _PICTURE_WORDS) & (pl.col("entries") <= 1)
    # What somebody described or dated is meant to be found.
    meant = pl.col("description").is_not_null() | pl.col("published").is_not_null()
    plain = (pl.col("kind") == "page") & alone & bare & ~meant & (pl.col("_path") != "/")
    return plain.fill_null(False)


def _feed(_site: SiteFile) -> pl.Expr:
    # A page with a heading is read by people: the shop of a farm sells feed.
    return pl.col("_path").str.contains(_FEEDS) & pl.col("heading").is_null()


def _home(site: SiteFile) -> pl.Expr:
    placed = site.model.languages
    named = (f"/index{ending}{file}" for ending in placed.endings.values() for file in _HOME_FILES)
    return pl.col("_path").is_in(["/", *placed.folders.values(), *named])


def _article(_site: SiteFile) -> pl.Expr:
    said = (pl.col("declared") == "article").fill_null(False)
    return said | (pl.col("published").is_not_null() & (pl.col("kind") == "page"))


#: The most telling first: a page is of the first kind that it has the sign of.
KINDS = (
    PageKind("error", _column("kind", "error"), "errors", ("kind",)),
    PageKind("draft", _column("kind", "draft"), "drafts", ("kind",)),
    PageKind("draft", _address(_DRAFTS), "drafts", address=True),
    PageKind("feed", _feed, "feeds", address=True),
    PageKind("document", _column("kind", "document"), "documents", ("kind",)),
    PageKind("search", _column("declared", "search"), "search", ("declared",)),
    PageKind("search", _searching, "search", address=True),
    PageKind("home", _home, "home"),
    PageKind("paged", _paged, "paged", address=True),
    PageKind("author", _column("declared", "author"), "authors", ("declared",)),
    PageKind("author", _address(_AUTHORS), "authors", address=True),
    PageKind("product", _column("declared", "product"), "products", ("declared",)),
    PageKind("event", _column("declared", "event"), "events", ("declared",)),
    PageKind("listing", _listing, "listings", address=True),
    PageKind("picture", _picture, "pictures", ("kind", "words", "images")),
    PageKind("article", _article, "articles"),
)
#: What a page is that has no sign of any kind.
PLAIN = "page"


def sign_of(name: str) -> str:
    """What a survey notes where there is a page with the address of a kind."""
    return f"sign {name}"


#: Notes of all the signs that addresses alone tell.
SIGNS = tuple(dict.fromkeys(sign_of(one.name) for one in KINDS if one.address))


def is_named(name: str, site: SiteFile) -> bool:
    """Whether the site file says itself which pages are of a kind."""
    return next(one.key for one in KINDS if one.name == name) in given_in(site.model.kinds)


def is_kind(name: str, site: SiteFile) -> pl.Expr:
    """Whether a page is of a kind, whatever else it may be."""
    some = [one for one in KINDS if one.name == name]
    given = getattr(site.model.kinds, some[0].key)
    return pl.any_horizontal(one.pages(site) for one in some) if given is None else matches(given)


def is_dated_listing(site: SiteFile) -> pl.Expr:
    """Whether a page lists the pages of a year, a month or a day."""
    given = site.model.kinds.listings
    address = pl.col("_path").str.contains(_DATES)
    return address & (_nothing_else() if given is None else matches(given))


def lists_others(site: SiteFile) -> pl.Expr:
    """Whether a page, by its address in `_path` or its own word, is one that lists others: the home
    page, a listing, a later page of one, a page about an author, a feed. One sign is enough: what
    may be a listing makes no other page a repetition."""
    names = ("home", "paged", "author", "feed", "listing")
    addresses = pl.col("_path").str.contains(f"{_LISTINGS}|{_DATES}")
    return pl.any_horizontal(addresses, *(is_kind(name, site) for name in names))


def role_column(site: SiteFile, have: Collection[str]) -> pl.Expr:
    """What each page is on its site. `have` names the columns that hold anything, and the signs
    that were noted: kinds that need another are not looked for."""
    role = pl.lit(PLAIN)
    named = given_in(site.model.kinds)
    for one in reversed(KINDS):
        if one.key in named:
            role = pl.when(matches(named[one.key])).then(pl.lit(one.name)).otherwise(role)
        elif set(one.needs) <= set(have) and (not one.address or _may_be(one, have)):
            role = pl.when(one.pages(site)).then(pl.lit(one.name)).otherwise(role)
    return role.alias("role")


def _may_be(one: PageKind, have: Collection[str]) -> bool:
    return sign_of(one.name) in have or (one.name == "listing" and "declared" in have)


def signs_in(pages: pl.LazyFrame, site: SiteFile, more: Mapping[str, pl.Expr]) -> list[str]:
    """Those of `SIGNS` that any page of a table has, and those of `more`, conditions over `_path`
    by name: all in one reading."""
    named = given_in(site.model.kinds)
    asked: dict[str, pl.Expr] = {}
    own = {*named}
    for one in KINDS:
        if one.address:
            sign = sign_of(one.name)
            patterns = named.get(one.key)
            by_address = pl.col("_path").str.contains(_IN_ADDRESSES[one.name])
            asked[sign] = (by_address if patterns is None else matches(patterns)).any()
            own |= {sign} if patterns is not None else set()
    asked |= more
    there = _words_in(pages, site)
    likely = {
        mark: condition
        for mark, condition in asked.items()
        if mark in own or any(there[word] for word in _NEEDED.get(mark, _WORDS))
    }
    if not likely:
        return []
    (row,) = _collected(pages, site, likely)
    return [mark for mark in likely if row[mark]]


#: Kind → its address alone, without the second sign that it may need.
_ADDRESSES = {
    "draft": _DRAFTS, "feed": _FEEDS, "search": _SEARCH, "paged": _PAGED, "author": _AUTHORS,
    "listing": f"{_LISTINGS}|{_DATES}",
}  # fmt: skip
#: Kind → what every page of it has in its address.
_IN_ADDRESSES = _ADDRESSES | {"search": f"{_SEARCH}|{_SEARCH_WITHIN}|{_SEARCH_PARTS}"}


def has_address_of(name: str) -> pl.Expr:
    """Whether `_path` is one that pages of a kind have: the kinds that addresses tell."""
    return pl.col("_path").str.contains(_ADDRESSES[name])


def _words_in(pages: pl.LazyFrame, site: SiteFile) -> dict[str, bool]:
    """Which of `_WORDS` stand in any address. Few sites have any: all are looked for at once,
    and one by one only where one is found. (A sign that is no letter would make the search for
    words slow, so it is looked for by itself.)"""
    path = pl.col("_path")
    each = {name: path.str.contains(name, literal=True).any() for name in _WORDS}
    any_word = path.str.contains("|".join(name for name in _WORDS if name != "?")).any()
    (first,) = _collected(pages, site, {"word": any_word, "?": each["?"]})
    if not first["word"]:
        return dict.fromkeys(_WORDS, False) | {"?": first["?"]}
    (found,) = _collected(pages, site, each)
    return found


#: Sign → words of which one stands in every address that has it by the tool's own signs.
_NEEDED = {
    sign_of("search"): ("search", "?"), sign_of("paged"): ("page", "index"), "print": ("print",),
    "query": ("?",), sign_of("draft"): ("draft",), sign_of("feed"): ("feed", "rss", "atom"),
    sign_of("author"): ("author",),
    sign_of("listing"): ("tag", "categor", "topic", "archive", "author", "/19", "/20"),
}  # fmt: skip
_WORDS = ("search", "page", "index", "print", "?", "draft", "feed", "rss", "atom", "tag", "categor",
          "topic", "archive", "author", "/19", "/20")  # fmt: skip


def _collected(
    pages: pl.LazyFrame, site: SiteFile, asked: Mapping[str, pl.Expr]
) -> list[dict[str, bool]]:
    found = pages.select(path_column(site)).select(**asked)
    return found.collect(engine="streaming").to_dicts()
