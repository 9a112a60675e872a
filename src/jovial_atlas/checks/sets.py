"""Sets of sitemap files: reading an index with what it lists, checking all of it together."""

from __future__ import annotations

import shutil
import tempfile
import weakref
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import msgspec
import polars as pl

from jovial_atlas import addresses
from jovial_atlas.address_columns import whole_addresses
from jovial_atlas.faults import Fault
from jovial_atlas.files import temporary_name
from jovial_atlas.robots import Matcher, RobotsFile
from jovial_atlas.rules import barred, deciding_crawlers
from jovial_atlas.sitemaps.check import (
    ServedAt,
    check_across,
    check_file,
    check_nesting,
    rows_by_file,
    rows_of,
)
from jovial_atlas.sitemaps.notes import MOST_TOLD
from jovial_atlas.sitemaps.read import FileKind, SitemapFile, media_of, read_sitemap


class Fetched(msgspec.Struct, frozen=True):
    """What came of asking for one file: its shown name, its address if known, bytes or a fault."""

    name: str
    address: str | None
    data: bytes | None
    fault: Fault | None = None


#: Gets the file behind an entry of an index: (loc, the index) → what came of it.
Fetch = Callable[[str, Fetched], Fetched]


#: Entries up to which all of them are held; those of larger sets are put aside, in files.
_HELD = 400_000


@dataclass
class SitemapSet:
    """Files that were read together, in order, with their addresses where known. The entries of
    many are put aside in a folder of their own, in `beside` where that is possible."""

    files: list[tuple[Fetched, SitemapFile]] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    beside: Path | None = None
    _aside: Path | None = None
    _count: int = 0

    def add(self, fetched: Fetched, file: SitemapFile) -> None:
        """Add a file that was read."""
        self.files.append((fetched, file))
        self._count += file.count
        if self._count > _HELD:
            with suppress(OSError):  # where there is no room they are held
                self._put_aside()

    def _put_aside(self) -> None:
        """Put aside what is held: all of it the first time, then the file that came last."""
        due = range(len(self.files))
        if self._aside is None:
            self._aside = _folder(self.beside)
            weakref.finalize(self, shutil.rmtree, self._aside, ignore_errors=True)
        else:
            due = due[-1:]
        for number in due:
            self.files[number][1].put_aside(self._aside / f"{number}.arrow")

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

    def rows_by_file(
        self, only: int | None = None, *, texts: bool = True
    ) -> Iterator[pl.DataFrame]:
        """As `rows`, file after file, so that few are held at once, or of `only` one; `number` is
        that of the file. Without `texts` plain text that repeats others is left out."""
        files = [file for _, file in self.files]
        for rows in rows_by_file(files, only, texts=texts):
            if rows.height:
                name = pl.lit(files[rows["file"][0]].name).alias("file")
                yield _spelled(rows).select(
                    "loc", "lastmod", "line", "companion", name, number="file"
                )

    def keys(self) -> pl.DataFrame:
        """As `rows`, with keys in place of addresses and dates, and the number of the file."""
        tables = [
            rows.select(text_key("loc"), text_key("lastmod"), "line", "companion", "number")
            for rows in self.rows_by_file()
        ]
        return pl.concat(tables) if tables else pl.DataFrame(schema=_KEYS)

    def named(self, keys: pl.DataFrame) -> pl.DataFrame:
        """A few rows of `keys`, in their order, as rows of `rows`."""
        found = [pl.DataFrame(schema={**_NAMED, "_at": pl.UInt32})]
        for of, some in keys.with_row_index("_at").partition_by("number", as_dict=True).items():
            (rows,) = self.rows_by_file(int(of[0]))
            rows = rows.with_columns(key=text_key("loc"))
            wanted = some.select("_at", "line", key="loc")
            joined = wanted.join(rows.unique(["key", "line"]), on=["key", "line"], how="inner")
            few = joined.select(*_NAMED, "_at")
            # Written anew: a text that is taken from a file's keeps all of them in memory.
            found.append(pl.DataFrame(few.rows(), schema=found[0].schema, orient="row"))
        return pl.concat(found).sort("_at").drop("_at")


_KEYS = {"loc": pl.UInt64, "lastmod": pl.UInt64, "line": pl.UInt32, "companion": pl.Boolean,
         "number": pl.UInt32}  # fmt: skip
_NAMED = {"loc": pl.String, "lastmod": pl.String, "line": pl.UInt32, "companion": pl.Boolean,
          "file": pl.String}  # fmt: skip


def text_key(name: str) -> pl.Expr:
    """What a text is told apart by, where all of them would be too many to hold."""
    return pl.col(name).fill_null("").hash(5).alias(name)


def _folder(beside: Path | None) -> Path:
    """A new folder for what is put aside: in the state folder, where that can be written to."""
    if beside is not None and beside.is_dir():
        with suppress(OSError):
            path = temporary_name(beside)
            path.mkdir()
            return path
    return Path(tempfile.mkdtemp())


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


def read_set(starts: Iterable[Fetched], fetch: Fetch, beside: Path | None = None) -> SitemapSet:
    """Read files and, for an index, what it lists; each file once, a few at the same time. `beside`
    is where the entries of many may be put aside."""
    read = SitemapSet(beside=beside)
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
    read.add(fetched, file)
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
    found = [rows.filter(closed) for rows in read.rows_by_file()]
    barred_rows = pl.concat(found) if found else read.rows
    for loc, file, line in first_rows(barred_rows):
        answer = matcher.ask(addresses.path_and_query(loc))
        yield Fault("listed-disallowed", f"{file}:{line}", f"{str(answer.rule)!r} bars {loc}.")
    yield from left_out("listed-disallowed", barred_rows, read, "listed addresses are barred")


def first_rows(rows: pl.DataFrame) -> Iterator[tuple[str, str, int]]:
    yield from rows.head(MOST_TOLD).select("loc", "file", "line").iter_rows()


def left_out(code: str, rows: pl.DataFrame, read: SitemapSet, what: str) -> Iterator[Fault]:
    if rows.height > MOST_TOLD:
        left = rows.height - MOST_TOLD
        first = read.files[rows["number"][0]][1].name
        yield Fault(code, first, f"{left:,} more {what}.")
