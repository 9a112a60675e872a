"""Dates that no page says itself do not move by themselves: a file's own time, or that of a
server's answer, counts only where the content is another one than in the survey before."""

from __future__ import annotations

import polars as pl

_COLUMNS = ("loc", "fingerprint", "digest", "lastmod", "lastmod_from")


class KeptDates:
    """The dates of the survey before, from a table `loc, fingerprint, digest, lastmod,
    lastmod_from`; `by_content` says that the main content of a page tells whether it changed."""

    def __init__(self, before: pl.LazyFrame | None, *, by_content: bool) -> None:
        self._before = before
        self._by_content = by_content
        self._held: pl.DataFrame | None = None

    def kept(self, table: pl.DataFrame) -> pl.DataFrame:
        """Pages of this survey with their dates. A file's own date says nothing where its bytes
        are as they were, however they are read now: other settings and another version of this
        tool change no page. Nor does it, by content, where the main content is: a rebuild touches
        every file, a new footer changes every page, and neither is news."""
        if self._before is None or not table.height:
            return table
        if self._held is None:
            names = {name: f"had {name}" for name in _COLUMNS[1:]}
            held = self._before.select(_COLUMNS).rename(names).collect(engine="streaming")
            self._held = held.unique("loc", keep="last", maintain_order=True)
        joined = table.join(
            self._held.with_columns(_had=True), on="loc", how="left", maintain_order="left"
        )
        weak = pl.col("_had").fill_null(False) & (pl.col("lastmod_from") == "file")
        same = (pl.col("had digest") == pl.col("digest")).fill_null(False)
        if self._by_content:
            same |= pl.col("had fingerprint").eq_missing(pl.col("fingerprint"))
        kept = weak & same & (pl.col("had lastmod").fill_null("") != "")
        other = pl.lit("fingerprint") if self._by_content else pl.col("lastmod_from")
        return joined.with_columns(
            lastmod=pl.when(kept).then("had lastmod").otherwise("lastmod"),
            lastmod_from=pl.when(kept)
            .then("had lastmod_from")
            .when(weak)
            .then(other)
            .otherwise("lastmod_from"),
        ).select(table.columns)
