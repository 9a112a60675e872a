"""Setting up: what a folder of built HTML says about its site, and a first site file from it."""

from __future__ import annotations

import itertools
import os
import re
import tempfile
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

import polars as pl
import tomlkit

from jovial_atlas import addresses
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
_MOST_SECTIONS = 20
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
    robots = None
    if (html / ROBOTS).is_file():
        robots = parse_robots((html / ROBOTS).read_bytes())
    return Proposal(
        origin,
        html,
        pages.height,
        _name(pages, origin),
        _most_common(pages["language"]) or "en",
        style,
        _sections(pages, origin),
        robots,
        pages["author"].drop_nulls().n_unique(),
        notes,
    )


def _read(html: Path, origin: str, now: datetime, progress: Progress | None) -> pl.DataFrame:
    """The page table of the folder, read once and kept nowhere."""
    folder, reading = Folder(html, origin), Reading("html", now)
    with (
        tempfile.TemporaryDirectory() as place,
        Gathering(Path(place)) as gathering,
        Readers() as readers,
    ):
        for batch in read_folder(folder, reading, readers, progress=progress):
            gathering.add(batch)
        return gathering.finish(Path(place) / "pages.parquet").collect()


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


def _sections(pages: pl.DataFrame, origin: str) -> list[FoundSection]:
    """A section for each top-level folder with enough pages, largest first, then by name."""
    counted = (
        pages.with_columns(pl.col("path").str.extract(r"^([^/]+)/").alias("folder"))
        .filter(pl.col("folder").is_not_null())
        .group_by("folder")
        .agg(
            pl.len().alias("pages"),
            pl.col("published").is_not_null().mean().alias("dated"),
        )
        .filter(pl.col("pages") >= _SECTION_PAGES)
        .sort(["pages", "folder"], descending=[True, False])
        .head(_MOST_SECTIONS)
        .sort("folder")
    )
    found: list[FoundSection] = []
    taken = {*RESERVED_SECTIONS, REST}
    for folder, count, dated in counted.iter_rows():
        name = re.sub(r"[^a-z0-9]+", "-", folder.lower()).strip("-") or "section"
        while name in taken:
            name += "-folder"
        taken.add(name)
        path = addresses.path_and_query(address_of(f"{folder}/index.html", origin, "folder"))
        found.append(FoundSection(name, f"{path}**", count, "Article" if dated >= 0.6 else ""))
    return found


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


def site_file_text(
    proposal: Proposal,
    place: Path,
    *,
    name: str = "",
    short_name: str = "",
    language: str = "",
    kind: str = "organization",
    stage: str = "live",
    style: Style | None = None,
) -> str:
    """A short, commented site file; what is given wins over what was read off the content."""
    folder = _relative(proposal.html, place.parent)
    return "\n".join(
        [
            "# What search engines may find of this site. Written once by `jovial-atlas init`;",
            "# it is yours to change. Keys and defaults: docs/reference/site-file.md",
            "",
            *_about_site(proposal, name, short_name, language, stage),
            "",
            "[publisher]",
            f'kind = {_quoted(kind)}  # or "person"',
            "",
            "[output]",
            f"folder = {_quoted(folder)}  # the folder that is served at the root of the site",
            "",
            "[[source]]",
            'kind = "html"',
            f"path = {_quoted(folder)}",
            f"addresses = {_quoted(style or proposal.addresses)}"
            '  # "folder": /a/index.html is /a/; "file": as named; "plain": no ending',
            *_section_lines(proposal),
            "",
            "# Rules decide about single pages and patterns, in order; a later one wins:",
            "# [[rule]]",
            '# match = "/privacy/"',
            "# set = { index = false }",
            '# reason = "No one should land here from a search"',
            *(["", *_robots_lines(proposal.robots)] if proposal.robots else []),
            "",
        ]
    )


