"""The language of a page by the folder it lies in, as `[languages]` of the site file has it."""

from __future__ import annotations

import polars as pl

from jovial_atlas import languages
from jovial_atlas.sitefile import SiteFile


def by_folder(site: SiteFile) -> tuple[pl.Expr, pl.Expr]:
    """Over `loc`: the language of the innermost folder around a page, and the path inside that
    folder; null where there is none."""
    path = pl.col("loc").str.strip_prefix(site.model.site.url)
    language, rest = pl.lit(None, pl.String), pl.lit(None, pl.String)
    for lang, folder in sorted(site.model.languages.folders.items(), key=lambda one: len(one[1])):
        inside = path.str.starts_with(folder)
        language = pl.when(inside).then(pl.lit(languages.canonical(lang))).otherwise(language)
        rest = pl.when(inside).then(path.str.strip_prefix(folder)).otherwise(rest)
    return language, rest


def with_languages(table: pl.LazyFrame, site: SiteFile) -> pl.LazyFrame:
    """The table with the languages of folders: where a page says none, or one that cannot be right
    there, as a theme does that says the same everywhere."""
    if not site.model.languages.folders:
        return table
    folder, _ = by_folder(site)
    if "language" not in table.collect_schema():
        return table.with_columns(language=folder)
    own = pl.col("language")

    def main(language: pl.Expr) -> pl.Expr:
        return language.str.extract("^([A-Za-z]+)").str.to_lowercase()

    kept = (folder.is_null() | (main(own) == main(folder))).fill_null(False)
    columns = {"language": pl.when(kept).then(own).otherwise(folder)}
    if "read_from" in table.collect_schema():
        place = pl.col("read_from").str.replace(r" ?language=\S+", "")
        told = pl.concat_str(place, pl.lit("language=folder"), separator=" ", ignore_nulls=True)
        columns["read_from"] = pl.when(kept).then("read_from").otherwise(told.str.strip_chars())
    return table.with_columns(**columns)
