"""One survey: batches from all sources become one page table, and what changed is told.

The sources are handed in as iterables of batches; nothing is opened here.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import polars as pl

from jovial_atlas.faults import Fault, plural
from jovial_atlas.pages import schema


@dataclass(slots=True)
class Batch:
    """Some pages of a source: rows by the columns of `schema`, and the faults met on the way."""

    rows: list[dict[str, Any]] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Changes:
    """Addresses that came, changed or went since the survey before, each sorted."""

    added: list[str]
    changed: list[str]
    removed: list[str]


def collect(batches: Iterable[Batch]) -> tuple[pl.DataFrame, list[Fault]]:
    """The page table, sorted by address, one row an address; and all faults.

    Where two files have one address, the first in path order stays; the other is a fault.
    """
    tables = [schema.empty()]
    faults: list[Fault] = []
    for batch in batches:
        tables.append(schema.table(batch.rows))
        faults += batch.faults
    pages = pl.concat(tables).sort("loc", "path", maintain_order=True)
    twice = pages.filter(pl.col("loc").is_first_distinct().not_())
    pages = pages.unique("loc", keep="first", maintain_order=True)
    kept = dict(
        pages.join(twice.select("loc"), on="loc", how="semi").select("loc", "path").iter_rows()
    )
    faults += [
        Fault("address-twice", path, f"{loc} is also the address of {kept[loc]}, which is kept.")
        for loc, path in twice.select("loc", "path").iter_rows()
    ]
    return pages, faults


def compare(before: pl.DataFrame | None, after: pl.DataFrame) -> Changes:
    """What changed between two page tables; without an earlier one everything is new."""
    if before is None:
        return Changes(after["loc"].to_list(), [], [])
    old = before.select("loc", _mark(before).alias("mark"))
    new = after.select("loc", _mark(after).alias("mark"))
    both = new.join(old, on="loc", how="inner", suffix="_before")
    return Changes(
        added=new.join(old, on="loc", how="anti")["loc"].sort().to_list(),
        changed=both.filter(pl.col("mark") != pl.col("mark_before"))["loc"].sort().to_list(),
        removed=old.join(new, on="loc", how="anti")["loc"].sort().to_list(),
    )


def _mark(pages: pl.DataFrame) -> pl.Expr:
    known = [name for name in schema.CHANGE_COLUMNS if name in pages.columns]
    values = [pl.col(name).cast(pl.String).fill_null("\x01") for name in known]
    return pl.concat_str(values, separator="\x00")


def describe(changes: Changes) -> str:
    """`3 added, 1 changed, 0 removed`."""
    return (
        f"{plural(len(changes.added), 'page')} added, "
        f"{len(changes.changed):,} changed, {len(changes.removed):,} removed"
    )
