"""Kinds of page that the tool is not sure of: one sign speaks for a kind, another against it.

What such pages count as is decided all the same, and told; a key of `[kinds]` settles it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any

import msgspec
import polars as pl

from jovial_atlas.pages.doubt import Doubt
from jovial_atlas.rules.page_kinds import has_address_of, is_named, sign_of
from jovial_atlas.sitefile import SiteFile

#: A page of results has no text of its own; one that has so many words may be an ordinary page.
_RESULT_WORDS = 150
_LIKE_ERROR = r"/(?:error|40[0-9]|5[0-9x][0-9x]|not-?found)(?:/|\.x?html?)?$"
_LIKE_DRAFT = (
    r"(?i)/(?:draft|_?wip|work-in-progress|unpublished|staging|sandbox|backups?|bak|te?mp)/"
)


class _Question(msgspec.Struct, frozen=True):
    """When pages of a `kind`, that `key` settles, are in doubt; `sign` says that addresses alone
    raise it, which each survey notes once."""

    kind: str
    key: str
    why: str
    where: pl.Expr
    sign: bool = True


_ROLE, _WORDS = pl.col("role"), pl.col("words").fill_null(0)
_PLAIN = _ROLE.is_in(["page", "article", "product", "event"])
_QUESTIONS = (
    _Question(
        "listing", "listings",
        "with the address of a listing, but a long text or another kind by its own word",
        has_address_of("listing") & _PLAIN,
    ),
    _Question(
        "paged", "paged",
        "with the address of a later page of a listing, but a long text or a name of its own",
        has_address_of("paged") & _PLAIN,
    ),
    _Question(
        "search", "search",
        f"with the address of a search, but a text of {_RESULT_WORDS} words or more",
        ((_ROLE == "search") & (_WORDS >= _RESULT_WORDS) | has_address_of("search") & _PLAIN)
        & (pl.col("declared") != "search").fill_null(True),
    ),
    _Question(
        "error", "errors", "called like an error page, but not worded like one",
        pl.col("_path").str.contains(_LIKE_ERROR) & (_ROLE != "error"), sign=False,
    ),
    _Question(
        "draft", "drafts", "in a folder that is called like unfinished work",
        pl.col("_path").str.contains(_LIKE_DRAFT) & ~_ROLE.is_in(["draft", "error"]), sign=False,
    ),
    _Question(
        "picture", "pictures", "with one picture and next to no text",
        _ROLE == "picture", sign=False,
    ),
    _Question(
        "article", "articles", "dated in the words of the text alone",
        (_ROLE == "article") & (pl.col("published_from") == "words").fill_null(False)
        & (pl.col("declared") != "article").fill_null(True), sign=False,
    ),
)  # fmt: skip


def doubting(site: SiteFile, have: Collection[str]) -> list[pl.Expr]:
    """What is counted, in any group of pages with `role` and `_path`, to know of doubts. `have`
    names the columns that hold anything, and the signs that were noted: where no page was read
    there are none, and what the site file settles is none either."""
    return [
        column
        for number, one in enumerate(_QUESTIONS)
        if "words" in have
        if not is_named(one.kind, site) and (not one.sign or sign_of(one.kind) in have)
        for column in _counted(number, one.where)
    ]


def _counted(number: int, where: pl.Expr) -> Iterator[pl.Expr]:
    yield where.sum().alias(f"_doubt_{number}")
    for column in ("_path", "role"):
        yield pl.col(column).filter(where).first().alias(f"_doubt_{number}{column}")


def doubts_of(groups: Sequence[Mapping[str, Any]]) -> list[Doubt]:
    """The doubts, from what was counted in each group of pages."""
    doubts = []
    for number, one in enumerate(_QUESTIONS):
        counted = f"_doubt_{number}"
        some = [group for group in groups if group.get(counted)]
        if some:
            first = min(some, key=lambda group: str(group[f"{counted}_path"]))
            doubts.append(
                Doubt(
                    key=one.key,
                    why=one.why,
                    counts_as=first[f"{counted}role"],
                    pages=sum(group[counted] for group in some),
                    example=first[f"{counted}_path"],
                )
            )
    return doubts
