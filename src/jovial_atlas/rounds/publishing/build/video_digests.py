"""A number for all that a sitemap says of the videos of a page, by which it is seen whether any of
it is another than at the build before."""

from __future__ import annotations

from functools import reduce
from operator import add

import polars as pl

#: What starts the hashes of values that are no field of a video.
_LOC, _LASTMOD, _PLACE, _VIDEO = 6, 7, 8, 9
#: What starts that of the first field; each has its own.
_FIELDS = 100


def video_digests(pages: pl.DataFrame) -> pl.Series:
    """The digest of each page of a table `loc, lastmod, videos` (lists of structs, none empty).

    A field that is null counts for nothing: what no video has need not be looked at, and the
    digests of others stay as they are where one is the first to have it."""
    counts = pages["videos"].list.len()
    rows = pages.select(pl.int_range(pl.len()).alias("row"), "videos").explode("videos")
    place = pl.int_range(pl.len()) - (counts.cum_sum() - counts).gather(rows["row"])
    videos = rows["videos"].struct.unnest()
    fields = [
        pl.when(pl.col(one.name).is_not_null()).then(pl.col(one.name).hash(_FIELDS + number))
        for number, one in enumerate(videos)
        if one.null_count() < one.len()
    ]
    said = reduce(add, (one.otherwise(pl.lit(0, pl.UInt64)) for one in fields), place.hash(_PLACE))
    digests = rows.select("row", digest=videos.select(said.hash(_VIDEO)).to_series())
    if digests.height != pages.height:
        digests = digests.group_by("row", maintain_order=True).agg(pl.col("digest").sum())
    page = pl.col("loc").hash(_LOC) + pl.col("lastmod").hash(_LASTMOD)
    return (pages.select(page).to_series() + digests["digest"]).alias("digest")
