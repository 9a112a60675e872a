"""Language versions of listed pages: those that pages name, and those in folders of languages."""

from __future__ import annotations

import polars as pl

from jovial_atlas import languages
from jovial_atlas.pages import schema
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.page_languages import by_folder
from jovial_atlas.sitefile import SiteFile


def versions_of(listed: pl.LazyFrame, site: SiteFile, declared: bool = True) -> pl.DataFrame:
    """Language versions of pages, as `loc, alternates`: those that the pages name and that name
    them in return, and those in the folders of `[languages]`. Every list holds the page itself.
    """
    none = pl.DataFrame(schema=_LINKS)
    links = pl.concat([_declared(listed, site) if declared else none, _by_folder(listed, site)])
    if not links.height:
        return pl.DataFrame(schema={"loc": pl.String, "alternates": schema.SCHEMA["alternates"]})
    version = pl.struct("lang", "href").alias("alternates")
    return (
        links.unique(["loc", "lang"], keep="first", maintain_order=True)
        .sort("loc", "lang")
        .group_by("loc", maintain_order=True)
        .agg(version)
    )


def versions_by_page(survey: LastSurvey) -> dict[str, list[dict[str, str]]]:
    """Address → the language versions of a listed page."""
    found = versions_of(survey.lazy.filter("listed"), survey.site)
    return dict(found.select("loc", "alternates").iter_rows())


_LINKS = {"loc": pl.String, "lang": pl.String, "href": pl.String}


def _declared(listed: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    declared = (
        listed.filter(pl.col("alternates").list.len() > 0)
        .select("loc", "language", "alternates")
        .explode("alternates")
        .unnest("alternates")
        .collect(engine="streaming")
    )
    if not declared.height:
        return pl.DataFrame(schema=_LINKS)
    pages = declared.select("loc", "language").unique("loc")
    links = declared.select(*_LINKS)
    # A link that is not returned is ignored by engines; other hosts cannot be asked here.
    returned = links.select(loc="href", href="loc").unique()
    here = pl.col("href").str.starts_with(f"{site.model.site.url}/")
    kept = pl.concat(
        [
            links.filter(here & (pl.col("loc") != pl.col("href"))).join(
                returned, on=["loc", "href"], how="semi"
            ),
            links.filter(~here),
        ]
    )
    own = links.filter(pl.col("loc") == pl.col("href")).select("loc", own="lang")
    named = own.filter(pl.col("own") != "x-default").unique("loc")
    itself = (
        pages.join(named, on="loc", how="left")
        .with_columns(lang=pl.coalesce("own", "language"))
        .filter(pl.col("lang").is_not_null())
        .select("loc", "lang", href="loc")
    )
    default = own.filter(pl.col("own") == "x-default").select("loc", lang="own", href="loc")
    whole = pl.concat([kept, itself, default])
    return whole.join(kept.select("loc").unique(), on="loc", how="semi")


def _by_folder(listed: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    languages_of = site.model.languages
    if len(languages_of.folders) < 2:
        return pl.DataFrame(schema=_LINKS)
    language, rest = by_folder(site)
    places = (
        listed.select("loc", "images", lang=language, rest=rest)
        .filter(pl.col("lang").is_not_null())
        .collect(engine="streaming")
        .with_columns(paired=pl.col("lang").n_unique().over("rest") > 1)
    )
    by_path = places.filter("paired").select("loc", "lang", "rest")
    pages = pl.concat([by_path, _by_pictures(places.filter(~pl.col("paired")))])
    others = pages.select("rest", "lang", href="loc")
    links = pages.select("loc", "rest").join(others, on="rest").select(*_LINKS)
    if languages_of.default:
        default = languages.canonical(languages_of.default)
        main = links.filter(pl.col("lang") == default).with_columns(lang=pl.lit("x-default"))
        links = pl.concat([links, main])
    return links


def _by_pictures(pages: pl.DataFrame) -> pl.DataFrame:
    """Pages of other paths that are versions of each other, as `loc, lang, rest`: those that show
    the same pictures, where no more than one page in each language does."""
    shown = pages.filter(pl.col("images").list.len() > 0).with_columns(
        rest=pl.col("images").list.eval(pl.element().struct.field("loc")).list.sort().list.join(" ")
    )
    alone = (pl.len() == pl.col("lang").n_unique()) & (pl.len() > 1)
    return shown.filter(alone.over("rest")).select("loc", "lang", "rest")
