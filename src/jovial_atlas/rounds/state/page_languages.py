"""The one language of a page: that of its folder, of a name in its path, of its host, or the one
that it names for itself among its versions, where it says none or, as a theme does, the same
everywhere."""

from __future__ import annotations

import re

import polars as pl

from jovial_atlas import languages
from jovial_atlas.sitefile import SiteFile

#: How the names of files of pages end, beside languages.
_FILE_ENDING = r"\.[A-Za-z]{3,5}"


def by_place(site: SiteFile) -> tuple[pl.Expr, pl.Expr]:
    """Over `loc`: the language of the innermost folder around a page, or of the end of a name in
    its path, and the path inside that folder and without that end; null where neither tells one.
    (Where ends tell languages, each page has a path.)"""
    path = pl.col("loc").str.strip_prefix(site.model.site.url)
    language, rest = pl.lit(None, pl.String), pl.lit(None, pl.String)
    placed = site.model.languages
    for lang, folder in sorted(placed.folders.items(), key=lambda one: len(one[1])):
        inside = path.str.starts_with(folder)
        language = pl.when(inside).then(pl.lit(languages.canonical(lang))).otherwise(language)
        rest = pl.when(inside).then(path.str.strip_prefix(folder)).otherwise(rest)
    if placed.endings:
        tags = {end: languages.canonical(lang) for lang, end in placed.endings.items()}
        ends = "|".join(re.escape(end) for end in sorted(tags, key=len, reverse=True))
        named = rf"({ends})((?:{_FILE_ENDING})?(?:/|$))"
        told = path.str.extract(named).replace_strict(tags, default=None, return_dtype=pl.String)
        language = pl.coalesce(told, language)
        rest = pl.coalesce(rest, path).str.replace(named, "$2")
        rest = rest.str.replace(rf"(^|/)index({_FILE_ENDING})?$", "$1")
    return language, rest


def with_languages(table: pl.LazyFrame, site: SiteFile) -> pl.LazyFrame:
    """The table with the languages of places: of folders, of other hosts, and those by which pages
    call themselves among their versions. They count where a page says none, or another one."""
    known = table.collect_schema()
    places = {"place": by_place(site)[0]} if site.model.languages.are_placed else {}
    if any(host.language for host in site.model.host):
        places["host"] = _by_host(site)
    if "alternates" in known and "language" in known:
        own = _own_versions(table)
        if own.height:
            table = table.join(own.lazy(), on="loc", how="left", maintain_order="left")
            places["hreflang"] = pl.col(_OWN)
    if not places:
        return table
    placed = pl.coalesce(places.values())
    if "language" not in known:
        return table.with_columns(language=placed)
    own_word = pl.col("language")
    kept = (placed.is_null() | (main_language(own_word) == main_language(placed))).fill_null(False)
    columns = {"language": pl.when(kept).then(own_word).otherwise(placed)}
    if "read_from" in known:
        where = pl.coalesce(
            pl.when(language.is_not_null()).then(pl.lit(f"language={name}"))
            for name, language in places.items()
        )
        rest = pl.col("read_from").str.replace(r" ?language=\S+", "")
        told = pl.concat_str(rest, where, separator=" ", ignore_nulls=True).str.strip_chars()
        columns["read_from"] = pl.when(kept).then("read_from").otherwise(told)
    return table.with_columns(**columns).select(known.names())


_OWN = "_own_language"


def main_language(language: pl.Expr) -> pl.Expr:
    """The language of a tag, without script and region."""
    return language.str.extract("^[A-Za-z]+", 0).str.to_lowercase()


def _by_host(site: SiteFile) -> pl.Expr:
    language = pl.lit(None, pl.String)
    for host in site.model.host:
        if host.language:
            there = pl.col("loc").str.starts_with(f"{host.url}/")
            said = languages.canonical(host.language)
            language = pl.when(there).then(pl.lit(said)).otherwise(language)
    return language


def _own_versions(table: pl.LazyFrame) -> pl.DataFrame:
    """Address → the language that a page names for itself among its versions."""
    named = (
        table.filter(pl.col("alternates").list.len() > 1)
        .select("loc", "alternates")
        .explode("alternates")
        .unnest("alternates")
        .filter(pl.col("href") == pl.col("loc"), pl.col("lang") != "x-default")
        .select("loc", pl.col("lang").alias(_OWN))
        .unique("loc", keep="first", maintain_order=True)
    )
    return named.collect(engine="streaming")
