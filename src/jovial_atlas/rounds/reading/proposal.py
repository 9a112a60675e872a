"""Setting up: what content says about its site, from which a first site file is made."""

from __future__ import annotations

import itertools
import re
import tempfile
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from urllib.parse import unquote

import polars as pl
import tomlkit
from msgspec import structs

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError, ContentError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.files import FileSet, write_whole, writing
from jovial_atlas.pages.doubt import Doubt
from jovial_atlas.place import STATE
from jovial_atlas.robots import RobotsFile, parse_robots
from jovial_atlas.rounds.reading.all_sources import SurveyOptions
from jovial_atlas.rounds.reading.content_place import answer_at
from jovial_atlas.rounds.reading.content_records import ContentPlace, moved_to
from jovial_atlas.rounds.reading.home_head import HomeHead, home_head
from jovial_atlas.rounds.reading.language_endings import language_endings
from jovial_atlas.rounds.reading.language_folders import (
    language_folders,
    main_language,
    most_common,
)
from jovial_atlas.rounds.reading.titles import name_in_titles, name_with_sign, some_titles
from jovial_atlas.rounds.reading.whole_site import read_once
from jovial_atlas.rounds.state.names import MANIFEST, REPLACED, ROBOTS
from jovial_atlas.rules.hiding import HIDDEN_SHARE, robots_hide
from jovial_atlas.rules.own import page_says
from jovial_atlas.sitefile import CrawlSource, HtmlSource, ListSource, Source, read_site_file
from jovial_atlas.sitefile.deciding import RESERVED_SECTIONS, REST
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page
from jovial_atlas.sources.workers.folder import Style, address_of
from jovial_atlas.sources.workers.html_folder import Progress
from jovial_atlas.web import Client

#: A folder needs so many pages to become a section.
SMALLEST_SECTION = 2
#: Where one folder holds nearly all of so many pages, what stands below it makes the sections: if
#: these are so large, on average.
_ENOUGH_TO_PART, _ALMOST_ALL, _LEAST_BELOW = 50, 0.98, 10
#: The main language, where nobody says one.
LANGUAGE = "en"
#: Of a live site, so many pages are looked at, and so many a second.
_LOOKED_AT, _PER_SECOND = 100, 10.0


@dataclass(frozen=True, slots=True)
class FoundSection:
    """A section proposed for a folder."""

    name: str
    match: str
    pages: int
    schema: str = ""


@dataclass(frozen=True, slots=True)
class Proposal:
    """What was read off the content, each value open to the owner's change; `name` and `language`
    are empty where it does not say them. `kinds` counts what pages are; `notes` must be told,
    `unsure` tells what the owner should look at."""

    url: str
    place: ContentPlace
    source: Source
    pages: int
    name: str
    language: str
    addresses: Style
    sections: list[FoundSection]
    #: Language → folder, where the site has pages in several.
    languages: dict[str, str]
    endings: dict[str, str]
    robots: RobotsFile | None
    authors: int
    kinds: dict[str, int]
    #: What titles end with, sign and all, or begin with; and what three pages are called.
    titles_with: str = ""
    titles: list[str] = field(default_factory=list)
    home: HomeHead = field(default_factory=HomeHead)
    doubts: list[Doubt] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    unsure: list[str] = field(default_factory=list)

    @property
    def usable_name(self) -> str:
        """The name of the site; its host, where the content does not say one."""
        return self.name or self.url.partition("://")[2]

    @property
    def usable_language(self) -> str:
        """The main language; the usual one, where the content does not say one."""
        return self.language or LANGUAGE

    def sections_from(self, least: int) -> list[FoundSection]:
        """The sections of so many pages or more; pages of the others stay together."""
        return [section for section in self.sections if section.pages >= least]


def site_origin(url: str) -> str:
    """Scheme and host of the site. Raises AtlasError where that is no address, or has a path."""
    try:
        address = addresses.normalise(url if "://" in url else f"https://{url}")
    except ValueError as error:
        raise AtlasError(f"{error}. Give it like https://www.marrowfen.example") from None
    origin = addresses.origin(address)
    host = origin.partition("://")[2].partition(":")[0]
    # What is typed without a scheme may be any word; hosts of the web have several names.
    is_host = all(host.split(".")) and ("." in host or "://" in url)
    if not (is_host or host == "localhost" or host.startswith("[")):
        raise AtlasError(
            f"{url} is no host of the web: it has names with dots between, as in "
            "https://www.marrowfen.example"
        )
    if address != f"{origin}/":
        raise AtlasError(
            f"{url} has a path. Give scheme and host alone; where the folder is served "
            f"below a path, write at = {addresses.path_and_query(address)!r} into its [[source]]."
        )
    return origin


