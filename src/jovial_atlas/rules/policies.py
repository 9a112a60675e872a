"""Policies: what owners decide by kind of page. One table: which pages, why, what each choice does.

The signs by which kinds are known are the tool's own; `[kinds]` of the site file puts address
patterns in their place.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import polars as pl

from jovial_atlas import patterns
from jovial_atlas.pages.page import Page
from jovial_atlas.rules.fields import Layer
from jovial_atlas.rules.selectors import matches, path_column
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.kinds import Kinds, Policies
from jovial_atlas.sitefile.parts import given_in, options_of

#: From a search form or a list of results.
_SEARCH = (
    r"^/(?:[a-z]{2}(?:-[a-z]{2})?/)?search(/?$|/index\.html?$|\.html?$|/?\?)"
    r"|[?&](q|s|query|search)="
)
#: A folder of drafts.
_DRAFTS = r"(^|/)_?drafts?/"
_LISTINGS = r"^/(tags?|categor(y|ies)|topics?|archives?|authors?)(/|\.html?$)"
_DATES = r"^(/[^/]+)?/(19|20)\d\d/(\d\d?/){0,2}$"
_PAGED = r"/page[/-]\d+(/|\.html?)?$|/index-?\d+\.html?$|[?&]paged?=\d+"
_AUTHORS = r"^(/[^/]+)?/authors?/[^/]+/?$"
_FEEDS = r"(^|/)(feed|rss|atom)(\.xml|/|$)|\.(rss|atom)$"
#: Also known by what it was found to repeat: see `variant` in the page table.
PRINT = r"(^|/)print(/|\.html?$|$)|[?&]print=|\.print\.html?$"
#: A page that says no more than this beside its picture says nothing.
_PICTURE_WORDS = 12


@dataclass(frozen=True, slots=True)
class Policy:
    """One policy: its name, the pages it is about and the columns that takes, and why they are
    treated so, as a sentence about one page."""

    name: str
    pages: Callable[[SiteFile], pl.Expr]
    reason: str
    needs: tuple[str, ...] = ()
    choices: tuple[str, ...] = ("index", "unlist", "noindex")
    #: The key of `[kinds]` where nothing but addresses tells the pages: each survey notes once
    #: whether there is any, so that nobody looks for them in ten million addresses again.
    sign: str = ""


def _signs(name: str, expression: str) -> Callable[[SiteFile], pl.Expr]:
    def pages(site: SiteFile) -> pl.Expr:
        given = getattr(site.model.kinds, name)
        return pl.col("_path").str.contains(expression) if given is None else matches(given)

    return pages


def _kind(name: str) -> Callable[[SiteFile], pl.Expr]:
    return lambda _site: pl.col("kind") == name


_listing = _signs("listings", f"{_LISTINGS}|{_DATES}")
_author = _signs("authors", _AUTHORS)


def _thin(site: SiteFile) -> pl.Expr:
    few = pl.col("words") < site.model.policies.thin_words
    return (pl.col("kind") == "page") & few & ~_listing(site) & ~_picture(site)


def _picture(site: SiteFile) -> pl.Expr:
    given = site.model.kinds.pictures
    if given is not None:
        return matches(given)
    alone = (pl.col("images").list.len() == 1) & (pl.col("videos").list.len() == 0)
    # A page that leads on to several others is no page about its picture.
    bare = (pl.col("words") <= _PICTURE_WORDS) & (pl.col("entries") <= 1)
    # What somebody described or dated is meant to be found.
    meant = pl.col("description").is_not_null() | pl.col("published").is_not_null()
    return (pl.col("kind") == "page") & alone & bare & ~meant & (pl.col("_path") != "/")


def _variant(name: str) -> Callable[[SiteFile], pl.Expr]:
    return lambda _site: pl.col("variant") == name


def _one_author(site: SiteFile) -> pl.Expr:
    return _author(site) if site.model.site.authors == "one" else pl.lit(False)


POLICIES = (
    Policy("error_pages", _kind("error"), "it is an error page", ("kind",)),
    Policy("drafts", _kind("draft"), "it is a draft", ("kind",)),
    Policy("drafts", _signs("drafts", _DRAFTS), "it lies in a folder of drafts", sign="drafts"),
    Policy("future_pages", _kind("future"), "it is dated in the future", ("kind",)),
    Policy("search_results", _signs("search", _SEARCH), "it is a search page", sign="search"),
    Policy("feeds", _signs("feeds", _FEEDS), "it is a feed", ("kind",), sign="feeds"),
    Policy("attachments", _kind("attachment"), "it is an attachment of another page", ("kind",)),
    Policy("date_listings", _signs("listings", _DATES), "it lists pages by date", ("entries",)),
    Policy("author_pages", _one_author, "the site has one author", ("entries",)),
    Policy(
        "paged_listings", _signs("paged", _PAGED), "it is a later page of a listing", sign="paged"
    ),
    Policy(
        "empty_listings",
        lambda site: _listing(site) & (pl.col("entries") == 0),
        "the listing is empty",
        ("entries",),
    ),
    Policy("thin_pages", _thin, "the page holds few words", ("kind", "words")),
    Policy(
        "picture_pages",
        _picture,
        "it only shows one picture",
        ("kind", "words", "images"),
    ),
    Policy(
        "print_versions",
        _variant("print"),
        "it is a version to print",
        ("variant",),
    ),
    Policy(
        "query_addresses",
        _variant("query"),
        "it is another page with a query",
        ("variant",),
    ),
    Policy(
        "duplicates",
        _variant("content"),
        "another page has the same text",
        ("variant",),
    ),
)
#: Decided last, since it rests on what all layers say of a page's expiry.
EXPIRED = "expired_pages"


#: Kinds of page that have texts of their own, the most telling first, and their signs.
_TEXT_KINDS = (("search", "search", _SEARCH), ("paged", "paged", _PAGED),
               ("listing", "listings", f"{_LISTINGS}|{_DATES}"))  # fmt: skip


@lru_cache(maxsize=8)
def kind_teller(url: str, kinds: Kinds) -> Callable[[Page], str]:
    """Gives the kind of a page (a row of the page table) of a site at `url`: home, search, paged,
    listing, error, or "" for a plain one."""
    signs = []
    for name, key, expression in _TEXT_KINDS:
        given = getattr(kinds, key)
        said = expression if given is None else patterns.any_of(list(given)) if given else r"(?!)"
        signs.append((name, re.compile(said)))

    def kind(page: Page) -> str:
        if page.kind == "error":
            return "error"
        path = page.loc.removeprefix(url)
        if path == "/":
            return "home"
        return next((name for name, sign in signs if sign.search(path)), "")

    return kind


def lists_others(site: SiteFile) -> pl.Expr:
    """Whether an address, in `_path`, is one of a page that lists others: the home page, a listing,
    a later page of one, a page about an author, a feed."""
    listings = (_listing, _signs("paged", _PAGED), _author, _signs("feeds", _FEEDS))
    return pl.any_horizontal(pl.col("_path") == "/", *(sign(site) for sign in listings))


def choices_of(name: str) -> tuple[str, ...]:
    """The choices that a policy has, as the site file takes them."""
    return options_of(Policies, name)


def effect(choice: str) -> dict[str, Any]:
    """What a choice sets for the pages of a policy."""
    out: dict[str, Any] = {"listed": False}
    effects: dict[str, dict[str, Any]] = {
        "index": {},
        "unlist": out,
        "noindex": {**out, "index": False},
        "canonical": {**out, "canonical": pl.col("variant_of")},
        "parent": {**out, "send_to": "parent"},
        "file": {**out, "send_to": "file"},
    }
    return effects[choice]


def policy_layers(site: SiteFile) -> list[Layer]:
    """A layer for each policy that does anything."""
    layers = []
    for policy in POLICIES:
        if sets := effect(getattr(site.model.policies, policy.name)):
            where = policy.pages(site).fill_null(False)
            name = f"policy {policy.name}"
            by_sign = policy.sign and getattr(site.model.kinds, policy.sign) is None
            needs = (*policy.needs, _mark(policy.sign)) if by_sign else policy.needs
            layers.append(Layer(name, where, sets, policy.reason, needs=needs))
    return layers


def _mark(sign: str) -> str:
    return f"sign {sign}"


#: Marks of all the tool's own signs, as a survey notes them where there are such pages.
SIGNS = tuple(_mark(policy.sign) for policy in POLICIES if policy.sign)


def signs_in(pages: pl.LazyFrame, site: SiteFile, more: Mapping[str, pl.Expr]) -> list[str]:
    """Those of `SIGNS` that any page of a table has, and those of `more`, conditions over `_path`
    by name: all in one reading."""
    asked = {_mark(one.sign): one.pages(site).any() for one in POLICIES if one.sign} | {**more}
    there = _words_in(pages, site)
    named = given_in(site.model.kinds)
    own = {*map(_mark, named), *named}
    likely = {
        mark: condition
        for mark, condition in asked.items()
        if mark in own or any(there[word] for word in _NEEDED.get(mark, _WORDS))
    }
    if not likely:
        return []
    (row,) = _collected(pages, site, likely)
    return [mark for mark in likely if row[mark]]


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
    _mark("search"): ("search", "?"), _mark("paged"): ("page", "index"), "print": ("print",),
    "query": ("?",), _mark("drafts"): ("draft",), _mark("feeds"): ("feed", "rss", "atom"),
}  # fmt: skip
_WORDS = ("search", "page", "index", "print", "?", "draft", "feed", "rss", "atom")


def _collected(
    pages: pl.LazyFrame, site: SiteFile, asked: Mapping[str, pl.Expr]
) -> list[dict[str, bool]]:
    found = pages.select(path_column(site)).select(**asked)
    return found.collect(engine="streaming").to_dicts()


def expired_layer(site: SiteFile, today: str) -> list[Layer]:
    """Pages that are past their expiry, as all other layers and the page itself have it."""
    choice = getattr(site.model.policies, EXPIRED)
    if choice == "index":
        return []
    # A page may write its date in other forms; `expires` has it in ours.
    decided = pl.col("unavailable_after")
    until = pl.coalesce(pl.when(decided.str.contains(r"^\d{4}-")).then(decided), "expires")
    past = (until < today).fill_null(False)
    return [Layer(f"policy {EXPIRED}", past, effect(choice), "it has expired", fact=True)]
