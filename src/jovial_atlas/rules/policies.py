"""Policies: what owners decide by kind of page. One table: which pages, why, what each choice does.

By which signs kinds of page are known stands in `page_kinds`.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
import polars as pl

from jovial_atlas.rules.fields import Layer
from jovial_atlas.rules.page_kinds import (
    is_dated_listing,
    is_kind,
    is_named,
    lists_at_most,
    sign_of,
)
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.kinds import Policies
from jovial_atlas.sitefile.parts import options_of


class Policy(msgspec.Struct, frozen=True):
    """One policy: its name, the pages it is about and the columns that takes, and why they are
    treated so, as a sentence about one page."""

    name: str
    pages: Callable[[SiteFile], pl.Expr]
    reason: str
    needs: tuple[str, ...] = ()
    choices: tuple[str, ...] = ("index", "unlist", "noindex")
    #: The kind of page where nothing but addresses tells it: each survey notes once whether there
    #: is any, so that nobody looks for them in ten million addresses again.
    sign: str = ""


def _is(name: str) -> Callable[[SiteFile], pl.Expr]:
    return lambda site: is_kind(name, site)


def _kind(name: str) -> Callable[[SiteFile], pl.Expr]:
    return lambda _site: pl.col("kind") == name


def _said(name: str) -> Callable[[SiteFile], pl.Expr]:
    return lambda _site: pl.col("declared") == name


def _thin(site: SiteFile) -> pl.Expr:
    few = pl.col("words") < site.model.policies.thin_words
    others = is_kind("listing", site) | is_kind("picture", site)
    return (pl.col("kind") == "page") & few & ~others


def _variant(name: str) -> Callable[[SiteFile], pl.Expr]:
    return lambda _site: pl.col("variant") == name


def _one_author(site: SiteFile) -> pl.Expr:
    return is_kind("author", site) if site.model.site.authors == "one" else pl.lit(False)


POLICIES = (
    Policy("error_pages", _is("error"), "it is an error page", ("kind",)),
    Policy("drafts", _kind("draft"), "it is a draft", ("kind",)),
    Policy("drafts", _is("draft"), "it lies in a folder of drafts", sign="draft"),
    Policy("future_pages", _kind("future"), "it is dated in the future", ("kind",)),
    Policy("search_results", _is("search"), "it is a search page", sign="search"),
    Policy("search_results", _said("search"), "it says that it is a search page", ("declared",)),
    Policy("feeds", _is("feed"), "it is a feed", ("kind",), sign="feed"),
    Policy("attachments", _kind("attachment"), "it is an attachment of another page", ("kind",)),
    Policy("date_listings", is_dated_listing, "it lists pages by date", ("entries",)),
    Policy("author_pages", _one_author, "the site has one author", ("entries",)),
    Policy("paged_listings", _is("paged"), "it is a later page of a listing", sign="paged"),
    Policy(
        "empty_listings",
        lambda site: is_kind("listing", site) & (pl.col("entries") == 0) & lists_at_most(),
        "the listing is empty",
        ("entries",),
    ),
    Policy("thin_pages", _thin, "the page holds few words", ("kind", "words")),
    Policy(
        "picture_pages", _is("picture"), "it only shows one picture", ("kind", "words", "images")
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
            name = named_policy(site, policy.name)
            by_sign = policy.sign and not is_named(policy.sign, site)
            needs = (*policy.needs, sign_of(policy.sign)) if by_sign else policy.needs
            layers.append(Layer(name, where, sets, policy.reason, needs=needs))
    return layers


def named_policy(site: SiteFile, name: str) -> str:
    """How the layer of a policy is called: with the base file that chose it, where one did."""
    base = site.base_policies.get(name)
    return f"policy {name} ({base})" if base else f"policy {name}"


def expired_layer(site: SiteFile, today: str) -> list[Layer]:
    """Pages that are past their expiry, as all other layers and the page itself have it."""
    choice = getattr(site.model.policies, EXPIRED)
    if choice == "index":
        return []
    # A page may write its date in other forms; `expires` has it in ours.
    decided = pl.col("unavailable_after")
    until = pl.coalesce(pl.when(decided.str.contains(r"^\d{4}-")).then(decided), "expires")
    past = (until < today).fill_null(False)
    return [Layer(named_policy(site, EXPIRED), past, effect(choice), "it has expired", fact=True)]
