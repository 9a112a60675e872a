"""Sets of sitemap files: reading an index with what it lists, checking all of it together."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator
from dataclasses import dataclass, field

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.faults import Fault, plural
from jovial_atlas.robots import Matcher, RobotsFile
from jovial_atlas.sitemaps.check import Place, check_duplicates, check_file, check_nesting
from jovial_atlas.sitemaps.read import SitemapFile, read_sitemap


@dataclass(frozen=True, slots=True)
class Fetched:
    """What came of asking for one file: its shown name, its address if known, bytes or a fault."""

    name: str
    address: str | None
    data: bytes | None
    fault: Fault | None = None


#: Gets the file behind an entry of an index: (loc, the index) → what came of it.
Fetch = Callable[[str, Fetched], Fetched]


@dataclass(slots=True)
class SitemapSet:
    """Files that were read together, in order, with their addresses where known."""

    files: list[tuple[Fetched, SitemapFile]] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)

    @property
    def locs(self) -> set[str]:
        """Normalised addresses of all pages listed."""
        return {loc for _, _, loc in self.entries()}

    def entries(self) -> Iterator[tuple[SitemapFile, int, str]]:
        """(file, line, normalised address) of every page listed."""
        for _, file in self.files:
            if file.kind in ("sitemapindex", ""):
                continue
            for entry in file.entries:
                try:
                    yield file, entry.line, addresses.normalise(entry.loc)
                except ValueError:
                    continue


def read_set(starts: Iterable[Fetched], fetch: Fetch) -> SitemapSet:
    """Read files and, for an index, what it lists; each file once."""
    read = SitemapSet()
    seen: set[str] = set()
    for start in starts:
        file = _read(start, read, seen)
        if file is None or file.kind != "sitemapindex":
            continue
        listed: dict[str, SitemapFile] = {}
        for entry in file.entries:
            if entry.loc and entry.loc not in listed:
                child = fetch(entry.loc, start)
                if (found := _read(child, read, seen)) is not None:
                    listed[entry.loc] = found
        read.faults += check_nesting(file, listed)
    return read


def _read(fetched: Fetched, read: SitemapSet, seen: set[str]) -> SitemapFile | None:
    if fetched.fault:
        read.faults.append(fetched.fault)
    if fetched.data is None or fetched.name in seen:
        return None
    seen.add(fetched.name)
    file = read_sitemap(fetched.data, fetched.name)
    read.files.append((fetched, file))
    return file


def check_set(read: SitemapSet, now: str, proven: Collection[str] = ()) -> Iterator[Fault]:
    """Every rule of the protocol for each file, and those that cross files."""
    yield from read.faults
    for fetched, file in read.files:
        yield from check_file(file, Place(fetched.address, proven), now)
    yield from check_duplicates(file for _, file in read.files)


def check_against_robots(read: SitemapSet, robots: RobotsFile) -> Iterator[Fault]:
    """Sitemaps and listed pages that robots.txt bars crawlers from."""
    matcher = Matcher(robots, "*")
    for fetched, _ in read.files:
        if fetched.address:
            answer = matcher.ask(addresses.path_and_query(fetched.address))
            if not answer.allowed:
                yield Fault("robots-bars-sitemap", fetched.name, f"{str(answer.rule)!r} bars it.")
    for file, line, loc in read.entries():
        answer = matcher.ask(addresses.path_and_query(loc))
        if not answer.allowed:
            yield Fault(
                "listed-disallowed", f"{file.name}:{line}", f"{str(answer.rule)!r} bars {loc}."
            )


def check_against_pages(read: SitemapSet, decided: pl.DataFrame) -> Iterator[Fault]:
    """What the files list against what was decided: the contradictions owners ask about."""
    verdicts = {
        row["loc"]: row
        for row in decided.select(
            "loc", "listed", "index", "redirect", "canonical", "reason"
        ).to_dicts()
    }
    for file, line, loc in read.entries():
        where = f"{file.name}:{line}"
        page = verdicts.get(loc)
        if page is None:
            yield Fault("listed-unknown", where, f"{loc} is no page of the last survey.")
        elif not page["listed"]:
            code, said = _contradiction(page)
            yield Fault(code, where, f"{loc} is listed, but {said}.")
    listed = read.locs
    missing = [loc for loc, page in verdicts.items() if page["listed"] and loc not in listed]
    if missing:
        shown = ", ".join(addresses.path_and_query(loc) for loc in missing[:4])
        more = f" and {len(missing) - 4:,} more" if len(missing) > 4 else ""
        yield Fault(
            "listed-missing",
            missing[0],
            f"{plural(len(missing), 'listed page')} "
            f"{'stands' if len(missing) == 1 else 'stand'} in no sitemap: {shown}{more}.",
        )


def _contradiction(page: dict[str, object]) -> tuple[str, str]:
    if not page["index"]:
        return "listed-noindexed", str(page["reason"])
    if page["redirect"]:
        return "listed-redirected", f"it sends visitors on to {page['redirect']}"
    if page["canonical"] and page["canonical"] != page["loc"]:
        return "listed-other-canonical", f"its canonical is {page['canonical']}"
    return "listed-unlisted", str(page["reason"])
