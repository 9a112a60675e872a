"""One survey of a site: all its sources into the page table, kept in the state folder."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path

import polars as pl

from jovial_atlas import dates
from jovial_atlas.errors import AtlasError, OutputError
from jovial_atlas.faults import Fault
from jovial_atlas.files import write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.pages.survey import Batch, Changes, collect, compare
from jovial_atlas.rules import decide
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.html import Progress, read_folder
from jovial_atlas.sources.page import Reading

PAGES = "pages.parquet"
RECORD = "survey.json"


@dataclass(frozen=True, slots=True)
class Survey:
    """A survey: the decided page table, what changed since the one before, faults met."""

    at: str
    decided: pl.DataFrame
    changes: Changes
    faults: list[Fault]


@dataclass(frozen=True, slots=True)
class SectionCount:
    """What one section holds."""

    name: str
    pages: int
    listed: int
    images: int
    videos: int


def run_survey(
    site: SiteFile,
    now: datetime,
    *,
    workers: int | None = None,
    progress: Progress | None = None,
) -> Survey:
    """Read all sources, compare with the survey before, and keep the result.

    Raises ContentError, OutputError, and SiteFileError where a rule cannot be applied.
    """
    pages, faults = collect(_batches(site, now, workers, progress))
    decided = decide(pages, site)
    before = snapshot.load(site.state / PAGES)
    changes = compare(before, pages)
    snapshot.save(pages, site.state / PAGES)
    at = dates.write(now)
    record = {"at": at, "faults": [asdict(fault) for fault in faults]}
    write_whole(
        site.state / RECORD, (json.dumps(record, ensure_ascii=False, indent=1) + "\n").encode()
    )
    return Survey(at, decided, changes, faults)


def _batches(
    site: SiteFile, now: datetime, workers: int | None, progress: Progress | None
) -> Iterator[Batch]:
    for source in site.model.source:
        reading = Reading(source.name or source.path, now, source.canonicals == "honour")
        yield from read_folder(
            site.folder / source.path,
            site.model.site.url,
            reading,
            style=source.addresses,
            mount=source.at,
            workers=workers,
            progress=progress,
        )


def last_survey(site: SiteFile) -> Survey:
    """The survey that was kept last, with verdicts by the site file of now. Raises AtlasError."""
    pages = snapshot.load(site.state / PAGES)
    if pages is None:
        raise AtlasError("There is no survey of this site yet. Run `jovial-atlas survey` first.")
    try:
        record = json.loads((site.state / RECORD).read_bytes())
        faults = [Fault(**fault) for fault in record["faults"]]
        at = str(record["at"])
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise OutputError(
            f"{site.state / RECORD} cannot be read ({error}). Run `jovial-atlas survey` again."
        ) from error
    return Survey(at, decide(pages, site), Changes([], [], []), faults)


def section_counts(decided: pl.DataFrame, site: SiteFile) -> list[SectionCount]:
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
        .to_dicts()
    }
    names = [section.name for section in site.model.section]
    names += [name for name in sorted(counted) if name not in names]
    empty = {"pages": 0, "listed": 0, "images": 0, "videos": 0}
    return [
        SectionCount(name, **{key: int(counted.get(name, empty)[key] or 0) for key in empty})
        for name in names
    ]


def file_exists(site: SiteFile) -> Callable[[str], bool]:
    """Tells whether an address of the site leads to a file of a source or the output folder."""
    from urllib.parse import unquote, urlsplit

    places = [(site.output, "/")]
    places += [(site.folder / source.path, source.at) for source in site.model.source]

    def exists(address: str) -> bool:
        path = unquote(urlsplit(address).path)
        for root, mount in places:
            inside = path.removeprefix(mount.rstrip("/")).lstrip("/")
            place = root / inside
            if place.is_file() or _is_page_folder(place):
                return True
        return False

    return exists


def _is_page_folder(place: Path) -> bool:
    plain = place.with_name(f"{place.name}.html") if place.name else place / "index.html"
    return (place / "index.html").is_file() or plain.is_file()
