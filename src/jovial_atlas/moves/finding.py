"""Moves found by comparing pages that went with pages that are there: by their text, their names,
their pictures, what they called themselves; and the patterns that many of them have in common.

Evidence is added up as if each kind were right by chance of its own: with chances a and b that it
is the same page, 1 - (1 - a)(1 - b). A value that several pages share says as much less.
"""

from __future__ import annotations

from typing import NamedTuple

import msgspec
import polars as pl

from jovial_atlas.moves.shapes import PatternShape, shapes_of

#: Fields that say which thing a page is about, whatever its address.
IDENTIFIERS = ("id", "sku", "gtin", "isbn", "guid", "uid", "number", "key")


class _Evidence(NamedTuple):
    """A column in which the same value speaks for the same page: how much, and in words."""

    column: str
    weight: float
    words: str


_EVIDENCE = (
    _Evidence("own_id", 0.9, "the same {}"),
    _Evidence("bare", 0.9, "the same address but for its ending"),
    _Evidence("fingerprint", 0.9, "the same text"),
    _Evidence("text_digest", 0.8, "the same text under its heading"),
    _Evidence("title", 0.55, "the same title"),
    _Evidence("heading", 0.3, "the same heading"),
    _Evidence("description", 0.5, "the same description"),
    _Evidence("pictures", 0.4, "the same pictures"),
    _Evidence("slug", 0.4, "the same last part of the address"),
    _Evidence("published", 0.15, "published at the same time"),
)
#: Where the text is the same, its other digest says nothing more.
_SAID_BY = {"text_digest": "fingerprint"}
#: An old page that named the new one as the page that counts.
_NAMED = _Evidence("canonical", 0.9, "the old page named it as its canonical")
#: A value that more pages share says nothing.
_MOST_ALIKE = 5
#: How sure a page must be the same to be proposed; and what is left where another is nearly as
#: sure.
LEAST_SURE = 0.5
_NEARLY, _IN_DOUBT = 0.95, 0.8

#: What is kept of a page to know it again.
KNOWN_AGAIN = {
    "loc": pl.String, "fingerprint": pl.String, "text_digest": pl.String, "title": pl.String,
    "heading": pl.String, "description": pl.String, "canonical": pl.String,
    "published": pl.String, "pictures": pl.UInt64, "own_id": pl.String,
}  # fmt: skip


class FoundMove(msgspec.Struct, frozen=True):
    """A move that is proposed: an old address or pattern, the new one ("" where nothing like the
    page is there), how sure (0 to 1), why, and how many old addresses it covers, with some."""

    old: str
    to: str
    sure: float
    why: str
    covers: int = 1
    some: tuple[str, ...] = ()

    @property
    def is_pattern(self) -> bool:
        """Whether it is about many addresses."""
        return bool(self.some)


def known_again(schema: pl.Schema) -> list[pl.Expr]:
    """What `KNOWN_AGAIN` names, over the columns of a page table."""
    extra = schema.get("extra")
    named = {one.name for one in extra.fields} if isinstance(extra, pl.Struct) else set()
    own = [
        pl.concat_str(pl.lit(f"{name} "), pl.col("extra").struct.field(name).cast(pl.String))
        for name in IDENTIFIERS
        if name in named
    ]
    shown = pl.col("images").list.eval(pl.element().struct.field("loc")).list.sort()
    made = {
        "pictures": pl.when(pl.col("images").list.len() > 0).then(shown.hash(3)),
        "own_id": pl.coalesce(own) if own else pl.lit(None, pl.String),
    }
    return [
        made.get(name, pl.col(name) if name in schema else pl.lit(None)).cast(kind).alias(name)
        for name, kind in KNOWN_AGAIN.items()
    ]


def found_moves(gone: pl.DataFrame, here: pl.DataFrame) -> list[FoundMove]:
    """The moves of pages that went (`gone`) to pages that are there (`here`), both as
    `KNOWN_AGAIN`: patterns first, then single ones, then pages of which nothing is left; of each
    kind the surest first."""
    if not gone.height:
        return []
    scored = _pairs(gone, here)
    pairs = scored.filter(pl.col("sure") >= LEAST_SURE)
    accepted, covered = _patterns(pairs, gone["loc"], here["loc"])
    singles = pairs.filter(~pl.col("old").is_in(covered.implode()))
    left = gone.filter(
        ~pl.col("loc").is_in(covered.implode()), ~pl.col("loc").is_in(singles["old"].implode())
    )
    moves = [
        FoundMove(old, new, round(sure, 2), why)
        for old, new, sure, why in singles.select("old", "new", "sure", "why").iter_rows()
    ]
    moves.sort(key=lambda one: (-one.sure, one.old))
    unsure = {old: (new, sure) for old, new, sure in
              scored.filter(pl.col("old").is_in(left["loc"].implode()))
              .select("old", "new", "sure").iter_rows()}  # fmt: skip
    nothing = (FoundMove(old, "", 0.5, _left_of(unsure.get(old))) for old in left["loc"].sort())
    return [*accepted, *moves, *nothing]


