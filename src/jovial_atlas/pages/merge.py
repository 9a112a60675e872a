"""Rows of several sources that share an address, as one row each.

The first row stays; rows of other sources fill its gaps, or win where their source says so. Rows of
one source never overrule each other.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

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


@dataclass(slots=True)
class MergedRows:
    """One row an address, and the faults met."""

    rows: pl.DataFrame
    faults: list[Fault] = field(default_factory=list)


def merge(rows: pl.DataFrame, winners: Sequence[str]) -> MergedRows:
    """Rows of which each address stands more than once, merged in their order. `winners` names the
    sources whose values replace earlier ones. What was merged stands in the column `merged`."""
    for name in ("path", "merged"):
        if name not in rows.columns:
            rows = rows.with_columns(pl.lit(None, schema.SCHEMA[name]).alias(name))
    new = rows["loc"].is_first_distinct()
    first, later = rows.filter(new), rows.filter(~new)
    later = later.join(first.select("loc", _by="source"), on="loc", maintain_order="left")
    again = later.filter(pl.col("source") == pl.col("_by")).drop("_by")
    others = later.filter(pl.col("source") != pl.col("_by")).drop("_by")
    notes = []
    for _ in range(_MOST):
        if not others.height:
            break
        new = others["loc"].is_first_distinct()
        first, said = _with_others(first, others.filter(new), winners)
        others = others.filter(~new)
        notes.append(said)
    faults = [*_told(first, again), *_left_out(others)]
    return MergedRows(_with_notes(first, notes).select(rows.columns), faults)


def _is_empty(column: pl.Expr, kind: pl.DataType) -> pl.Expr:
    if isinstance(kind, pl.List):
        return column.is_null() | (column.list.len() == 0)
    return column.is_null() | (column == "") if kind == pl.String else column.is_null()


def _with_others(
    first: pl.DataFrame, others: pl.DataFrame, winners: Sequence[str]
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The first rows with what at most one other row of each address says; and what that was."""
    beside = others.rename({name: f"{_OTHER}{name}" for name in others.columns if name != "loc"})
    joined = first.join(beside, on="loc", how="left", maintain_order="left").with_row_index("_row")
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
    more = said.group_by("_row", maintain_order=True).agg(_more=pl.struct(*_NOTE))
    numbered = first.with_row_index("_row")
    joined = numbered.join(more, on="_row", how="left", maintain_order="left").drop("_row")
    if first["merged"].null_count() == first.height:
        return joined.with_columns(merged="_more").drop("_more")
    none = pl.lit(pl.Series([[]], dtype=schema.SCHEMA["merged"]))
    whole = pl.concat_list(*(pl.coalesce(name, none) for name in ("merged", "_more")))
    return joined.with_columns(merged=pl.when(whole.list.len() > 0).then(whole)).drop("_more")


def _told(first: pl.DataFrame, again: pl.DataFrame) -> Iterator[Fault]:
    """What is told of rows whose address their own source gave before."""
    if not again.height:
        return
    told = again.head(_TOLD).join(
        first.select("loc", kept="path"), on="loc", how="left", maintain_order="left"
    )
    for loc, path, source, kept in told.select("loc", "path", "source", "kept").iter_rows():
        message = f"{loc} is also the address of {kept or 'an earlier row'}, which is kept."
        yield Fault("address-twice", path or source, message)
    if again.height > _TOLD:
        more = f"{again.height - _TOLD:,} more rows have addresses of earlier ones, which are kept."
        yield Fault("address-twice", again["source"][0], more)


def _left_out(others: pl.DataFrame) -> Iterator[Fault]:
    """What is told of rows that are merged into nothing."""
    if others.height:
        said = f"{plural(others.height, 'row')} left out: {_MOST} others have the same address."
        yield Fault("address-twice", others["source"][0], said)
