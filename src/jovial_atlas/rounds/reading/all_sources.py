"""All sources of a site, as one table: what each delivers, and what of it is known already."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import nullcontext
from functools import partial
from pathlib import Path

import msgspec
import polars as pl

from jovial_atlas import __version__, addresses
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.files import digest
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.pages.gather import Batch, Gathering
from jovial_atlas.rounds.reading.begun import Begun
from jovial_atlas.rounds.reading.departed import DATED, departed_before
from jovial_atlas.rounds.reading.record_pages import RecordPages
from jovial_atlas.rounds.state.crawled_copies import keep_copy
from jovial_atlas.rounds.state.survey_record import SurveyRecord
from jovial_atlas.rounds.state.survey_result import Swapping
from jovial_atlas.sitefile import CrawlSource, HtmlSource, MarkdownSource, SiteFile, Source
from jovial_atlas.sources.kinds import Surroundings, open_source
from jovial_atlas.sources.records.columns import with_named_videos
from jovial_atlas.sources.settings import crawler_tokens, known_services, name_of
from jovial_atlas.sources.workers.html_folder import KnownFiles, Progress
from jovial_atlas.web import Client


class SurveyOptions(msgspec.Struct, frozen=True):
    """How a survey runs: what the environment holds (tokens, passwords); whether all files are
    read again (`full`), and whether it goes on where much of what was listed would be lost
    (`accept`). While its result is put in place of the one before, nobody may read that:
    `swapping` sees to it."""

    environment: Mapping[str, str] = msgspec.field(default_factory=dict)
    full: bool = False
    accept: bool = False
    progress: Progress | None = None
    swapping: Swapping = nullcontext


def read_sources(
    site: SiteFile,
    before: pl.LazyFrame | None,
    record: SurveyRecord | None,
    path: Path,
    client: Client,
    options: SurveyOptions,
    begun: Begun,
) -> tuple[pl.LazyFrame, list[Fault], list[ContentError]]:
    """What all sources deliver, as one table (a large one at `path`), with faults met and the
    errors of those that broke. Raises ContentError where nothing could be read."""
    memory = _remembered(site, before, record, options.full)
    identity = site.model.identity
    with (
        RecordPages(site, partial(reading_key, site=site), anew=options.full) as records,
        begun.readers as readers,
        Gathering(site.state) as gathering,
    ):
        around = Surroundings(
            site, begun.now, options.environment, client,
            lambda loc: addresses.identify(loc, identity.trailing_slash, identity.query),
            readers, records.of, begun.written, options.progress, partial(keep_copy, site),
        )  # fmt: skip
        failed = {
            name_of(source): error
            for source in site.model.source
            if (error := _gather(source, around, memory, gathering, before))
        }
        records.done({name_of(source) for source in site.model.source} - {*failed})
        broken = [*failed.values()]
        if len(broken) == len(site.model.source) and before is None:
            raise broken[0]
        winners = [name_of(s) for s in site.model.source if s.merge == "win"]
        return gathering.finish(path, winners), gathering.faults, broken


def _gather(
    source: Source,
    around: Surroundings,
    memory: dict[str, KnownFiles],
    gathering: Gathering,
    before: pl.LazyFrame | None,
) -> ContentError | None:
    """Take all batches of one source. Where it breaks, its pages of before stand instead."""
    name = name_of(source)
    gathering.begin()
    try:
        for batch in open_source(source, around, memory.get(name)):
            table = _identified(batch.table, around)
            if named := around.site.model.videos.fields:
                table = with_named_videos(table, named, known_services(around.site))
            same = batch.constant
            if source.section:
                table = table.with_columns(in_section=pl.lit(source.section))
                same = {**same, "in_section": source.section}
            gathering.add(Batch(table, batch.faults, batch.refuse, same))
    except (ContentError, ValueError, *snapshot.BROKEN) as error:
        gathering.forget()
        kept = before.filter(pl.col("source") == name).collect() if before is not None else None
        reason = f"{snapshot.said_of(error)} "
        if kept is not None and kept.height:
            gathering.add(Batch(kept))
            reason += f"{plural(kept.height, 'page')} of the survey before are kept."
        else:
            reason += "Nothing of it is in the page table."
        gathering.faults.append(Fault("source-broken", name, reason))
        told = isinstance(error, ContentError) and name in str(error)
        return ContentError(str(error) if told else f"{name}: {error}")
    return None


def _identified(
    table: pl.DataFrame | pl.LazyFrame, around: Surroundings
) -> pl.DataFrame | pl.LazyFrame:
    """Addresses in the one spelling that the site chose; nothing to do where it keeps all."""
    identity = around.site.model.identity
    if identity.trailing_slash == "keep" and identity.query == "keep":
        return table
    known = table.collect_schema()
    columns = [
        pl.col(name).map_elements(around.identify, return_dtype=pl.String)
        for name in ("loc", "canonical")
        if name in known
    ]
    return table.with_columns(columns)


def reading_key(source: Source, site: SiteFile) -> str:
    """What pages of a source depend on beside their files; another key means reading anew."""
    parts = [__version__, site.model.site.url, site.model.site.language, repr(source),
             repr(site.model.dates), repr(site.model.authors), repr(site.model.tags),
             repr(site.model.identity), repr(sorted(crawler_tokens(site))),
             repr(known_services(site)), repr(site.model.videos.fields),
             repr(any(section.schema_type for section in site.model.section))]  # fmt: skip
    return digest("\n".join(parts).encode())


def _remembered(
    site: SiteFile, before: pl.LazyFrame | None, record: SurveyRecord | None, full: bool
) -> dict[str, KnownFiles]:
    """What is known of each source: the dates of pages in any case; rows and faults of the survey
    before where they were read in the same way, and nothing is to be read in `full`."""
    if before is None:
        return {}
    departed = departed_before(site)
    frames = [before.select(DATED)]
    if departed is not None:
        # A file of an older version has no digests.
        there = departed.collect_schema()
        frames.append(departed.select(name for name in DATED if name in there))
    dated = pl.concat(frames, how="diagonal")
    known = {
        name_of(source): KnownFiles(dates=dated)
        for source in site.model.source
        if isinstance(source, HtmlSource | CrawlSource | MarkdownSource)
    }
    built = [source for source in site.model.source if isinstance(source, HtmlSource)]
    if full or record is None:
        return known
    faults: dict[str, list[Fault]] = {}
    for fault in record.faults:
        faults.setdefault(fault.where, []).append(fault)
    extra = schema.EXTRA in before.collect_schema()
    return known | {
        name_of(source): KnownFiles(
            before.filter(pl.col("source") == name_of(source))
            .select([*schema.SCHEMA, *([schema.EXTRA] if source.fields and extra else [])])
            .with_columns(pl.lit(None, schema.SCHEMA[n]).alias(n) for n in schema.WORKED_OUT)
            .collect(),
            faults,
            dated,
        )
        for source in built
        if record.keys.get(name_of(source)) == reading_key(source, site)
    }
