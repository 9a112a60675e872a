"""Verdicts: the layers laid over the whole page table at once."""

from __future__ import annotations

from typing import TypeVar

import polars as pl

from jovial_atlas.rules.layers import (
    FIELDS,
    Layer,
    LayerSays,
    layers_of,
    path_column,
    section_column,
)
from jovial_atlas.sitefile import SiteFile

#: What `decide` adds: name → meaning.
VERDICT_COLUMNS = {
    "section": "the one section that holds the page",
    "listed": "whether it stands in a sitemap",
    "index": "whether engines may index it",
    "follow": "whether crawlers may follow its links",
    "changefreq": "how often it changes, as its sitemap says",
    "priority": "its weight within the site, as its sitemap says",
    "max_snippet": "longest text in a result, in characters",
    "max_image_preview": "largest picture in a result: none, standard, large",
    "max_video_preview": "longest piece of a video in a result, in seconds",
    "archive": "whether engines may show a copy that they keep",
    "translate": "whether engines may offer a translation",
    "unavailable_after": "date from which on no result shall show it",
    "verdict": "listed or unlisted",
    "reason": "why, in a few words",
    "decided_by": "the layer that had the last word on `listed`",
}


Pages = TypeVar("Pages", pl.DataFrame, pl.LazyFrame)


def decide(pages: Pages, site: SiteFile) -> Pages:
    """The page table with the columns of `VERDICT_COLUMNS`. One verdict a page, made here alone.

    Raises SiteFileError where a rule cannot be applied.
    """
    layers = layers_of(site, pages)
    table = _with_paths(pages, site)
    for number, layer in enumerate(layers):
        where = layer.where & pl.col("listed") if layer.fact else layer.where
        # A fact may not hide that noindex is what keeps a page out.
        if layer.fact:
            where = where & pl.col("index")
        table = table.with_columns(
            *_set(layer, where, number), **({} if number else _missing(layer))
        )
    table = table.with_columns(
        listed=pl.col("listed") & pl.col("index"),
        _by=pl.when(pl.col("listed") & ~pl.col("index"))
        .then(pl.col("_index_by"))
        .otherwise(pl.col("_listed_by")),
    )
    numbers = range(len(layers))
    names = dict(zip(numbers, [layer.name for layer in layers], strict=True))
    reasons = dict(zip(numbers, [layer.reason for layer in layers], strict=True))
    return table.with_columns(
        verdict=pl.when("listed").then(pl.lit("listed")).otherwise(pl.lit("unlisted")),
        reason=pl.col("_by").replace_strict(reasons, return_dtype=pl.String),
        decided_by=pl.col("_by").replace_strict(names, return_dtype=pl.String),
    ).drop("_path", "_by", *(f"_{name}_by" for name in FIELDS))


def _with_paths(pages: Pages, site: SiteFile) -> Pages:
    return pages.with_columns(path_column(site)).with_columns(section_column(site))


def _missing(layer: Layer) -> dict[str, pl.Expr]:
    return {name: pl.lit(None, kind) for name, kind in FIELDS.items() if name not in layer.sets} | {
        f"_{name}_by": pl.lit(None, pl.UInt32) for name in FIELDS if name not in layer.sets
    }


def _set(layer: Layer, where: pl.Expr, number: int) -> list[pl.Expr]:
    changed = []
    for name, value in layer.sets.items():
        if number == 0:
            changed += [pl.lit(value).alias(name), pl.lit(0, pl.UInt32).alias(f"_{name}_by")]
            continue
        changed += [
            pl.when(where).then(pl.lit(value)).otherwise(pl.col(name)).alias(name),
            pl.when(where)
            .then(pl.lit(number, pl.UInt32))
            .otherwise(pl.col(f"_{name}_by"))
            .alias(f"_{name}_by"),
        ]
    return changed


def explain_layers(page: pl.DataFrame, site: SiteFile) -> list[LayerSays]:
    """Every layer that says something about one page (a table of one row), weakest first."""
    table = _with_paths(page, site)
    says = [
        (layer, layer.sets)
        for layer in layers_of(site, page)
        if table.select(hit=layer.where).get_column("hit").item(0)
    ]
    last: dict[str, int] = {}
    unlisted = False
    for number, (layer, sets) in enumerate(says):
        if layer.fact and unlisted:
            continue
        for name in sets:
            last[name] = number
        unlisted = any(
            says[last[name]][1][name] is False for name in ("listed", "index") if name in last
        )
    values = {name: says[number][1][name] for name, number in last.items()}
    if values["listed"] and not values["index"]:
        # What may not be indexed is not listed: the word on the one decides the other.
        last["listed"] = last["index"]
    return [
        LayerSays(layer.name, sets, layer.reason, tuple(n for n in FIELDS if last.get(n) == number))
        for number, (layer, sets) in enumerate(says)
    ]


def not_listed(decided: pl.LazyFrame) -> pl.LazyFrame:
    """How many pages are not listed, as `reason, len`, most first."""
    return (
        decided.filter(~pl.col("listed"))
        .group_by("reason")
        .len()
        .sort(["len", "reason"], descending=[True, False])
    )
