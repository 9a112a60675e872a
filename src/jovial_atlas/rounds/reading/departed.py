"""Pages that went: their dates, by which they are known if they come again, and by what they are
known again at another address."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

import polars as pl

from jovial_atlas import dates
from jovial_atlas.errors import OutputError
from jovial_atlas.moves.finding import KNOWN_AGAIN, known_again
from jovial_atlas.pages import snapshot
from jovial_atlas.rounds.state.names import DEPARTED, PAGE_TABLE
from jovial_atlas.rules.own import page_says
from jovial_atlas.sitefile import SiteFile

#: So many pages that went are remembered, the last first.
_DEPARTED = 1_000_000


#: By what a page is known again, and its date.
DATED = ("loc", "fingerprint", "digest", "lastmod", "lastmod_from")
#: When it was seen to be gone, and whether it was a page that visitors could find.
_WENT = {"went": pl.String, "findable": pl.Boolean}


def departed_now(
    site: SiteFile, before: pl.LazyFrame | None, after: pl.LazyFrame, now: datetime
) -> pl.DataFrame | None:
    """The pages that went, now or earlier, and are not back: `DATED`, `KNOWN_AGAIN`, when they were
    seen to be gone (`went`) and whether they were `findable`; None where there are none."""
    had = departed_before(site)
    if before is None and had is None:
        return None
    frames = []
    if before is not None:
        gone = before.join(after.select("loc"), on="loc", how="anti")
        dated = [name for name in DATED if name not in KNOWN_AGAIN]
        kept = known_again(gone.collect_schema())
        when = pl.lit(dates.write(now)).alias("went")
        frames.append(gone.select(*kept, *dated, when, findable().alias("findable")))
    if had is not None:
        frames.append(had.join(after.select("loc"), on="loc", how="anti"))
    # A file of an older version has fewer columns.
    went = pl.concat(frames, how="diagonal_relaxed")
    return went.unique("loc", keep="first", maintain_order=True).head(_DEPARTED).collect()


def findable() -> pl.Expr:
    """Whether a row of the page table is a page of its own that visitors could find: it answers,
    sends nobody on, repeats no other and may be indexed by its own word."""
    answers = pl.col("status").is_null() | (pl.col("status") == 200)
    kinds = pl.col("kind").is_null() | pl.col("kind").is_in(["page", "document", "frames"])
    own = pl.col("redirect").is_null() & pl.col("variant").is_null()
    return answers & kinds & own & ~page_says("noindex").fill_null(False)


def departed_before(site: SiteFile) -> pl.LazyFrame | None:
    """The pages that had gone by the last survey, as `departed_now`; None where none are known."""
    try:
        return snapshot.scan(site.shared_state / DEPARTED)
    except OutputError:
        return None  # it is only good for what comes again


def departed_pages(site: SiteFile) -> pl.DataFrame:
    """The findable pages that had gone by the last survey: `KNOWN_AGAIN` and `went`."""
    kept = {**KNOWN_AGAIN, **_WENT}
    table = departed_before(site)
    if table is None or "findable" not in table.collect_schema():
        return pl.DataFrame(schema=kept).drop("findable")
    known = table.collect_schema()
    columns = [
        (pl.col(name) if name in known else pl.lit(None)).cast(kind).alias(name)
        for name, kind in kept.items()
    ]
    return table.select(columns).filter("findable").drop("findable").collect()


def remember_departed(site: SiteFile, locs: Sequence[str], now: datetime) -> int:
    """Remember addresses of which nothing else is known as pages that went, where there is no page.
    Gives how many they are. Raises OutputError."""
    pages = snapshot.scan(site.shared_state / PAGE_TABLE)
    fresh = pl.DataFrame({"loc": pl.Series(list(dict.fromkeys(locs)), dtype=pl.String)})
    if pages is not None:
        fresh = fresh.join(pages.select("loc").collect(), on="loc", how="anti")
    had = departed_before(site)
    before = had.collect() if had is not None else pl.DataFrame(schema={"loc": pl.String})
    new = fresh.join(before, on="loc", how="anti")
    if new.height:
        went = new.with_columns(went=pl.lit(dates.write(now)), findable=pl.lit(True))
        whole = pl.concat([before, went], how="diagonal_relaxed")
        whole = whole.with_columns(pl.col("findable").fill_null(False))
        snapshot.save(whole, site.shared_state / DEPARTED)
    return fresh.height