def _about_site(
    proposal: Proposal, name: str, short_name: str, language: str, stage: str
) -> Iterator[str]:
    yield "[site]"
    yield f"url = {_quoted(proposal.url)}"
    yield f"name = {_quoted(name or proposal.name)}"
    if short_name:
        yield f"short_name = {_quoted(short_name)}"
    yield f"language = {_quoted(language or proposal.language)}"
    yield f'stage = {_quoted(stage)}  # "draft" hides everything and announces nothing'
    if proposal.authors == 1:
        yield 'authors = "one"  # so pages about authors repeat others, and are not listed'


def _section_lines(proposal: Proposal) -> Iterator[str]:
    if proposal.sections:
        yield ""
        yield "# A page is in the first section that matches; each gets a sitemap."
    for section in proposal.sections:
        yield ""
        yield "[[section]]"
        yield f"name = {_quoted(section.name)}"
        yield f"match = {_quoted(section.match)}  # {plural(section.pages, 'page')}"
        if section.schema:
            yield f"schema = {_quoted(section.schema)}  # most of its pages are dated"


def _robots_lines(robots: RobotsFile) -> list[str]:
    lines = ["# Taken over from the robots.txt that was there.", "[robots]"]
    if robots.comment:
        lines.append(f"comment = {_quoted(robots.comment)}")
    lines.append("groups = [")
    for group in robots.groups:
        allow = [rule.pattern for rule in group.rules if rule.allow and rule.pattern]
        disallow = [rule.pattern for rule in group.rules if not rule.allow and rule.pattern]
        agents = [_token(agent) for agent in group.agents]
        parts = [f"agents = {_list([agent for agent in agents if agent])}"]
        parts += [f"allow = {_list(allow)}"] if allow else []
        parts += [f"disallow = {_list(disallow)}"] if disallow else []
        parts += [f"comment = {_quoted(group.comment)}"] if group.comment else []
        why = [
            f"{_quoted(rule.pattern)} = {_quoted(rule.reason)}"
            for rule in group.rules
            if rule.reason and rule.pattern
        ]
        parts += [f"reasons = {{ {', '.join(why)} }}"] if why else []
        if any(agents):
            lines.append(f"  {{ {', '.join(parts)} }},")
    lines.append("]")
    others = [f"{r.field}: {r.value}" for r in robots.others if r.field.lower() != "noindex"]
    if others:
        lines.append(f"records = {_list(others)}")
    own = [r.value for r in robots.sitemaps if not r.value.endswith("/sitemap.xml")]
    if own:
        lines.append(f"sitemaps = {_list(own)}")
    return lines


def _token(agent: str) -> str:
    match = re.match(r"\*|[A-Za-z_-]+", agent)
    return match[0] if match else ""


def _quoted(text: str) -> str:
    return tomlkit.item(text).as_string()


def _list(values: Sequence[str]) -> str:
    return f"[{', '.join(_quoted(value) for value in values)}]"


def _relative(path: Path, start: Path) -> str:
    return Path(os.path.relpath(path.resolve(), start.resolve())).as_posix()


def write_site_file(place: Path, text: str, proposal: Proposal, *, replace: bool = False) -> None:
    """Write the site file, and take a hand-written robots.txt as ours, since what it says now
    stands in the site file. Raises AtlasError where a site file is there already."""
    if place.exists() and not replace:
        raise AtlasError(
            f"{place} exists already and is left as it is. Change it by hand, or run "
            "`jovial-atlas init --replace` to write a new one (the old one is kept beside it)."
        )
    data = text.encode()
    with writing(place):
        before = place.read_bytes() if place.exists() else data
    if before != data:
        write_whole(_kept_at(place, before), before, durable=True)
    write_whole(place, data, durable=True)
    if proposal.robots:
        state = place.parent / STATE
        write_whole(state / REPLACED / ROBOTS, (proposal.html / ROBOTS).read_bytes())
        FileSet(proposal.html, state / MANIFEST).adopt(ROBOTS)


def _kept_at(place: Path, data: bytes) -> Path:
    """Where a site file is kept that is replaced: never over another one that was."""
    names = itertools.chain([""], map(str, itertools.count(2)))
    places = (place.with_name(f"{place.name}.before{name}") for name in names)
    return next(one for one in places if not one.exists() or one.read_bytes() == data)
