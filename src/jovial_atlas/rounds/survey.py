"""One survey of a site: all its sources into the page table, kept in the state folder."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path

import polars as pl

from jovial_atlas import __version__, addresses, dates
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.files import digest, write_whole
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.pages.gather import Batch, Gathering
from jovial_atlas.pages.survey import compare
from jovial_atlas.rounds.ahead import Begun, begin_survey
from jovial_atlas.rounds.last import filled_in, stored_pages
from jovial_atlas.rounds.media import look_at_videos
from jovial_atlas.rounds.surveyed import PAGES, RECORD, SectionCount, Survey
from jovial_atlas.rounds.unchanged import noted
from jovial_atlas.rounds.variants import find_variants, variant_signs
from jovial_atlas.rules import decide, rests_on_time
from jovial_atlas.rules.policies import signs_in
from jovial_atlas.sitefile import HtmlSource, SiteFile, Source
from jovial_atlas.sources.columns import with_named_videos
from jovial_atlas.sources.html import Known, Progress
from jovial_atlas.sources.opening import Surroundings, open_source
from jovial_atlas.sources.settings import crawler_tokens, known_services, name_of
from jovial_atlas.web import Client


def run_survey(
    site: SiteFile,
    now: datetime,
    client: Client,
    *,
    environment: Mapping[str, str] | None = None,
    full: bool = False,
    begun: Begun | None = None,
    progress: Progress | None = None,
) -> Survey:
    """Read all sources, compare with the survey before, and keep the result. It may have `begun`
    before all that it needs was loaded, at the same time and as `full` as here.

    A source that breaks is a fault; its pages of the survey before are kept. Raises
    ContentError where nothing at all could be read, OutputError, and SiteFileError where a
    rule cannot be applied.
    """
    target = site.state / PAGES
    beside = target.with_name(f".{PAGES}.survey")
    beside.unlink(missing_ok=True)  # of a survey that was killed
    before = stored_pages(target)
    memory = _remembered(site, before, full)
    begun = begun or begin_survey(site, now, full=full)
    inputs, mark = begun.inputs, begun.mark
    identity = site.model.identity
    around = Surroundings(
        site, now, environment or {}, client,
        lambda loc: addresses.identify(loc, identity.trailing_slash, identity.query),
        begun.readers, begun.written, progress,
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
        delivered = gathering.finish(beside, winners)
        faults = gathering.faults
    try:
        table = schema.complete(delivered)
        signs = signs_in(table, site, variant_signs(site))
        after, more = _completed(delivered, beside, site, client, now, signs, anew=full)
        faults += more
        filled = filled_in(table, signs)
        sections = section_counts(decide(after, site, now, filled), site)
        changes = compare(before, after)
        lasting = inputs is not None and _is_lasting(after, site, now, filled)
        beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)
    at = dates.write(now)
    record = {
        "unchanged": noted(inputs, mark, target, sections) if inputs and lasting else None,
        "at": at,
        "keys": {name_of(source): _key(source, site) for source in site.model.source},
        "noted": signs,
        "renamed": changes.renamed,
        "told": [[fault.code, fault.where, fault.message] for fault in faults],
    }
    text = json.dumps(record, ensure_ascii=False) + "\n"
    write_whole(site.state / RECORD, text.encode())
    return Survey(at, sum(one.pages for one in sections), sections, changes, faults)


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
    memory: dict[str, Known],
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
    except (ContentError, ValueError, pl.exceptions.PolarsError) as error:
        gathering.forget()
        kept = before.filter(pl.col("source") == name).collect() if before is not None else None
        told = f"{error} "
        if kept is not None and kept.height:
            gathering.add(Batch(kept))
            told += f"{plural(kept.height, 'page')} of the survey before are kept."
        else:
            told += "Nothing of it is in the page table."
        gathering.faults.append(Fault("source-broken", name, told))
        return error if isinstance(error, ContentError) else ContentError(str(error))
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
    place: Path,
    site: SiteFile,
    client: Client,
    now: datetime,
    signs: Sequence[str],
    *,
    anew: bool,
) -> tuple[pl.LazyFrame, list[Fault]]:
    """The page table with what takes all of it: which pages repeat others, and what their videos
    are; with faults met. It is saved at `place`; a large one that is there already, and has
    neither, is left as it is. Raises OutputError."""
    table, filled = schema.complete(delivered), delivered.collect_schema().names()
    looked = None
    tables = [find_variants(table, filled, site, signs)]
    if "videos" in filled:
        looked = look_at_videos(table, site, client, now, anew=anew)
        tables.append(looked.media)
    found = [one for one in tables if one.height]
    whole = delivered
    if found:
        names = [*(name for name in filled if name not in WORKED_OUT)]
        whole = table.drop(name for one in found for name in one.columns if name != "loc")
        for one in found:
            whole = whole.join(one.lazy(), on="loc", how="left", maintain_order="left")
            names += [name for name in one.columns if name != "loc"]
        whole = whole.select(names)
    faults = looked.faults if looked else []
    if not place.exists():
        saved = whole.collect()
        snapshot.save(saved, place)
        return schema.complete(saved.lazy()), faults
    if found:
        beside = place.with_name(f".{place.name}.whole")
        snapshot.sink(whole, beside)
        beside.replace(place)
    after = stored_pages(place)
    assert after is not None
    return after, faults


def _key(source: Source, site: SiteFile) -> str:
    """What pages of a source depend on beside their files; another key means reading anew."""
    parts = [__version__, site.model.site.url, repr(source), repr(site.model.dates),
             repr(site.model.identity), repr(sorted(crawler_tokens(site))),
             repr(known_services(site)), repr(site.model.videos.fields),
             repr(any(section.schema_type for section in site.model.section))]  # fmt: skip
    return digest("\n".join(parts).encode())


def _remembered(site: SiteFile, before: pl.LazyFrame | None, full: bool) -> dict[str, Known]:
    """Rows and faults of the survey before, by source, where they were read in the same way."""
    if before is None or full:
        return {}
    try:
        record = json.loads((site.state / RECORD).read_bytes())
        keys, told = record["keys"], [Fault(*fault) for fault in record["told"]]
    except (OSError, ValueError, KeyError, TypeError):
        return {}
    faults: dict[str, list[Fault]] = {}
    for fault in told:
        faults.setdefault(fault.where, []).append(fault)
    extra = schema.EXTRA in before.collect_schema()
    return {
        name_of(source): Known(
            before.filter(pl.col("source") == name_of(source))
            .select([*schema.SCHEMA, *([schema.EXTRA] if source.fields and extra else [])])
            .with_columns(pl.lit(None, schema.SCHEMA[n]).alias(n) for n in WORKED_OUT)
            .collect(),
            faults,
        )
        for source in site.model.source
        if isinstance(source, HtmlSource) and keys.get(name_of(source)) == _key(source, site)
    }


def section_counts(decided: pl.LazyFrame, site: SiteFile) -> list[SectionCount]:
    """What each section holds, in the order of the site file; empty sections are there too."""
    counted = {
        row["section"]: row
        for row in decided.group_by("section")
        .agg(
            pl.len().alias("pages"),
            pl.col("listed").sum().alias("listed"),
            pl.col("images").list.len().sum().alias("images"),
            pl.col("videos").list.len().sum().alias("videos"),
        )
        .collect(engine="streaming")
        .to_dicts()
    }
    names = [section.name for section in site.model.section]
    names += [name for name in sorted(counted) if name not in names]
    empty = {"pages": 0, "listed": 0, "images": 0, "videos": 0}
    return [
        SectionCount(name, **{key: int(counted.get(name, empty)[key] or 0) for key in empty})
        for name in names
    ]
