"""Whether a build would take so much out of the sitemaps that it is refused."""

from __future__ import annotations

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.errors import LossError
from jovial_atlas.pages.keys import key_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.loss import check_build, counted, losses_of
from jovial_atlas.rounds.state.record import BuildRecord, memories

#: Layers of the site file by their names: what they take out was decided by the owner.
_DECIDED = r"^(rule|section|policy) |^(site|overrides file|robots\.txt)$"
_EXAMPLES = 5


def refusal(
    survey: LastSurvey, record: BuildRecord, had: pl.DataFrame, lost: pl.DataFrame
) -> LossError | None:
    """Why a build is refused that would take `lost` of the `had` addresses out of the sitemaps
    (both with `key, kind`, as the `record` of the build before numbers kinds); None where it
    may go on."""
    site = survey.site
    if not lost.height or site.model.site.stage != "live":
        return None
    names = pl.Series(record.kinds, dtype=pl.String)
    before, gone = (t.select("key", section=names.gather(t["kind"])) for t in (had, lost))
    if not losses_of(site, counted(before, ("section",)), counted(gone, ("section",))):
        return None
    there = survey.lazy.select("reason", "decided_by", key=key_of(pl.col("loc")))
    still = there.join(gone.lazy().select("key"), on="key", how="semi").collect(engine="streaming")
    if lost.height < had.height:
        # What the site file says was decided, and is told by the build; it is no accident.
        meant = still.filter(pl.col("decided_by").str.contains(_DECIDED))
        gone, still = (table.join(meant, on="key", how="anti") for table in (gone, still))
    reasons = still.group_by("reason").len().sort("len", "reason", descending=[True, True])
    tables = [file.memory for file in record.files.values() if file.memory]
    listed = memories(site, tables).select("loc", key=key_of(pl.col("loc")))
    locs = listed.join(gone.select("key"), on="key", how="semi")["loc"].sort().head(_EXAMPLES)
    paths = [addresses.path_and_query(loc) for loc in locs]
    try:
        check_build(site, before, gone, list(reasons.iter_rows()), paths)
    except LossError as error:
        return error
    return None
