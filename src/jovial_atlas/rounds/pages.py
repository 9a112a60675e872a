"""Choosing pages from the decided page table."""

from __future__ import annotations

import polars as pl

from jovial_atlas import patterns
from jovial_atlas.errors import AtlasError
from jovial_atlas.rules.layers import path_column
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.model import REST


def select_pages(
    decided: pl.DataFrame,
    site: SiteFile,
    *,
    section: str | None = None,
    verdict: str | None = None,
    match: str | None = None,
    where: str | None = None,
) -> pl.DataFrame:
    """The pages for which every given condition holds. Raises AtlasError for a wrong one."""
    if section is not None:
        known = [*(one.name for one in site.model.section), REST]
        if section not in known:
            raise AtlasError(f"{section!r} is no section; there are {', '.join(known)}.")
        decided = decided.filter(pl.col("section") == section)
    if verdict is not None:
        decided = decided.filter(pl.col("verdict") == verdict)
    if match is not None:
        try:
            expression = patterns.to_regex(match)
        except ValueError as error:
            raise AtlasError(f"--match: {error}.") from None
        decided = decided.filter(decided.select(path_column())["_path"].str.contains(expression))
    if where is not None:
        try:
            decided = decided.filter(pl.sql_expr(where))
        except pl.exceptions.ColumnNotFoundError:
            columns = ", ".join(decided.columns)
            raise AtlasError(
                f"--where: {where!r} names a column that the page table does not have. "
                f"It has: {columns}."
            ) from None
        except pl.exceptions.PolarsError as error:
            raise AtlasError(
                f"--where: {where!r} is no SQL condition ({str(error).splitlines()[0]})."
            ) from None
    return decided
