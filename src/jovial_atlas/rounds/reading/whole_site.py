"""What the whole site says of its pages, and what its pages are."""

from __future__ import annotations

from collections.abc import Collection
from contextlib import suppress
from datetime import datetime
from typing import Any

import polars as pl

from jovial_atlas.faults import Fault
from jovial_atlas.files import temporary_name
from jovial_atlas.pages import schema
from jovial_atlas.pages.doubt import Doubt
from jovial_atlas.rounds.reading.all_sources import SurveyOptions, read_sources
from jovial_atlas.rounds.reading.begun import begin_survey
from jovial_atlas.rounds.reading.detected import with_detected
from jovial_atlas.rounds.reading.feeds import with_feeds
from jovial_atlas.rounds.reading.layout import learned, without_layout
from jovial_atlas.rounds.reading.read_pages import any_read
from jovial_atlas.rounds.reading.variants import variant_signs
from jovial_atlas.rounds.state.last_survey import filled_in
from jovial_atlas.rounds.state.layout import Layout
from jovial_atlas.rounds.state.page_languages import with_languages
from jovial_atlas.rounds.state.survey_record import SurveyRecord
from jovial_atlas.rounds.state.survey_result import SectionCount
from jovial_atlas.rules import decide
from jovial_atlas.rules.doubts import doubting, doubts_of
from jovial_atlas.rules.hiding import counting
from jovial_atlas.rules.page_kinds import signs_in
from jovial_atlas.rules.selectors import path_column
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.web import Client


def as_content(
    delivered: pl.LazyFrame, site: SiteFile, now: datetime, record: SurveyRecord | None
) -> tuple[pl.LazyFrame, list[str], Layout]:
    """What sources delivered, with what the whole site says of its pages, and without its layout:
    the table, the columns that sources gave, and the layout."""
    if any_read(delivered.collect_schema()):
        # What no page says itself may be known from others.
        delivered = schema.complete(delivered)
    delivered = with_languages(delivered, site)
    filled = delivered.collect_schema().names()
    layout = learned(delivered, filled, site)
    if record:
        layout = record.layout.joined(layout)
    if layout:
        delivered = without_layout(delivered, filled, layout)
    return with_detected(with_feeds(delivered, site, now), site), filled, layout


def read_once(
    site: SiteFile, now: datetime, client: Client, options: SurveyOptions
) -> tuple[pl.DataFrame, list[Doubt], list[Fault]]:
    """The pages of all sources with what they are (`role`), as a survey would read them, kept
    nowhere and without looking at any video; kinds that are not sure, and faults. Raises
    ContentError where a source breaks."""
    begun = begin_survey(site, now)
    beside = temporary_name(site.state)
    try:
        delivered, faults, broken = read_sources(site, None, None, beside, client, options, begun)
        if broken:
            raise broken[0]
        read, _, _ = as_content(delivered, site, now, None)
        table = schema.complete(read)
        filled = filled_in(read, signs_in(table, site, variant_signs(site)))
        decided = decide(table, site, now, filled).collect()
        _, rows = section_counts(decided.lazy(), site, filled)
    finally:
        with suppress(OSError):
            beside.unlink(missing_ok=True)
    return decided, doubts_of(rows), faults


def section_counts(
    decided: pl.LazyFrame, site: SiteFile, have: Collection[str] = ()
) -> tuple[list[SectionCount], list[dict[str, Any]]]:
    """What each section holds, in the order of the site file; empty sections are there too. And
    what is counted to know whether the site hides itself, and of which kinds of page one cannot be
    sure, where the columns and signs that `have` names are there."""
    doubting_columns = doubting(site, have)
    if doubting_columns:
        decided = decided.with_columns(path_column(site))
    counted = {
        row["section"]: row
        for row in decided.group_by("section")
        .agg(
            pl.len().alias("pages"),
            pl.col("listed").sum().alias("listed"),
            pl.col("images").list.len().sum().alias("images"),
            pl.col("videos").list.len().sum().alias("videos"),
            *counting(site),
            *doubting_columns,
        )
        .collect(engine="streaming")
        .to_dicts()
    }
    names = [section.name for section in site.model.section]
    names += [name for name in sorted(counted) if name not in names]
    empty = {"pages": 0, "listed": 0, "images": 0, "videos": 0}
    sections = [
        SectionCount(name, **{key: int(counted.get(name, empty)[key] or 0) for key in empty})
        for name in names
    ]
    return sections, list(counted.values())
