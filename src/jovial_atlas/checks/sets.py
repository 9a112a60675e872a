"""Sets of sitemap files: reading an index with what it lists, checking all of it together."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import date
from functools import cached_property
from typing import Any

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.address_columns import whole_addresses
from jovial_atlas.faults import Fault, plural
from jovial_atlas.robots import Matcher, RobotsFile
from jovial_atlas.rules import barred, deciding_crawlers
from jovial_atlas.sitemaps.check import ServedAt, check_across, check_file, check_nesting, rows_of
from jovial_atlas.sitemaps.notes import MOST_TOLD
from jovial_atlas.sitemaps.read import FileKind, SitemapFile, media_of, read_sitemap


@dataclass(frozen=True, slots=True)
class Fetched:
    """What came of asking for one file: its shown name, its address if known, bytes or a fault."""

    name: str
    address: str | None
    data: bytes | None
    fault: Fault | None = None


#: Gets the file behind an entry of an index: (loc, the index) → what came of it.
Fetch = Callable[[str, Fetched], Fetched]


@dataclass
class SitemapSet:
    """Files that were read together, in order, with their addresses where known."""

    files: list[tuple[Fetched, SitemapFile]] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)

    def pictures(self) -> set[str]:
        """Normalised addresses of all pictures and thumbnails listed; what is none is left out."""
        given = {loc for fetched, _ in self.files for loc in media_of(fetched.data or b"")}
        return {loc for one in given if (loc := _normalised(one))}

    @cached_property
    def rows(self) -> pl.DataFrame:
        """All pages listed, one row an entry: `loc` normalised, `lastmod`, `line`, and the name
        of the `file`. What is no address is left out."""
        files = [file for _, file in self.files]
        names = pl.DataFrame(
            {"file": range(len(files)), "name": [file.name for file in files]},
            schema={"file": pl.UInt32, "name": pl.String},
        )
        found = rows_of(files).join(names, on="file", how="left", maintain_order="left")
        return _spelled(found).select("loc", "lastmod", "line", "companion", file="name")

    def rows_by_file(self) -> Iterator[pl.DataFrame]:
        """As `rows`, file after file, so that few are held at once; without names and lines."""
        xml = any(file.kind == FileKind.URLSET for _, file in self.files)
        for _, file in self.files:
            if file.kind == FileKind.URLSET or (file.kind == FileKind.TEXT and not xml):
                yield _spelled(file.rows).select("loc", "lastmod", "companion")


def _spelled(rows: pl.DataFrame) -> pl.DataFrame:
    """Rows with addresses in their one spelling; what is no address is left out."""
    return rows.with_columns(addresses_of(pl.col("loc"))).filter(pl.col("loc").is_not_null())


def addresses_of(loc: pl.Expr) -> pl.Expr:
    """A column of addresses in their one spelling, null for what is no address."""
    spelled = loc.map_batches(whole_addresses, return_dtype=pl.String, is_elementwise=True)
    return spelled.alias("loc")


def _normalised(text: str) -> str | None:
    try:
        return addresses.normalise(text)
    except ValueError:
        return None


def read_set(starts: Iterable[Fetched], fetch: Fetch) -> SitemapSet:
    """Read files and, for an index, what it lists; each file once, a few at the same time."""
    read = SitemapSet()
    seen: set[str] = set()
    with ThreadPoolExecutor(_THREADS) as pool:
        for start in starts:
            file = _read(start, read, seen)
            if file is None or file.kind != FileKind.INDEX:
                continue
            locs = list(dict.fromkeys(entry.loc for entry in file.entries if entry.loc))
            listed: dict[str, SitemapFile] = {}
            children = pool.map(lambda loc: _fetched(loc, start, fetch, seen), locs)  # noqa: B023
            for loc, (child, parsed) in zip(locs, children, strict=True):
                if (found := _read(child, read, seen, parsed)) is not None:
                    listed[loc] = found
            read.faults += check_nesting(file, listed)
            read.faults += [
                Fault(
                    "sitemap-index-nested", f"{file.name}:{entry.line}", "The index lists itself."
                )
                for entry in file.entries
                if entry.loc and _normalised(entry.loc) == _normalised(start.address or "")
            ]
    return read


_THREADS = 2


def _fetched(
    loc: str, index: Fetched, fetch: Fetch, seen: set[str]
) -> tuple[Fetched, SitemapFile | None]:
    child = fetch(loc, index)
    if child.data is None or child.name in seen:
        return child, None
    return child, read_sitemap(child.data, child.name)


def _read(
    fetched: Fetched, read: SitemapSet, seen: set[str], parsed: SitemapFile | None = None
) -> SitemapFile | None:
    if fetched.fault:
        read.faults.append(fetched.fault)
    if fetched.data is None or fetched.name in seen:
        return None
    seen.add(fetched.name)
    file = parsed or read_sitemap(fetched.data, fetched.name)
    read.files.append((fetched, file))
    return file


def check_set(read: SitemapSet, now: str, robots: RobotsFile | None = None) -> Iterator[Fault]:
    """Every rule of the protocol for each file, and those that cross files. A file that the
    host's robots.txt names may list all of that host (sitemaps.org, "cross submits")."""
    yield from read.faults
    named = {record.value for record in robots.sitemaps} if robots else set()
    for fetched, file in read.files:
        address = fetched.address
        proven = {addresses.origin(address)} if address and address in named else set()
        yield from check_file(file, ServedAt(fetched.address, proven), now)
    yield from check_across([file for _, file in read.files])


