"""Language versions of listed pages: those that pages name, and those in places of languages."""

from __future__ import annotations

import msgspec
import polars as pl

from jovial_atlas import languages
from jovial_atlas.pages import schema
from jovial_atlas.pages.keys import key_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.page_languages import by_place
from jovial_atlas.sitefile import SiteFile

_NUMBERED: dict[str, type[pl.DataType]] = {"loc": pl.String, "number": pl.UInt32}


class Versions(msgspec.Struct, frozen=True):
    """Language versions of pages: `pages` (`loc, number`) names the list of each page among
    `lists`, which most pages share with their versions. Every list holds the page itself."""

    pages: pl.DataFrame = msgspec.field(default_factory=lambda: pl.DataFrame(schema=_NUMBERED))
    lists: pl.Series = msgspec.field(
        default_factory=lambda: pl.Series(dtype=schema.SCHEMA["alternates"])
    )

    def __bool__(self) -> bool:
        return bool(self.pages.height)


def versions_of(listed: pl.LazyFrame, site: SiteFile, declared: bool = True) -> Versions:
    """Language versions of pages: those that the pages name and that name them in return, and
    those in the folders of `[languages]`, or with the names of files that end as it says."""
    named = _declared(listed, site) if declared else pl.DataFrame(schema=_LINKS)
    places = _by_place(listed, site)
    if not named.height:
        return _shared(places) if places.height else Versions()
    pages = places.select("loc", "rest")
    links = pl.concat([named, pages.join(_hrefs(places), on="rest").select(*_LINKS)])
    # By keys and numbers: to compare and to sort so many texts takes several times as long.
    ordered = pl.Enum(links["lang"].unique().sort())
    links = links.with_columns(
        _key=key_of(pl.col("loc")), _lang=pl.col("lang").cast(ordered)
    ).sort("_key", "_lang", maintain_order=True)
    again = pl.all_horizontal(pl.col("_key", "_lang") == pl.col("_key", "_lang").shift())
    return _numbered(
        links.filter(~again.fill_null(False))
        .with_columns(pl.col("_key").set_sorted())
        .group_by("_key", maintain_order=True)
        .agg(pl.col("loc").first(), _VERSION)
    )


def _numbered(lists: pl.DataFrame) -> Versions:
    """Lists as `loc, alternates`."""
    pages = lists.select("loc", number=pl.int_range(pl.len(), dtype=pl.UInt32))
    return Versions(pages, lists["alternates"])


def _shared(places: pl.DataFrame) -> Versions:
    """Lists that all pages of one `rest` share."""
    lists = (
        _hrefs(places)
        .sort("lang", maintain_order=True)
        .group_by("rest", maintain_order=True)
        .agg(_VERSION)
        .with_row_index("number")
    )
    pages = places.join(lists.select("rest", "number"), on="rest", maintain_order="left")
    return Versions(pages.select(*_NUMBERED).unique("loc"), lists["alternates"])


def _hrefs(places: pl.DataFrame) -> pl.DataFrame:
    return places.select("rest", "lang", href="loc").unique(
        ["rest", "lang"], keep="first", maintain_order=True
    )


def versions_by_page(survey: LastSurvey) -> dict[str, list[dict[str, str]]]:
    """Address → the language versions of a listed page."""
    found = versions_of(survey.lazy.filter("listed"), survey.site)
    lists = found.lists.to_list()
    return {loc: lists[number] for loc, number in found.pages.iter_rows()}


_VERSION = pl.struct("lang", "href").alias("alternates")
_LINKS = {"loc": pl.String, "lang": pl.String, "href": pl.String}


def _declared(listed: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    declared = (
        listed.filter(pl.col("alternates").list.len() > 0)
        .select("loc", "language", "alternates")
        .explode("alternates")
        .unnest("alternates")
        .filter(pl.col("href").is_not_null())
        .collect(engine="streaming")
    )
    if not declared.height:
        return pl.DataFrame(schema=_LINKS)
    links = declared.with_columns(key=key_of(pl.col("loc")), to=key_of(pl.col("href")))
    itself = pl.col("key") == pl.col("to")
    # A link that is not returned is ignored by engines; other hosts cannot be asked here.
    back = links.select(pl.col("to").hash(1) ^ pl.col("key").hash(2)).to_series()
    returned = (pl.col("key").hash(1) ^ pl.col("to").hash(2)).is_in(back.implode())
    here = pl.col("href").str.starts_with(f"{site.model.site.url}/")
    kept = links.filter(pl.when(here).then(~itself & returned).otherwise(True))
    elsewhere = kept.filter(~here)
    kept = pl.concat([kept.filter(here), elsewhere]) if elsewhere.height else kept
    pages = links.filter(pl.col("key").is_in(kept["key"].unique().implode()))
    own = pages.filter(itself).select("loc", "key", "lang", "href")
    default = pl.col("lang") == "x-default"
    named = own.filter(~default).unique("key", maintain_order=True).select("key", own="lang")
    of_page = (
        pages.select("key", "loc", "language")
        .unique("key", maintain_order=True)
        .join(named, on="key", how="left", maintain_order="left")
        .select("loc", "key", lang=pl.coalesce("own", "language"), href="loc")
    )
    if of_page["lang"].null_count():
        # What says nothing of itself is in the language that its versions call it by.
        said = kept.filter(~default).unique("to", keep="first", maintain_order=True)
        called = said.select(key="to", called="lang")
        of_page = of_page.join(called, on="key", how="left", maintain_order="left").with_columns(
            lang=pl.coalesce("lang", "called")
        )
    of_page = of_page.filter(pl.col("lang").is_not_null())
    return pl.concat([one.select(*_LINKS) for one in (kept, of_page, own.filter(default))])


def _by_place(listed: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    """Pages that have versions in the places of languages, as `loc, lang, rest`: versions of each
    other have one `rest`. The version for all other languages is there once more."""
    languages_of = site.model.languages
    if not languages_of.have_versions:
        return pl.DataFrame(schema=_PLACES)
    language, rest = by_place(site)
    if languages_of.endings:
        language = pl.coalesce(language, "language", pl.lit(site.model.site.language))
    places = (
        listed.select("loc", "images", lang=language, rest=rest)
        .filter(pl.col("lang").is_not_null())
        .collect(engine="streaming")
    )
    several = places.group_by("rest").agg(pl.col("lang").n_unique())
    paired = several.filter(pl.col("lang") > 1).select("rest")
    by_path = places.join(paired, on="rest", how="semi", maintain_order="left")
    pages = by_path.select(*_PLACES)
    if places["images"].null_count() < places.height:
        alone = places.join(paired, on="rest", how="anti", maintain_order="left")
        pages = pl.concat([pages, _by_pictures(alone)])
    if languages_of.default:
        default = languages.canonical(languages_of.default)
        main = pages.filter(pl.col("lang") == default).with_columns(lang=pl.lit("x-default"))
        pages = pl.concat([pages, main])
    return pages


_PLACES = {"loc": pl.String, "lang": pl.String, "rest": pl.String}


def _by_pictures(pages: pl.DataFrame) -> pl.DataFrame:
    """Pages of other paths that are versions of each other, as `loc, lang, rest`: those that show
    the same pictures, where no more than one page in each language does."""
    shown = pages.filter(pl.col("images").list.len() > 0).with_columns(
        rest=pl.col("images").list.eval(pl.element().struct.field("loc")).list.sort().list.join(" ")
    )
    alone = (pl.len() == pl.col("lang").n_unique()) & (pl.len() > 1)
    return shown.filter(alone.over("rest")).select("loc", "lang", "rest")
