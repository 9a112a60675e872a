"""Verdicts: the layers laid over the whole page table at once."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from datetime import datetime
from itertools import groupby
from typing import Any, TypeVar

import polars as pl

from jovial_atlas.pages.schema import VERDICT_COLUMNS as VERDICT_COLUMNS
from jovial_atlas.rules.fields import DIRECTIVES, FIELDS, Layer, LayerSays
from jovial_atlas.rules.layers import in_play, layers_for_crawlers, layers_of
from jovial_atlas.rules.matching import WORTH_LOOKING_UP, first_fitting, value_at
from jovial_atlas.rules.own import OWN, own_values, words_for
from jovial_atlas.rules.page_kinds import SIGNS, role_column
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
    table = _laid_over(_prepared(pages, site, fields, filled), layers, fields)
    by, names = pl.col("_by"), [layer.name for layer in layers]
    reasons = [layer.reason for layer in layers]
    table = table.with_columns(
        verdict=pl.when("listed").then(pl.lit("listed")).otherwise(pl.lit("unlisted")),
        reason=value_at(by, reasons, pl.String()),
        decided_by=value_at(by, names, pl.String()),
    )
    single = layers_for_crawlers(site, now, pages.collect_schema(), filled)
    return _from_owner(_for_crawlers(table, single), fields).drop(
        "_path", "_by", *(f"_{name}_by" for name in fields)
    )


def deciders(pages: pl.DataFrame, site: SiteFile, now: datetime) -> pl.DataFrame:
    """What is decided of each page, and by what: `loc`, `section`, `author`, `source`, `path`, each
    field of `FIELDS` that anything decides, and in `…_by` the name of the layer that decides it.
    Raises SiteFileError where a rule cannot be applied."""
    layers = layers_of(site, now, pages)
    fields = in_play(layers)
    table = _laid_over(_prepared(pages, site, fields), layers, fields)
    names = [layer.name for layer in layers]
    return table.select(
        "loc", "section", "author", "source", "path", *fields,
        *(value_at(pl.col(f"_{one}_by"), names, pl.String()).alias(f"{one}_by") for one in fields),
    )  # fmt: skip


def own_words(pages: pl.DataFrame, site: SiteFile) -> pl.DataFrame:
    """What pages say themselves of the fields that guards keep, refused or not: `loc`, `section`,
    `author`, `source`, `path`, and each field of which any page could speak."""
    table = _prepared(pages, site, ())
    return table.select(
        "loc", "section", "author", "source", "path",
        *(value.alias(name) for name, value in own_values(site, table.collect_schema()).items()),
    )  # fmt: skip


def explain_layers(page: pl.DataFrame, site: SiteFile, now: datetime) -> list[LayerSays]:
    """Every layer that says something about one page (a table of one row), weakest first: the
    trace of what `decide` does with it."""
    layers = layers_of(site, now, page)
    fields = in_play(layers)
    table = _laid_over(_prepared(page, site, fields), layers, fields, traced=True)
    single = layers_for_crawlers(site, now, page.schema)
    (row,) = _for_crawlers(table, single, traced=True).to_dicts()
    by = {name: row[f"_{name}_by"] for name in fields} | {"listed": row["_by"]}
    explained = []
    for number, layer in enumerate(layers):
        if sets := _told(row[f"_says_{number}"]):
            decides = tuple(name for name in FIELDS if by.get(name) == number)
            explained.append(LayerSays(layer.name, sets, layer.reason, decides))
    for token, some in single.items():
        for number, layer in enumerate(some):
            if sets := _told(row[f"_says_{number}_to_{token}"]):
                explained.append(LayerSays(layer.name, sets, layer.reason, (), (token,)))
    return explained


def _laid_over(
    table: Pages, layers: Sequence[Layer], fields: Sequence[str], *, traced: bool = False
) -> Pages:
    """The table with what the layers decide: each field, the number of its layer in `_…_by`, and
    in `_by` the number of the one that decides whether a page is listed. `traced` adds what every
    layer says of each page, in `_says_…`."""
    number = 0
    for some in [[layer] for layer in layers] if traced else _asked_together(layers):
        traces = [_says(some[0]).alias(f"_says_{number}")] if traced else []
        missing = {} if number else _missing(some[0], fields)
        says = _set(some[0], number) if len(some) == 1 else _set_by_patterns(some, number)
        table = table.with_columns(*says, *traces, **missing)
        number += len(some)
    return table.with_columns(
        listed=pl.col("listed") & pl.col("index"),
        # What may not be indexed is not listed: the word on the one decides the other.
        _by=pl.when(pl.col("listed") & ~pl.col("index"))
        .then(pl.col("_index_by"))
        .otherwise(pl.col("_listed_by")),
    )


def _says(layer: Layer) -> pl.Expr:
    """What a layer says of each page: its values, and whether it is about the page at all."""
    values = {
        name: value if isinstance(value, pl.Expr) else pl.lit(value)
        for name, value in layer.sets.items()
    }
    return pl.struct(layer.where.alias("_hit"), *(v.alias(name) for name, v in values.items()))


def _told(says: dict[str, Any]) -> dict[str, Any]:
    """What `_says` gives for one page, without what is not said: nothing where it is not about
    it."""
    if not says.pop("_hit"):
        return {}
    return {name: value for name, value in says.items() if value is not None}


def _prepared(
    pages: Pages, site: SiteFile, fields: Sequence[str], filled: Collection[str] | None = None
) -> Pages:
    """The table with path and section, and the page's own values out of the way of decisions."""
    have = {*pages.collect_schema(), *SIGNS} if filled is None else filled
    table = pages.with_columns(path_column(site)).with_columns(
        section_column(site, named=filled is None or "in_section" in filled),
        role_column(site, have),
    )
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