def propose(
    url: str, place: ContentPlace, now: datetime, client: Client, progress: Progress | None = None
) -> Proposal:
    """Read the content once and propose a set-up. Raises AtlasError, ContentError."""
    origin = site_origin(url)
    source = place.source
    if isinstance(source, CrawlSource) and place.origin != origin:
        source = structs.replace(source, via=place.origin)
    pages, doubts, faults = pages_at(origin, source, place, now, client, progress)
    if not pages.height:
        raise ContentError(_nothing_in(place, faults))
    main = most_common(pages["language"])
    name = name_in_titles(pages, origin)
    if not main or not name:
        home = _home_page(place, origin, now, client)
        name, main = name or home.get("title", ""), main or home.get("language", "")
    others = [fault for fault in faults if fault.code != "crawl-limit"]
    unsure = [*place.unsure, *_met(others)]
    if len(others) < len(faults):
        unsure.append(
            f"{_LOOKED_AT} pages of the live site were looked at, and what its sitemaps list: "
            "there may be more sections. A survey reads all pages."
        )
    text = _robots_text(place)
    folders = language_folders(pages, origin, main or LANGUAGE)
    return Proposal(
        url=origin,
        place=place,
        source=source,
        pages=pages.height,
        name=name,
        language=main_language(pages, origin, folders) or main,
        addresses=_style(pages, origin) if isinstance(source, HtmlSource) else "folder",
        sections=_sections(pages, origin),
        languages=folders,
        endings={} if folders else language_endings(pages, origin),
        robots=parse_robots(text) if text is not None else None,
        authors=_authors(pages["author"].drop_nulls(), pages.height),
        kinds=dict(Counter(pages["role"].to_list()).most_common()),
        titles_with=name_with_sign(pages),
        titles=some_titles(pages, origin),
        home=home_head(place, origin, pages, client),
        doubts=doubts,
        notes=[*_said_first(origin, pages, text), *_notes(pages, origin)],
        unsure=unsure,
    )


#: Authors count where so large a share of the pages names one.
_SIGNED = 0.2


def _authors(named: pl.Series, pages: int) -> int:
    """How many write the site; 0 where hardly a page says who wrote it."""
    return named.n_unique() if len(named) >= _SIGNED * pages else 0


def _nothing_in(place: ContentPlace, faults: list[Fault]) -> str:
    said = f"{place.what}: no page of the site is in it."
    if faults:
        said += f" {faults[0].where}: {faults[0].message}"
    return f"{said} Name another place, or correct --url."


def _robots_text(place: ContentPlace) -> bytes | None:
    """The robots.txt that there is: in the folder, or on the live site."""
    if place.folder and (place.folder / ROBOTS).is_file():
        return (place.folder / ROBOTS).read_bytes()
    return place.robots


def _met(faults: list[Fault]) -> Iterator[str]:
    """What was found wrong while reading, which a survey keeps and `check` shows."""
    if faults:
        first = faults[0]
        yield (
            f"{plural(len(faults), 'finding')} while reading, the first in {first.where}: "
            f"{first.message} After a survey, `jovial-atlas check` shows them all."
        )


def pages_at(
    origin: str,
    source: Source,
    place: ContentPlace,
    now: datetime,
    client: Client,
    progress: Progress | None = None,
    most: int = _LOOKED_AT,
) -> tuple[pl.DataFrame, list[Doubt], list[Fault]]:
    """The pages as a survey would read them, kept nowhere; of a live site `most`, and the addresses
    in its sitemaps. Raises AtlasError, ContentError."""
    path = place.path
    sources: list[Source] = [moved_to(source, str(path.resolve())) if path else source]
    if isinstance(source, CrawlSource):
        sources = [structs.replace(source, max_pages=most, per_second=_PER_SECOND)]
        if source.via == "":
            sources += (ListSource(path=sitemap) for sitemap in place.sitemaps)
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "atlas.toml"
        (file.parent / STATE).mkdir()
        tables = [source_table(one) for one in sources]
        file.write_text(tomlkit.dumps({"site": {"url": origin}, "source": tables}), "utf-8")
        options = SurveyOptions(progress=progress)
        return read_once(read_site_file(file), now, client, options)


