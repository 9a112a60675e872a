"""Keys of addresses: what large tables are joined and remembered by instead of the addresses."""

from __future__ import annotations

import polars as pl


def key_of(loc: pl.Expr) -> pl.Expr:
    """The 64-bit key of an address. It is good for one version of the library that makes it."""
    return loc.hash(1)


def keys_of(locs: pl.Series) -> pl.Series:
    """The keys of addresses."""
    return locs.to_frame("loc").select(key_of(pl.col("loc"))).to_series()
