"""Pages that repeat another page: versions to print, addresses with a query, the same text.

Found once a survey, since it takes the whole table; what is done about them is decided by
the policies of the site file.
"""

from __future__ import annotations

from collections.abc import Collection

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.rounds.state.page_languages import by_place, main_language
from jovial_atlas.rules.page_kinds import is_kind, lists_others
from jovial_atlas.rules.selectors import matches, path_column
from jovial_atlas.sitefile import SiteFile

VARIANT_COLUMNS = ("variant", "variant_of")
#: What only versions to print have in their addresses; and what pages about printing have too.
_PRINT_SIGN = r"[?&]print="
_PRINT_PART = r"(^|/)print(/|\.html?$|$)"
_PRINT_ENDING = r"\.print(\.html?)$"
#: Pages with fewer words are alike by chance.
_LEAST_WORDS = 30
#: The same, for pages that are called differently.
_LEAST_WORDS_UNDER_TITLES = 60
#: So many words a link has, more or less.
_LINK_WORDS = 3


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
        to_print = pl.concat(parts).filter(pl.col("variant") == "print")["loc"]
        parts.append(_same_text(table, site, to_print))
    return pl.concat(parts).unique("loc", keep="first", maintain_order=True)


def _is_print(site: SiteFile) -> pl.Expr:
    given = site.model.kinds.print
    by_address = pl.col("_path").str.contains(f"{_PRINT_PART}|{_PRINT_ENDING}|{_PRINT_SIGN}")
    return by_address if given is None else matches(given)


def _rows(table: pl.LazyFrame, kind: str) -> pl.DataFrame:
    known = table.select("loc", variant=pl.lit(kind), variant_of=pl.col("original"))
    return known.collect(engine="streaming")