def source_table(source: Source) -> Mapping[str, object]:
    """The keys of a [[source]] whose values are not those that they have by themselves."""
    values = structs.asdict(source)
    names = source.__struct_fields__
    usual = dict(zip(reversed(names), reversed(source.__struct_defaults__), strict=False))
    return {
        "kind": source.kind,
        **{
            name: list(value) if isinstance(value, tuple) else value
            for name, value in values.items()
            if value != usual.get(name) and value not in ({}, ())
        },
    }


def _home_page(place: ContentPlace, origin: str, now: datetime, client: Client) -> dict[str, str]:
    """Title and language of the home page, where the content is on the web and says neither."""
    if place.path is not None or place.origin != origin:
        return {}
    try:
        here, answer = answer_at(f"{origin}/", client)
    except AtlasError:
        return {}
    row, _ = read_page(answer.body, PageFile(Path(), "/", here), Reading("home", now))
    values = {"title": row.get("title"), "language": row.get("language")} if row else {}
    return {key: value for key, value in values.items() if value}


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


def _sections(pages: pl.DataFrame, origin: str, above: str = "") -> list[FoundSection]:
    """A section for each folder with enough pages, by name: those at the top of the site, or where
    all of it stands in one folder, those below that one."""
    counted = _folders(pages, f"{origin}/{above}")
    largest = counted.filter(pl.col("pages") >= _ALMOST_ALL * pages.height)
    if pages.height >= _ENOUGH_TO_PART and largest.height == 1:
        below = _sections(pages, origin, f"{above}{largest['folder'].item()}/")
        parted = sum(one.pages for one in below)
        of_years = any(re.search(r"/\d+/\*\*$", one.match) for one in below)
        if len(below) >= 2 and parted >= _LEAST_BELOW * len(below) and not of_years:
            return below
    sections: list[FoundSection] = []
    taken = {*RESERVED_SECTIONS, REST}
    for folder, count, dated_share in counted.iter_rows():
        name = re.sub(r"[^a-z0-9]+", "-", unquote(folder).lower()).strip("-") or "section"
        while name in taken:
            name += "-folder"
        taken.add(name)
        schema = "Article" if dated_share >= 0.6 else ""
        sections.append(FoundSection(name, f"/{above}{folder}/**", count, schema))
    return sections


def _folders(pages: pl.DataFrame, above: str) -> pl.DataFrame:
    """The folders below an address with enough pages, as `folder, pages, dated` (a share)."""
    dated = pl.col("published").is_not_null()
    # A date in words may be that of anything: an offer, a release.
    marked = (pl.col("published_from") != "words").fill_null(True)
    inside = pages.filter(pl.col("loc").str.starts_with(above))
    return (
        inside.with_columns(folder=pl.col("loc").str.strip_prefix(above).str.extract("^([^/?]+)/"))
        .filter(pl.col("folder").is_not_null())
        .group_by("folder")
        .agg(pl.len().alias("pages"), (dated & marked).mean().alias("dated"))
        .filter(pl.col("pages") >= SMALLEST_SECTION)
        .sort("folder")
    )


def _said_first(origin: str, pages: pl.DataFrame, robots: bytes | None) -> Iterator[str]:
    """What hides the whole site already, or keeps engines from reaching it."""
    if reason := addresses.why_local(origin):
        yield (
            f"{origin} is a temporary host: {reason}. Nothing is announced from there; set url in "
            "[site] to the public address before the site is built for it."
        )
    if robots is not None:
        for fault in robots_hide(parse_robots(robots), ROBOTS):
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
    if proposal.robots and (folder := proposal.place.folder):
        state = path.parent / STATE
        write_whole(state / REPLACED / ROBOTS, (folder / ROBOTS).read_bytes())
        FileSet(folder, state / MANIFEST).adopt(ROBOTS)


def _kept_at(path: Path, data: bytes) -> Path:
    """Where a site file is kept that is replaced: never over another one that was."""
    names = itertools.chain([""], map(str, itertools.count(2)))
    places = (path.with_name(f"{path.name}.before{name}") for name in names)
    return next(one for one in places if not one.exists() or one.read_bytes() == data)
