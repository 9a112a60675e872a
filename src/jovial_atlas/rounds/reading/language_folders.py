"""Folders of a site that hold one language each, and its main language.

A name alone decides nothing: `/it/` may be a department, `/arm/` a machine, `/std/` a library. A
folder is one of a language where it repeats the paths of another one, and its pages are not plainly
in another language than it is called after.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

import polars as pl

from jovial_atlas import languages

#: So many pages have to stand under the same path in a folder and beside it.
_PARALLEL = 2
#: From this share of its pages on a folder is in the language it is called after: others may wait
#: for their translation. From the other one on it is in another language.
_SPOKEN, _CONTRARY = 0.05, 0.5
#: Names of three letters are words as well: without a page that says its language, a folder has to
#: repeat so large a share of one that is called after a common language.
_REPEATED = 0.5
#: So many folders below the top are looked into.
_TRIED = 3
#: From this share on pages of a folder repeat those of others, where none says its language.
_UNSAID = 0.3
#: So many pages that stand where another language should be tell which one the site begins with.
_LEAST, _SHARE = 3, 0.02
#: Languages whose short texts may be read as one another.
_RELATED = (
    {"be", "bg", "bs", "cs", "hr", "mk", "pl", "ru", "sh", "sk", "sl", "sr", "uk"},
    {"ast", "ca", "es", "fr", "fur", "gl", "it", "la", "oc", "pt", "rm", "ro", "sc", "scn"},
    {"da", "fo", "is", "nb", "nn", "no", "sv"},
    {"af", "de", "fy", "gsw", "lb", "li", "nds", "nl"},
    {"et", "fi"},
    {"ja", "ko", "yue", "zh"},
    {"ar", "ckb", "fa", "ps", "ug", "ur"},
    {"hi", "mr", "ne", "sa"},
)
_CODE = r"[A-Za-z]{2,3}(?:[-_][A-Za-z]{2,4})?"


def language_folders(pages: pl.DataFrame, origin: str, main: str) -> dict[str, str]:
    """Language → folder, by the addresses (`loc`) and languages (`language`, which may be null) of
    pages: those at the top of the site, else those in the folder that has most of them. The main
    language may stand outside of folders: at "/", or in the folder around them."""
    path = pl.col("loc").str.strip_prefix(f"{origin}/")
    placed = pages.select(path=path, said=pl.col("language"))
    for above in ["", *_with_several(placed)]:
        if found := _folders_in(above, placed, main):
            return found
    return {}


def _with_several(placed: pl.DataFrame) -> list[str]:
    """The folders below the top, up to three levels down, that have several which may be called
    after languages: those with most pages in them."""
    split = placed.select(
        above=pl.col("path").str.extract(rf"^((?:[^/]+/){{1,3}}?){_CODE}/"),
        code=pl.col("path").str.extract(rf"^(?:[^/]+/){{1,3}}?({_CODE})/"),
    ).drop_nulls()
    counts = split.group_by("above").agg(pl.len(), codes=pl.col("code").n_unique())
    several = counts.filter(pl.col("codes") > 1).sort("len", "above", descending=[True, False])
    return several.head(_TRIED)["above"].to_list()


def _folders_in(above: str, placed: pl.DataFrame, main: str) -> dict[str, str]:
    """Language → folder, of the folders directly in another."""
    inner = pl.col("path").str.starts_with(above)
    path = pl.col("path").str.strip_prefix(above)
    around = placed.filter(~inner).select(rest="path", code=pl.lit("/"))
    split = placed.filter(inner).select(
        code=path.str.extract(rf"^({_CODE})/"),
        rest=path.str.replace(rf"^{_CODE}/", ""),
        whole=path,
        said=pl.col("said").str.extract("^[A-Za-z]+", 0).str.to_lowercase(),
    )
    certain, likely = called_after_languages(split)
    inside = split.filter(pl.col("code").is_in([*certain, *likely]))
    outside = split.filter(~pl.col("code").is_in(inside["code"].implode()).fill_null(False))
    others = pl.concat(
        [inside.select("rest", "code"), outside.select(rest="whole", code=pl.lit("")), around]
    )
    pairs = inside.join(others, on="rest", suffix="_other").filter(
        pl.col("code") != pl.col("code_other")
    )
    if likely:
        sizes = inside.group_by("code").agg(whole=pl.len())
        twin = (
            pairs.filter(pl.col("code").is_in(likely) & pl.col("code_other").is_in(certain))
            .group_by("code")
            .agg(pl.col("rest").n_unique())
            .join(sizes, on="code")
            .filter(pl.col("rest") >= _REPEATED * pl.col("whole"))
        )
        kept = [*certain, *twin["code"], "", "/"]
        pairs = pairs.filter(pl.col("code").is_in(kept) & pl.col("code_other").is_in(kept))
    own = pl.col("said") == pl.col("code").str.extract("^[A-Za-z]+", 0).str.to_lowercase()
    sizes = inside.group_by("code").agg(whole=pl.len(), is_said=own.any())
    called = pl.col("rest").str.contains("[^0-9/]").sum()
    repeated = pairs.select("code", "rest").unique().group_by("code").agg(pl.len(), called=called)
    counts = repeated.join(sizes, on="code").filter(pl.col("len") >= _PARALLEL)
    if above and not counts["is_said"].any():
        return {}
    # Countries have two letters too, and places of the same name; departments, and pages with
    # numbers: where no page says that it is in the language, a good part of them has to stand in
    # another folder as well, under names.
    enough = pl.col("is_said") | (pl.col("called") >= _UNSAID * pl.col("whole"))
    codes = sorted(counts.filter(enough.fill_null(False))["code"])
    found = {languages.canonical(code.replace("_", "-")): f"/{above}{code}/" for code in codes}
    beside = {place: pairs.filter(code_other=place)["rest"].n_unique() for place in ("", "/")}
    most = max(beside, key=lambda place: beside[place])
    if main not in found and beside[most] >= _PARALLEL:
        found = {main: most or f"/{above}", **found}
    return found if len(found) > 1 else {}


def called_after_languages(split: pl.DataFrame) -> tuple[list[str], list[str]]:
    """The names of folders that are those of languages, and those that are so if others are beside
    them: names of three letters of whose pages none says its language."""
    certain: list[str] = []
    likely: list[str] = []
    for code, spoken in _counts(split.filter(pl.col("code").is_not_null()), "code", "said").items():
        if languages.fault_of(code.replace("_", "-")) is not None:
            continue
        own, whole = _primary(code), spoken.total()
        most = max(
            (count for one, count in spoken.items() if one and not _alike(one, own)), default=0
        )
        if spoken[own] >= max(1, _SPOKEN * whole):
            certain.append(code)
        elif most < _CONTRARY * whole:
            (certain if len(own) == 2 else likely).append(code)
    return certain, likely


def main_language(pages: pl.DataFrame, origin: str, folders: Mapping[str, str]) -> str:
    """The language in which most pages are; "" where none says one. In folders of languages it is
    the one in which pages stand that nobody has translated, else that of the largest folder."""
    places = folders.values()
    around = any(one != other and one.startswith(other) for one in places for other in places)
    if not folders or around:
        return most_common(pages["language"])
    placed = pages.select("language", path=pl.col("loc").str.strip_prefix(origin)).with_columns(
        place=pl.coalesce(
            pl.when(pl.col("path").str.starts_with(folder)).then(pl.lit(tag))
            for tag, folder in folders.items()
        )
    )
    tags = {_primary(tag): tag for tag in reversed([*folders])}
    elsewhere: Counter[str] = Counter()
    for place, spoken in _counts(placed, "place", "language").items():
        for said, count in spoken.items():
            own = _primary(said)
            if own in tags and not (place and _alike(own, _primary(place))):
                elsewhere[own] += count
    first = min(elsewhere, key=lambda one: (-elsewhere[one], one), default="")
    if elsewhere[first] >= max(_LEAST, _SHARE * pages.height):
        return tags[first]
    return most_common(placed["place"])


def most_common(values: pl.Series) -> str:
    """The value that stands most often, the first by name of several; "" where there is none."""
    counts = values.drop_nulls().value_counts(name="_many").filter(pl.col(values.name) != "")
    return (
        str(counts.sort("_many", values.name, descending=[True, False])[0, 0])
        if counts.height
        else ""
    )


def _counts(table: pl.DataFrame, by: str, counted: str) -> dict[str, Counter[str]]:
    """How often each value of one column stands beside one of another; "" for null."""
    found: dict[str, Counter[str]] = {}
    columns = [pl.col(name).fill_null("") for name in (by, counted)]
    for one, other, count in table.group_by(columns).len().sort(by, counted).iter_rows():
        found.setdefault(one, Counter())[other] = count
    return found


def _primary(tag: str) -> str:
    return tag.replace("_", "-").partition("-")[0].lower()


def _alike(one: str, other: str) -> bool:
    return one == other or any({one, other} <= group for group in _RELATED)
