"""Character data and elements of XML as expressions over whole columns."""

from __future__ import annotations

import polars as pl

# What XML 1.0 §2.2 does not allow in a document at all.
_FORBIDDEN = "[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]"
_SPECIAL = f"[&<>\"'{_FORBIDDEN[1:]}"


def escaped(text: pl.Expr) -> pl.Expr:
    """Text as XML character data: the five entities, forbidden characters dropped."""
    return text.map_batches(_escaped, return_dtype=pl.String, is_elementwise=True)


def _escaped(values: pl.Series) -> pl.Series:
    if not values.str.contains(_SPECIAL).any():
        return values
    return values.str.replace_all(_FORBIDDEN, "").str.replace_many(
        ["&", "<", ">", '"', "'"], ["&amp;", "&lt;", "&gt;", "&quot;", "&apos;"]
    )


def element(name: str, value: pl.Expr, indent: str) -> pl.Expr:
    """`<name>value</name>` on a line of its own, nothing where the value is null. The value
    is escaped already."""
    line = pl.concat_str(pl.lit(f"{indent}<{name}>"), value, pl.lit(f"</{name}>\n"))
    return line.fill_null("")
