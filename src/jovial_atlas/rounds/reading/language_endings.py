"""Ends of the names of files and folders that tell languages: `/walks.de.html` beside
`/walks.html`, `/guide-de/walks.html` beside `/guide-fr/walks.html`.

As with folders, a name alone decides nothing: the pages have to stand beside others that are called
the same, and to be in the language.
"""

from __future__ import annotations

import polars as pl

from jovial_atlas import languages
from jovial_atlas.rounds.reading.language_folders import called_after_languages

#: What may stand before a language. Where it is no dot, and where no file is named, pages have to
#: be in the language by their own word or text: domains end as languages do.
_SIGNS = (".", "_", "-")
#: So many pages, and so large a share of them, have to stand beside one that is called the same; or
#: one alone where so many languages have any.
_LEAST, _SHARE, _SEVERAL = 2, 0.5, 4
_NAMED = r"{}([A-Za-z]{{2}}(?:[-_][A-Za-z]{{2,4}})?)((?:\.[A-Za-z]{{3,5}})?(?:/|$))"
_HOME = r"(^|/)index(\.[A-Za-z]{3,5})?$"


def language_endings(pages: pl.DataFrame, origin: str) -> dict[str, str]:
    """Language → end of the names of its files or folders, by the addresses (`loc`) and languages
    (`language`, which may be null) of pages; those with the first sign that any have."""
    path = pl.col("loc").str.strip_prefix(origin)
    said = pl.col("language").str.extract("^[A-Za-z]+", 0).str.to_lowercase()
    for sign in _SIGNS:
        named = _NAMED.format(f"\\{sign}")
        split = pages.select(
            code=path.str.extract(named),
            rest=path.str.replace(named, "$2").str.replace(_HOME, "$1"),
            said=said,
            file=path.str.extract(named, 2).str.starts_with(".") & (pl.lit(sign) == "."),
        )
        called, _ = called_after_languages(split)
        own = pl.col("said") == pl.col("code").str.head(2).str.to_lowercase()
        borne_out = split.filter(pl.col("file") | own)["code"].unique()
        certain = [code for code in called if code in borne_out]
        inside = split.filter(pl.col("code").is_in(certain))
        others = split.filter(~pl.col("code").is_in(certain).fill_null(False))
        beside = pl.concat([others.select("rest").unique(), _of_several(inside)]).unique()
        sizes = inside.group_by("code").agg(
            whole=pl.len(), paired=pl.col("rest").is_in(beside["rest"].implode()).sum()
        )
        kept = sizes.filter(pl.col("paired") >= pl.max_horizontal(1, pl.col("whole") * _SHARE))
        if kept.height < _SEVERAL:
            kept = kept.filter(pl.col("paired") >= _LEAST)
        if kept.height:
            codes = sorted(kept["code"])
            return {languages.canonical(one.replace("_", "-")): f"{sign}{one}" for one in codes}
    return {}


def _of_several(inside: pl.DataFrame) -> pl.DataFrame:
    """What stands in several languages, as `rest`."""
    counts = inside.group_by("rest").agg(pl.col("code").n_unique())
    return counts.filter(pl.col("code") > 1).select("rest")
