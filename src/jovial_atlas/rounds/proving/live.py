"""Asking the server of a site: what it serves against what was decided."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from pathlib import Path

import msgspec
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas import addresses, dates
from jovial_atlas.checks.live import (
    Estimate,
    Journal,
    ListedAddress,
    LiveAsking,
    check_live,
    estimate,
    faults_of,
    sampled,
)
from jovial_atlas.checks.sets import SitemapSet
from jovial_atlas.checks.variants import check_variants, variants_of
from jovial_atlas.errors import NetworkError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.robots import Matcher, RobotsFile, parse_robots
from jovial_atlas.robots.directives import read_header
from jovial_atlas.robots.words import may_index
from jovial_atlas.rounds.proving.robots import compare_robots, read_robots
from jovial_atlas.rules import deciding_crawlers
from jovial_atlas.rules.hiding import robots_hide
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page
from jovial_atlas.web import Answer, Client, Request, send

_PAGE_BYTES = 2_000_000


class Live(msgspec.Struct, frozen=True):
    """How a check asks a server for what is listed: through `client`, at `origin` where that is
    not yet the site's own, `sample` addresses or all, taking up a run before or not; with other
    spellings of addresses (`variants`) or without."""

    client: Client
    origin: str | None = None
    sample: int | None = None
    resume: bool = False
    per_second: float = 20.0
    at_once: int = 8
    variants: bool = False
    progress: Callable[[int, int], None] | None = None


def ask(
    read: SitemapSet,
    live: Live,
    public: str,
    now: datetime,
    path: Path | None,
    hidden: Sequence[str] = (),
    crawlers: Sequence[str] = (),
) -> tuple[list[Fault], Estimate]:
    """Ask the server for the listed addresses, and those that must not be indexed, or for a
    sample of them. What is on another host is not ours to ask for, and is left out."""
    origin = live.origin or public
    pages = read.rows["loc"].unique(maintain_order=True).to_list()
    whole = [ListedAddress(loc) for loc in pages]
    whole += [ListedAddress(loc, picture=True) for loc in sorted(read.pictures())]
    whole += [ListedAddress(loc, hidden=True) for loc in sorted(set(hidden) - set(pages))]
    whole = [one for one in whole if addresses.origin(one.loc) in (public, origin)]
    chosen = sampled(whole, live.sample, dates.write(now)[:10])
    journal = Journal(path, origin)
    if live.resume:
        journal.take_up(now)
    else:
        journal.begin()
    how = LiveAsking(live.client, origin, public, live.per_second, live.at_once, tuple(crawlers))
    faults: list[Fault] = []
    faulty = 0
    for one, result in check_live(chosen, how, now, journal, live.progress):
        faults += faults_of(one, result)
        faulty += bool(result)
    order = {one.loc: number for number, one in enumerate(whole)}
    faults.sort(key=lambda fault: order[fault.where])
    return faults, estimate(len(chosen), len(whole), faulty)


def served_robots(
    live: Live, site: SiteFile, built: RobotsFile | None, locs: Sequence[str]
) -> Iterator[Fault]:
    """Whether the robots.txt that is served says what the built one says."""
    public = site.model.site.url
    address = f"{live.origin or public}/robots.txt"
    where = f"{public}/robots.txt"
    try:
        data, faults = read_robots(address, live.client)
    except NetworkError as error:
        yield Fault("live-failed", where, str(error))
        return
    yield from (Fault(fault.code, where, fault.message) for fault in faults)
    served = parse_robots(data, address)
    crawlers = sorted(site.crawlers)
    matchers = [Matcher(served, agent) for agent in deciding_crawlers(served, crawlers)]
    paths = [addresses.path_and_query(loc) for loc in locs]
    hides = list(
        robots_hide(
            served, where, lambda: not any(m.ask(p).allowed for m in matchers for p in paths),
            crawlers,
        )
    )  # fmt: skip
    yield from hides
    if built is None or hides:
        return
    agents = ["*", *sorted(site.crawlers)]
    changes = list(compare_robots(built, served, agents, locs))
    if changes:
        change = changes[0]
        may = "may" if change.after else "may not"
        sentence = f"{change.agent} {may} fetch {change.url} by the one served"
        yield Fault(
            "live-robots",
            where,
            f"{plural(len({change.url for change in changes}), 'page')} of the site are treated "
            f"otherwise than by the one that was built: {sentence}.",
        )


def ownership(live: Live, site: SiteFile) -> Iterator[Fault]:
    """Whether what proves to engines that the site is the owner's can be seen from outside."""
    public = site.model.site.url
    origin = live.origin or public
    home: Answer | None = None
    for engine in site.model.engine:
        proof = engine.ownership
        try:
            if proof.file:
                answer = send(live.client, Request("GET", f"{origin}/{proof.file}", {}), tries=1,
                              largest=_PAGE_BYTES, cut=True)  # fmt: skip
                if answer.status != 200 or answer.body.strip() != proof.content.strip().encode():
                    message = f"{engine.name} is shown no {proof.file} with its content."
                    yield Fault("ownership-gone", f"{public}/{proof.file}", message)
            if proof.meta and home is None:
                home = send(live.client, Request("GET", f"{origin}/", {}), tries=1,
                            largest=_PAGE_BYTES, cut=True)  # fmt: skip
        except NetworkError as error:
            yield Fault("live-failed", f"{public}/", str(error))
            return
        tags = LexborHTMLParser(home.body).css("meta[name]") if proof.meta and home else []
        shown = {(n.attributes.get("name"), n.attributes.get("content")) for n in tags}
        for name, token in proof.meta.items():
            if (name, token) not in shown:
                message = f"{engine.name} is shown no tag {name} with its token."
                yield Fault("ownership-gone", f"{public}/", message)


