"""One survey of a site: all its sources into the page table, kept in the state folder."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import nullcontext, suppress
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

import polars as pl

from jovial_atlas import __version__, addresses, dates
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.files import digest, move_into_place, temporary_name
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.pages.changes import Changes
from jovial_atlas.pages.gather import Batch, Gathering
from jovial_atlas.pages.survey import compare
from jovial_atlas.rounds.reading.begun import Begun, begin_survey
from jovial_atlas.rounds.reading.departed import DATED, departed_before, departed_now
from jovial_atlas.rounds.reading.detected import with_detected
from jovial_atlas.rounds.reading.feeds import with_feeds
from jovial_atlas.rounds.reading.layout import learned, without_layout
from jovial_atlas.rounds.reading.unchanged import noted
from jovial_atlas.rounds.reading.variants import find_variants, variant_signs
from jovial_atlas.rounds.reading.video_files import look_at_videos
from jovial_atlas.rounds.state.folder_languages import with_languages
from jovial_atlas.rounds.state.hiding import hides_first, public_robots
from jovial_atlas.rounds.state.last_survey import filled_in, stored_pages
from jovial_atlas.rounds.state.layout import Layout
from jovial_atlas.rounds.state.loss import check_survey
from jovial_atlas.rounds.state.names import DEPARTED, PAGE_TABLE
from jovial_atlas.rounds.state.survey_record import SurveyRecord, Unchanged, read_survey_record
from jovial_atlas.rounds.state.survey_result import SectionCount, Survey, Swapping
from jovial_atlas.rules import decide, rests_on_time
from jovial_atlas.rules.hiding import counting, first_word, shown_of, whole_site
from jovial_atlas.rules.page_kinds import SIGNS, signs_in
from jovial_atlas.sitefile import CrawlSource, HtmlSource, SiteFile, Source
from jovial_atlas.sources.kinds import Surroundings, open_source
from jovial_atlas.sources.records.columns import with_named_videos
from jovial_atlas.sources.settings import crawler_tokens, known_services, name_of
from jovial_atlas.sources.workers.html_folder import KnownFiles, Progress
from jovial_atlas.web import Client


@dataclass(frozen=True, slots=True)
class SurveyOptions:
    """How a survey runs: what the environment holds (tokens, passwords); whether all files are
    read again (`full`), and whether it goes on where much of what was listed would be lost
    (`accept`). While its result is put in place of the one before, nobody may read that:
    `swapping` sees to it."""

    environment: Mapping[str, str] = field(default_factory=dict)
    full: bool = False
    accept: bool = False
    progress: Progress | None = None
    swapping: Swapping = nullcontext


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
    delivered, faults, broken = _read_all(site, before, record, beside, client, options, begun)
    try:
        table = schema.complete(delivered)
        signs = signs_in(table, site, variant_signs(site))
        known = None if options.full else record
        after, layout, more = _completed(delivered, beside, site, client, now, signs, known)
        faults += more
        filled = filled_in(table, signs)
        decided = decide(after, site, now, filled)
        sections, rows = section_counts(decided, site)
        changes = compare(before, after)
        may_lose = not options.accept and _may_lose(site, record, sections, changes)
        if before is not None and may_lose:
            had = decide(before, site, now, filled_in(before, _signs_before(record)))
            check_survey(site, had, decided, [*map(str, broken), *_empty(site, after, broken)])
        rests = begun.inputs if _is_lasting(after, site, now, filled) else None
        departed = departed_now(site, before, after) if changes.removed or changes.added else None
        hidden, at = "" if site.model.host else _said_first(site, rows, after), dates.write(now)
        with options.swapping():
            if departed is not None:
                snapshot.save(departed, site.state / DEPARTED)
            move_into_place(beside, target)
            kept = noted(rests, begun.mark, target, sections, hidden) if rests else None
            _keep_record(site, at, kept, signs, sections, changes.renamed, faults, layout)
    finally:
        with suppress(OSError):
            beside.unlink(missing_ok=True)
    hidden = hides_first(site, now) if site.model.host else hidden
    count = sum(section.pages for section in sections)
    return Survey(at, count, sections, changes, faults, hidden, layout)


def _read_all(
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
    around = Surroundings(
        site, begun.now, options.environment, client,
        lambda loc: addresses.identify(loc, identity.trailing_slash, identity.query),
        begun.readers, begun.written, options.progress,
    )  # fmt: skip
    with around.readers, Gathering(site.state) as gathering:
        broken = [
            error
            for source in site.model.source
            if (error := _gather(source, around, memory, gathering, before))
        ]
        if len(broken) == len(site.model.source) and before is None:
            raise broken[0]
        winners = [name_of(s) for s in site.model.source if s.merge == "win"]
        return gathering.finish(path, winners), gathering.faults, broken


def _said_first(site: SiteFile, rows: list[dict[str, Any]], after: pl.LazyFrame) -> str:
    return first_word(whole_site(site, shown_of(rows), public_robots(site), after))


def _keep_record(
    site: SiteFile,
    at: str,
    unchanged: Unchanged | None,
    signs: Sequence[str],
    sections: Sequence[SectionCount],
    renamed: Sequence[tuple[str, str]],
    faults: Sequence[Fault],
    layout: Layout,
) -> None:
    record = SurveyRecord(
        unchanged=unchanged,
        at=at,
        keys={name_of(source): _key(source, site) for source in site.model.source},
        noted=list(signs),
        listed={section.name: section.listed for section in sections},
        renamed=list(renamed),
        layout=layout,
        told=[(fault.code, fault.where, fault.message) for fault in faults],
    )
    record.keep(site.state)


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


def _empty(site: SiteFile, after: pl.LazyFrame, broken: Sequence[ContentError]) -> Iterator[str]:
    """Sources that gave no page at all, in words; those that broke say more themselves."""
    if broken:
        return
    there = set(after.select(pl.col("source").unique()).collect(engine="streaming")["source"])
    for source in site.model.source:
        if (name := name_of(source)) not in there:
            yield f"the source {name} gave no page."


def _is_lasting(table: pl.LazyFrame, site: SiteFile, now: datetime, filled: frozenset[str]) -> bool:
    """Whether nothing but the files of a survey could change what it says. Videos may lie in
    other files, or with services that are asked again; pages may expire."""
    asked = {
        "videos": (pl.col("videos").list.len() > 0).any(),
        "expires": pl.col("expires").is_not_null().any(),
        "directives": pl.col("directives").str.contains("unavailable_after", literal=True).any(),
    }
    (there,) = table.select(**asked).collect(engine="streaming").to_dicts()
    missing = {name for name, any_ in there.items() if not any_}
    return not there["videos"] and not rests_on_time(site, now, table, filled - missing)


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
                same = (*same, "in_section")
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
        return error if isinstance(error, ContentError) else ContentError(f"{name}: {error}")
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


#: Columns that are worked out from the whole table, anew in each survey.
WORKED_OUT = ("variant", "variant_of", "media")


def _completed(
    delivered: pl.LazyFrame,
    path: Path,
    site: SiteFile,
    client: Client,
    now: datetime,
    signs: Sequence[str],
    record: SurveyRecord | None,
) -> tuple[pl.LazyFrame, Layout, list[Fault]]:
    """The page table with what takes all of it: without what is layout, with which pages repeat
    others, and what their videos are; with that layout and faults met. `record` is that of the
    survey before, None where all is looked at anew. The table is saved at `path`; a large one that
    is there already, and has none of these, is left as it is. Raises OutputError."""
    delivered = with_languages(delivered, site)
    filled = delivered.collect_schema().names()
    layout = learned(delivered, filled, site)
    if record:
        layout = record.layout.joined(layout)
    if layout:
        delivered = without_layout(delivered, filled, layout)
    delivered = with_detected(with_feeds(delivered, site, now), site)
    table = schema.complete(delivered)
    looked = None
    tables = [find_variants(table, filled, site, signs)]
    if "videos" in filled:
        looked = look_at_videos(table, site, client, now, anew=record is None)
        tables.append(looked.media)
    filled_tables = [one for one in tables if one.height]
    whole = delivered
    if filled_tables:
        names = [*(name for name in filled if name not in WORKED_OUT)]
        whole = table.drop(name for one in filled_tables for name in one.columns if name != "loc")
        for one in filled_tables:
            whole = whole.join(one.lazy(), on="loc", how="left", maintain_order="left")
            names += [name for name in one.columns if name != "loc"]
        whole = whole.select(names)
    faults = looked.faults if looked else []
    if not path.exists():
        saved = whole.collect()
        snapshot.save(saved, path)
        return schema.complete(saved.lazy()), layout, faults
    if filled_tables or layout or site.model.languages.folders or _reads_html(site):
        beside = temporary_name(path.parent)
        snapshot.sink(whole, beside)
        move_into_place(beside, path)
    after = stored_pages(path)
    assert after is not None
    return after, layout, faults


def _reads_html(site: SiteFile) -> bool:
    """Whether pages are read, of which the whole site says more than each says itself."""
    return any(isinstance(source, HtmlSource | CrawlSource) for source in site.model.source)


def _key(source: Source, site: SiteFile) -> str:
    """What pages of a source depend on beside their files; another key means reading anew."""
    parts = [__version__, site.model.site.url, repr(source), repr(site.model.dates),
             repr(site.model.authors), repr(site.model.tags),
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
    frames = [before.select(DATED), *([departed] if departed is not None else [])]
    dated = pl.concat(frames, how="diagonal")
    built = [source for source in site.model.source if isinstance(source, HtmlSource)]
    known = {name_of(source): KnownFiles(dates=dated) for source in built}
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
            .with_columns(pl.lit(None, schema.SCHEMA[n]).alias(n) for n in WORKED_OUT)
            .collect(),
            faults,
            dated,
        )
        for source in built
        if record.keys.get(name_of(source)) == _key(source, site)
    }


def section_counts(
    decided: pl.LazyFrame, site: SiteFile
) -> tuple[list[SectionCount], list[dict[str, Any]]]:
    """What each section holds, in the order of the site file; empty sections are there too. And
    what is counted to know whether the site hides itself."""
    counted = {
        row["section"]: row
        for row in decided.group_by("section")
        .agg(
            pl.len().alias("pages"),
            pl.col("listed").sum().alias("listed"),
            pl.col("images").list.len().sum().alias("images"),
            pl.col("videos").list.len().sum().alias("videos"),
            *counting(site),
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
