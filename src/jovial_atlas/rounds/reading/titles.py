"""What the titles of a site have in common: the name that they end with."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

import polars as pl

_SEPARATORS = re.compile(r"\s+(?:[-–—|·:»•~⋅・]|--+|::|//)\s+")
#: What parts a name from what follows, where the name stands first.
_BEHIND_NAME = re.compile(rf"{_SEPARATORS.pattern}|:\s+")


def name_in_titles(pages: pl.DataFrame, origin: str) -> str:
    """What at least half of the titles end with, after a separator or in brackets, or begin with;
    else the home page's title."""
    titles = pages["title"].drop_nulls().to_list()
    for part in (_last_part, _in_brackets, _first_part):
        parts = Counter(said for title in titles if (said := part(title)))
        name, count = parts.most_common(1)[0] if parts else ("", 0)
        if name and _is_common(count, titles):
            return name
    home = pages.filter(pl.col("loc") == f"{origin}/")["title"].to_list()
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
        parts = Counter(signed(title, said) for title in titles if (said := part(title)))
        said, count = parts.most_common(1)[0] if parts else ("", 0)
        if _is_common(count, titles):
            return said
    return ""


def _is_common(count: int, titles: Sequence[str]) -> bool:
    """Whether at least half of the titles have something, and more than one of several."""
    return count * 2 >= len(titles) and count >= min(2, len(titles)) > 0


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