def _left_of(like: tuple[str, float] | None) -> str:
    """Why nothing is proposed for a page that went."""
    if like is None:
        return "nothing like it is left"
    return f"nothing is surely the same; most like it is {like[0]} ({like[1]:.0%})"


def _bare() -> pl.Expr:
    """An address without its ending; null where it is the root or has a query."""
    bare = pl.col("loc").str.replace(r"(?i)(?:/index)?\.(?:x?html?|php|aspx?|jsp)$", "")
    bare = bare.str.strip_chars_end("/")
    says = bare.str.contains(r"^https?://[^/]+/[^?]+$")
    return pl.when(says).then(bare).alias("bare")


def _slug() -> pl.Expr:
    """The last part of a path without its ending, where it says something."""
    path = pl.col("loc").str.replace(r"^https?://[^/]*", "").str.replace(r"\?.*$", "")
    bare = path.str.replace(r"(?i)(?:/index)?\.[a-z0-9]{1,5}$", "").str.strip_chars_end("/")
    last = bare.str.extract(r"([^/]+)$").str.to_lowercase()
    return pl.when(last.str.contains(r"[^0-9]"), last.str.len_bytes() > 2).then(last).alias("slug")


def _pairs(gone: pl.DataFrame, here: pl.DataFrame) -> pl.DataFrame:
    """Of each page that went the one that is most surely the same: `old, new, sure, why`."""
    gone, here = (one.with_columns(_slug(), _bare()) for one in (gone, here))
    found = [_alike(gone, here, one) for one in _EVIDENCE]
    found.append(_named(gone, here))
    evidence = pl.concat(found)
    for column, better in _SAID_BY.items():
        same = evidence.filter(pl.col("column") == better).select("old", "new")
        less = evidence.filter(pl.col("column") == column).join(same, on=["old", "new"], how="anti")
        evidence = pl.concat([evidence.filter(pl.col("column") != column), less])
    scored = (
        evidence.sort("weight", descending=True, maintain_order=True)
        .group_by("old", "new", maintain_order=True)
        .agg(sure=1 - (1 - pl.col("weight")).product(), why=pl.col("words").str.join(", "))
    )
    alike = pl.Series(_ADDRESS * _alike_addresses(scored["old"], scored["new"]))
    scored = scored.with_columns(sure=1 - (1 - pl.col("sure")) * (1 - alike)).sort(
        ["old", "sure", "new"], descending=[False, True, False]
    )
    best = scored.group_by("old", maintain_order=True).agg(
        pl.col("new").first(), pl.col("sure").first(), pl.col("why").first(),
        second=pl.col("sure").slice(1, 1).first().fill_null(0.0),
    )  # fmt: skip
    doubt = pl.col("second") > pl.col("sure") * _NEARLY
    return best.with_columns(
        sure=pl.when(doubt).then(pl.col("sure") * _IN_DOUBT).otherwise("sure"),
        why=pl.when(doubt)
        .then(pl.col("why") + "; another page is as much like it")
        .otherwise("why"),
    )


#: What an address that is spelled almost the same says, beside other evidence; and from which part
#: of its letters on it is almost the same.
_ADDRESS, _LETTERS = 0.3, 0.6


def _alike_addresses(old: pl.Series, new: pl.Series) -> pl.Series:
    """How much the last parts of addresses are alike, 0 to 1, pair by pair."""
    last = [one.str.strip_chars_end("/").str.extract(r"([^/]*)$").to_list() for one in (old, new)]
    # Loaded where pages went: most rounds have none.
    from rapidfuzz import fuzz, process

    ratio = pl.Series(process.cpdist(*last, scorer=fuzz.ratio), dtype=pl.Float64) / 100
    return ((ratio - _LETTERS) / (1 - _LETTERS)).clip(0, 1)