def _to_print(table: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    """Versions to print, with the page whose address is the same but for the sign, or has the
    same last part and is the only one, or null. What only has "print" in its address may be about
    printing: it is no version of a page that is called differently."""
    paths = table.select("loc", path_column(site))
    printed = paths.filter(_is_print(site)).collect(engine="streaming")
    if not printed.height:
        return _rows(printed.lazy().with_columns(original=pl.lit(None, pl.String)), "print")
    rest = pl.col("_path").str.replace(_PRINT_PART, "${1}")
    rest = rest.str.replace(r"[?&]print=[^&]*", "").str.replace(_PRINT_ENDING, "${1}")
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
    found = _beside(found, table, "original", "near")
    path = pl.col("_path")
    certain = path.str.contains(_PRINT_SIGN) if site.model.kinds.print is None else pl.lit(True)
    mirrored = _is_unknown("original") & ~path.str.contains(_PRINT_LAST)
    exact = certain | _is_version("original") | mirrored
    near = (_is_version("near") | (_is_unknown("near") & certain)) & (
        certain | path.str.contains(_PRINT_FIRST)
    )
    found = found.with_columns(
        original=pl.when(exact).then("original"), near=pl.when(near).then("near")
    ).with_columns(original=pl.coalesce("original", "near"))
    return _rows(found.lazy().filter(certain | pl.col("original").is_not_null()), "print")


#: Where a part of an address is called so that is the last one, and the first.
_PRINT_LAST = r"(^|/)print(/|\.html?)?$"
_PRINT_FIRST = r"^(/[a-z]{2}(-[a-z]{2})?)?/print/"
#: How titles of versions to print go on, or begin, beside that of the page.
_TO_PRINT = r"print|druck|impr|stamp|afdruk|utskrift|udskriv|tulost|wydruk|tisk|печат|印刷"
#: What titles end with, which mostly is the name of the site.
_LAST_PART = r"\s+[-–—|·:»]\s+[^–—|·:»]*$"
#: What tells whether two pages say the same, or are called the same.
_COMPARED = ("fingerprint", "heading", "title")
_CALLED = ("heading", "title")


def _beside(found: pl.DataFrame, table: pl.LazyFrame, *others: str) -> pl.DataFrame:
    """Pages with what they say beside them (`heading`), and beside that what others say whose
    addresses stand in the columns `others` (`heading of original`)."""
    locs = pl.concat(found[name] for name in ("loc", *others)).drop_nulls().unique()
    called = [pl.col(name).str.strip_chars().str.to_lowercase() for name in _CALLED]
    asked = table.filter(pl.col("loc").is_in(locs.implode())).select("loc", "fingerprint", *called)
    known = asked.collect(engine="streaming").unique("loc")
    found = found.join(known, on="loc", how="left")
    for name in others:
        theirs = known.rename({one: f"{one} of {name}" for one in _COMPARED})
        found = found.join(theirs.rename({"loc": name}), on=name, how="left")
    return found


def _same(name: str, other: str) -> pl.Expr:
    """Whether both pages have the same there; null where it is not known of both."""
    return pl.col(name) == pl.col(f"{name} of {other}")


def _says_the_same(other: str) -> pl.Expr:
    return _same("fingerprint", other).fill_null(False)


def _is_called_the_same(other: str) -> pl.Expr:
    """Whether all is the same that two pages are called: one title, or one heading of the site,
    may stand on all pages."""
    same = [_same(name, other) for name in _CALLED]
    known = ~pl.all_horizontal(one.is_null() for one in same)
    return known & pl.all_horizontal(one.fill_null(True) for one in same)


def _is_version(other: str) -> pl.Expr:
    """Whether a page is a version to print of another by what both say or are called."""
    return _says_the_same(other) | _is_called_the_same(other) | _is_called_to_print(other)


def _is_unknown(other: str) -> pl.Expr:
    """Whether nothing of two pages can be compared."""
    return pl.col(other).is_not_null() & pl.all_horizontal(
        _same(name, other).is_null() for name in _COMPARED
    )


def _is_called_to_print(other: str) -> pl.Expr:
    """Whether a page is called as the other one is, and to print: before it, a sign parts them."""
    found = pl.lit(False)
    names = [(pl.col(name), pl.col(f"{name} of {other}")) for name in _CALLED]
    names += [(mine.str.replace(_LAST_PART, ""), theirs.str.replace(_LAST_PART, ""))
              for mine, theirs in names]  # fmt: skip
    for mine, theirs in names:
        more = pl.when(mine.str.starts_with(theirs)).then(mine.str.strip_prefix(theirs))
        before = pl.when(mine.str.ends_with(theirs)).then(mine.str.strip_suffix(theirs))
        parted = before.str.contains(rf"(?:{_TO_PRINT}).*[^\w\s]\s*$")
        behind = more.str.contains(rf"^[\s(\[].*(?:{_TO_PRINT})")  # "fen.print" is another name
        found |= (behind | parted).fill_null(False)
    return found


#: Parameters that only say where a visitor comes from, which session is his, or how a list is
#: sorted and shown.
_OF_VISIT = (
    rf"^(?:{addresses.TRACKING}|_gl|referrer|source|from|campaign|sid|session_?id|php_?sess_?id"
    r"|jsession_?id|sort|sort_?by|order|order_?by|dir|direction|display|layout|limit|per_?page"
    r"|page_?size|amp|ver|version|cb|nocache|ts)?$"
)
#: Parameters that say which page is meant.
_OF_PAGE = (
    r"^(?:\w*id|page|p|post|article|art|cat|category|prod|product|item|node|view|action|option|task"
    r"|show|content|site|seite|topic|t|f|thread|story|news|entry|key|name|slug|path|file|do|module"
    r"|mod|route|section|doc|menu|tab|lang|language|l|hl)$"
)


def _with_query(table: pl.LazyFrame) -> pl.DataFrame:
    """Addresses with a query that repeat the page without it: they say the same, or are called the
    same and no parameter says which page is meant. Where nothing is known of either, those whose
    parameters are of a visit. (`?page=about` and `?page=shop` lead to two pages, even where the
    address without them leads to a third.)"""
    bare = pl.col("loc").str.replace(r"\?.*$", "")
    asked = table.select("loc").filter(pl.col("loc").str.contains("?", literal=True))
    candidates = asked.select("loc", original=bare).collect(engine="streaming")
    if not candidates.height:
        return _rows(candidates.lazy(), "query")
    there = table.select("loc").filter(
        pl.col("loc").is_in(candidates["original"].unique().implode())
    )
    known = there.collect(engine="streaming").rename({"loc": "original"})
    found = candidates.join(known, on="original", how="semi")
    if not found.height:
        return _rows(found.lazy(), "query")
    names = pl.col("loc").str.replace(r"^[^?]*\?", "").str.split("&").list.eval(
        pl.element().str.replace(r"=.*$", "").str.to_lowercase()
    )  # fmt: skip
    of_visit = names.list.eval(pl.element().str.contains(_OF_VISIT)).list.all()
    of_page = ~of_visit & names.list.eval(pl.element().str.contains(_OF_PAGE)).list.any()
    differs = pl.any_horizontal(~_same(name, "original").fill_null(True) for name in _CALLED)
    repeats = _says_the_same("original") | (
        (_is_called_the_same("original") & ~of_page) | (of_visit & ~differs)
    )
    return _rows(_beside(found, table, "original").lazy().filter(repeats), "query")


def _same_text(table: pl.LazyFrame, site: SiteFile, to_print: pl.Series) -> pl.DataFrame:
    """Pages with the same main text as another: all but one, which counts as the original: an
    article, else one that stands where its language belongs, else one in the language of the site,
    else the one with the shortest address. Pages that name a canonical have said what they
    are; a listing that shows an article in full makes the article no repetition. Texts that differ
    in their headings alone are the same where they are longer, and show the same pictures; links
    do not count for that: what pages say between them has to be the same."""
    pages = (
        table.filter(
            (pl.col("kind") == "page")
            & (pl.col("words") >= _LEAST_WORDS)
            & pl.col("fingerprint").is_not_null()
            & pl.col("redirect").is_null()
            & (pl.col("canonical").is_null() | (pl.col("canonical") == pl.col("loc")))
        )
        .with_columns(path_column(site))
        .filter(~pl.col("loc").is_in(to_print.implode()), ~lists_others(site))
        .select(
            "loc",
            "fingerprint",
            *_language_signs(table, site),
            article=is_kind("article", site),
            called=pl.when(_own_words() < _LEAST_WORDS).then("title"),
            text=pl.when(_own_words() >= _LEAST_WORDS_UNDER_TITLES).then("text_digest"),
            shown=pl.col("images").hash(),
        )
        .collect(engine="streaming")
    )
    ordered = pages.sort(
        ~pl.col("article").fill_null(False), "strange", "foreign", pl.col("loc").str.len_bytes(),
        "loc",
    )  # fmt: skip
    found = [
        _repeating(ordered, ["fingerprint", "called"]),
        _repeating(ordered.filter(pl.col("text").is_not_null()), ["text", "shown"]),
    ]
    return _rows(pl.concat(found).unique("loc", keep="first").lazy(), "content")


def _own_words() -> pl.Expr:
    """How many words a page has beside its links: columns of links that stand in its main content
    are the same on pages that say little else, and that are about different things."""
    return pl.col("words") - _LINK_WORDS * pl.col("entries").fill_null(0)


def _language_signs(table: pl.LazyFrame, site: SiteFile) -> list[pl.Expr]:
    """Whether a page is called `strange` in its language by the place where it stands, as texts are
    that nobody translated; and whether it stands among pages `foreign` to the main language."""
    strange = foreign = pl.lit(False)
    known = table.collect_schema()
    if "read_from" in known:
        strange = pl.col("read_from").str.contains(r"\blanguage=(?:place|host)\b").fill_null(False)
    if site.model.languages.are_placed:
        place = main_language(by_place(site)[0])
        if "language" in known:
            strange |= (main_language(pl.col("language")) != place).fill_null(False)
        if main := site.model.site.language:
            foreign = (place != main.partition("-")[0].lower()).fill_null(False)
    return [strange.alias("strange"), foreign.alias("foreign")]


def _repeating(ordered: pl.DataFrame, by: list[str]) -> pl.DataFrame:
    """The pages that are alike `by` some columns, but for the first of each, as `loc, original`."""
    alike = ordered.filter(pl.struct(by).is_duplicated())
    first = alike.unique(by, keep="first", maintain_order=True).select(*by, original="loc")
    found = alike.join(first, on=by, nulls_equal=True).select("loc", "original")
    return found.filter(pl.col("loc") != pl.col("original"))