def check_against_robots(
    read: SitemapSet, robots: RobotsFile, crawlers: Sequence[str] = ()
) -> Iterator[Fault]:
    """Sitemaps and listed pages that robots.txt bars crawlers from, as the verdicts have it;
    `crawlers` are those of the site's engines."""
    agents = deciding_crawlers(robots, crawlers)
    matcher = Matcher(robots, agents[0])
    for fetched, _ in read.files:
        if fetched.address:
            answer = matcher.ask(addresses.path_and_query(fetched.address))
            if not answer.allowed:
                yield Fault("robots-bars-sitemap", fetched.name, f"{str(answer.rule)!r} bars it.")
    path = pl.col("loc").str.replace("^https?://[^/]+", "")
    closed = barred(robots, path, agents)
    if closed is None:
        return
    barred_rows = read.rows.filter(closed)
    for loc, file, line in _some(barred_rows):
        answer = matcher.ask(addresses.path_and_query(loc))
        yield Fault("listed-disallowed", f"{file}:{line}", f"{str(answer.rule)!r} bars {loc}.")
    yield from _left_out("listed-disallowed", barred_rows, "listed addresses are barred")


def _some(rows: pl.DataFrame) -> Iterator[tuple[str, str, int]]:
    yield from rows.head(MOST_TOLD).select("loc", "file", "line").iter_rows()


def _left_out(code: str, rows: pl.DataFrame, what: str) -> Iterator[Fault]:
    if rows.height > MOST_TOLD:
        left = rows.height - MOST_TOLD
        yield Fault(code, str(rows["file"][0]), f"{left:,} more {what}.")


def check_against_pages(read: SitemapSet, decided: pl.LazyFrame) -> Iterator[Fault]:
    """What the files list against what was decided: the contradictions owners ask about."""
    if _agree(read, decided):
        return
    pages = decided.select(
        "loc", "listed", "index", "redirect", "canonical", "reason", page_lastmod="lastmod"
    ).collect(engine="streaming")
    both = read.rows.join(pages, on="loc", how="left", maintain_order="left")
    unknown = both.filter(pl.col("listed").is_null())
    for loc, file, line in _some(unknown):
        yield Fault("listed-unknown", f"{file}:{line}", f"{loc} is no page of the last survey.")
    yield from _left_out("listed-unknown", unknown, "listed addresses are no pages")
    wrong = both.filter(~pl.col("listed"))
    for page in wrong.head(MOST_TOLD).iter_rows(named=True):
        code, said = _contradiction(page)
        where = f"{page['file']}:{page['line']}"
        yield Fault(code, where, f"{page['loc']} is listed, but {said}.")
    yield from _left_out("listed-unlisted", wrong, "listed addresses should not be listed")
    yield from _other_dates(both.filter("listed"))
    missing = pages.filter("listed").join(read.rows, on="loc", how="anti")["loc"].to_list()
    if missing:
        shown = ", ".join(addresses.path_and_query(loc) for loc in missing[:4])
        more = f" and {len(missing) - 4:,} more" if len(missing) > 4 else ""
        yield Fault(
            "listed-missing",
            missing[0],
            f"{plural(len(missing), 'listed page')} "
            f"{'stands' if len(missing) == 1 else 'stand'} in no sitemap: {shown}{more}.",
        )


