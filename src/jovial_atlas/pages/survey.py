"""Two surveys compared: what came, changed, went, or moved to another address."""

from __future__ import annotations

import polars as pl

from jovial_atlas.pages import schema
from jovial_atlas.pages.changes import Changes

#: So many addresses of a kind are kept to be shown; the counts are always whole.
SHOWN = 1_000


def compare(before: pl.LazyFrame | None, after: pl.LazyFrame) -> Changes:
    """What changed between two page tables; without an earlier one everything is new."""
    if before is None:
        first = after.select("loc").head(SHOWN).collect()["loc"].to_list()
        count = after.select(pl.len()).collect().item()
        return Changes(added=count, shown={"added": first})
    if (some := _changed_in_place(before, after)) is not None:
        shown_ = {"changed": _locs(after, some)} if some.len() else {}
        return Changes(changed=some.len(), shown=shown_)
    old, new = _marked(before), _marked(after)
    joined = new.join(old, on="h", how="full", suffix="_old", coalesce=True)
    states = joined.select(
        "h",
        state=pl.when(pl.col("m_old").is_null())
        .then(pl.lit("added"))
        .when(pl.col("m").is_null())
        .then(pl.lit("removed"))
        .when(pl.col("m") != pl.col("m_old"))
        .then(pl.lit("changed")),
    ).filter(pl.col("state").is_not_null())
    counts = dict(states["state"].value_counts().iter_rows())
    shown: dict[str, list[str]] = {}
    for state, table in (("added", after), ("changed", after), ("removed", before)):
        some = states.filter(pl.col("state") == state)["h"]
        shown[state] = _locs(table, some) if some.len() else []
    return Changes(
        counts.get("added", 0),
        counts.get("changed", 0),
        counts.get("removed", 0),
        shown,
        _renamed(before, after, states) if counts.get("removed") and counts.get("added") else [],
    )


#: Rows that are held against each other at once: a multiple of those that are written together.
_AT_ONCE = 32 * 128 * 1024


def _changed_in_place(before: pl.LazyFrame, after: pl.LazyFrame) -> pl.Series | None:
    """Digests of the addresses whose pages changed, where both tables have the same addresses in
    the same order, as they mostly do; None where they have not. Few rows are held at once."""
    count, other = (int(table.select(pl.len()).collect().item()) for table in (after, before))
    if count != other:
        return None
    found = [pl.Series("h", dtype=pl.UInt64)]
    for start in range(0, count, _AT_ONCE):
        old, new = (_marked(table.slice(start, _AT_ONCE)) for table in (before, after))
        if not (old["h"] == new["h"]).all():
            return None
        found.append(new["h"].filter(new["m"] != old["m"]))
    return pl.concat(found)


def _locs(table: pl.LazyFrame, hashes: pl.Series) -> list[str]:
    chosen = table.select("loc").filter(pl.col("loc").hash().is_in(hashes.implode())).head(SHOWN)
    return chosen.collect(engine="streaming")["loc"].sort().to_list()


def _marked(pages: pl.LazyFrame) -> pl.DataFrame:
    """Digests of address and content, so that ten million pages compare in little memory."""
    known = pages.collect_schema()
    mark = pl.lit(0, pl.UInt64)
    for number, name in enumerate(schema.CHANGE_COLUMNS):
        if name in known:
            # Each column with a seed of its own, so that values cannot change places unseen.
            mark = mark.xor(pl.col(name).hash(number))
    table = pages.select(pl.col("loc").hash().alias("h"), mark.alias("m"))
    return table.collect(engine="streaming")


def _renamed(
    before: pl.LazyFrame, after: pl.LazyFrame, states: pl.DataFrame
) -> list[tuple[str, str]]:
    """Pages that went and pages that came with the same fingerprint, where it is the only one."""

    def of(table: pl.LazyFrame, state: str) -> pl.DataFrame:
        hashes = states.filter(pl.col("state") == state)["h"]
        chosen = table.filter(
            pl.col("fingerprint").is_not_null() & pl.col("loc").hash().is_in(hashes.implode())
        )
        found = chosen.select("loc", "fingerprint").collect(engine="streaming")
        return found.filter(~pl.col("fingerprint").is_duplicated())

    pairs = of(before, "removed").join(of(after, "added"), on="fingerprint", suffix="_new")
    return [(old, new) for old, new in pairs.select("loc", "loc_new").sort("loc").iter_rows()]
