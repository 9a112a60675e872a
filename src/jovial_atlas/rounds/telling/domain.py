"""How far the move of a domain is: step by step, each with what is still to be done; and how many
addresses have passed over at each engine."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime

import polars as pl

from jovial_atlas import addresses, dates
from jovial_atlas.checks.variants import AddressVariant, check_variants
from jovial_atlas.engines.published import SITEMAPS
from jovial_atlas.errors import AtlasError, NetworkError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.ledger import Ledger
from jovial_atlas.robots import Matcher, parse_robots
from jovial_atlas.rounds.deciding.domain import DomainCount, course_of, old_addresses
from jovial_atlas.rounds.publishing.old_host import OLD_FILES, old_end, old_host_map
from jovial_atlas.rounds.publishing.redirects import redirects_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import INDEX, SERVERS
from jovial_atlas.rounds.state.record import load_record
from jovial_atlas.rounds.state.sending import Sending
from jovial_atlas.sitefile import Engine, SiteFile
from jovial_atlas.values import replace
from jovial_atlas.web import Client, Request, send

DONE, TODO, OPEN = "done", "to do", "not looked at"
#: The steps of a move, in their order.
DOMAIN_STEPS = (
    "Both hosts are owned at each engine",
    "The pages are surveyed at the new host",
    "Every old address leads to its page in one hop",
    "Canonicals, language versions, links, pictures and data name the new host",
    "Sitemaps, robots.txt and the files for the old host are built",
    "The old host sends everybody on in one hop",
    "The robots.txt of the old host is open",
    "The new sitemap is announced",
    "Engines have the new addresses in place of the old ones",
)
#: Of old addresses so many are asked for at the server.
_MOST_ASKED = 500
_PAGE_BYTES = 200_000


@dataclass(frozen=True, slots=True)
class DomainStep:
    """One step of a move: its name, state (done, to do, not looked at), what was found, and what to
    do."""

    name: str
    state: str
    found: str
    fix: str = ""


@dataclass(frozen=True, slots=True)
class DomainServers:
    """How servers are asked: the client, and where the two hosts are while they are not at their
    addresses yet."""

    client: Client
    old: str | None = None


@dataclass(frozen=True, slots=True)
class DomainState:
    """A move: the old and the new host, since when, its steps, and what engines knew over time."""

    old: str
    new: str
    since: str
    steps: list[DomainStep]
    course: list[DomainCount]


def domain_state(
    survey: LastSurvey, ledger: Ledger, servers: DomainServers | None = None
) -> DomainState:
    """The state of the move that goes on. Raises AtlasError where none does."""
    site = survey.site
    old = site.model.moves.old_url
    if not old:
        raise AtlasError(
            "No domain moves. Begin with the new address: jovial-atlas moves domain "
            "https://www.new.example"
        )
    steps = [
        _owned(site),
        _surveyed(survey),
        _mapped(survey),
        _inside(survey),
        _built(site),
        *_served(survey, servers),
        _announced(site, ledger),
        _passed(site),
    ]
    return DomainState(old, site.model.site.url, site.model.moves.moved_on, steps, course_of(site))


def _owned(site: SiteFile) -> DomainStep:
    bare = [one.name for one in site.model.engine if not (one.ownership.meta or one.ownership.file)]
    name = DOMAIN_STEPS[0]
    if not site.model.engine:
        return DomainStep(name, OPEN, "The site file names no engine.")
    if bare:
        return DomainStep(
            name, TODO, f"Nothing proves to {', '.join(bare)} whose the site is.",
            "Prove both hosts there, and keep the proof in `ownership` of the [[engine]]; use the "
            "engine's form for a change of address, if it has one.",
        )  # fmt: skip
    return DomainStep(
        name, DONE, "The site file holds a proof for each engine.",
        "Keep the proof of the old host too, and use each engine's form for a change of address.",
    )  # fmt: skip


def _surveyed(survey: LastSurvey) -> DomainStep:
    new, name = survey.site.model.site.url, DOMAIN_STEPS[1]
    on_new = pl.col("loc").str.starts_with(f"{new}/")
    count = survey.pages.select(on_new.sum()).collect(engine="streaming").item() or 0
    if count and survey.at[:10] >= survey.site.model.moves.moved_on[:10]:
        return DomainStep(name, DONE, f"{plural(count, 'page')} there.")
    return DomainStep(
        name, TODO, f"{count:,} of {survey.count:,} pages are there.",
        "Run `jovial-atlas survey --accept`: all addresses are others than before.",
    )  # fmt: skip


def _mapped(survey: LastSurvey) -> DomainStep:
    name, site = DOMAIN_STEPS[2], survey.site
    listed = old_addresses(site)
    redirects = redirects_of(survey)
    by = old_host_map(site, redirects)
    ends = {loc: old_end(by, redirects, loc) for loc in listed}
    targets = {end.to.partition("#")[0] for end in ends.values() if end and end.to}
    wanted = pl.col("loc").is_in(pl.Series(sorted(targets), dtype=pl.String).implode())
    there = set(survey.pages.filter(wanted).select("loc").collect(engine="streaming")["loc"])
    lost = [
        loc
        for loc, end in ends.items()
        if end is None or end.loops or (end.to and end.to.partition("#")[0] not in there)
    ]
    if not lost:
        return DomainStep(name, DONE, f"{plural(len(listed), 'address', 'addresses')} do.")
    return DomainStep(
        name, TODO, f"{len(lost):,} of {len(listed):,} lead to nothing: {_some(lost)}.",
        "Run `jovial-atlas moves`, and take what is proposed for their paths.",
    )  # fmt: skip


def _some(locs: Sequence[str]) -> str:
    paths = ", ".join(addresses.path_and_query(loc) for loc in locs[:3])
    return paths + (f" and {len(locs) - 3:,} more" if len(locs) > 3 else "")


def _inside(survey: LastSurvey) -> DomainStep:
    """Whether pages still name the old host."""
    name = DOMAIN_STEPS[3]
    old = survey.site.model.moves.old_url
    begins = pl.element().str.starts_with(f"{old}/")
    named = {
        "canonical": pl.col("canonical").str.starts_with(f"{old}/"),
        "alternates": pl.col("alternates")
        .list.eval(pl.element().struct.field("href").str.starts_with(f"{old}/"))
        .list.any(),
        "links": pl.col("links").list.eval(begins).list.any(),
        "images": pl.col("images")
        .list.eval(pl.element().struct.field("loc").str.starts_with(f"{old}/"))
        .list.any(),
        "share_image": pl.col("share_image").str.starts_with(f"{old}/"),
        "data": pl.col("data").str.contains(old, literal=True),
    }
    words = {
        "canonical": "canonical", "alternates": "language versions", "links": "links",
        "images": "pictures", "share_image": "picture for sharing", "data": "structured data",
    }  # fmt: skip
    counts = survey.pages.select(
        **{column: test.fill_null(False).sum() for column, test in named.items()}
    ).collect(engine="streaming").to_dicts()[0]  # fmt: skip
    told = [f"{words[column]} of {plural(n, 'page')}" for column, n in counts.items() if n]
    if lines := _lines_with(survey.site, old):
        told.append(f"the site file, line {', '.join(map(str, lines))}")
    if not told:
        return DomainStep(name, DONE, "No page names the old one.")
    return DomainStep(
        name, TODO, f"The old host stands in {', '.join(told)}.",
        "Correct the address in the templates of the site, then build and survey it again; "
        "`jovial-atlas inject` writes canonicals and data anew.",
    )  # fmt: skip


def _lines_with(site: SiteFile, old: str) -> list[int]:
    """The lines of the site file that still name the old host: profiles, logo, search, feeds."""
    lines = site.path.read_text("utf-8-sig").splitlines()
    return [
        number
        for number, line in enumerate(lines, start=1)
        if old in line and not line.strip().startswith(("#", "old_url"))
    ]


def _built(site: SiteFile) -> DomainStep:
    name, new = DOMAIN_STEPS[4], site.model.site.url
    record = load_record(site)
    mine = [loc for loc in record.sitemaps if loc.startswith(f"{new}/")]
    there = (site.state / SERVERS / OLD_FILES / "nginx.conf").exists()
    if mine and there and record.at[:10] >= site.model.moves.moved_on[:10]:
        where = f".jovial-atlas/{SERVERS}/{OLD_FILES}/"
        return DomainStep(name, DONE, f"{plural(len(mine), 'sitemap')}; {where} for the old host.")
    if record.at[:10] >= site.model.moves.moved_on[:10] and there:
        return DomainStep(
            name, TODO, "The last build lists no page of the new host.",
            "See `jovial-atlas explain /` for why; the canonical of pages must be on the new host.",
        )  # fmt: skip
    return DomainStep(name, TODO, "The last build was for the old host.",
                      "Run `jovial-atlas build --accept`.")  # fmt: skip


def _served(survey: LastSurvey, servers: DomainServers | None) -> list[DomainStep]:
    live = DOMAIN_STEPS[5]
    robots = DOMAIN_STEPS[6]
    if servers is None:
        fix = "Put the files for the old host in place, then: jovial-atlas moves domain --live"
        return [DomainStep(live, OPEN, "The server was not asked.", fix),
                DomainStep(robots, OPEN, "The server was not asked.")]  # fmt: skip
    asked = old_addresses(survey.site)
    step = max(1, len(asked) // _MOST_ASKED)
    some = asked[::step][:_MOST_ASKED]
    faults = list(_asked(survey, some, servers))
    found = f"{plural(len(some), 'address', 'addresses')} of {len(asked):,} asked for"
    state = DomainStep(live, DONE, f"{found}: all of them.") if not faults else DomainStep(
        live, TODO, f"{found}: {len(faults):,} are not. {faults[0].message}",
        f"Include .jovial-atlas/{SERVERS}/{OLD_FILES}/nginx.conf or apache.conf on the old server.",
    )  # fmt: skip
    return [state, _open_robots(survey.site, robots, servers)]


def _asked(survey: LastSurvey, some: Sequence[str], servers: DomainServers) -> Iterator[Fault]:
    """What is wrong with how the old host answers for some addresses."""
    redirects = redirects_of(survey)
    by = old_host_map(survey.site, redirects)
    for loc in some:
        end = old_end(by, redirects, loc)
        if end is None or end.loops:
            yield Fault("variant-lost", loc, f"No move leads {loc} anywhere.")
            continue
        if not end.to:
            continue  # it is gone
        one = AddressVariant(loc, end.to.partition("#")[0], "at the old host")
        faults = list(check_variants([one], servers.client, servers.old))
        yield from faults
        if not faults and _is_silent(loc, servers):
            yield Fault("variant-lost", loc, f"{loc} gave no answer.")


def _is_silent(loc: str, servers: DomainServers) -> bool:
    try:
        _get(loc, servers)
    except NetworkError:
        return True
    return False


def _get(loc: str, servers: DomainServers) -> bytes:
    asked, headers = loc, {}
    if servers.old:
        origin = addresses.origin(loc)
        headers["Host"] = origin.partition("://")[2]
        asked = servers.old + loc[len(origin) :]
    answer = send(servers.client, Request("GET", asked, headers), tries=1, largest=_PAGE_BYTES,
                  cut=True)  # fmt: skip
    if answer.status != 200 and not 300 <= answer.status < 400:
        raise NetworkError(f"{loc} answers with status {answer.status}.")
    return answer.body if answer.status == 200 else b""


def _open_robots(site: SiteFile, name: str, servers: DomainServers) -> DomainStep:
    loc = f"{site.model.moves.old_url}/robots.txt"
    try:
        matcher = Matcher(parse_robots(_get(loc, servers)), "*")
    except NetworkError as error:
        if "status 404" in str(error):
            return DomainStep(name, DONE, "There is none, so nothing is closed.")
        return DomainStep(name, TODO, str(error), "Let the old host answer for it.")
    if matcher.ask("/").allowed:
        return DomainStep(name, DONE, "Crawlers may see where the old addresses lead.")
    return DomainStep(name, TODO, "It keeps crawlers out, so they never see the moves.",
                      f"Serve .jovial-atlas/{SERVERS}/{OLD_FILES}/robots.txt there.")  # fmt: skip


def _announced(site: SiteFile, ledger: Ledger) -> DomainStep:
    name, index = DOMAIN_STEPS[7], f"{site.model.site.url}/{INDEX}"
    if not site.model.engine:
        return DomainStep(name, OPEN, "The site file names no engine.")
    mute = [e.name for e in site.model.engine if index not in ledger.heard(e.name, SITEMAPS)]
    if mute:
        return DomainStep(name, TODO, f"{', '.join(mute)} does not know {index}.",
                          "Run `jovial-atlas submit`.")  # fmt: skip
    return DomainStep(name, DONE, "Every engine was told of it.")


def _passed(site: SiteFile) -> DomainStep:
    name, course = DOMAIN_STEPS[8], course_of(site)
    if not course:
        return DomainStep(name, OPEN, "No engine was asked.",
                          "Ask now and then: jovial-atlas moves domain --ask")  # fmt: skip
    last = {one.engine: one for one in course}
    told = [
        f"{one.engine}: {one.new_indexed:,} new, {one.old_indexed:,} old" for one in last.values()
    ]
    done = all(not one.old_indexed and one.new_indexed for one in last.values())
    fix = "" if done else "It takes weeks; keep the old host and its redirects for a year at least."
    return DomainStep(name, DONE if done else TODO, "; ".join(told) + ".", fix)


def ask_engines(
    site: SiteFile, engines: Sequence[Engine], sending: Sending, now: datetime
) -> tuple[list[DomainCount], list[str]]:
    """What engines have of the old and of the new host now; and why some could not be asked."""
    counts, troubles = [], []
    for engine in engines:
        try:
            old = _known(engine, site, sending, site.model.moves.old_url)
            new = _known(engine, site, sending, site.model.site.url)
        except NetworkError as error:
            troubles.append(str(error))
            continue
        if old is None or new is None:
            troubles.append(
                f"{engine.name} has no channel read-pages or read-sitemaps, so it cannot tell."
            )
            continue
        counts.append(DomainCount(dates.write(now), engine.name, *old, *new))
    return counts, troubles


def _known(engine: Engine, site: SiteFile, sending: Sending, url: str) -> tuple[int, int] | None:
    """How many pages of a host an engine has in its index, and knows; None where it cannot say."""
    asking = replace(sending.asking(engine, site), site_url=url)
    pages = [page for part in asking.pages() for page in part]
    if pages:
        mine = [page for page in pages if page.loc.startswith(f"{url}/")]
        return sum(bool(page.indexed) for page in mine), len(mine)
    reports = asking.sitemaps()
    if reports is None:
        return None
    files = [one for one in reports if not one.loc.endswith(f"/{INDEX}")] or reports
    return sum(one.indexed or 0 for one in files), sum(one.found or 0 for one in files)
