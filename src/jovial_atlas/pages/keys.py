"""Keys of addresses: what large tables are joined and remembered by instead of the addresses."""

from __future__ import annotations

import polars as pl


def key_of(loc: pl.Expr) -> pl.Expr:
    """The 64-bit key of an address. It is good for one version of the library that makes it."""
    return loc.hash(1)


def keys_of(locs: pl.Series) -> pl.Series:
    """The keys of addresses."""
    return locs.to_frame("loc").select(key_of(pl.col("loc"))).to_series()


def places_in(ordered: pl.Series, keys: pl.Series) -> pl.Series:
    """Where keys stand among others, which are in order: their places, null for those that are not
    there. Far faster than a join where the others are many."""
    if not ordered.len():
        return pl.repeat(None, keys.len(), dtype=pl.UInt32, eager=True)
    at = ordered.search_sorted(keys).clip(upper_bound=ordered.len() - 1)
    return pl.select(pl.when(ordered[at] == keys).then(at)).to_series()