_PAIR = {"old": pl.String, "new": pl.String, "weight": pl.Float64, "column": pl.String,
         "words": pl.String}  # fmt: skip


def _alike(gone: pl.DataFrame, here: pl.DataFrame, one: _Evidence) -> pl.DataFrame:
    """The pairs that share a value, each with what that is worth."""

    def counted(table: pl.DataFrame, name: str) -> pl.DataFrame:
        there = table.select(pl.col("loc").alias(name), value=one.column).drop_nulls()
        sizes = there.group_by("value").agg(pl.len().alias(f"{name}_count"))
        return there.join(sizes.filter(pl.col(f"{name}_count") <= _MOST_ALIKE), on="value")

    pairs = counted(gone, "old").join(counted(here, "new"), on="value")
    words = pl.lit(one.words)
    if "{}" in one.words:
        words = pl.lit("the same ") + pl.col("value").cast(pl.String)
    return pairs.filter(pl.col("old") != pl.col("new")).select(
        "old", "new",
        weight=one.weight / pl.max_horizontal("old_count", "new_count").sqrt(),
        column=pl.lit(one.column),
        words=words,
    ).cast(_PAIR)  # type: ignore[arg-type]  # fmt: skip


def _named(gone: pl.DataFrame, here: pl.DataFrame) -> pl.DataFrame:
    named = gone.filter(pl.col("canonical") != pl.col("loc")).select(old="loc", new="canonical")
    return named.join(here.select(new="loc"), on="new", how="semi").select(
        "old", "new", weight=pl.lit(_NAMED.weight), column=pl.lit(_NAMED.column),
        words=pl.lit(_NAMED.words),
    ).cast(_PAIR)  # type: ignore[arg-type]  # fmt: skip


#: So many pairs must have a pattern in common, and so large a part of all that went under it.
_LEAST_PAIRS, _LEAST_SHARE = 3, 0.8
#: Pairs that are looked at for patterns, and patterns that are tried.
_SAMPLE, _TRIED = 20_000, 40


def _patterns(
    pairs: pl.DataFrame, gone: pl.Series, here: pl.Series
) -> tuple[list[FoundMove], pl.Series]:
    """The patterns that many moves have in common, and the old addresses that they lead right."""
    covered = pl.Series("old", [], pl.String)
    accepted: list[FoundMove] = []
    some = pairs.sort("old").gather_every(max(1, pairs.height // _SAMPLE))
    shapes = shapes_of(some.select("old", "new").iter_rows(), _LEAST_PAIRS, _TRIED)
    left = gone
    for shape in shapes:
        fitting = left.filter(left.str.contains(shape.regex))
        if fitting.len() < _LEAST_PAIRS or here.str.contains(shape.regex).any():
            continue
        led = _led(fitting, shape, pairs, here)
        right = led.filter(pl.col("right"))
        if right.height < _LEAST_PAIRS or right.height < _LEAST_SHARE * led.height:
            continue
        sure = right["sure"].mean()
        assert isinstance(sure, float)
        accepted.append(_as_move(shape, right["old"], led.height, sure))
        covered = pl.concat([covered, right["old"]])
        left = left.filter(~left.is_in(covered.implode()))
    return accepted, covered


def _led(
    fitting: pl.Series, shape: PatternShape, pairs: pl.DataFrame, here: pl.Series
) -> pl.DataFrame:
    """The addresses under a pattern with whether it leads them `right`: to a page that is there,
    and to no other than that which is most like it."""
    table = pl.DataFrame({"old": fitting})
    table = table.with_columns(to=pl.col("old").str.replace(shape.regex, shape.replacement))
    table = table.join(pairs.select("old", "new", "sure"), on="old", how="left")
    there = pl.col("to").is_in(here.implode())
    same = pl.col("new").is_null() | (pl.col("new") == pl.col("to"))
    # Where a page is there just where the pattern leads, that speaks for it too.
    found = 1 - (1 - pl.col("sure").fill_null(0.6)) * 0.3
    return table.with_columns(right=there & same, sure=found)


def _as_move(shape: PatternShape, right: pl.Series, fitting: int, sure: float) -> FoundMove:
    some = tuple(right.sort().head(3))
    count = right.len()
    why = f"{shape.words}; {count:,} of {fitting:,} pages that went are there again"
    return FoundMove(shape.pattern, shape.target, round(min(sure, 0.99), 2), why, count, some)
