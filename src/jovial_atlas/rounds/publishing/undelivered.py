"""Whether what was decided about heads of pages reaches the pages: head data that was injected and
is older than the decisions, and a noindex that nothing delivers."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.faults import Fault, plural
from jovial_atlas.markup import mark_of
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.publishing.build.versions import versions_by_page
from jovial_atlas.rounds.publishing.inject import tags_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rules.own import page_says
from jovial_atlas.sitefile import HtmlSource
from jovial_atlas.sources.settings import name_of


def undelivered(survey: LastSurvey) -> Iterator[Fault]:
    """What was decided and does not stand in the pages."""
    yield from _noindex(survey)
    if "injected" in survey.filled and survey.constant.get("injected", "") is not None:
        yield from _stale(survey)


def _noindex(survey: LastSurvey) -> Iterator[Fault]:
    """Pages that may not be indexed, of which neither page nor injected tag says so. Pages whose
    system takes heads from fragments are taken to be served with them."""
    if survey.site.model.head.fragments:
        return
    hidden = survey.lazy.filter(~pl.col("index"))
    if "kind" in survey.filled:
        hidden = hidden.filter(pl.col("kind").is_in(["page", "frames"]))
    said = page_says("noindex") if "directives" in survey.filled else pl.lit(False)
    mute = hidden.filter(~said, pl.col("injected").is_null(), pl.col("redirect").is_null())
    locs = mute.select("loc").collect(engine="streaming")["loc"].sort()
    if locs.len():
        pages = plural(locs.len(), "page")
        yield Fault(
            "noindex-undelivered",
            locs[0],
            f"The site file keeps {pages} out of the index, and nothing on them says so: "
            f"{_some(locs)}.",
        )


def _stale(survey: LastSurvey) -> Iterator[Fault]:
    """Pages with injected head data that is not what would be injected now, and pages without any
    beside them."""
    site = survey.site
    built = [name_of(one) for one in site.model.source if isinstance(one, HtmlSource)]
    pages = survey.lazy.filter(
        pl.col("source").is_in(built), pl.col("kind").is_in(["page", "error"])
    )
    some = pages.filter(pl.col("injected").is_not_null()).collect(engine="streaming")
    if not some.height:
        return
    bare = pages.filter(pl.col("injected").is_null()).select("loc")
    without = bare.collect(engine="streaming")["loc"].sort()
    versions = versions_by_page(survey)
    old = pl.Series(
        [page.loc for page in pages_of(some) if _differs(page, survey, versions)],
        dtype=pl.String,
    ).sort()
    parts = []
    if old.len():
        has = "holds" if old.len() == 1 else "hold"
        parts.append(f"{plural(old.len(), 'page')} {has} head data older than the decisions")
    if without.len():
        has = "has" if without.len() == 1 else "have"
        parts.append(f"{plural(without.len(), 'page')} {has} none")
    if parts:
        locs = pl.concat([old, without])
        yield Fault("head-stale", str(locs[0]), f"{', and '.join(parts)}: {_some(locs)}.")


def _differs(
    page: Page,
    survey: LastSurvey,
    versions: Mapping[str, Sequence[Mapping[str, str]]],
) -> bool:
    return mark_of(tags_of(page, survey, versions)) != page.injected


def _some(locs: pl.Series, most: int = 3) -> str:
    paths = [addresses.path_and_query(loc) for loc in locs.head(most)]
    return ", ".join(paths) + (f" and {locs.len() - most:,} more" if locs.len() > most else "")
