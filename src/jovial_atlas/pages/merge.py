"""Rows of several sources that share an address, as one row each.

The first row stays; rows of other sources fill its gaps, or win where their source says so. Rows of
one source never overrule each other.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import polars as pl

from jovial_atlas.faults import Fault, plural
from jovial_atlas.pages import schema

#: Columns that are about the file or row itself and are never merged.
_OWN = {"loc", "source", "path", "merged", "mtime", "digest", "bytes", schema.EXTRA}
#: Rows of other sources that are merged into one page; more of them are left out, and told.
_MOST = 50
#: Faults that are told one by one; the rest is counted.
_TOLD = 100
#: Letters of a value that are kept to show what was merged.
_SHOWN = 300
#: Stands before the names of what the other row says.
_OTHER = "other "
_NOTE = {
    one.name: one.dtype
    for kind in [schema.SCHEMA["merged"]]
    if isinstance(kind, pl.List) and isinstance(kind.inner, pl.Struct)
    for one in kind.inner.fields
}


class Repeats:
    """What is told of rows whose address stands more than once, over all rows that are merged."""

    def __init__(self) -> None:
        self._told: list[Fault] = []
        self._again: Counter[str] = Counter()
        self._left: Counter[str] = Counter()

    def of_one_source(self, first: pl.DataFrame, again: pl.DataFrame) -> None:
        """Rows whose address their own source gave before."""
        if not again.height:
            return
        self._again.update(dict(again["source"].value_counts().iter_rows()))
        told = again.head(_TOLD - len(self._told))
        told = told.join(
            first.select("loc", kept="path"), on="loc", how="left", maintain_order="left"
        )
        for loc, path, source, kept in told.select("loc", "path", "source", "kept").iter_rows():
            other = "an earlier row" if kept in (None, path) else kept
            message = f"{loc} is also the address of {other}, which is kept."
            self._told.append(Fault("address-twice", path or source, message))

    def left_out(self, others: pl.DataFrame) -> None:
        """Rows that are merged into nothing."""
        if others.height:
            self._left[others["source"][0]] += others.height

    @property
    def faults(self) -> list[Fault]:
        """All that is told, totals before single rows."""
        many = self._again if self._again.total() > len(self._told) else {}
        rows = "rows have addresses of earlier ones, which are kept."
        left = f"left out: {_MOST} others have the same address."
        return [
            *(Fault("address-twice", of, f"{count:,} {rows}") for of, count in many.items()),
            *self._told,
            *(
                Fault("address-twice", of, f"{plural(count, 'row')} {left}")
                for of, count in self._left.items()
            ),
        ]


def merge(rows: pl.DataFrame, winners: Sequence[str], told: Repeats) -> pl.DataFrame:
    """Rows of which addresses stand more than once, merged in their order into one row an address.
    `winners` names the sources whose values replace earlier ones. What was merged stands in the
    column `merged`, which there must be, as `path`."""
    # Addresses are compared once; from here on rows are told by the numbers of the first ones.
    numbered = rows.select("loc").with_row_index("n")
    begun = numbered.select(pl.col("n").first().over("loc")).to_series()
    new = begun == numbered["n"]
    of = (new.cum_sum() - 1)[begun.filter(~new)]
    return merge_into(rows.filter(new), rows.filter(~new), of, winners, told)


def merge_into(
    first: pl.DataFrame, later: pl.DataFrame, of: pl.Series, winners: Sequence[str], told: Repeats
) -> pl.DataFrame:
    """As `merge`, where the `first` rows are known, and of each `later` row the place `of` the one
    with its address."""
    columns = first.columns
    same = later["source"] == first["source"][of]
    if same.any():
        told.of_one_source(first, later.filter(same))
        later, of = later.filter(~same), of.filter(~same)
    notes = []
    for _ in range(_MOST):
        if not later.height:
            break
        new = of.is_first_distinct()
        beside = _beside(first.height, later.filter(new), of.filter(new))
        first, said = _with_others(first, beside, winners)
        later, of = later.filter(~new), of.filter(~new)
        notes.append(said)
    told.left_out(later)
    return _with_notes(first, notes).select(columns)


def _beside(height: int, others: pl.DataFrame, of: pl.Series) -> pl.DataFrame:
    """Rows in the places `of` a table of so many rows, each in one of its own, with nulls in all
    other places."""
    named = others.drop("loc").rename(lambda name: f"{_OTHER}{name}")
    return named if named.height == height and of.is_sorted() else named[_places(height, of)]


def _places(height: int, of: pl.Series) -> pl.Series:
    """For each of so many rows where its number stands in `of`, or null."""
    none = pl.repeat(None, height, dtype=pl.UInt32, eager=True)
    return none.scatter(of, pl.int_range(of.len(), dtype=pl.UInt32, eager=True))


def _is_empty(column: pl.Expr, kind: pl.DataType) -> pl.Expr:
    if isinstance(kind, pl.List):
        return column.is_null() | (column.list.len() == 0)
    return column.is_null() | (column == "") if kind == pl.String else column.is_null()


def _with_others(
    first: pl.DataFrame, beside: pl.DataFrame, winners: Sequence[str]
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The first rows with what at most one other row of each address says, which stands `beside`
    them; and what that was."""
    joined = pl.concat([first, beside], how="horizontal").with_row_index("_row")
    source = pl.col(f"{_OTHER}source")
    wins = source.is_in(list(winners)).fill_null(False)
    changed, notes = [], []
    for name, kind in first.schema.items():
        mine, theirs = pl.col(name), pl.col(f"{_OTHER}{name}")
        if name == schema.EXTRA and isinstance(kind, pl.Struct):
            changed.append(_extra(kind, wins))
        if name in _OWN or not joined[f"{_OTHER}{name}"].count():
            continue
        said = ~_is_empty(theirs, kind) & theirs.ne_missing(mine)
        used = wins | _is_empty(mine, kind)
        changed.append(pl.when(said & used).then(theirs).otherwise(mine).alias(name))
        found = joined.filter(said).select("_row", value=theirs, source=source, used=used)
        if found.height:
            value = _shown(found["value"])
            notes.append(found.with_columns(value, pl.lit(name).alias("column")))
    kept = joined.with_columns(changed).select(first.columns)
    none = pl.DataFrame(schema={"_row": pl.UInt32, **_NOTE})
    return kept, pl.concat([none, *(one.select(none.columns) for one in notes)])