#: So many pages are asked for in other spellings.
_MOST_SPELLED = 12


def spelled_otherwise(live: Live, site: SiteFile, listed: Sequence[str]) -> Iterator[Fault]:
    """Whether other spellings of addresses lead to the one address in one hop: hosts and schemes of
    the home page and one other, spellings of a few pages."""
    if not live.variants:
        return
    url = site.model.site.url
    pages = sorted(loc for loc in listed if loc.startswith(f"{url}/") and loc != f"{url}/")
    some = pages[:: max(1, len(pages) // _MOST_SPELLED)][:_MOST_SPELLED]
    for number, loc in enumerate([f"{url}/", *some]):
        variants = variants_of(loc, site.model.site.other_hosts)
        if number > 1:
            variants = [one for one in variants if one.asked.startswith(f"{url}/")]
        if live.origin:
            # A server that stands for the site's own is asked by one scheme alone.
            own = url.partition("://")[0]
            variants = [one for one in variants if one.asked.partition("://")[0] == own]
        yield from check_variants(variants, live.client, live.origin)


def other_hosts(live: Live, site: SiteFile, now: datetime) -> Iterator[Fault]:
    """Whether other hosts that serve the site, as a temporary one, are open to indexing: they
    answer by themselves, and neither robots.txt, header nor tag keeps engines out."""
    for host in site.model.site.other_hosts:
        try:
            answer = send(
                live.client, Request("GET", f"{host}/", {}), tries=1, largest=_PAGE_BYTES, cut=True
            )
            if answer.status != 200 or not _indexable(answer, f"{host}/", now):
                continue
            data, _ = read_robots(host, live.client)
        except NetworkError:
            continue  # nobody is there, so nothing can be indexed
        if Matcher(parse_robots(data), "*").ask("/").allowed:
            said = f"It serves the site beside {site.model.site.url}, and nothing keeps engines out"
            yield Fault("host-open", f"{host}/", f"{said}.")


def _indexable(answer: Answer, loc: str, now: datetime) -> bool:
    if not read_header(answer.headers.get("x-robots-tag", ""))[""].index:
        return False
    reading = Reading("live", now, as_served=True)
    row, _ = read_page(answer.body, PageFile(Path(), loc, loc), reading)
    if row is None:
        return True
    away = row["canonical"] and addresses.origin(row["canonical"]) != addresses.origin(loc)
    return may_index(row["directives"]) and not away
