"""What the titles of a site have in common: the name that they end with."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable

import polars as pl

_SEPARATORS = re.compile(r"\s+(?:[-–—|·:»•~⋅・]|--+|::|//)\s+")
#: What parts a name from what follows, where the name stands first.
_BEHIND_NAME = re.compile(rf"{_SEPARATORS.pattern}|:\s+")


def name_in_titles(pages: pl.DataFrame, origin: str) -> str:
    """What at least half of the titles end with, after a separator or in brackets, or begin with;
    else the home page's title."""
    shown = pages.filter(pl.col("redirect").is_null()) if "redirect" in pages.columns else pages
    titles = shown["title"].drop_nulls().to_list()
    for part in (_last_part, _in_brackets, _first_part):
        if name := _common(map(part, titles), len(titles)):
            return name
    home = shown.filter(pl.col("loc") == f"{origin}/")["title"].to_list()
    return home[0] if home and home[0] else ""


def _last_part(title: str) -> str:
    parts = _SEPARATORS.split(title)
    return parts[-1] if len(parts) > 1 else ""


def _first_part(title: str) -> str:
    parts = _BEHIND_NAME.split(title, maxsplit=1)
    return parts[0] if len(parts) > 1 else ""


def _in_brackets(title: str) -> str:
    """What stands in the brackets at the end of a title, which may hold others."""
    depth = 0
    for place in range(len(title) - 1, 0, -1):
        depth += {")": 1, "(": -1}.get(title[place], 0)
        if depth == 0:
            return title[place + 1 : -1].strip() if title[place] == "(" else ""
    return ""


def name_with_sign(pages: pl.DataFrame) -> str:
    """What at least half of the titles end with, a sign and the name of the site or the name in
    brackets, or what they begin with, which then ends with a space; "" where that is nothing."""
    titles = pages["title"].drop_nulls().to_list()
    for part, signed in ((_last_part, _sign_before), (_in_brackets, _sign_before),
                         (_first_part, _sign_behind)):  # fmt: skip
        found = (signed(title, said) for title in titles if (said := part(title)))
        if name := _common(found, len(titles)):
            return name
    return ""


def _common(found: Iterable[str], titles: int) -> str:
    """What at least half of so many titles have, and more than one of several; else ""."""
    (said, count), *_ = Counter(filter(None, found)).most_common(1) or [("", 0)]
    return said if count * 2 >= titles and count >= min(2, titles) else ""


def _sign_before(title: str, name: str) -> str:
    at = title.rfind(name)
    before = title[:at].rstrip(" (")
    return title[len(before.rstrip("-–—|·:»•~⋅・/").rstrip()) :]


def _sign_behind(title: str, name: str) -> str:
    found = _BEHIND_NAME.match(title, len(name))
    return title[: found.end()] if found else ""


def some_titles(pages: pl.DataFrame, origin: str, most: int = 3) -> list[str]:
    """Titles or headings of pages that people come for: the longest texts first, not the home."""
    rows = (
        pages.filter((pl.col("loc") != f"{origin}/") & (pl.col("kind") == "page"))
        .sort("words", descending=True, nulls_last=True)
        .select(pl.coalesce("heading", "title").alias("title"))
        .drop_nulls()
        .unique(maintain_order=True)
    )
    return rows.get_column("title").head(most).to_list()
