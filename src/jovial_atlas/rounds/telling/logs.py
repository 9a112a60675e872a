"""Server logs read for the crawlers of a site's engines: who came, to what, and who only says
so."""

from __future__ import annotations

import socket
from collections.abc import Iterable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.address_columns import normal_addresses
from jovial_atlas.engines.public_pages import PublicPages
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import packed
from jovial_atlas.ledger import Ledger, Visit
from jovial_atlas.logs.forms import UsualForm
from jovial_atlas.logs.people import PeopleCounted, PeopleCounter
from jovial_atlas.logs.tally import LogStream, Tally, Visits, count
from jovial_atlas.logs.verify import Resolver, is_genuine
from jovial_atlas.pages.keys import key_of, keys_of, places_in
from jovial_atlas.rounds.state.last_survey import stored_pages
from jovial_atlas.rounds.state.names import PAGE_TABLE, TRAFFIC
from jovial_atlas.rounds.state.published import PublishedSite
from jovial_atlas.rounds.state.traffic import keep_figures
from jovial_atlas.sitefile import Engine, SiteFile
from jovial_atlas.traffic.visits import keep_times, keep_visits, times_read


@dataclass(slots=True)
class Seen:
    """One crawler in the logs. Figures are of genuine requests; `forged` counts those of addresses
    that are not the crawler's, `unproven` those of which nothing tells."""

    engine: str
    crawler: str
    requests: int
    first: str
    last: str
    robots_at: str | None
    sitemaps_read: int
    sitemap_at: str | None
    pages: int
    listed: int
    never: int
    errors: dict[str, tuple[int, str]] = field(default_factory=dict)
    forged: int = 0
    unproven: int = 0
    forgers: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PeopleSeen:
    """Visits of people to pages: how many, to how many pages, on which days; and requests that had
    been counted before."""

    visits: int
    pages: int
    begins: date | None
    ends: date | None
    before: int


class NeverAsked:
    """The public pages but for those that were asked for: looked for where they are shown, since a
    large site has more than can be held."""

    def __init__(self, pages: PublicPages, asked: Sequence[str]) -> None:
        self._pages = pages
        self._asked = keys_of(pl.Series(asked, dtype=pl.String)).unique().sort()

    def __len__(self) -> int:
        return len(self._pages) - self._asked.len()

    def first(self, most: int | None = None) -> list[str]:
        """The first of them in the order of their addresses, or all."""
        found = pl.Series([], dtype=pl.String)
        for _, piece in self._pages.pieces():
            unasked = places_in(self._asked, keys_of(piece["loc"])).is_null()
            found = pl.concat([found, piece["loc"].filter(unasked)])
            if most is not None:
                found = pl.Series(found.sort().head(most).to_list(), dtype=pl.String)
        return found.sort().to_list()


@dataclass(frozen=True, slots=True)
class LogsRead:
    """What came of some logs; `never` is of the listed addresses that no crawler of any engine
    asked for."""

    lines: int
    unread: int
    crawlers: list[Seen]
    never: NeverAsked
    #: What is odd about files, as sentences.
    odd: tuple[str, ...] = ()
    people: PeopleSeen | None = None


def dns() -> Resolver:
    """A resolver that asks the name servers of this machine."""

    def reverse(address: str) -> Sequence[str]:
        try:
            name, others, _ = socket.gethostbyaddr(address)
        except OSError:
            return ()
        return (name, *others)

    def forward(name: str) -> Sequence[str]:
        try:
            return [str(one[4][0]) for one in socket.getaddrinfo(name, None)]
        except OSError:
            return ()

    return Resolver(reverse, forward)


