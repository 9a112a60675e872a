"""Verdicts: the layers laid over the whole page table at once."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any, TypeVar

import polars as pl

from jovial_atlas.pages.schema import VERDICT_COLUMNS as VERDICT_COLUMNS
from jovial_atlas.rules.fields import DIRECTIVES, FIELDS, Layer, LayerSays
from jovial_atlas.rules.layers import in_play, layers_for_crawlers, layers_of
from jovial_atlas.rules.own import OWN, words_for
from jovial_atlas.rules.selectors import path_column, section_column
from jovial_atlas.sitefile import SiteFile

Pages = TypeVar("Pages", pl.DataFrame, pl.LazyFrame)


def decide(
    pages: Pages, site: SiteFile, now: datetime, filled: Collection[str] | None = None
) -> Pages:
    """The page table with the columns of `VERDICT_COLUMNS`. One verdict a page, made here alone.

    `filled` names the columns that hold anything, all if None. Raises SiteFileError where a
    rule cannot be applied.
    """
    layers = layers_of(site, now, pages, filled)
    fields = in_play(layers)
    table = _prepared(pages, site, fields, filled)
    for number, layer in enumerate(layers):
        table = table.with_columns(
            *_set(layer, number), **({} if number else _missing(layer, fields))
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
    table = table.with_columns(
        verdict=pl.when("listed").then(pl.lit("listed")).otherwise(pl.lit("unlisted")),
        reason=pl.col("_by").replace_strict(reasons, return_dtype=pl.String),
        decided_by=pl.col("_by").replace_strict(names, return_dtype=pl.String),
    )
    single = layers_for_crawlers(site, now, pages.collect_schema(), filled)
    return _from_owner(_for_crawlers(table, single), fields).drop(
        "_path", "_by", *(f"_{name}_by" for name in fields)
    )


def _prepared(
    pages: Pages, site: SiteFile, fields: Sequence[str], filled: Collection[str] | None = None
) -> Pages:
    """The table with path and section, and the page's own values out of the way of decisions."""
    named = filled is None or "in_section" in filled
    table = pages.with_columns(path_column(site)).with_columns(section_column(site, named=named))
    own = [pl.col(name).alias(beside) for name, beside in OWN.items() if name in fields]
    return table.with_columns(own) if own else table


def _from_owner(table: Pages, fields: Sequence[str]) -> Pages:
    """A date that no page gave is the owner's; one that nobody decided is the page's."""
    if "lastmod" not in fields:
        return table
    decided = pl.col("lastmod").is_not_null() & pl.col("lastmod").ne_missing(pl.col(OWN["lastmod"]))
    return table.with_columns(
        lastmod=pl.coalesce("lastmod", OWN["lastmod"]),
        lastmod_from=pl.when(decided).then(pl.lit("site file")).otherwise("lastmod_from"),
    )


def _for_crawlers(table: Pages, single: dict[str, list[Layer]]) -> Pages:
    """The column `crawlers`: what is decided for single crawlers, where anything is."""
    if not single:
        return table
    for token, layers in single.items():
        table = _with_words(table, token, layers)
        values = {name: pl.col(name) for name in DIRECTIVES}
        for layer in layers:
            for name, value in layer.sets.items():
                said = value if isinstance(value, pl.Expr) else pl.lit(value)
                speaks = layer.where & said.is_not_null()
                values[name] = pl.when(speaks).then(said).otherwise(values[name])
        whole = pl.struct(value.alias(name) for name, value in values.items())
        table = table.with_columns(whole.alias(f"_to_{token}"))
    tokens = [pl.col(f"_to_{token}").alias(token) for token in single]
    table = table.with_columns(crawlers=pl.struct(tokens))
    return table.drop("_own_words", *(f"_to_{token}" for token in single), strict=False)


def _with_words(table: Pages, token: str, layers: Sequence[Layer]) -> Pages:
    """The table with what each page says to one crawler, where any layer asks for it."""
    if not any("crawler_directives" in layer.needs for layer in layers):
        return table
    return table.with_columns(words_for(token).alias("_own_words"))


def _missing(layer: Layer, fields: Sequence[str]) -> dict[str, pl.Expr]:
    missing = [name for name in fields if name not in layer.sets]
    return {name: pl.lit(None, FIELDS[name]) for name in missing} | {
        f"_{name}_by": pl.lit(None, pl.UInt32) for name in missing
    }


def _set(layer: Layer, number: int) -> list[pl.Expr]:
    changed = []
    where = layer.where
    if layer.fact:
        # A fact may not hide that noindex is what keeps a page out.
        where = where & pl.col("listed") & pl.col("index")
    for name, value in layer.sets.items():
        if number == 0:
            changed += [pl.lit(value).alias(name), pl.lit(0, pl.UInt32).alias(f"_{name}_by")]
            continue
        speaks = where & value.is_not_null() if isinstance(value, pl.Expr) else where
        said = value if isinstance(value, pl.Expr) else pl.lit(value)
        changed += [
            pl.when(speaks).then(said).otherwise(pl.col(name)).alias(name),
            pl.when(speaks)
            .then(pl.lit(number, pl.UInt32))
            .otherwise(pl.col(f"_{name}_by"))
            .alias(f"_{name}_by"),
        ]
    return changed


def explain_layers(page: pl.DataFrame, site: SiteFile, now: datetime) -> list[LayerSays]:
    """Every layer that says something about one page (a table of one row), weakest first."""
    layers = layers_of(site, now, page)
    fields = in_play(layers)
    table = _prepared(page, site, fields)
    decided: dict[str, Any] = dict.fromkeys(fields)
    says: list[tuple[Layer, dict[str, Any]]] = []
    last: dict[str, int] = {}
    table = table.with_columns(pl.lit(None, FIELDS[name]).alias(name) for name in fields)
    for layer in layers:
        if not (sets := _said(layer, table)):
            continue
        says.append((layer, sets))
        if layer.fact and not (decided["listed"] and decided["index"]):
            continue
        decided |= sets
        # What was decided so far is what later layers may ask about.
        table = table.with_columns(pl.lit(v, FIELDS[n]).alias(n) for n, v in sets.items())
        last |= dict.fromkeys(sets, len(says) - 1)
    if decided["listed"] and not decided["index"]:
        # What may not be indexed is not listed: the word on the one decides the other.
        last["listed"] = last["index"]
    told = [
        LayerSays(layer.name, sets, layer.reason, tuple(n for n in FIELDS if last.get(n) == number))
        for number, (layer, sets) in enumerate(says)
    ]
    for token, some in layers_for_crawlers(site, now, page.schema).items():
        words = _with_words(table, token, some)
        told += [
            LayerSays(layer.name, sets, layer.reason, (), (token,))
            for layer in some
            if (sets := _said(layer, words))
        ]
    return told


def _said(layer: Layer, page: pl.DataFrame) -> dict[str, Any]:
    """What a layer says of one page: nothing where it is not about it."""
    asked = {name: value for name, value in layer.sets.items() if isinstance(value, pl.Expr)}
    (row,) = page.lazy().select(_hit=layer.where, **asked).collect().to_dicts()
    if not row.pop("_hit"):
        return {}
    found = {name: row.get(name, value) for name, value in layer.sets.items()}
    return {name: value for name, value in found.items() if value is not None}


def not_listed(decided: pl.LazyFrame) -> pl.LazyFrame:
    """How many pages are not listed, as `reason, len`, most first."""
    return (
        decided.filter(~pl.col("listed"))
        .group_by("reason")
        .len()
        .sort(["len", "reason"], descending=[True, False])
    )
