"""One check: of the build of a site, or of any file, folder or address."""

from __future__ import annotations

from contextlib import nullcontext
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import polars as pl

from jovial_atlas import addresses, dates
from jovial_atlas.checks import sets
from jovial_atlas.checks.fetching import OnDisk
from jovial_atlas.checks.live import Estimate, estimate
from jovial_atlas.checks.pages import hidden_pages
from jovial_atlas.checks.sets import SitemapSet
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.findings import Finding, findings_of
from jovial_atlas.foreign import in_utf8
from jovial_atlas.robots import RobotsFile
from jovial_atlas.rounds.proving.live import (
    Live,
    ask,
    other_hosts,
    ownership,
    served_robots,
    spelled_otherwise,
)
from jovial_atlas.rounds.proving.site_checks import CheckedHost, host_faults
from jovial_atlas.rounds.proving.targets import read_target, relative, robots_on_disk
from jovial_atlas.rounds.state.last_survey import LastSurvey, last_survey
from jovial_atlas.rounds.state.names import INDEX, LIVE_JOURNAL, ROBOTS
from jovial_atlas.rounds.state.survey_result import Apart
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.remote import get
from jovial_atlas.values import replace
from jovial_atlas.web import Client

if TYPE_CHECKING:
    from jovial_atlas.rounds.proving.page_check import CheckedPage


class Checked(msgspec.Struct, frozen=True):
    """What a check looked at, in words, and what it found, worst first."""

    looked_at: list[str]
    findings: list[Finding]
    live: Estimate | None = None
    #: Page → what it says of itself, in lines.
    pages: dict[str, list[str]] = msgspec.field(default_factory=dict)


def check_site(
    site: SiteFile,
    now: datetime,
    live: Live | None = None,
    apart: Apart = nullcontext,
    survey: LastSurvey | None = None,
) -> Checked:

    """The build of a site, host by host, against the protocols, the page table and itself. All
    that is built is read first; servers are asked `apart` from that. The `survey` is the last one,
    where it is at hand."""
    survey = survey or last_survey(site, now)
    faults: list[Fault] = [*survey.faults]
    looked_at: list[str] = []
    built = []
    for host in site.hosts:
        host_faults_found, built_host = _check_host(host, survey.of_host(host), now, looked_at)
        faults += host_faults_found
        built.append(built_host)
    if live is None:
        return Checked(looked_at, findings_of(faults))
    seen = []
    with apart():
        for built_host in built:
            host_faults_found, asked = _ask_host(built_host, live, now)
            faults += host_faults_found
            seen.append(asked)
            looked_at.append(live.origin or built_host.site.model.site.url)
    whole = seen[0]
    if len(seen) > 1:
        whole = estimate(
            *(sum(getattr(built_host, n) for built_host in seen) for n in ("asked", "of", "faulty"))
        )
    return Checked(looked_at, findings_of(faults), whole)


class _BuiltHost(msgspec.Struct, frozen=True):
    """What was built for a host, as far as its server is asked for it."""

    site: SiteFile
    read: SitemapSet
    robots: RobotsFile | None
    table: pl.LazyFrame


def _check_host(
    site: SiteFile, survey: LastSurvey, now: datetime, looked_at: list[str]
) -> tuple[list[Fault], _BuiltHost]:
    disk = OnDisk(site.output, f"{site.model.site.url}/", whole=True, shown=relative)
    read = _read_output(site, disk)
    host = CheckedHost(survey, robots_on_disk(site.output / ROBOTS), read, now)
    faults = list(host_faults(host))
    looked_at += [plural(survey.count, "page"), plural(len(read.files), "sitemap file"), ROBOTS]
    return faults, _BuiltHost(site, read, host.robots, host.table)


def _ask_host(built: _BuiltHost, live: Live, now: datetime) -> tuple[list[Fault], Estimate]:
    """What a host serves against what was built for it."""
    site = built.site
    url, crawlers = site.model.site.url, sorted(site.crawlers)
    faults, seen = ask(
        built.read, live, url, now, site.state / LIVE_JOURNAL, hidden_pages(built.table), crawlers
    )  # fmt: skip
    locs = built.table.select("loc").collect(engine="streaming").get_column("loc")
    faults += served_robots(live, site, built.robots, locs.to_list())
    faults += ownership(live, site)
    faults += other_hosts(live, site, now)
    faults += spelled_otherwise(live, site, built.read.rows["loc"].to_list())
    return faults, seen


def _read_output(site: SiteFile, disk: OnDisk) -> SitemapSet:
    start = site.output / INDEX
    return sets.read_set([disk.open(start)] if start.exists() else [], disk, site.state)


def check_target(
    target: str,
    now: datetime,
    client: Client,
    *,
    served_as: str | None = None,
    site: SiteFile | None = None,
    live: Live | None = None,
) -> Checked:
    """A file, a folder or an address by the protocol's rules. Raises AtlasError."""
    served = _served(served_as)
    if live is None and (page := _as_page(target, now, client, served, site)):
        return Checked([target], findings_of(page.faults), pages={target: page.told})
    found = read_target(target, client, served, site)
    read, faults = found.read, found.faults
    faults += sets.check_set(read, dates.write(now), found.robots)
    looked_at = [fetched.name for fetched, _ in read.files] or [target]
    seen = None
    if live and read.rows.height:
        public = addresses.origin(served or str(read.rows["loc"][0]))
        if live.origin is None and "://" in target:
            live = replace(live, origin=addresses.origin(addresses.normalise(target)))
        asked, seen = ask(read, live, public, now, None)
        faults += asked
    return Checked(looked_at, findings_of(faults), seen)


def _as_page(
    target: str, now: datetime, client: Client, served: str | None, site: SiteFile | None
) -> CheckedPage | None:
    """The check of a page of HTML; None where the target is something else. Raises AtlasError."""
    # Loaded where a page is checked alone.
    from jovial_atlas.rounds.proving.page_check import check_file, check_page, is_page

    if not target.startswith(("http://", "https://")):
        path = Path(target)
        data = path.read_bytes() if path.is_file() else b""
        return check_file(path, data, served, site, now) if is_page(target, data) and data else None
    loc = addresses.normalise(target)
    if addresses.path_and_query(loc) == "/" or loc.endswith((".xml", ".gz", ".txt")):
        return None
    answer = get(client, loc)
    data = in_utf8(answer.body, answer.headers.get("content-type", ""))
    return check_page(data, served or loc, loc, site, now) if is_page("", data) else None


def _served(served_as: str | None) -> str | None:
    if served_as is None:
        return None
    try:
        return addresses.normalise(served_as)
    except ValueError as error:
        raise AtlasError(f"--as: {error}.") from None