def _for_crawlers(table: Pages, single: dict[str, list[Layer]], *, traced: bool = False) -> Pages:
    """The column `crawlers`: what is decided for single crawlers, where anything is. `traced` as
    for `_laid_over`, with the name of the crawler."""
    if not single:
        return table
    for token, layers in single.items():
        table = _with_words(table, token, layers)
        if traced:
            table = table.with_columns(
                _says(layer).alias(f"_says_{number}_to_{token}")
                for number, layer in enumerate(layers)
            )
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


def _asked_together(layers: Sequence[Layer]) -> Iterator[list[Layer]]:
    """The layers, in order: those that stand together and are all about patterns, at once."""
    for by_patterns, group in groupby(layers, lambda layer: bool(layer.patterns)):
        some = list(group)
        if by_patterns and len(some) >= WORTH_LOOKING_UP:
            yield some
        else:
            yield from ([layer] for layer in some)


def _set_by_patterns(layers: Sequence[Layer], number: int) -> list[pl.Expr]:
    """As `_set`, of layers about patterns that follow each other from `number` on: the last one
    that is about a page decides."""
    changed = []
    for name in dict.fromkeys(name for layer in layers for name in layer.sets):
        speaking = [at for at, layer in enumerate(layers) if name in layer.sets][::-1]
        hit = first_fitting(tuple(layers[at].patterns for at in speaking))
        said = value_at(hit, [layers[at].sets[name] for at in speaking], FIELDS[name])
        by = value_at(hit, [number + at for at in speaking], pl.UInt32())
        changed += [
            pl.when(hit.is_not_null()).then(said).otherwise(pl.col(name)).alias(name),
            pl.coalesce(by, f"_{name}_by").alias(f"_{name}_by"),
        ]
    return changed


def not_listed(decided: pl.LazyFrame) -> pl.LazyFrame:
    """How many pages are not listed, as `reason, len`, most first."""
    return (
        decided.filter(~pl.col("listed"))
        .group_by("reason")
        .len()
        .sort(["len", "reason"], descending=[True, False])
    )
