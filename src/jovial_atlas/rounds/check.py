"""One check: of the build of a site, or of any file, folder or address."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import httpx
import polars as pl

from jovial_atlas import addresses, dates
from jovial_atlas.checks import Finding, findings_of, sets
from jovial_atlas.checks import pages as page_checks
from jovial_atlas.checks.fetching import OnDisk, OnServer
from jovial_atlas.checks.sets import Fetched, SitemapSet
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import Fault
from jovial_atlas.files import FileSet
from jovial_atlas.robots import RobotsFile, parse_robots
from jovial_atlas.rounds.build import INDEX, MANIFEST, ROBOTS
from jovial_atlas.rounds.build.public import load_record
from jovial_atlas.rounds.last import last_survey
from jovial_atlas.rounds.survey import file_exists
from jovial_atlas.rules import robots_of
from jovial_atlas.sitefile import SiteFile


@dataclass(frozen=True, slots=True)
class Checked:
    """What a check looked at, in words, and what it found, worst first."""

    looked_at: list[str]
    findings: list[Finding]


def check_site(site: SiteFile, now: datetime) -> Checked:
    """The build of a site against the protocols, the page table and itself."""
    survey = last_survey(site)
    decided = survey.decided
    robots_path = site.output / ROBOTS
    robots = _robots_on_disk(robots_path)
    written = robots or robots_of(site.model)
    disk = OnDisk(site.output, f"{site.model.site.url}/", whole=True, shown=_relative)
    read = _read_output(site, disk)
    faults: list[Fault] = [
        *page_checks.check_hidden(decided, written, site),
        *(robots.faults if robots else []),
        *_robots_faults(robots, robots_path, read),
        *_kept(site),
        *survey.faults,
        *page_checks.check_texts(decided),
        *page_checks.check_canonicals(decided, site),
        *page_checks.check_noindex_seen(decided, written),
        *page_checks.check_links(decided, file_exists(site)),
        *page_checks.check_videos(decided),
        *sets.check_set(read, dates.write(now)),
    ]
    if site.model.site.stage == "live":
        faults += sets.check_against_robots(read, written)
        if read.files:
            faults += sets.check_against_pages(read, decided)
            faults += sets.check_stale(load_record(site).at, survey.at, decided)
        elif decided["listed"].any():
            faults.append(Fault("sitemap-none", _relative(site.output / INDEX), "It is missing."))
    looked_at = [f"{decided.height:,} pages", f"{len(read.files):,} sitemap files", ROBOTS]
    return Checked(looked_at, findings_of(faults))


def blockers(site: SiteFile, decided: pl.DataFrame) -> list[Finding]:
    """Only what makes announcing pointless: a hidden site."""
    robots = _robots_on_disk(site.output / ROBOTS) or robots_of(site.model)
    found = findings_of(page_checks.check_hidden(decided, robots, site))
    return [finding for finding in found if finding.severity == "blocker"]


def _relative(path: Path) -> str:
    relative = os.path.relpath(path)
    return str(path) if relative.startswith("..") else Path(relative).as_posix()


def _robots_on_disk(path: Path) -> RobotsFile | None:
    try:
        return parse_robots(path.read_bytes(), _relative(path))
    except FileNotFoundError:
        return None
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror}).") from error


def _robots_faults(robots: RobotsFile | None, path: Path, read: SitemapSet) -> Iterator[Fault]:
    if robots is None:
        yield Fault("robots-none", _relative(path), "The output folder holds no robots.txt.")
    elif read.files and not robots.sitemaps:
        yield Fault("robots-no-sitemap", _relative(path), "It has no Sitemap line.")


def _read_output(site: SiteFile, disk: OnDisk) -> SitemapSet:
    start = site.output / INDEX
    return sets.read_set([disk.open(start)] if start.exists() else [], disk)


def _kept(site: SiteFile) -> Iterator[Fault]:
    """Files that stand where the tool would write, and are not its own."""
    public = FileSet(site.output, site.state / MANIFEST)
    for name in (INDEX, ROBOTS):
        if public.is_foreign(name):
            yield Fault(
                "file-kept",
                _relative(site.output / name),
                "It was not written by this tool, or was edited since.",
            )


def check_target(
    target: str,
    now: datetime,
    client: httpx.Client,
    *,
    served_as: str | None = None,
    site: SiteFile | None = None,
) -> Checked:
    """A file, a folder or an address by the protocol's rules. Raises AtlasError."""
    served = _served(served_as)
    if target.startswith(("http://", "https://")):
        read, faults = _live(target, client, served)
    else:
        read, faults = _on_disk(Path(target), served, site)
    faults += sets.check_set(read, dates.write(now))
    looked_at = [fetched.name for fetched, _ in read.files] or [target]
    return Checked(looked_at, findings_of(faults))


