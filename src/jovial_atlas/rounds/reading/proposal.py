"""Setting up: what a folder of built HTML says about its site, and a first site file from it."""

from __future__ import annotations

import itertools
import re
import tempfile
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

import polars as pl

from jovial_atlas import addresses, languages
from jovial_atlas.errors import AtlasError, ContentError
from jovial_atlas.faults import plural
from jovial_atlas.files import FileSet, write_whole, writing
from jovial_atlas.pages.gather import Gathering
from jovial_atlas.place import STATE
from jovial_atlas.robots import RobotsFile, parse_robots
from jovial_atlas.rounds.state.names import MANIFEST, REPLACED, ROBOTS
from jovial_atlas.rules.hiding import HIDDEN_SHARE, robots_hide
from jovial_atlas.rules.own import page_says
from jovial_atlas.sitefile.deciding import RESERVED_SECTIONS, REST
from jovial_atlas.sources.html_page.page import Reading
from jovial_atlas.sources.workers.folder import Folder, Style, address_of
from jovial_atlas.sources.workers.html_folder import Progress, read_folder
from jovial_atlas.sources.workers.readers import Readers

#: A folder needs this many pages to become a section, and no more sections are made.
_SECTION_PAGES = 2
_MOST_SECTIONS = 500
_SEPARATORS = re.compile(r"\s+[-–—|·:»]\s+")


@dataclass(frozen=True, slots=True)
class FoundSection:
    """A section proposed for a top-level folder."""

    name: str
    match: str
    pages: int
    schema: str = ""


@dataclass(frozen=True, slots=True)
class Proposal:
    """What was read off the content, each value open to the owner's change."""

    url: str
    html: Path
    pages: int
    name: str
    language: str
    addresses: Style
    sections: list[FoundSection]
    #: Language → folder, where the site has pages in several.
    languages: dict[str, str]
    robots: RobotsFile | None
    authors: int
    notes: list[str] = field(default_factory=list)


def propose(url: str, html: Path, now: datetime, progress: Progress | None = None) -> Proposal:
    """Read the content once and propose a set-up. Raises AtlasError, ContentError."""
    try:
        address = addresses.normalise(url if "://" in url else f"https://{url}")
    except ValueError as error:
        raise AtlasError(f"--url: {error}. Give it like https://www.marrowfen.example") from None
    origin = addresses.origin(address)
    if address != f"{origin}/":
        raise AtlasError(
            f"--url: {url} has a path. Give scheme and host alone; where the folder is served "
            f"below a path, write at = {addresses.path_and_query(address)!r} into its [[source]]."
        )
    pages = _read(html, origin, now, progress)
    if not pages.height:
        raise ContentError(f"{html} holds no HTML page. Name the folder that holds the built site.")
    style = _style(pages, origin)
    notes = [*_said_first(origin, pages, html), *_notes(pages, origin)]
    main = _most_common(pages["language"]) or "en"
    robots = None
    if (html / ROBOTS).is_file():
        robots = parse_robots((html / ROBOTS).read_bytes())
    return Proposal(
        origin,
        html,
        pages.height,
        _name(pages, origin),
        main,
        style,
        _sections(pages, origin),
        _languages(pages, main),
        robots,
        pages["author"].drop_nulls().n_unique(),
        notes,
    )


def _read(html: Path, origin: str, now: datetime, progress: Progress | None) -> pl.DataFrame:
    """The page table of the folder, read once and kept nowhere."""
    folder, reading = Folder(html, origin), Reading("html", now)
    with (
        tempfile.TemporaryDirectory() as path,
        Gathering(Path(path)) as gathering,
        Readers() as readers,
    ):
        for batch in read_folder(folder, reading, readers, progress=progress):
            gathering.add(batch)
        return gathering.finish(Path(path) / "pages.parquet").collect()


def _style(pages: pl.DataFrame, origin: str) -> Style:
    """The style of addresses that most canonicals follow; `folder` where there are none."""
    votes: Counter[Style] = Counter()
    named = pages.filter(pl.col("canonical").is_not_null()).select("path", "canonical")
    for path, canonical in named.iter_rows():
        for style in ("folder", "plain", "file"):
            if address_of(path, origin, style) == canonical:
                votes[style] += 1
    best = max(votes.values(), default=0)
    styles: tuple[Style, ...] = ("folder", "plain", "file")
    return next((style for style in styles if best and votes[style] == best), "folder")


def _most_common(column: pl.Series) -> str:
    counts = Counter(value for value in column.to_list() if value)
    return min(counts, key=lambda value: (-counts[value], value)) if counts else ""


def _name(pages: pl.DataFrame, origin: str) -> str:
    """What most titles end with after a separator; else the home page's title; else the host."""
    titles = pages["title"].drop_nulls().to_list()
    ends = Counter(parts[-1] for title in titles if len(parts := _SEPARATORS.split(title)) > 1)
    if ends:
        end, count = ends.most_common(1)[0]
        if count * 2 >= len(titles):
            return end
    home = pages.filter(pl.col("loc") == f"{origin}/")["title"].to_list()
    return (home[0] if home and home[0] else "") or origin.partition("://")[2]


#: So many pages have to stand under the same path in a folder and beside it.
_PARALLEL = 2


