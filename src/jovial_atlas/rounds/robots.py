"""Trying a robots.txt on addresses."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from jovial_atlas.errors import AtlasError
from jovial_atlas.robots import Matcher, RobotsFile, parse_robots, write_robots
from jovial_atlas.rules import robots_of
from jovial_atlas.sitefile import SiteFile


@dataclass(frozen=True, slots=True)
class Tried:
    """Whether one crawler may fetch one address, by which rule, on which line."""

    url: str
    agent: str
    allowed: bool
    rule: str | None
    line: int | None


def load_robots(file: Path | None, site: SiteFile | None = None) -> RobotsFile:
    """A robots.txt from a file, or the one a site file asks for, with its line numbers.

    Raises AtlasError where the file cannot be read.
    """
    if file is None:
        assert site is not None
        planned = robots_of(site.model)
        return parse_robots(write_robots(planned.groups))
    try:
        return parse_robots(file.read_bytes(), str(file))
    except OSError as error:
        raise AtlasError(f"{file} cannot be read ({error.strerror}).") from error


def try_robots(robots: RobotsFile, agent: str, urls: Iterable[str]) -> Iterator[Tried]:
    """The answer for each address, or path from '/' on. Raises AtlasError for anything else."""
    matcher = Matcher(robots, agent)
    for url in urls:
        answer = matcher.ask(_path(url))
        rule = answer.rule
        yield Tried(
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