def _served(served_as: str | None) -> str | None:
    if served_as is None:
        return None
    try:
        return addresses.normalise(served_as)
    except ValueError as error:
        raise AtlasError(f"--as: {error}.") from None


def _on_disk(
    path: Path, served: str | None, site: SiteFile | None
) -> tuple[SitemapSet, list[Fault]]:
    if not path.exists():
        raise AtlasError(f"There is no file or folder {path}.")
    folder = path if path.is_dir() else path.parent
    address = served
    if address and not address.endswith("/"):
        address = addresses.folder(address)
    if address is None and site and folder.resolve().is_relative_to(site.output.resolve()):
        inner = folder.resolve().relative_to(site.output.resolve()).as_posix()
        address = f"{site.model.site.url}/" + ("" if inner == "." else f"{inner}/")
    if path.is_dir():
        return _folder(path, address)
    disk = OnDisk(folder, address, whole=False)
    if path.name == ROBOTS:
        robots = _robots_on_disk(path) or RobotsFile()
        return SitemapSet(), [*robots.faults, *page_checks.robots_hide(robots, str(path), [])]
    exact = served if served and not served.endswith("/") else None
    return sets.read_set([disk.open(path, exact)], disk), []


def _folder(path: Path, address: str | None) -> tuple[SitemapSet, list[Fault]]:
    """All files of a folder named like sitemaps; the ones an index lists are read with it."""
    robots = _robots_on_disk(path / ROBOTS)
    if address is None and robots:
        address = _folder_named_by(robots, path)
    disk = OnDisk(path, address, whole=True)
    found = sorted(
        file
        for file in path.iterdir()
        if file.is_file()
        and file.name != ROBOTS
        and "sitemap" in file.name.lower()
        and file.name.lower().endswith((".xml", ".xml.gz", ".txt"))
    )
    if not found and not robots:
        raise AtlasError(
            f"{path} holds no sitemap and no robots.txt. "
            "Name the file itself if it is called otherwise."
        )
    # An index first, so that what it lists is told under it and read once.
    found.sort(key=lambda file: b"<sitemapindex" not in _beginning(file))
    read = sets.read_set([disk.open(file) for file in found], disk)
    faults: list[Fault] = []
    if robots:
        faults += robots.faults
        faults += page_checks.robots_hide(robots, str(path / ROBOTS), [])
        faults += _robots_faults(robots, path / ROBOTS, read)
        faults += sets.check_against_robots(read, robots)
    if not found:
        faults.append(Fault("sitemap-none", str(path), "The folder holds no sitemap."))
    return read, faults


def _folder_named_by(robots: RobotsFile, path: Path) -> str | None:
    for record in robots.sitemaps:
        if (path / record.value.rpartition("/")[2]).is_file():
            try:
                return addresses.folder(addresses.normalise(record.value))
            except ValueError:
                continue
    return None


def _beginning(path: Path) -> bytes:
    with path.open("rb") as stream:
        return stream.read(2048)


def _live(target: str, client: httpx.Client, served: str | None) -> tuple[SitemapSet, list[Fault]]:
    """An address: a sitemap by itself; or, for a site's root, robots.txt and what it names."""
    try:
        asked = addresses.normalise(target)
    except ValueError as error:
        raise AtlasError(f"{error}.") from None
    origin = addresses.origin(asked)
    server = OnServer(client, origin, addresses.origin(served) if served else origin)
    public = served or asked
    if addresses.path_and_query(asked) != "/":
        start = server.get(server.public + addresses.path_and_query(asked))
        if start.name.endswith(f"/{ROBOTS}"):
            robots, faults = _live_robots(start)
            return SitemapSet(), faults
        return sets.read_set([start], server), []
    robots, faults = _live_robots(server.get(addresses.origin(public) + f"/{ROBOTS}"))
    named = [record.value for record in robots.sitemaps] if robots else []
    here = [loc for loc in named if loc.startswith((server.public + "/", origin + "/"))]
    starts = [server.get(loc) for loc in here or [f"{server.public}/{INDEX}"]]
    read = sets.read_set(starts, server)
    if robots:
        faults += sets.check_against_robots(read, robots)
        if not named:
            faults.append(
                Fault("robots-no-sitemap", f"{origin}/{ROBOTS}", "It has no Sitemap line.")
            )
    return read, faults


def _live_robots(fetched: Fetched) -> tuple[RobotsFile | None, list[Fault]]:
    if fetched.data is None:
        status = fetched.fault.message if fetched.fault else ""
        if "status 4" in status:
            return None, [Fault("robots-none", fetched.name, status)]
        return None, [fetched.fault] if fetched.fault else []
    robots = parse_robots(fetched.data, fetched.name)
    return robots, [*robots.faults, *page_checks.robots_hide(robots, fetched.name, [])]
