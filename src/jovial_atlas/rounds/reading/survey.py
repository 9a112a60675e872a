"""One survey of a site: all its sources into the page table, kept in the state folder."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from typing import Any

import polars as pl

from jovial_atlas import dates
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.files import move_into_place, temporary_name
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.pages.changes import Changes
from jovial_atlas.pages.survey import compare
from jovial_atlas.rounds.reading.all_sources import (
    SurveyOptions,
    read_sources,
    reading_key,
)
from jovial_atlas.rounds.reading.begun import Begun, begin_survey
from jovial_atlas.rounds.reading.departed import departed_now
from jovial_atlas.rounds.reading.read_pages import any_read
from jovial_atlas.rounds.reading.unchanged import noted
from jovial_atlas.rounds.reading.variants import find_variants, variant_signs
from jovial_atlas.rounds.reading.video_files import look_at_videos
from jovial_atlas.rounds.reading.whole_site import as_content, section_counts
from jovial_atlas.rounds.state.crawled_copies import forget_copies
from jovial_atlas.rounds.state.hiding import hides_first, public_robots
from jovial_atlas.rounds.state.last_survey import filled_at, stored_pages
from jovial_atlas.rounds.state.layout import Layout
from jovial_atlas.rounds.state.loss import check_survey
from jovial_atlas.rounds.state.names import DEPARTED, PAGE_TABLE
from jovial_atlas.rounds.state.stake import Stake, at_stake
from jovial_atlas.rounds.state.survey_record import SurveyRecord, read_survey_record
from jovial_atlas.rounds.state.survey_result import SectionCount, Survey
from jovial_atlas.rounds.state.traffic import rests_on_traffic, traffic_spans, with_traffic
from jovial_atlas.rules import decide, rests_on_time
from jovial_atlas.rules.doubts import doubts_of
from jovial_atlas.rules.hiding import first_word, shown_of, whole_site
from jovial_atlas.rules.page_kinds import SIGNS, signs_in
from jovial_atlas.sitefile import CrawlSource, SiteFile
from jovial_atlas.sources.settings import name_of
from jovial_atlas.values import replace
from jovial_atlas.web import Client


def run_survey(
    site: SiteFile,
    now: datetime,
    client: Client,
    options: SurveyOptions | None = None,
    begun: Begun | None = None,
) -> Survey:
    """Read all sources, compare with the survey before, and keep the result. It may have `begun`
    before all that it needs was loaded, at the same time and as full as here.

    A source that breaks is a fault; its pages of the survey before are kept. Raises
    ContentError where nothing at all could be read, OutputError, SiteFileError where a
    rule cannot be applied, and, unless told to accept it, LossError where much of what was
    listed would be lost: then nothing of it is kept.
    """
    options = options or SurveyOptions()
    target = site.state / PAGE_TABLE
    beside = temporary_name(target.parent)
    before, record = stored_pages(target), _record_of(site)
    begun = begun or begin_survey(site, now, full=options.full)
    delivered, faults, broken = read_sources(site, before, record, beside, client, options, begun)
    try:
        table = schema.complete(delivered)
        signs = signs_in(table, site, variant_signs(site))
        known = None if options.full else record
        after, layout, more, links = _completed(delivered, beside, site, client, now, signs, known)
        filled = filled_at(beside, signs)
        decided = decide(*_beside(after, site, now, filled))
        sections, rows = section_counts(decided, site, filled)
        changes = compare(before, after)
        may_lose = not options.accept and _may_lose(site, record, sections, changes)
        if before is not None and may_lose:
            causes = [*map(str, broken), *_empty(site, after, broken)]
            _refuse_loss(site, now, before, record, decided, causes)
        shows = any(one.videos for one in sections)
        lasting = not shows and _is_lasting(after, site, now, filled)
        departed = departed_now(site, before, after, now) if changes.moves else None
        hidden = "" if site.model.host else _said_first(site, rows, after)
        told = [*faults, *more], hidden, layout, doubts_of(rows)
        pages, lost = sum(one.pages for one in sections), _lost_stake(site, before, after, changes)
        survey = Survey(dates.write(now), pages, sections, changes, *told, lost)
        with options.swapping():
            if departed is not None:
                snapshot.save(departed, site.state / DEPARTED)
            move_into_place(beside, target)
            _keep_record(site, survey, begun if lasting else None, signs, links)
    finally:
        with suppress(OSError):
            beside.unlink(missing_ok=True)
    return replace(survey, hidden=hides_first(site, now)) if site.model.host else survey


def _beside(
    pages: pl.LazyFrame, site: SiteFile, now: datetime, filled: frozenset[str]
) -> tuple[pl.LazyFrame, SiteFile, datetime, frozenset[str]]:
    """What pages are decided by: with the figures of what people click."""
    known, there = with_traffic(pages, site, filled)
    return known, site, now, there


def _lost_stake(
    site: SiteFile, before: pl.LazyFrame | None, after: pl.LazyFrame, changes: Changes
) -> Stake | None:
    """What the pages that went were clicked; None where none went, or nothing is known."""
    if before is None or not changes.removed or not traffic_spans(site).filled:
        return None
    gone = before.select("loc").join(after.select("loc"), on="loc", how="anti")
    return at_stake(site, gone.collect(engine="streaming")["loc"])


def _forget_copies(site: SiteFile) -> None:
    names = [name_of(one) for one in site.model.source if isinstance(one, CrawlSource)]
    pages = stored_pages(site.state / PAGE_TABLE) if names else None
    if pages is not None:
        crawled = pages.filter(pl.col("source").is_in(names))
        digests = crawled.select("digest").collect(engine="streaming")["digest"]
        forget_copies(site, frozenset(digests.drop_nulls()))


def _said_first(site: SiteFile, rows: list[dict[str, Any]], after: pl.LazyFrame) -> str:
    return first_word(whole_site(site, shown_of(rows), public_robots(site), after))


def _keep_record(
    site: SiteFile, survey: Survey, lasting: Begun | None, signs: Sequence[str], links: str
) -> None:
    """Keep what a survey said; what it rests on, where nothing but files could change it; and of
    crawled pages only the copies that are still those of pages."""
    unchanged = None
    if lasting and lasting.inputs:
        table = site.state / PAGE_TABLE
        unchanged = noted(lasting.inputs, lasting.mark, table, survey.sections, survey.hidden)
    record = SurveyRecord(
        unchanged=unchanged,
        at=survey.at,
        keys={name_of(source): reading_key(source, site) for source in site.model.source},
        noted=list(signs),
        listed={section.name: section.listed for section in survey.sections},
        renamed=list(survey.changes.renamed),
        layout=survey.layout,
        doubts=survey.doubts,
        links=links,
        told=[(fault.code, fault.where, fault.message) for fault in survey.faults],
    )
    record.keep(site.state)
    _forget_copies(site)


def _record_of(site: SiteFile) -> SurveyRecord | None:
    """What the survey before said; None where that cannot be read."""
    try:
        return read_survey_record(site.state)
    except (OSError, ValueError):
        return None


def _signs_before(record: SurveyRecord | None) -> Sequence[str]:
    """The signs of kinds of page that the survey before noted; all, where it noted none."""
    return SIGNS if record is None or record.noted is None else record.noted


def _may_lose(
    site: SiteFile, record: SurveyRecord | None, sections: Sequence[SectionCount], changes: Changes
) -> bool:
    """Whether so many pages went, or are not listed any longer, that it is worth looking closely:
    that takes as long as deciding about all pages once more."""
    loss = site.model.loss
    least = min(loss.pages, loss.section_pages, loss.source_pages)
    if changes.removed >= least or record is None:
        return True
    now = {section.name: section.listed for section in sections}
    drops = [count - now.get(name, 0) for name, count in record.listed.items()]
    return any(drop >= least for drop in drops) or not any(now.values())


def _refuse_loss(
    site: SiteFile,
    now: datetime,
    before: pl.LazyFrame,
    record: SurveyRecord | None,
    decided: pl.LazyFrame,
    causes: list[str],
) -> None:
    """Raises LossError where too much of what was listed is not any more."""
    filled = filled_at(site.state / PAGE_TABLE, _signs_before(record))
    had = decide(*_beside(before, site, now, filled))
    check_survey(site, had, decided, causes)


def _empty(site: SiteFile, after: pl.LazyFrame, broken: Sequence[ContentError]) -> Iterator[str]:
    """Sources that gave no page at all, in words; those that broke say more themselves."""
    if broken:
        return
    there = set(after.select(pl.col("source").unique()).collect(engine="streaming")["source"])
    for source in site.model.source:
        if (name := name_of(source)) not in there:
            yield f"the source {name} gave no page."


def _is_lasting(table: pl.LazyFrame, site: SiteFile, now: datetime, filled: frozenset[str]) -> bool:
    """Whether nothing but the files of a survey could change what it says, where no page shows
    videos: those may lie in other files, or with services that are asked again. Pages may expire.
    """
    asked = {
        "expires": pl.col("expires").is_not_null().any(),
        "directives": pl.col("directives").str.contains("unavailable_after", literal=True).any(),
    }
    asked = {name: any_ for name, any_ in asked.items() if name in filled}
    there = table.select(**asked).collect(engine="streaming").to_dicts()[0] if asked else {}
    missing = {name for name, any_ in there.items() if not any_}
    if rests_on_traffic(site):
        return False
    return not rests_on_time(site, now, table, filled - missing)


def _completed(
    delivered: pl.LazyFrame,
    path: Path,
    site: SiteFile,
    client: Client,
    now: datetime,
    signs: Sequence[str],
    record: SurveyRecord | None,
) -> tuple[pl.LazyFrame, Layout, list[Fault], str]:
    """The page table with what takes all of it: without what is layout, with which pages repeat
    others, and what their videos are; with that layout, faults met, and a mark of what figures of
    links rest on. `record` is that of the survey before, None where all is looked at anew. The
    table is saved at `path`; a large one that is there already, and has none of these, is left as
    it is. Raises OutputError."""
    delivered, filled, layout = as_content(delivered, site, now, record)
    table = schema.complete(delivered)
    looked, links = None, ""
    tables = [find_variants(table, filled, site, signs)]
    if "videos" in filled:
        looked = look_at_videos(table, site, client, now, anew=record is None)
        tables.append(looked.media)
    if "links" in filled:
        # Sites without links need not wait for the libraries of graphs.
        from jovial_atlas.rounds.reading.links import link_figures

        figures, links = link_figures(delivered, site, path, record.links if record else "")
        tables.append(figures)
    filled_tables = [one for one in tables if one.height]
    whole = delivered
    if filled_tables:
        names = [*(name for name in filled if name not in schema.WORKED_OUT)]
        whole = table.drop(name for one in filled_tables for name in one.columns if name != "loc")
        for one in filled_tables:
            whole = whole.join(one.lazy(), on="loc", how="left", maintain_order="left")
            names += [name for name in one.columns if name != "loc"]
        whole = whole.select(names)
    faults = looked.faults if looked else []
    if not path.exists():
        saved = whole.collect()
        snapshot.save(saved, path, alike=True)
        return schema.complete(saved.lazy()), layout, faults, links
    if filled_tables or layout or site.model.languages.are_placed or any_read(filled):
        beside = temporary_name(path.parent)
        snapshot.sink(whole, beside)
        move_into_place(beside, path)
    after = stored_pages(path)
    assert after is not None
    return after, layout, faults, links
