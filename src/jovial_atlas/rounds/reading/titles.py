"""What the titles of a site have in common: the name that they end with."""

from __future__ import annotations

import re
from collections import Counter

import polars as pl

_SEPARATORS = re.compile(r"\s+[-–—|·:»]\s+")


def name_in_titles(pages: pl.DataFrame, origin: str) -> str:
    """What most titles end with after a separator; else the home page's title."""
    titles = pages["title"].drop_nulls().to_list()
    ends = Counter(parts[-1] for title in titles if len(parts := _SEPARATORS.split(title)) > 1)
    if ends:
        end, count = ends.most_common(1)[0]
        if count * 2 >= len(titles):
            return end
    home = pages.filter(pl.col("loc") == f"{origin}/")["title"].to_list()
    return home[0] if home and home[0] else ""


def end_of_titles(pages: pl.DataFrame) -> str:
    """What at least half of the titles end with: a sign, and the name of the site."""
    titles = pages["title"].drop_nulls().to_list()
    ends = Counter(
        title[found[-1].start() :] for title in titles if (found := [*_SEPARATORS.finditer(title)])
    )
    end, count = ends.most_common(1)[0] if ends else ("", 0)
    return end if count * 2 >= len(titles) else ""


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
