"""Trying a robots.txt on addresses."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path
from urllib.parse import urlsplit

import msgspec

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import Fault
from jovial_atlas.findings.finding import Finding, findings_of
from jovial_atlas.robots import Matcher, RobotsFile, parse_robots, write_robots
from jovial_atlas.robots.lint import RESOURCES, lint
from jovial_atlas.rounds.state.last_survey import surveyed_locs
from jovial_atlas.rounds.state.names import PAGE_TABLE
from jovial_atlas.rules import robots_of
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.remote import get_robots
from jovial_atlas.web import Client


class RobotsAnswer(msgspec.Struct, frozen=True):
    """Whether one crawler may fetch one address, by which rule, on which line."""

    url: str
    agent: str
    allowed: bool
    rule: str | None
    line: int | None


def read_robots(target: str, client: Client) -> tuple[bytes, list[Fault]]:
    """A robots.txt from a file, or from an address or host as a crawler would fetch it (RFC 9309
    §2.3). Raises AtlasError where there is nothing to read."""
    if not target.startswith(("http://", "https://")):
        try:
            return Path(target).read_bytes(), []
        except OSError as error:
            raise AtlasError(f"{target} cannot be read ({error.strerror}).") from error
    try:
        address = addresses.normalise(target)
    except ValueError as error:
        raise AtlasError(f"{error}.") from None
    if addresses.path_and_query(address) == "/":
        address = f"{addresses.origin(address)}/robots.txt"
    answer = get_robots(client, address)
    faults = []
    if answer.status != 200:
        faults.append(Fault("robots-status", address, f"It answers with status {answer.status}."))
    kind = answer.headers.get("content-type", "").partition(";")[0].strip()
    if answer.status == 200 and kind != "text/plain":
        message = f"It is served as {kind or 'nothing in particular'}."
        faults.append(Fault("robots-type", address, message))
    if answer.status >= 500:
        return b"User-agent: *\nDisallow: /\n", faults
    return answer.body if answer.status == 200 else b"", faults


def lint_robots(
    target: str | None, site: SiteFile | None, client: Client
) -> tuple[str, list[Finding]]:
    """All faults and doubtful lines of a robots.txt: its name, and the findings. Without a
    target, of the one that the site file asks for; with a site, held against its pages and the
    files that they need. Raises AtlasError."""
    if target is None:
        assert site is not None
        planned = robots_of(site.model)
        name, faults = "robots.txt", list[Fault]()
        data = write_robots(planned.groups, [], _others(planned))
    else:
        name = target
        data, faults = read_robots(target, client)
    paths: list[str] = []
    if site is not None and (site.shared_state / PAGE_TABLE).exists():
        paths = [addresses.path_and_query(loc) for loc in surveyed_locs(site)]
    found = lint(parse_robots(data, name), name, paths=paths, resources=_resources(site))
    return name, findings_of([*faults, *found])


def _others(robots: RobotsFile) -> list[tuple[str, str]]:
    return [(record.field, record.value) for record in robots.others]


def _resources(site: SiteFile | None) -> list[str]:
    """Paths of styles, scripts and pictures in the output folder."""
    if site is None or not site.output.is_dir():
        return []
    return [
        "/" + addresses.escape(path.relative_to(site.output).as_posix())
        for path in sorted(site.output.rglob("*"))
        if path.suffix.lower() in RESOURCES and path.is_file()
    ]


class RobotsChange(msgspec.Struct, frozen=True):
    """An address for which two robots.txt files say otherwise."""

    url: str
    agent: str
    before: bool
    after: bool


def compare_robots(
    before: RobotsFile, after: RobotsFile, agents: Iterable[str], urls: Iterable[str]
) -> Iterator[RobotsChange]:
    """Where the answers differ. Raises AtlasError for what is no address."""
    asked = [(url, _path(url)) for url in urls]
    for agent in agents:
        old, new = Matcher(before, agent), Matcher(after, agent)
        for url, path in asked:
            was, now = old.ask(path).allowed, new.ask(path).allowed
            if was != now:
                yield RobotsChange(url, agent, was, now)


def page_urls(site: SiteFile) -> list[str]:
    """The addresses of all pages of the last survey. Raises AtlasError where there is none."""
    return surveyed_locs(site)


def load_robots(file: Path | None, site: SiteFile | None = None) -> RobotsFile:
    """A robots.txt from a file, or the one a site file asks for, with its line numbers.

    Raises AtlasError where the file cannot be read.
    """
    if file is None:
        assert site is not None
        planned = robots_of(site.model)
        return parse_robots(write_robots(planned.groups, [], _others(planned)))
    try:
        return parse_robots(file.read_bytes(), str(file))
    except OSError as error:
        raise AtlasError(f"{file} cannot be read ({error.strerror}).") from error


def try_robots(robots: RobotsFile, agent: str, urls: Iterable[str]) -> Iterator[RobotsAnswer]:
    """The answer for each address, or path from '/' on. Raises AtlasError for anything else."""
    matcher = Matcher(robots, agent)
    for url in urls:
        answer = matcher.ask(_path(url))
        rule = answer.rule
        yield RobotsAnswer(
            url, agent, answer.allowed, str(rule) if rule else None, rule.line if rule else None
        )


def _path(url: str) -> str:
    """Path and query as written: the octets matter, so nothing is normalised here."""
    if url.startswith("/"):
        return url
    try:
        parts = urlsplit(url)
    except ValueError:
        parts = urlsplit("")
    if parts.scheme not in ("http", "https") or not parts.netloc:
        raise AtlasError(
            f"{url!r} is neither an http(s) address nor a path. Give it like /search/?q=heron"
        )
    return (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
