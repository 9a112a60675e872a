"""The guard against loss: whether a survey, a build or an announcement would lose so much of what
was listed before that it is refused until the owner says that it is meant.

Most of such losses are no decisions: a content folder that is empty or mistyped, a build of the
site that broke off, a template that says noindex. What is counted are addresses, so that a change
of all of them counts as a loss as well.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.errors import Loss, LossError
from jovial_atlas.faults import plural
from jovial_atlas.rounds.state.stake import at_stake, stake_in_words
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.model import Losing

Doing = Literal["survey", "build", "announcement"]
#: Addresses that are named, and causes that are told, at most.
_EXAMPLES, _CAUSES = 5, 4


def counts_as_loss(limits: Losing, part: str, had: int, lost: int) -> bool:
    """Whether losing so many addresses of a part (site, engine, section, source) is refused."""
    whole = part in ("site", "engine")
    if whole and limits.share <= 1 and had and lost == had:
        return True
    name = "" if whole else f"{part}_"
    share, least = getattr(limits, f"{name}share"), getattr(limits, f"{name}pages")
    return bool(had) and lost >= least and lost >= share * had


def losses_of(
    site: SiteFile, had: Mapping[tuple[str, str], int], lost: Mapping[tuple[str, str], int]
) -> list[Loss]:
    """What of this is refused, the whole site first; counts by part and name."""
    return [
        Loss(*key, had[key], lost[key])
        for key in sorted(lost, key=lambda key: (key[0] != "site", -lost[key], key))
        if counts_as_loss(site.model.loss, key[0], had[key], lost[key])
    ]


def counted(table: pl.DataFrame, parts: Sequence[str]) -> dict[tuple[str, str], int]:
    """Rows in all, under ("site", ""), and by the names in columns that are called like parts."""
    counts = {("site", ""): table.height}
    for part in parts:
        for name, count in table.group_by(part).len().iter_rows():
            counts[part, str(name)] = count
    return counts


def check_survey(
    site: SiteFile, before: pl.LazyFrame, after: pl.LazyFrame, troubles: Sequence[str]
) -> None:
    """Raise LossError where a survey would lose much of what was listed. Both tables have
    verdicts, of the site file of now; `troubles` are sources that could not be read, in words."""
    key = pl.col("loc").hash().alias("key")
    had = before.filter("listed").select(key, "section", "source").collect(engine="streaming")
    listed = after.filter("listed").select(key).collect(engine="streaming")
    lost = had.join(listed, on="key", how="anti")
    parts = ("section", "source")
    losses = losses_of(site, counted(had, parts), counted(lost, parts))
    if not losses:
        return
    went = before.with_columns(key).join(lost.lazy().select("key"), on="key", how="semi")
    locs = went.select("loc").sort("loc").collect(engine="streaming")
    there = after.select("loc", "reason").join(locs.lazy(), on="loc", how="semi")
    some = there.collect(engine="streaming")
    gone = locs.join(some, on="loc", how="anti")
    causes = [*troubles]
    causes += _reasons(some)
    moved = _moved(before, after, gone)
    if moved:
        causes.append(
            f"{plural(moved, 'page')} of the same content came under another address: a folder was "
            "renamed, or `url`, `at` or `addresses` in the site file are others than before."
        )
    if gone.height > moved and not troubles:
        causes.append(
            f"{plural(gone.height - moved, 'page is', 'pages are')} not there any longer. Was the "
            "site built to the end, and is it the right folder?"
        )
    stake = stake_in_words(at_stake(site, locs["loc"]), site.model.site.url)
    raise LossError("survey", losses, causes[:_CAUSES], _paths(locs["loc"]), stake)


def _reasons(unlisted: pl.DataFrame) -> Iterator[str]:
    """Why pages that are there are not listed any longer."""
    counts = unlisted.group_by("reason").len().sort(["len", "reason"], descending=[True, False])
    for reason, count in counts.iter_rows():
        yield f"{plural(count, 'page is', 'pages are')} there, but {reason}."


def _moved(before: pl.LazyFrame, after: pl.LazyFrame, gone: pl.DataFrame) -> int:
    """How many pages that went came with the same content under another address."""
    if not gone.height:
        return 0
    went = before.join(gone.lazy().select("loc"), on="loc", how="semi").select("fingerprint")
    came = after.join(before.select("loc"), on="loc", how="anti").select("fingerprint")
    found = went.drop_nulls().unique().join(came.drop_nulls().unique(), on="fingerprint")
    return int(found.select(pl.len()).collect(engine="streaming").item())


def check_build(
    site: SiteFile,
    had: pl.DataFrame,
    lost: pl.DataFrame,
    reasons: Sequence[tuple[str, int]],
    examples: Sequence[str],
) -> None:
    """Raise LossError where a build would take much of what is public out of the sitemaps. `had`
    and `lost` have a row an address with its `section`; `reasons` says why, with counts, as far
    as pages are still there."""
    losses = losses_of(site, counted(had, ("section",)), counted(lost, ("section",)))
    if losses:
        causes = [
            f"{plural(count, 'page is', 'pages are')} there, but {reason}."
            for reason, count in reasons
        ]
        missing = lost.height - sum(count for _, count in reasons)
        if missing > 0:
            causes.append(f"{plural(missing, 'page is', 'pages are')} not in the last survey.")
        raise LossError("build", losses, causes[:_CAUSES], list(examples[:_EXAMPLES]))


def refuse_announcement(losses: Sequence[Loss], examples: Sequence[str]) -> None:
    """Raise LossError for announcements that are refused, if there are any."""
    if losses:
        cause = (
            "the last build lists much less than the engine was told of. "
            "See `jovial-atlas survey` and `jovial-atlas build`."
        )
        raise LossError("announcement", list(losses), [cause], _shown(examples))


def _paths(locs: pl.Series) -> list[str]:
    return _shown(locs.head(_EXAMPLES).to_list())


def _shown(locs: Sequence[str]) -> list[str]:
    return [addresses.path_and_query(loc) for loc in locs[:_EXAMPLES]]