def _agree(read: SitemapSet, decided: pl.LazyFrame) -> bool:
    """Whether files list the listed pages, each once, with their dates, and nothing else: then
    nothing needs to be compared page by page. By sums over both, as good as certain."""
    whole = pl.struct("loc", pl.col("lastmod").fill_null("")).hash(4)
    sums = [pl.len().cast(pl.UInt64).alias("rows"), whole.sum().alias("sum")]
    parts, beside = [], []
    for rows in read.rows_by_file():
        parts.append(rows.filter(~pl.col("companion")).select(sums))
        beside.append(rows.filter("companion").select("loc"))
    there = pl.concat(parts).sum().row(0) if parts else (0, 0)
    listed = decided.filter("listed").select("loc", "lastmod").select(sums)
    if there != listed.collect(engine="streaming").row(0):
        return False
    named = pl.concat(beside)["loc"].unique() if beside else pl.Series(dtype=pl.String)
    if not named.len():
        return True
    known = decided.filter("listed").select("loc").filter(pl.col("loc").is_in(named.implode()))
    return bool(known.select(pl.len()).collect(engine="streaming").item() == named.len())


def _other_dates(both: pl.DataFrame) -> Iterator[Fault]:
    """Files whose dates are not those of the pages: one finding a file, with the worst."""
    other = both.filter(pl.col("lastmod").ne_missing(pl.col("page_lastmod")) & ~pl.col("companion"))
    for (file,), rows in other.group_by("file", maintain_order=True):
        newest = rows.sort("page_lastmod", descending=True, nulls_last=True).row(0, named=True)
        listed_date, real = newest["lastmod"] or "no date", newest["page_lastmod"] or "no date"
        late = _days_between(newest["lastmod"], newest["page_lastmod"])
        yield Fault(
            "lastmod-differs",
            str(file),
            f"{plural(rows.height, 'address has', 'addresses have')} another date than the page: "
            f"{newest['loc']} says {listed_date}, the page {real}"
            + (f"; the file is {plural(late, 'day')} behind." if late else "."),
        )


def _days_between(earlier: str | None, later: str | None) -> int:
    if not earlier or not later:
        return 0
    days = date.fromisoformat(later[:10]) - date.fromisoformat(earlier[:10])
    return max(days.days, 0)


def check_stale(built: str, surveyed: str, decided: pl.LazyFrame) -> Iterator[Fault]:
    """Whether the files are older than the content that the survey after them saw."""
    if not built or surveyed <= built:
        return
    changed = decided.filter(pl.col("listed") & (pl.col("lastmod") > built))
    since = changed.select("loc", "lastmod").sort("lastmod").collect(engine="streaming")
    if since.height:
        newest = since.row(-1, named=True)
        days = _days_between(built, newest["lastmod"])
        late = plural(days, "day") if days else "less than a day"
        at, pages = built[:16].replace("T", " "), plural(since.height, "listed page")
        yield Fault(
            "build-stale",
            newest["loc"],
            f"The files are of {at}; {pages} changed since, this one {late} later.",
        )


def _contradiction(page: dict[str, Any]) -> tuple[str, str]:
    if not page["index"]:
        return "listed-noindexed", str(page["reason"])
    if page["redirect"]:
        return "listed-redirected", f"it sends visitors on to {page['redirect']}"
    if page["canonical"] and page["canonical"] != page["loc"]:
        return "listed-other-canonical", f"its canonical is {page['canonical']}"
    return "listed-unlisted", str(page["reason"])