def read_logs(
    site: SiteFile,
    engines: Sequence[Engine],
    files: Sequence[Path],
    ledger: Ledger | None = None,
    resolver: Resolver | None = None,
    server: str = "",
) -> LogsRead:
    """Read log files of any form, plain or packed, in any order; `-` is standard input. What is
    seen of crawlers is noted in the ledger. Where several servers answer for the site, each has a
    name: what one of them logged of a time does not stand for the others. Raises AtlasError for a
    file that cannot be read, and where no engine names a crawler."""
    by_token = {token.lower(): engine for engine in engines for token in engine.crawlers}
    if not by_token:
        raise AtlasError(
            'No engine of the site file names a crawler. Add crawlers = ["token"] to an [[engine]].'
        )
    with ExitStack() as stack:
        odd: list[str] = []
        folder = site.traffic_folder / TRAFFIC
        people = PeopleCounter(times_read(folder, server), sorted(by_token))
        streams = (_Heard(stack.enter_context(opened_log(one, odd)), people) for one in files)
        counted = count(streams, sorted(by_token))
    public = PublishedSite(site)
    listed = _listed(counted.crawlers.values(), public.pages, site.model.site.url)
    sitemaps = {addresses.path_and_query(loc) for loc in public.record.sitemaps}
    tallies, visited = [], set()
    for token, tally in counted.crawlers.items():
        engine = by_token[token]
        wrong, unproven = _judged(tally, engine, resolver)
        genuine = tally
        if wrong and all(str(one) != "-" for one in files):
            # The figures are those of the crawler itself: read once more without the others.
            genuine = _again(files, token, frozenset(wrong))
        seen = _seen(engine, genuine, listed, len(public.pages), sitemaps)
        seen.forged = sum(tally.addresses[one] for one in wrong)
        seen.unproven = unproven
        seen.forgers = tuple(sorted(wrong, key=lambda one: -tally.addresses[one])[:5])
        tallies.append(seen)
        visited |= set(genuine.visits) & set(listed)
        if ledger is not None:
            ledger.note_visits(_noted(engine, genuine, site, listed, sitemaps))
    never = NeverAsked(public.pages, [listed[path] for path in visited])
    seen_people = _people(site, people.counted(), server, keep=ledger is not None)
    return LogsRead(counted.lines, counted.unread, tallies, never, tuple(odd),
                    seen_people)  # fmt: skip


class _Heard:
    """A log whose pieces, as they are read, are also looked at for people."""

    def __init__(self, stream: LogStream, people: PeopleCounter) -> None:
        self._stream, self._people = stream, people

    def read(self, size: int = -1) -> bytes:
        """The next piece; nothing at the end."""
        piece = self._stream.read(size)
        if piece:
            self._people.take(piece)
        else:
            self._people.end_of_file()
        return piece


def _people(
    site: SiteFile, counted: PeopleCounted, server: str, *, keep: bool
) -> PeopleSeen:
    """Visits to pages of the last survey, kept where that is wanted. What an address asks for
    behind a question mark counts for the page, unless it is a page of its own."""
    folder, url = site.traffic_folder / TRAFFIC, site.model.site.url
    pages = stored_pages(site.shared_state / PAGE_TABLE)
    keys = pl.Series([], dtype=pl.UInt64)
    if pages is not None:
        alive = pl.col("kind").is_in(["page", "document"]).fill_null(True)
        keyed = pages.filter(alive).select(key_of(pl.col("loc")))
        keys = keyed.collect(engine="streaming").to_series().sort()
    asked = counted.visits.with_columns(
        whole=normal_addresses(counted.visits["path"], url),
        bare=normal_addresses(counted.visits["path"].str.replace(r"\?.*$", ""), url),
    )
    known = [
        pl.when(places_in(keys, keys_of(asked[name])).is_not_null()).then(name)
        for name in ("whole", "bare")
    ]
    visits = (
        asked.with_columns(loc=pl.coalesce(known))
        .drop_nulls("loc")
        .group_by("date", "loc")
        .agg(pl.col("visits").sum())
    )
    if keep and visits.height:
        keep_visits(folder, visits)
    if keep and counted.times:
        keep_times(folder, counted.times, server)
        keep_figures(site)
    days = sorted(counted.times)
    return PeopleSeen(int(visits["visits"].sum()), visits["loc"].n_unique(),
                      days[0] if days else None, days[-1] if days else None,
                      counted.before)  # fmt: skip


