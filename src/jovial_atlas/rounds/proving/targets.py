"""What `check` is pointed at: a file, a folder or an address, with all that belongs to it."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.checks import sets
from jovial_atlas.checks.fetching import OnDisk, OnServer
from jovial_atlas.checks.sets import Fetched, SitemapSet
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import Fault
from jovial_atlas.robots import RobotsFile, parse_robots
from jovial_atlas.rounds.state.names import INDEX, ROBOTS
from jovial_atlas.rules.hiding import robots_hide
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.web import Client


def relative(path: Path) -> str:
    relative = os.path.relpath(path)
    return str(path) if relative.startswith("..") else Path(relative).as_posix()


def robots_on_disk(path: Path) -> RobotsFile | None:
    """A robots.txt in a folder; None where there is none. Raises AtlasError."""
    try:
        return parse_robots(path.read_bytes(), relative(path))
    except FileNotFoundError:
        return None
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror}).") from error


def robots_faults(robots: RobotsFile | None, path: Path, read: SitemapSet) -> Iterator[Fault]:
    if robots is None:
        yield Fault("robots-none", relative(path), "The output folder holds no robots.txt.")
    elif read.files and not robots.sitemaps:
        yield Fault("robots-no-sitemap", relative(path), "It has no Sitemap line.")


@dataclass(slots=True)
class Target:
    """What was read of a target: sitemaps, robots.txt where there is one, faults on the way."""

    read: SitemapSet = field(default_factory=SitemapSet)
    faults: list[Fault] = field(default_factory=list)
    robots: RobotsFile | None = None


def read_target(target: str, client: Client, served: str | None, site: SiteFile | None) -> Target:
    """Read a file, a folder or an address. `served` is where it is, or will be, known. Raises
    AtlasError where there is no such thing."""
    if target.startswith(("http://", "https://")):
        return _on_server(target, client, served)
    return _on_disk(Path(target), served, site)


def _on_disk(path: Path, served: str | None, site: SiteFile | None) -> Target:
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
        robots = robots_on_disk(path) or RobotsFile()
        hidden = robots_hide(robots, str(path))
        return Target(faults=[*robots.faults, *hidden], robots=robots)
    exact = served if served and not served.endswith("/") else None
    return Target(sets.read_set([disk.open(path, exact)], disk))


def _folder(path: Path, address: str | None) -> Target:
    """All files of a folder named like sitemaps; the ones an index lists are read with it."""
    robots = robots_on_disk(path / ROBOTS)
    if address is None and robots:
        address = _folder_named_by(robots, path)
    disk = OnDisk(path, address, whole=True)
    files = sorted(
        file
        for file in path.iterdir()
        if file.is_file()
        and file.name != ROBOTS
        and "sitemap" in file.name.lower()
        and file.name.lower().endswith((".xml", ".xml.gz", ".txt"))
    )
    if not files and not robots:
        raise AtlasError(
            f"{path} holds no sitemap and no robots.txt. "
            "Name the file itself if it is called otherwise."
        )
    # An index first, so that what it lists is told under it and read once.
    files.sort(key=lambda file: b"<sitemapindex" not in _beginning(file))
    read = sets.read_set([disk.open(file) for file in files], disk)
    faults: list[Fault] = []
    if robots:
        faults += robots.faults
        faults += robots_hide(robots, str(path / ROBOTS))
        faults += robots_faults(robots, path / ROBOTS, read)
        faults += sets.check_against_robots(read, robots)
    if not files:
        faults.append(Fault("sitemap-none", str(path), "The folder holds no sitemap."))
    return Target(read, faults, robots)


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


def _on_server(target: str, client: Client, served: str | None) -> Target:
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
            return Target(faults=faults, robots=robots)
        return Target(sets.read_set([start], server))
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
    return Target(read, faults, robots)


def _live_robots(fetched: Fetched) -> tuple[RobotsFile | None, list[Fault]]:
    if fetched.data is None:
        status = fetched.fault.message if fetched.fault else ""
        if "status 4" in status:
            return None, [Fault("robots-none", fetched.name, status)]
        return None, [fetched.fault] if fetched.fault else []
    robots = parse_robots(fetched.data, fetched.name)
    return robots, [*robots.faults, *robots_hide(robots, fetched.name)]
