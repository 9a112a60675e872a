"""Which rows of the page table are pages that were read themselves, whatever source gave them: from
a folder, a server, or a record that carries its page."""

from __future__ import annotations

from collections.abc import Collection

import polars as pl


def any_read(columns: Collection[str]) -> bool:
    """Whether a table with these columns may have such rows."""
    return "digest" in columns


def was_read() -> pl.Expr:
    """Whether a row is such a page."""
    return pl.col("digest").is_not_null() & (pl.col("kind") == "page")