@contextmanager
def opened_log(path: Path, odd: list[str] | None = None) -> Iterator[LogStream]:
    """A log file of any form as lines of the Combined Log Format, unpacked where its content says
    that it is packed; `-` is standard input. `odd` gets what is odd about it, as sentences. Raises
    AtlasError."""
    if str(path) == "-":
        import sys

        log = UsualForm(sys.stdin.buffer)
        yield log
        _note_form("standard input", log, odd)
        return
    try:
        with packed.opened(path) as (stream, unpacking):
            log = UsualForm(stream)
            yield log
            _note_form(str(path), log, odd)
            if unpacking and unpacking.junk and odd is not None:
                odd.append(
                    f"Something that is no gzip stands behind the end of {path}; it is left out."
                )
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error}).") from error


def _note_form(name: str, log: UsualForm, odd: list[str] | None) -> None:
    if odd is not None and not log.is_log:
        odd.append(
            f"No line of {name} tells of a request: is it an access log? Known are the Common and "
            "Combined Log Format, the Extended one with its line of #Fields, and JSON."
        )


def _again(files: Sequence[Path], token: str, skip: frozenset[str]) -> Tally:
    with ExitStack() as stack:
        streams = (stack.enter_context(opened_log(one)) for one in files)
        return count(streams, [token], skip=skip).crawlers[token]


def _judged(tally: Tally, engine: Engine, resolver: Resolver | None) -> tuple[list[str], int]:
    """The addresses that are not the crawler's, and requests of which nothing tells."""
    wrong, unproven = [], 0
    for address, requests in tally.addresses.items():
        genuine = is_genuine(address, engine.crawler_ranges, engine.crawler_hosts, resolver)
        if genuine is None:
            unproven += requests
        elif not genuine:
            wrong.append(address)
    return wrong, unproven


def _listed(tallies: Iterable[Tally], pages: PublicPages, url: str) -> dict[str, str]:
    """Path → address of the public pages that were asked for."""
    every = dict.fromkeys(path for tally in tallies for path in tally.visits)
    paths = pl.Series(list(every), dtype=pl.String)
    listed = places_in(pages.keys, keys_of(url + paths)).is_not_null()
    return {path: url + path for path in paths.filter(listed).to_list()}


def _seen(
    engine: Engine, tally: Tally, listed: dict[str, str], count: int, sitemaps: set[str]
) -> Seen:
    pages = {path: one for path, one in tally.visits.items() if path in listed}
    read = [one.last for path, one in tally.visits.items() if path in sitemaps]
    robots = tally.visits.get("/robots.txt")
    bad: dict[str, tuple[int, str]] = {}
    for path, one in sorted(tally.visits.items(), key=lambda item: -item[1].count):
        if one.status >= 400:
            had = bad.get(str(one.status), (0, path))
            bad[str(one.status)] = (had[0] + one.count, had[1])
    return Seen(
        engine.name, tally.token, tally.requests, tally.first, tally.last,
        robots.last if robots else None, len(read), max(read, default=None), len(pages),
        count, count - len(pages), dict(sorted(bad.items())),
    )  # fmt: skip


def _noted(
    engine: Engine, tally: Tally, site: SiteFile, listed: dict[str, str], sitemaps: set[str]
) -> list[Visit]:
    """What the ledger keeps: visits to robots.txt, sitemaps and listed pages."""

    def visit(path: str, one: Visits) -> Visit:
        loc = listed.get(path, site.model.site.url + path)
        return Visit(engine.name, tally.token, loc, one.last, one.status, one.count, one.first)

    kept = {"/robots.txt", *sitemaps, *listed}
    return [visit(path, one) for path, one in tally.visits.items() if path in kept]