def _languages(pages: pl.DataFrame, main: str) -> dict[str, str]:
    """Language → folder of top-level folders that are called after a language and repeat paths of
    another one, or of what lies outside them."""
    path = pl.col("path")
    split = pages.select(
        code=path.str.extract(r"^([A-Za-z]{2,3}(?:[-_][A-Za-z]{2,4})?)/"),
        rest=path.str.replace(r"^[A-Za-z]{2,3}(?:[-_][A-Za-z]{2,4})?/", ""),
        whole=path,
    )
    known = [
        code
        for code in split["code"].drop_nulls().unique()
        if languages.fault_of(code.replace("_", "-")) is None
    ]
    inside = split.filter(pl.col("code").is_in(known))
    outside = split.filter(~pl.col("code").is_in(known).fill_null(False)).select(rest="whole")
    others = pl.concat([inside.select("rest", "code"), outside.with_columns(code=pl.lit(""))])
    pairs = inside.join(others, on="rest", suffix="_other").filter(
        pl.col("code") != pl.col("code_other")
    )
    counts = pairs.select("code", "rest").unique().group_by("code").len()
    codes = sorted(counts.filter(pl.col("len") >= _PARALLEL)["code"])
    found = {languages.canonical(code.replace("_", "-")): f"/{code}/" for code in codes}
    beside = pairs.filter(pl.col("code_other") == "").height >= _PARALLEL
    if beside and main not in found:
        found = {main: "/", **found}
    return found if len(found) > 1 else {}


def _sections(pages: pl.DataFrame, origin: str) -> list[FoundSection]:
    """A section for each top-level folder with enough pages, largest first, then by name."""
    counted = (
        pages.with_columns(pl.col("path").str.extract(r"^([^/]+)/").alias("folder"))
        .filter(pl.col("folder").is_not_null())
        .group_by("folder")
        .agg(
            pl.len().alias("pages"),
            # A date in words may be that of anything: an offer, a release.
            (pl.col("published").is_not_null() & (pl.col("published_from") != "words"))
            .mean()
            .alias("dated"),
        )
        .filter(pl.col("pages") >= _SECTION_PAGES)
        .sort(["pages", "folder"], descending=[True, False])
        .head(_MOST_SECTIONS)
        .sort("folder")
    )
    sections: list[FoundSection] = []
    taken = {*RESERVED_SECTIONS, REST}
    for folder, count, dated in counted.iter_rows():
        name = re.sub(r"[^a-z0-9]+", "-", folder.lower()).strip("-") or "section"
        while name in taken:
            name += "-folder"
        taken.add(name)
        path = addresses.path_and_query(address_of(f"{folder}/index.html", origin, "folder"))
        sections.append(FoundSection(name, f"{path}**", count, "Article" if dated >= 0.6 else ""))
    return sections


def _said_first(origin: str, pages: pl.DataFrame, html: Path) -> Iterator[str]:
    """What hides the whole site already, or keeps engines from reaching it."""
    if reason := addresses.why_local(origin):
        yield (
            f"{origin} is a temporary host: {reason}. Nothing is announced from there; set url in "
            "[site] to the public address before the site is built for it."
        )
    if (html / ROBOTS).is_file():
        for fault in robots_hide(parse_robots((html / ROBOTS).read_bytes()), ROBOTS):
            yield f"The site hides itself by its robots.txt: {fault.message}"
    hidden = pages.filter(page_says("noindex")).height
    if hidden and hidden >= HIDDEN_SHARE * pages.height:
        yield (
            f"The site hides itself: {hidden:,} of {plural(pages.height, 'page')} say noindex. "
            "Take it out of the page templates, then survey."
        )


def _notes(pages: pl.DataFrame, origin: str) -> list[str]:
    notes = []
    hosts = Counter(
        addresses.origin(canonical)
        for canonical in pages["canonical"].drop_nulls()
        if addresses.origin(canonical) != origin
    )
    for host, count in hosts.most_common(1):
        notes.append(
            f"{plural(count, 'page names', 'pages name')} a canonical on {host}, not on {origin}, "
            "and will not be listed. If this copy shall stand by itself, set "
            'canonicals = "ignore" in its [[source]]; if --url is wrong, run init again.'
        )
    return notes


def write_site_file(path: Path, text: str, proposal: Proposal, *, replace: bool = False) -> None:
    """Write the site file, and take a hand-written robots.txt as ours, since what it says now
    stands in the site file. Raises AtlasError where a site file is there already."""
    if path.exists() and not replace:
        raise AtlasError(
            f"{path} exists already and is left as it is. Change it by hand, or run "
            "`jovial-atlas init --replace` to write a new one (the old one is kept beside it)."
        )
    data = text.encode()
    with writing(path):
        before = path.read_bytes() if path.exists() else data
    if before != data:
        write_whole(_kept_at(path, before), before, durable=True)
    write_whole(path, data, durable=True)
    if proposal.robots:
        state = path.parent / STATE
        write_whole(state / REPLACED / ROBOTS, (proposal.html / ROBOTS).read_bytes())
        FileSet(proposal.html, state / MANIFEST).adopt(ROBOTS)


def _kept_at(path: Path, data: bytes) -> Path:
    """Where a site file is kept that is replaced: never over another one that was."""
    names = itertools.chain([""], map(str, itertools.count(2)))
    places = (path.with_name(f"{path.name}.before{name}") for name in names)
    return next(one for one in places if not one.exists() or one.read_bytes() == data)
