"""The dates of pages that went, by which they are known if they come again."""

from __future__ import annotations

import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.pages import snapshot
from jovial_atlas.rounds.state.names import DEPARTED
from jovial_atlas.sitefile import SiteFile

#: So many pages that went are remembered.
_DEPARTED = 200_000


#: By what a page is known again, and its date.
DATED = ("loc", "fingerprint", "digest", "lastmod", "lastmod_from")


def departed_now(
    site: SiteFile, before: pl.LazyFrame | None, after: pl.LazyFrame
) -> pl.DataFrame | None:
    """The dates of pages that went, now or earlier, and are not back; None where there are none."""
    had = departed_before(site)
    if before is None and had is None:
        return None
    now = before.select(DATED) if before is not None else None
    frames = [one for one in (now, had) if one is not None]
    # A file of an older version has no digests.
    went = pl.concat(frames, how="diagonal").join(after.select("loc"), on="loc", how="anti")
    return went.unique("loc", keep="first", maintain_order=True).head(_DEPARTED).collect()


def departed_before(site: SiteFile) -> pl.LazyFrame | None:
    try:
        return snapshot.scan(site.state / DEPARTED)
    except OutputError:
        return None  # it is only good for dates of pages that come again