def _extra(kind: pl.Struct, wins: pl.Expr) -> pl.Expr:
    fields = []
    for one in kind.fields:
        mine = pl.col(schema.EXTRA).struct.field(one.name)
        theirs = pl.col(f"{_OTHER}{schema.EXTRA}").struct.field(one.name)
        whole = pl.when(wins).then(pl.coalesce(theirs, mine)).otherwise(pl.coalesce(mine, theirs))
        fields.append(whole.alias(one.name))
    return pl.struct(fields).alias(schema.EXTRA)


#: A sign that is written otherwise where a list is shown.
_TOLD_OTHERWISE = r"[^ -&(-\[\]-~]"


def _shown(values: pl.Series) -> pl.Series:
    """Values as texts: of lists as Python shows them."""
    if values.dtype == pl.String:
        return values.str.slice(0, _SHOWN)
    if values.dtype != pl.List(pl.String):
        return _one_by_one(values)
    # Nearly all are plain: what only exists value by value is done for the others alone.
    sign = pl.element().str.contains(_TOLD_OTHERWISE).fill_null(True)
    plain = ~values.list.eval(sign).list.any() & (values.list.len() > 0)
    told = pl.select("['" + pl.lit(values).list.join("', '") + "']").to_series()
    if not plain.all():
        told = told.set(~plain, None).scatter(
            plain.not_().arg_true(), _one_by_one(values.filter(~plain))
        )
    return told.str.slice(0, _SHOWN).alias("value")


def _one_by_one(values: pl.Series) -> pl.Series:
    return pl.Series("value", [str(one)[:_SHOWN] for one in values.to_list()], pl.String)


def _with_notes(first: pl.DataFrame, notes: Sequence[pl.DataFrame]) -> pl.DataFrame:
    """The rows with notes, which name them by their numbers."""
    said = pl.concat([pl.DataFrame(schema={"_row": pl.UInt32, **_NOTE}), *notes])
    if not said.height:
        return first
    # Rows that stand beside each other are put together three times as fast.
    said = said.sort("_row", maintain_order=True).with_columns(pl.col("_row").set_sorted())
    more = said.group_by("_row", maintain_order=True).agg(_more=pl.struct(*_NOTE))
    joined = first.with_columns(more["_more"][_places(first.height, more["_row"])])
    if first["merged"].null_count() == first.height:
        return joined.with_columns(merged="_more").drop("_more")
    none = pl.lit(pl.Series([[]], dtype=schema.SCHEMA["merged"]))
    whole = pl.concat_list(*(pl.coalesce(name, none) for name in ("merged", "_more")))
    return joined.with_columns(merged=pl.when(whole.list.len() > 0).then(whole)).drop("_more")
