"""Pages that repeat another page: versions to print, addresses with a query, the same text.

Found once a survey, since it takes the whole table; what is done about them is decided by
the policies of the site file.
"""

from __future__ import annotations

from collections.abc import Collection

import polars as pl

from jovial_atlas.rounds.state.page_languages import by_folder, main_language
from jovial_atlas.rules.page_kinds import is_kind, lists_others
from jovial_atlas.rules.policies import PRINT
from jovial_atlas.rules.selectors import matches, path_column
from jovial_atlas.sitefile import SiteFile

VARIANT_COLUMNS = ("variant", "variant_of")
#: Pages with fewer words are alike by chance.
_LEAST_WORDS = 30
#: The same, for pages that are called differently.
_LEAST_WORDS_UNDER_TITLES = 60


def variant_signs(site: SiteFile) -> dict[str, pl.Expr]:
    """Over `_path`: whether any address looks like a version to print, or has a query."""
    query = pl.col("_path").str.contains("?", literal=True)
    return {"print": _is_print(site).any(), "query": query.any()}


def find_variants(
    table: pl.LazyFrame, filled: Collection[str], site: SiteFile, signs: Collection[str]
) -> pl.DataFrame:
    """The pages that repeat others, as `loc, variant, variant_of`; the last is null where the
    page that is repeated cannot be told. `signs` are those of `variant_signs` that hold."""
    parts = [pl.DataFrame(schema=dict.fromkeys(("loc", *VARIANT_COLUMNS), pl.String))]
    if "print" in signs:
        parts.append(_to_print(table, site))
    if "query" in signs:
        parts.append(_with_query(table))
    if "fingerprint" in filled:
        parts.append(_same_text(table, site))
    return pl.concat(parts).unique("loc", keep="first", maintain_order=True)


def _is_print(site: SiteFile) -> pl.Expr:
    given = site.model.kinds.print
    return pl.col("_path").str.contains(PRINT) if given is None else matches(given)


def _rows(table: pl.LazyFrame, kind: str) -> pl.DataFrame:
    known = table.select("loc", variant=pl.lit(kind), variant_of=pl.col("original"))
    return known.collect(engine="streaming")


def _to_print(table: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    """Versions to print, with the page whose address is the same but for the sign, or has the
    same last part and is the only one, or null."""
    paths = table.select("loc", path_column(site))
    printed = paths.filter(_is_print(site)).collect(engine="streaming")
    if not printed.height:
        return _rows(printed.lazy().with_columns(original=pl.lit(None, pl.String)), "print")
    rest = pl.col("_path").str.replace(r"(^|/)print(/|\.html?$|$)", "${1}")
    rest = rest.str.replace(r"[?&]print=[^&]*", "").str.replace(r"\.print(\.html?)$", "${1}")
    slug = pl.col("_path").str.strip_chars_end("/").str.extract(r"([^/?]+)(?:\?.*)?$")
    printed = printed.with_columns(_rest=rest, _slug=slug)
    others = paths.filter(~_is_print(site)).with_columns(_slug=slug)
    wanted = others.filter(
        pl.col("_path").is_in(printed["_rest"].implode())
        | pl.col("_slug").is_in(printed["_slug"].drop_nulls().implode())
    ).collect(engine="streaming")
    same = wanted.select(_rest="_path", original="loc").unique("_rest")
    alone = wanted.filter(~pl.col("_slug").is_duplicated()).select("_slug", near="loc")
    found = printed.join(same, on="_rest", how="left").join(alone, on="_slug", how="left")
    return _rows(found.lazy().with_columns(pl.coalesce("original", "near")), "print")


def _with_query(table: pl.LazyFrame) -> pl.DataFrame:
    """Addresses with a query, where the same address without it is a page."""
    bare = pl.col("loc").str.replace(r"\?.*$", "")
    asked = table.select("loc").filter(pl.col("loc").str.contains("?", literal=True))
    candidates = asked.select("loc", original=bare).collect(engine="streaming")
    if not candidates.height:
        return _rows(candidates.lazy(), "query")
    there = table.select("loc").filter(
        pl.col("loc").is_in(candidates["original"].unique().implode())
    )
    known = there.collect(engine="streaming").rename({"loc": "original"})
    return _rows(candidates.join(known, on="original", how="semi").lazy(), "query")


def _same_text(table: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    """Pages with the same main text as another: all but one, which counts as the original: an
    article, else one that stands where its language belongs, else one in the language of the site,
    else the one with the shortest address. Pages that name a canonical have said what they
    are; a listing that shows an article in full makes the article no repetition. Texts that differ
    in their headings alone are the same where they are longer, and show the same pictures."""
    pages = (
        table.filter(
            (pl.col("kind") == "page")
            & (pl.col("words") >= _LEAST_WORDS)
            & pl.col("fingerprint").is_not_null()
            & pl.col("redirect").is_null()
            & (pl.col("canonical").is_null() | (pl.col("canonical") == pl.col("loc")))
        )
        .with_columns(path_column(site))
        .filter(~_is_print(site), ~lists_others(site))
        .select(
            "loc",
            "fingerprint",
            *_language_signs(table, site),
            article=is_kind("article", site),
            text=pl.when(pl.col("words") >= _LEAST_WORDS_UNDER_TITLES).then("text_digest"),
            shown=pl.col("images").hash(),
        )
        .collect(engine="streaming")
    )
    ordered = pages.sort(
        ~pl.col("article").fill_null(False), "strange", "foreign", pl.col("loc").str.len_bytes(),
        "loc",
    )  # fmt: skip
    found = [
        _repeating(ordered, ["fingerprint"]),
        _repeating(ordered.filter(pl.col("text").is_not_null()), ["text", "shown"]),
    ]
    return _rows(pl.concat(found).unique("loc", keep="first").lazy(), "content")


def _language_signs(table: pl.LazyFrame, site: SiteFile) -> list[pl.Expr]:
    """Whether a page is called `strange` in its language by the place where it stands, as texts are
    that nobody translated; and whether it stands among pages `foreign` to the main language."""
    strange = foreign = pl.lit(False)
    known = table.collect_schema()
    if "read_from" in known:
        strange = pl.col("read_from").str.contains(r"\blanguage=(?:folder|host)\b").fill_null(False)
    if site.model.languages.folders:
        place = main_language(by_folder(site)[0])
        if "language" in known:
            strange |= (main_language(pl.col("language")) != place).fill_null(False)
        if main := site.model.site.language:
            foreign = (place != main.partition("-")[0].lower()).fill_null(False)
    return [strange.alias("strange"), foreign.alias("foreign")]


def _repeating(ordered: pl.DataFrame, by: list[str]) -> pl.DataFrame:
    """The pages that are alike `by` some columns, but for the first of each, as `loc, original`."""
    alike = ordered.filter(pl.struct(by).is_duplicated())
    first = alike.unique(by, keep="first", maintain_order=True).select(*by, original="loc")
    found = alike.join(first, on=by).select("loc", "original")
    return found.filter(pl.col("loc") != pl.col("original"))
